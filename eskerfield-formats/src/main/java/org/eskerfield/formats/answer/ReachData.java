// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.answer;

import java.util.List;
import org.apache.commons.csv.CSVFormat;
import org.eskerfield.guarantee.Reach;
import org.eskerfield.guarantee.WayIn;
import org.eskerfield.trace.Trace;
import org.eskerfield.words.Printable;

/** Who reaches whom, as a tree (see {@code reach.schema.json}) and as a table. */
public final class ReachData {
  private ReachData() {}

  /**
   * The pairs of those who send and those who receive.
   *
   * @param site the name of the site file
   */
  public static Tree of(String site, List<Reach.Cell> cells) {
    return new Tree().with("site", site).with("pairs", Tree.each(cells, ReachData::cell));
  }

  /** All ways in from outside. */
  public static Tree waysIn(String site, WayIn.All ways) {
    return new Tree()
        .with("site", site)
        .with("complete", ways.complete())
        .with("ways", Tree.each(ways.ways(), ReachData::wayIn));
  }

  private static Tree wayIn(WayIn way) {
    return new Tree()
        .with("receiver", way.receiver())
        .with("received", way.received())
        .with("sent", way.sent())
        .with("rules", way.rules())
        .with("notes", way.notes())
        .with("meantBy", way.meantBy())
        .with("sample", TraceData.way(way.sample()));
  }

  private static Tree cell(Reach.Cell cell) {
    Trace sample = cell.sample();
    return new Tree()
        .with("from", cell.from())
        .with("to", cell.to())
        .with("received", cell.received())
        .with("sent", cell.sent())
        .with("rules", cell.rules())
        .with("complete", cell.complete())
        .with("oneNetwork", cell.near())
        .with("sample", sample == null ? null : TraceData.way(sample));
  }

  /** The same as CSV (RFC 4180): a row for each pair and line of what is received. */
  public static String csv(List<Reach.Cell> cells) {
    StringBuilder out = new StringBuilder();
    row(out, "from", "to", "received", "rules of a sample", "complete");
    for (Reach.Cell cell : cells) {
      List<String> lines = cell.received().isEmpty() ? List.of("") : cell.received();
      for (String line : lines) {
        row(
            out,
            cell.from(),
            cell.to(),
            Printable.lines(line),
            Printable.lines(String.join("; ", cell.rules())),
            cell.complete());
      }
    }
    return out.toString();
  }

  private static void row(StringBuilder out, Object... cells) {
    out.append(CSVFormat.RFC4180.format(cells)).append("\r\n");
  }
}
