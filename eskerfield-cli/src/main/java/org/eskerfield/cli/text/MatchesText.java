// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.text;

import java.time.Duration;
import java.time.ZonedDateTime;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import org.eskerfield.matches.Matches;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Host;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Site;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.Address;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.Moments;
import org.jspecify.annotations.Nullable;

/** The matches of each rule, as a table for each device. */
public final class MatchesText {
  private final Site site;
  private final Style style;

  public MatchesText(Site site, Style style) {
    this.site = site;
    this.style = style;
  }

  /**
   * The tables, and how many flows there were.
   *
   * @param start when it began
   * @param elapsed how long the traffic took
   */
  public String of(List<Matches.Row> rows, long flows, ZonedDateTime start, Duration elapsed) {
    StringBuilder out = new StringBuilder();
    boolean sized = rows.stream().anyMatch(row -> row.packets() != null || row.bytes() != null);
    for (String device : site.devices().keySet()) {
      List<Matches.Row> own = rows.stream().filter(row -> row.device().equals(device)).toList();
      if (!own.isEmpty()) {
        TableText table =
            sized
                ? new TableText("line", "flows", "packets", "bytes", "first", "last", "rule")
                : new TableText("line", "flows", "first", "last", "rule", "senders");
        own.forEach(row -> add(table, row, sized));
        out.append(style.strong(device)).append('\n').append(table.text(style)).append('\n');
      }
    }
    long unused = rows.stream().filter(row -> row.flows() == 0 && isRule(row.by())).count();
    out.append(
        String.format("%,d %s in %s", flows, flows == 1 ? "flow" : "flows", Moments.text(elapsed)));
    out.append(VirtualClock.isStart(start) ? "" : " from " + Moments.dated(start));
    return out.append(", ")
        .append(unused)
        .append(unused == 1 ? " rule" : " rules")
        .append(" without a match\n")
        .toString();
  }

  private void add(TableText table, Matches.Row row, boolean sized) {
    List<String> cells = new ArrayList<>();
    cells.add(String.valueOf(row.by().place().line()));
    cells.add(row.flows() == 0 ? "none" : String.format("%,d", row.flows()));
    if (sized) {
      cells.add(row.packets() == null ? "" : String.format("%,d", row.packets()));
      cells.add(row.bytes() == null ? "" : bytes(row.bytes()));
    }
    cells.add(time(row.first()));
    cells.add(time(row.last()));
    cells.add(label(row.by()));
    String more = row.flows() == 0 ? why(row) : senders(row.senders());
    if (!sized) {
      cells.add(more);
    }
    table.add(cells.toArray(new String[0]));
    if (sized && isRule(row.by())) {
      table.addBelow(row.flows() == 0 ? more : "from " + more);
    }
  }

  /** In decimal units (IEC 80000-13): {@code 12.4 MB}. */
  private static String bytes(long bytes) {
    double shown = bytes;
    for (String unit : List.of("B", "kB", "MB", "GB")) {
      if (shown < 999.5) {
        return unit.equals("B") ? bytes + " B" : String.format(Locale.ROOT, "%.1f %s", shown, unit);
      }
      shown /= 1000;
    }
    return String.format(Locale.ROOT, "%,.1f TB", shown);
  }

  private static String label(Placed by) {
    return Labels.of(by) + (by instanceof AccessList ? ", default" : "");
  }

  private static boolean isRule(Placed by) {
    return by instanceof AccessRule || by instanceof TranslationRule;
  }

  private static String why(Matches.Row row) {
    Placed instead = row.instead();
    return !isRule(row.by())
        ? ""
        : instead == null
            ? "(no such traffic)"
            : "(its traffic goes to "
                + Labels.of(instead)
                + ", line "
                + instead.place().line()
                + ")";
  }

  private static String time(@Nullable Duration time) {
    boolean isLong = time != null && time.toHours() > 0;
    return time == null ? "" : Moments.text(isLong ? time.truncatedTo(ChronoUnit.MINUTES) : time);
  }

  private String senders(Map<Address, Long> senders) {
    Map.Entry<Address, Long> most = senders.entrySet().iterator().next();
    Host host = site.hostAt(most.getKey());
    String name = host == null ? most.getKey().toString() : host.name();
    return senders.size() == 1
        ? name
        : String.format("%,d senders, most from ", senders.size())
            + name
            + String.format(" (%,d)", most.getValue());
  }
}
