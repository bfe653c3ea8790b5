// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.answer;

import java.math.BigDecimal;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import org.eskerfield.capacity.Capacity.Use;
import org.eskerfield.packet.Protocol;
import org.jspecify.annotations.Nullable;

/**
 * What is in use of what rules give out, as a tree (see {@code capacity.schema.json}) and a table.
 */
public final class CapacityData {
  private CapacityData() {}

  /**
   * The use over time.
   *
   * @param name the name of the site file
   * @param ifs what was supposed
   * @param every the width of the intervals
   * @param all the use as the site is, then under each supposition
   * @param remarks what of the traffic could not be read or is to be known; often empty
   */
  public static Tree of(
      String name, List<String> ifs, Duration every, List<List<Use>> all, List<String> remarks) {
    List<@Nullable Object> suppositions = new ArrayList<>();
    for (int i = 0; i < ifs.size(); i++) {
      suppositions.add(
          new Tree()
              .with("if", ifs.get(i))
              .with("uses", Tree.each(all.get(i + 1), CapacityData::use)));
    }
    return new Tree()
        .with("site", name)
        .with("remarks", remarks)
        .with("every", seconds(every))
        .with("uses", Tree.each(all.get(0), CapacityData::use))
        .with("suppositions", suppositions);
  }

  private static Tree use(Use use) {
    return new Tree()
        .with("device", use.device())
        .with("what", use.what())
        .with("protocol", protocol(use))
        .with("rules", use.rules())
        .with("size", use.size())
        .with("most", use.most())
        .with("at", seconds(use.at()))
        .with("refused", use.refused())
        .with("limited", use.limited())
        .with("first", seconds(use.first()))
        .with("sender", use.sender())
        .with("highest", use.highest());
  }

  private static @Nullable String protocol(Use use) {
    return use.protocol() == 0 ? null : Protocol.name(use.protocol());
  }

  private static @Nullable Object seconds(@Nullable Duration time) {
    return time == null ? null : BigDecimal.valueOf(time.toMillis(), 3).stripTrailingZeros();
  }

  /** The same as CSV (RFC 4180): a row for each interval in which something was in use. */
  public static String csv(List<String> ifs, Duration every, List<List<Use>> all) {
    StringBuilder out = new StringBuilder();
    MatchesData.line(out, "if", "device", "what", "protocol", "time", "highest", "size");
    for (int i = 0; i < all.size(); i++) {
      for (Use use : all.get(i)) {
        String protocol = protocol(use);
        for (int at = 0; at < use.highest().size(); at++) {
          if (use.highest().get(at) > 0) {
            MatchesData.line(
                out,
                i == 0 ? "" : ifs.get(i - 1),
                use.device(),
                use.what(),
                protocol == null ? "" : protocol,
                String.valueOf(every.multipliedBy(at).toSeconds()),
                String.valueOf(use.highest().get(at)),
                String.valueOf(use.size()));
          }
        }
      }
    }
    return out.toString();
  }
}
