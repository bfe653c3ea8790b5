// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.text;

import java.time.Duration;
import java.time.ZonedDateTime;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import org.eskerfield.capacity.Capacity;
import org.eskerfield.capacity.Capacity.Use;
import org.eskerfield.model.Host;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Moments;
import org.jspecify.annotations.Nullable;

/** What is in use of what rules give out, as a table and a plot for each device. */
public final class CapacityText {
  private static final String BARS = " ▁▂▃▄▅▆▇█";

  /** How many columns a plot has. */
  private static final int COLUMNS = 72;

  /** The widths that a column may have, in minutes; beyond, whole days. */
  private static final int[] WIDTHS = {1, 2, 5, 10, 15, 20, 30, 60, 120, 240, 360, 720};

  private final Site site;
  private final Style style;

  public CapacityText(Site site, Style style) {
    this.site = site;
    this.style = style;
  }

  /** How much time one column of a plot shows. */
  public static Duration column(Duration elapsed) {
    for (int each : WIDTHS) {
      if (elapsed.compareTo(Duration.ofMinutes((long) each * COLUMNS)) <= 0) {
        return Duration.ofMinutes(each);
      }
    }
    return Duration.ofDays(elapsed.toDays() / COLUMNS + 1);
  }

  /**
   * The tables and plots.
   *
   * @param ifs what was supposed
   * @param all the use as the site is, then under each supposition, by intervals of {@link #column}
   */
  public String of(List<String> ifs, List<List<Use>> all, ZonedDateTime start, Duration elapsed) {
    StringBuilder out = new StringBuilder();
    for (String device : site.devices().keySet()) {
      List<Use> own = all.get(0).stream().filter(use -> use.device().equals(device)).toList();
      if (!own.isEmpty()) {
        out.append(style.strong(device)).append('\n');
        out.append(table(own).text(style)).append('\n');
        own.forEach(use -> plot(out, use, Moments.text(elapsed.truncatedTo(ChronoUnit.SECONDS))));
      }
    }
    if (out.length() == 0) {
      out.append("No rule gave out a port or an address.\n\n");
    } else {
      out.append("Each column of a plot is ").append(Moments.text(column(elapsed)));
      out.append(", its height the most in use.\n");
    }
    for (int i = 0; i < ifs.size(); i++) {
      out.append('\n').append(style.strong("If " + ifs.get(i))).append('\n');
      out.append(compared(all.get(0), all.get(i + 1)));
    }
    out.append(ifs.isEmpty() ? "" : "\n");
    out.append(Moments.text(elapsed)).append(" of traffic");
    out.append(VirtualClock.isStart(start) ? "" : " from " + Moments.dated(start));
    return out.append('\n').toString();
  }

  private TableText table(List<Use> uses) {
    TableText table =
        new TableText("given out", "of", "most", "at", "none left", "address or pool");
    for (Use use : uses) {
      table.add(
          Capacity.unit(use.protocol()),
          number(use.size()),
          number(use.most()),
          time(use.at()),
          use.refused() + use.limited() == 0 ? "" : number(use.refused() + use.limited()),
          use.what());
      table.addBelow("by " + rules(use));
      if (use.first() != null) {
        table.addBelow(refusal(use));
      }
    }
    return table;
  }

  private String refusal(Use use) {
    String why =
        use.limited() == 0
            ? "nothing was left for "
            : use.refused() == 0
                ? "its sender had as many as it may: "
                : "nothing was left, or its sender had as many as it may: ";
    long packets = use.refused() + use.limited();
    return why
        + number(packets)
        + (packets == 1 ? " flow, at " : " flows, first at ")
        + time(use.first())
        + (use.sender() == null ? "" : ", from " + name(use.sender()));
  }

  private String name(Address address) {
    Host host = site.hostAt(address);
    return host == null ? address.toString() : host.name() + " (" + address + ")";
  }

  private static String rules(Use use) {
    return (use.rules().size() == 1 ? "rule '" : "rules '")
        + String.join("', '", use.rules())
        + "'";
  }

  private void plot(StringBuilder out, Use use, String end) {
    long most = Math.max(1, use.most());
    StringBuilder bars = new StringBuilder();
    for (long each : use.highest()) {
      int height = (int) ((each * (BARS.length() - 1) + most - 1) / most);
      bars.append(BARS.charAt(height));
    }
    out.append("  ").append(use.what()).append(", ").append(Capacity.unit(use.protocol()));
    out.append(": up to ").append(number(use.most())).append(" of ").append(number(use.size()));
    out.append("\n  |").append(bars).append("|\n");
    out.append("   0s").append(" ".repeat(Math.max(2, bars.length() - 2 - end.length())));
    out.append(end).append("\n\n");
  }

  /** What a supposition changes. */
  private String compared(List<Use> before, List<Use> after) {
    boolean same = true;
    TableText table =
        new TableText("given out", "of", "most", "was", "none left", "was", "address or pool");
    List<Use> left = new ArrayList<>(before);
    for (Use now : after) {
      Use then = left.stream().filter(each -> isSame(each, now)).findFirst().orElse(null);
      left.remove(then);
      if (then == null || !isAlike(then, now)) {
        add(table, then, now);
        same = false;
      }
    }
    left.forEach(then -> add(table, then, null));
    return same && left.isEmpty() ? "  as much is given out, at most\n" : table.text(style);
  }

  private static boolean isSame(Use one, Use other) {
    boolean pool = one.protocol() == 0 && one.rules().equals(other.rules());
    return one.device().equals(other.device())
        && one.protocol() == other.protocol()
        && (pool || one.what().equals(other.what()));
  }

  private static boolean isAlike(Use one, Use other) {
    return one.most() == other.most()
        && one.refused() == other.refused()
        && one.limited() == other.limited()
        && one.size() == other.size()
        && Objects.equals(one.what(), other.what());
  }

  private static void add(TableText table, @Nullable Use then, @Nullable Use now) {
    Use some = now != null ? now : Objects.requireNonNull(then);
    table.add(
        Capacity.unit(some.protocol()),
        number(some.size()),
        most(now),
        most(then),
        refused(now),
        refused(then),
        some.device() + " " + some.what());
  }

  private static String most(@Nullable Use use) {
    return use == null ? "0" : number(use.most());
  }

  private static String refused(@Nullable Use use) {
    return use == null ? "0" : number(use.refused() + use.limited());
  }

  private static String number(long number) {
    return String.format("%,d", number);
  }

  private static String time(@Nullable Duration time) {
    return time == null ? "" : Moments.text(time);
  }
}
