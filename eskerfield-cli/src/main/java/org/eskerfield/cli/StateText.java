package org.eskerfield.cli;

import java.time.Duration;
import java.time.ZonedDateTime;
import java.util.List;
import org.eskerfield.engine.BindingRow;
import org.eskerfield.engine.SessionRow;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Device;
import org.eskerfield.model.Placed;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.eskerfield.trace.Figures;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.LogEntry;
import org.jspecify.annotations.Nullable;

/** Lays out what a device remembers. */
final class StateText {
  private StateText() {}

  static String bindings(String device, List<BindingRow> rows, Style style) {
    TableText table =
        new TableText("protocol", "internal", "external", "sessions", "age", "left", "rule");
    for (BindingRow row : rows) {
      table.add(
          row.protocol() == ServicePart.ANY_PROTOCOL ? "any" : Protocol.name(row.protocol()),
          side(row.internal(), row.internalPorts(), row.protocol()),
          side(row.external(), row.externalPorts(), row.protocol()),
          row.remotes().isEmpty() ? "" : Integer.toString(row.remotes().size()),
          row.age() == null ? "permanent" : Durations.text(row.age()),
          row.left() == null ? "" : Durations.text(row.left()),
          rule(row.rule()));
    }
    return title("Bindings", device, rows.size(), style)
        + (rows.isEmpty() ? "" : table.text(style));
  }

  static String sessions(String device, List<SessionRow> rows, Style style) {
    TableText table = new TableText("kind", "as it arrived", "changed", "age", "left", "rule");
    for (SessionRow row : rows) {
      table.add(
          Protocol.name(row.arrived().protocol()),
          row.arrived().sourceText() + " → " + row.arrived().destinationText(),
          changed(row.arrived(), row.left()),
          Durations.text(row.age()),
          Durations.text(row.remaining()),
          rules(row.destinationRule(), row.sourceRule()));
    }
    return title("Sessions", device, rows.size(), style)
        + (rows.isEmpty() ? "" : table.text(style));
  }

  /** What a device has changed between two headers of a packet. */
  private static String changed(Header arrived, Header left) {
    String from = arrived.sourceText().equals(left.sourceText()) ? "" : "from " + left.sourceText();
    String to =
        arrived.destinationText().equals(left.destinationText())
            ? ""
            : "to " + left.destinationText();
    if (from.isEmpty() && to.isEmpty()) {
      return "nothing";
    }
    return from.isEmpty() || to.isEmpty() ? from + to : from + " " + to;
  }

  static String figures(Device device, Figures figures, ZonedDateTime start, Style style) {
    StringBuilder out = new StringBuilder(style.strong("Figures of " + device.name()) + "\n");
    out.append("  sessions     ").append(level(figures.sessions(), start)).append('\n');
    out.append("  bindings     ").append(level(figures.bindings(), start)).append('\n');
    out.append("  got nothing  ").append(figures.gotNothing()).append('\n');
    TableText table = new TableText("flows", "rule");
    for (TranslationRule rule : device.translation()) {
      table.add(hits(figures, rule), Labels.of(rule) + ", line " + rule.place().line());
    }
    for (AccessList list : device.access()) {
      for (AccessRule rule : list.rules()) {
        table.add(hits(figures, rule), Labels.of(rule) + ", line " + rule.place().line());
      }
      table.add(hits(figures, list), Labels.of(list) + ", otherwise, line " + list.place().line());
    }
    return out.append(table.text(style)).toString();
  }

  private static String hits(Figures figures, Placed by) {
    return Long.toString(figures.flowsOf(by));
  }

  private static String level(Figures.Level level, ZonedDateTime start) {
    return level.now()
        + " now, at most "
        + level.most()
        + (level.most() == 0
            ? ""
            : " since " + Durations.text(Duration.between(start, level.at())));
  }

  static String log(List<LogEntry> log, ZonedDateTime start, Style style) {
    StringBuilder out = new StringBuilder(style.strong("Log") + "  ");
    out.append(log.isEmpty() ? "empty" : Integer.toString(log.size())).append('\n');
    for (LogEntry entry : log) {
      String time = Durations.text(Duration.between(start, entry.at()));
      String before = "  " + time + " ".repeat(Math.max(1, 10 - time.length()));
      Placed by = entry.decision().by();
      String text =
          entry.device() + " " + entry.decision().text() + ": " + entry.decision().before();
      String place = by == null ? null : by.place().toString();
      out.append(before).append(style.placed(text, place, before.length(), before.length()));
      out.append('\n');
    }
    return out.toString();
  }

  private static String title(String what, String device, int count, Style style) {
    return style.strong(what + " of " + device) + "  " + (count == 0 ? "none" : count) + "\n";
  }

  private static String side(Prefix block, PortSet ports, int protocol) {
    String address =
        block.length() == block.first().family().bits()
            ? block.first().toString()
            : block.toString();
    if (ports.equals(PortSet.ALL)) {
      return address;
    }
    return Protocol.isIcmp(protocol) ? address + " id " + ports : address + ":" + ports;
  }

  private static String rule(TranslationRule rule) {
    return "line " + rule.place().line() + ", " + rule.name();
  }

  private static String rules(@Nullable TranslationRule one, @Nullable TranslationRule other) {
    String both = one == null ? "" : rule(one);
    return other == null ? both : both + (one == null ? "" : ", ") + rule(other);
  }
}
