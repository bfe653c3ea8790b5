package org.eskerfield.cli;

import java.util.List;
import org.eskerfield.engine.BindingRow;
import org.eskerfield.engine.SessionRow;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
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
          row.isPermanent() ? "" : Integer.toString(row.sessions()),
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
