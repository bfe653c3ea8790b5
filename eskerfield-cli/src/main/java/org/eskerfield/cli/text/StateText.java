// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.text;

import java.time.Duration;
import java.time.ZonedDateTime;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Device;
import org.eskerfield.model.Placed;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.eskerfield.state.BindingRow;
import org.eskerfield.state.PoolFill;
import org.eskerfield.state.SessionRow;
import org.eskerfield.trace.Figures;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.Moments;
import org.jspecify.annotations.Nullable;

/** Lays out what a device remembers. */
public final class StateText {
  /** How many remote ends of a binding are written out. */
  private static final int MOST_REMOTES = 4;

  private StateText() {}

  public static String bindings(String device, List<BindingRow> rows, Style style) {
    TableText table = new TableText("protocol", "internal", "external", "sessions", "age", "left");
    for (BindingRow row : rows) {
      table.add(
          row.protocol() == ServicePart.ANY_PROTOCOL ? "any" : Protocol.name(row.protocol()),
          side(row.internal(), row.internalPorts(), row.protocol()),
          side(row.external(), row.externalPorts(), row.protocol()),
          row.remotes().isEmpty() ? "" : Integer.toString(row.remotes().size()),
          row.age() == null ? "permanent" : Moments.text(row.age()),
          row.left() == null ? "" : Moments.text(row.left()));
      addUse(table, row);
    }
    return title("Bindings", device, rows.size(), style)
        + (rows.isEmpty() ? "" : table.text(style));
  }

  /** By which rule a binding is there, and with whom it is used, as both sides see it. */
  private static void addUse(TableText table, BindingRow row) {
    List<BindingRow.Remote> remotes = row.remotes();
    int shown = Math.min(remotes.size(), MOST_REMOTES);
    String rule = rule(row.rule());
    if (shown == 0) {
      table.addBelow(rule);
    }
    for (BindingRow.Remote remote : remotes.subList(0, shown)) {
      String with =
          remote.inside().equals(remote.outside())
              ? "with " + remote.outside()
              : "with " + remote.outside() + ", which is " + remote.inside() + " inside";
      if (rule.length() + with.length() > Style.WIDTH - 10) {
        table.addBelow(rule);
        rule = "";
      }
      table.addBelow(rule.isEmpty() ? "  " + with : rule + ", " + with);
      rule = "";
    }
    if (remotes.size() > shown) {
      table.addBelow("and " + (remotes.size() - shown) + " more; see the sessions");
    }
  }

  public static String sessions(String device, List<SessionRow> rows, Style style) {
    TableText table = new TableText("kind", "arrived as", "age", "left");
    for (SessionRow row : rows) {
      table.add(
          Protocol.name(row.arrived().protocol()),
          source(row.arrived()) + " → " + row.arrived().destinationText(),
          Moments.text(row.age()),
          Moments.text(row.remaining()));
      String rules = rules(row.destinationRule(), row.sourceRule());
      String changed =
          row.cameBack()
              ? "went out as " + source(row.left()) + " and came back: not accepted"
              : changed(row.arrived(), row.left());
      table.addBelow(rules.isEmpty() ? changed : rules + ", " + changed);
    }
    return title("Sessions", device, rows.size(), style)
        + (rows.isEmpty() ? "" : table.text(style));
  }

  /** The source of a packet, with the identifier of a ping. */
  private static String source(Header header) {
    return header.sourceText()
        + (Icmp.isEchoRequest(header.icmpType()) ? " id " + header.sourcePort() : "");
  }

  /** What a device has changed between two headers of a packet. */
  private static String changed(Header arrived, Header left) {
    String from = source(arrived).equals(source(left)) ? "" : "from " + source(left);
    String to =
        arrived.destinationText().equals(left.destinationText())
            ? ""
            : "to " + left.destinationText();
    if (from.isEmpty() && to.isEmpty()) {
      return "forwarded unchanged";
    }
    return "forwarded " + (from.isEmpty() || to.isEmpty() ? from + to : from + " " + to);
  }

  public static String figures(Device device, Figures figures, ZonedDateTime start, Style style) {
    StringBuilder out = new StringBuilder(style.strong("Figures of " + device.name()) + "\n");
    out.append("  sessions     ").append(level(figures.sessions(), start));
    out.append(", aged out ").append(number(figures.sessionsAged())).append('\n');
    out.append("  bindings     ").append(level(figures.bindings(), start));
    out.append(", aged out ").append(number(figures.bindingsAged())).append('\n');
    out.append("  by kind      ").append(counts(figures.bindingsByKind())).append('\n');
    out.append("  packets in   ").append(counts(figures.packetsByInterface())).append('\n');
    out.append("  stopped here ").append(counts(figures.ended())).append('\n');
    out.append("  no port or address left  ").append(number(figures.gotNothing())).append('\n');
    if (!figures.pools().isEmpty()) {
      TableText pools =
          new TableText("in use", "at most", "since", "available", "refused", "resource", "rule");
      for (Figures.Pool pool : figures.pools()) {
        PoolFill fill = pool.fill();
        pools.add(
            number(fill.taken()),
            number(pool.most()),
            pool.at() == null ? "" : Moments.text(Duration.between(start, pool.at())),
            number(fill.size()),
            number(pool.refused()),
            fill.protocol() == 0 ? "addresses" : portsOf(fill.protocol()),
            rule(fill.rule()));
        if (pool.refusedAt() != null) {
          Duration first = Duration.between(start, pool.refusedAt());
          pools.addBelow("nothing left for a flow, first at " + Moments.text(first));
        }
      }
      out.append(pools.text(style));
    }
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

  private static String number(long count) {
    return String.format(Locale.ENGLISH, "%,d", count);
  }

  private static String portsOf(int protocol) {
    return Protocol.name(protocol) + (Protocol.isIcmp(protocol) ? " identifiers" : " ports");
  }

  private static String counts(Map<String, Long> counts) {
    StringBuilder text = new StringBuilder();
    for (Map.Entry<String, Long> entry : counts.entrySet()) {
      text.append(text.length() == 0 ? "" : ", ");
      text.append(entry.getKey()).append(' ').append(number(entry.getValue()));
    }
    return text.length() == 0 ? "none" : text.toString();
  }

  private static String hits(Figures figures, Placed by) {
    return number(figures.flowsOf(by));
  }

  private static String level(Figures.Level level, ZonedDateTime start) {
    return number(level.now())
        + " now, at most "
        + number(level.most())
        + (level.most() == 0 ? "" : " since " + Moments.text(Duration.between(start, level.at())));
  }

  private static String title(String what, String device, int count, Style style) {
    return style.strong(what + " of " + device)
        + "  "
        + (count == 0 ? "none" : number(count))
        + "\n";
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
    return other == null || other.equals(one)
        ? both
        : both + (one == null ? "" : ", ") + rule(other);
  }
}
