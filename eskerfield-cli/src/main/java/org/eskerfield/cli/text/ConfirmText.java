// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.text;

import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import org.eskerfield.compare.DeviceComparison;
import org.eskerfield.compare.DeviceComparison.Difference;
import org.eskerfield.compare.DeviceComparison.Kind;
import org.eskerfield.compare.DeviceComparison.Session;
import org.eskerfield.model.Host;
import org.eskerfield.model.Site;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Protocol;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.Moments;
import org.eskerfield.trace.Trace;
import org.jspecify.annotations.Nullable;

/** What a real device decided otherwise, for the terminal. */
public final class ConfirmText {
  private final Site site;
  private final Style style;

  public ConfirmText(Site site, Style style) {
    this.site = site;
    this.style = style;
  }

  /**
   * The differences, device by device.
   *
   * @param whole whether traffic was sent that is known from elsewhere
   */
  public String of(Map<String, DeviceComparison> found, List<String> remarks, boolean whole) {
    StringBuilder out = new StringBuilder();
    found.forEach((device, comparison) -> device(out, device, comparison));
    if (found.isEmpty()) {
      out.append("There is no session of a device of this site to compare.\n");
    } else if (!whole) {
      out.append("Sent were the flows of these sessions; what the device did not translate is not");
      out.append(" seen: see --traffic.\n");
    }
    remarks.forEach(each -> out.append(Style.wrapped(each, 0, 2)).append('\n'));
    return out.toString();
  }

  private void device(StringBuilder out, String device, DeviceComparison comparison) {
    out.append(style.strong(device)).append('\n');
    List<Difference> differences = comparison.differences();
    for (int i = 0; i < differences.size(); i++) {
      out.append(i == 0 ? "" : "\n");
      difference(out, i + 1, differences.get(i));
    }
    out.append(differences.isEmpty() ? "" : "\n");
    String counts =
        String.format("%,d of %s alike here", comparison.agreeing(), count(comparison.sessions()));
    if (comparison.endless() > 0) {
      counts += String.format("; the end of %,d of these is not told", comparison.endless());
    }
    out.append("  ").append(counts).append("\n\n");
  }

  private static String count(long sessions) {
    return String.format("%,d %s", sessions, sessions == 1 ? "session" : "sessions");
  }

  private String time(Instant at) {
    return Moments.dated(at.atZone(site.timeZone()));
  }

  private void difference(StringBuilder out, int number, Difference each) {
    out.append("  ").append(number).append("  ").append(style.bad(each.kind().text()));
    out.append(": ").append(count(each.sessions()));
    out.append(each.sessions() == 1 ? ", at " : ", first at ").append(time(each.first()));
    out.append(each.sessions() == 1 ? "" : ", last at " + time(each.last())).append('\n');
    Session some = each.real() != null ? each.real() : each.here();
    if (some != null) {
      out.append("     e.g. ").append(end(some.before(), true)).append(" to ");
      out.append(end(some.before(), false)).append(' ');
      out.append(Protocol.name(some.before().protocol())).append('\n');
    }
    line(out, "device", told(each.kind(), each.real()));
    line(out, "here", each.here() == null ? fate(each.instead()) : told(each.kind(), each.here()));
    if (each.rule() != null) {
      rule(out, "decided here by ", each.rule());
    }
    if (each.fitting() != null) {
      rule(out, "the source of the device is one of ", each.fitting());
    }
  }

  private void line(StringBuilder out, String who, String text) {
    String start = "       " + who + " ".repeat(8 - who.length());
    out.append(start).append(Style.wrapped(text, 15, 15)).append('\n');
  }

  private void rule(StringBuilder out, String before, TranslationRule rule) {
    String text = before + Labels.of(rule);
    String place = rule.place().line() == 0 ? null : rule.place().toString();
    out.append("       ").append(style.placed(text, place, 7, 9)).append('\n');
  }

  private static String fate(@Nullable Trace instead) {
    return instead == null
        ? "no flow with these ends was sent at about that time"
        : instead.outcome() + ": " + instead.reason();
  }

  private String told(Kind kind, @Nullable Session session) {
    if (session == null) {
      return "nothing recorded";
    }
    if (kind == Kind.ENDED_EARLIER || kind == Kind.ENDED_LATER) {
      Instant end = session.end();
      return end == null
          ? "goes on"
          : "ended after " + Moments.text(Duration.between(session.start(), end));
    }
    return "leaves as " + end(session.after(), true) + " to " + end(session.after(), false);
  }

  private String end(Header header, boolean source) {
    Address address = source ? header.source() : header.destination();
    int port = source ? header.sourcePort() : header.destinationPort();
    Host host = site.hostAt(address);
    String text = host == null ? address.toString() : host.name() + " (" + address + ")";
    return Protocol.hasPorts(header.protocol()) ? text + " port " + port : text;
  }
}
