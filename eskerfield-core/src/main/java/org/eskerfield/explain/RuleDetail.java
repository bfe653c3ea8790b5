// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.explain;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.model.Named;
import org.eskerfield.model.Placed;
import org.eskerfield.program.CompiledList;
import org.eskerfield.program.Meaning;
import org.eskerfield.set.PacketSet;
import org.eskerfield.trace.Decision;
import org.jspecify.annotations.Nullable;

/**
 * One rule in depth.
 *
 * @param holder the device whose rule it is, or the host where it is one of a host's filter
 * @param list the rule list that it stands in; null for other rules
 * @param position its number among the rules of its list, from 1
 * @param of the number of rules in the list
 * @param statement the rule as explained
 * @param before the rules before it that take packets away from it, in order; often empty
 * @param letBy the rules and lists that let its example through; empty where no list judges it
 */
public record RuleDetail(
    Named holder,
    @Nullable String list,
    int position,
    int of,
    Statement statement,
    List<Earlier> before,
    List<Decision> letBy) {
  /**
   * A rule that acts before another one on some of its packets.
   *
   * @param rule the earlier rule
   * @param sentence what the earlier rule does
   * @param all whether it takes all of them, so that the later rule never matches
   */
  public record Earlier(Placed rule, String sentence, boolean all) {
    /** Those before a rule in its list that act on some of its packets, in order. */
    static List<Earlier> than(
        Placed rule, CompiledList list, Meaning meaning, Sentences sentences) {
      List<Earlier> earlier = new ArrayList<>();
      PacketSet mine = null;
      for (CompiledList.Entry entry : list.entries()) {
        mine = entry.rule().equals(rule) ? meaning.of(entry.match()) : mine;
      }
      for (CompiledList.Entry entry : list.entries()) {
        if (mine == null || entry.rule().equals(rule)) {
          break;
        }
        add(earlier, entry.rule(), meaning.of(entry.match()), mine, sentences);
      }
      return earlier;
    }

    /** Adds an earlier rule if it takes some packets of another one. */
    static void add(
        List<Earlier> earlier, Placed rule, PacketSet takes, PacketSet mine, Sentences sentences) {
      if (takes.meets(mine)) {
        earlier.add(new Earlier(rule, sentences.of(rule), takes.covers(mine)));
      }
    }
  }

  /** Copies the lists. */
  public RuleDetail {
    before = List.copyOf(before);
    letBy = List.copyOf(letBy);
  }
}
