// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.answer;

import java.time.Duration;
import java.util.List;
import java.util.Map;
import org.apache.commons.csv.CSVFormat;
import org.eskerfield.matches.Matches;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.trace.Labels;
import org.eskerfield.words.Printable;
import org.jspecify.annotations.Nullable;

/** The matches of each rule as a tree (see {@code matches.schema.json}) and as a table. */
public final class MatchesData {
  /** How many senders and receivers of a rule are told. */
  private static final int MOST_ENDS = 10;

  private MatchesData() {}

  /**
   * The matches of a site.
   *
   * @param name the name of the site file
   * @param remarks what of the traffic could not be read or is to be known; often empty
   * @param rows the rows to write
   */
  public static Tree of(
      String name, Site site, long flows, List<String> remarks, List<Matches.Row> rows) {
    return new Tree()
        .with("site", name)
        .with("flows", flows)
        .with("remarks", remarks)
        .with("matches", Tree.each(rows, row -> row(site, row)));
  }

  private static Tree row(Site site, Matches.Row row) {
    return new Tree()
        .with("device", row.device())
        .with("what", Labels.of(row.by()))
        .with("place", Tree.placeInFile(row.by().place()))
        .with("flows", row.flows())
        .with("packets", row.packets())
        .with("bytes", row.bytes())
        .with("first", seconds(row.first()))
        .with("last", seconds(row.last()))
        .with("senders", ends(site, row.senders()))
        .with("receivers", ends(site, row.receivers()))
        .with("instead", Tree.of(row.instead(), Tree::rule));
  }

  static List<@Nullable Object> ends(Site site, Map<Address, Long> ends) {
    return Tree.each(
        ends.entrySet().stream().limit(MOST_ENDS).toList(),
        each ->
            new Tree()
                .with("address", each.getKey())
                .with("name", Tree.of(site.hostAt(each.getKey()), host -> host.name()))
                .with("flows", each.getValue()));
  }

  private static @Nullable Object seconds(@Nullable Duration time) {
    return time == null ? null : time.toSeconds();
  }

  /** The same as CSV (RFC 4180): a row for each, times in whole seconds since the start. */
  public static String csv(List<Matches.Row> rows) {
    StringBuilder out = new StringBuilder();
    line(
        out,
        "device",
        "rule",
        "line",
        "flows",
        "packets",
        "bytes",
        "first",
        "last",
        "senders",
        "receivers",
        "instead");
    for (Matches.Row row : rows) {
      line(
          out,
          row.device(),
          Printable.lines(Labels.of(row.by())),
          row.by().place().line(),
          row.flows(),
          row.packets(),
          row.bytes(),
          seconds(row.first()),
          seconds(row.last()),
          row.senders().size(),
          row.receivers().size(),
          row.instead() == null ? null : Printable.lines(Labels.of(row.instead())));
    }
    return out.toString();
  }

  static void line(StringBuilder out, @Nullable Object... cells) {
    out.append(CSVFormat.RFC4180.format(cells)).append("\r\n");
  }
}
