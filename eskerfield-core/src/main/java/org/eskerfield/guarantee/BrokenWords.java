// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.guarantee;

import java.util.ArrayList;
import java.util.List;
import java.util.Set;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Named;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Step;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Trace;

/**
 * A packet against a guarantee in one sentence: who sends what, who gets it, and which rules let
 * it.
 */
final class BrokenWords {
  /** Source ports below are chosen on purpose. */
  private static final int FIRST_USUAL = 1024;

  private static final Set<Step> LETTING =
      Set.of(Step.STATE, Step.DESTINATION, Step.DEVICE, Step.ACCESS);

  private BrokenWords() {}

  static String of(Site site, Tries.Found found, boolean forged) {
    List<Leg> legs = found.trace().request();
    Header sent = legs.get(0).decisions().get(0).before();
    StringBuilder words = new StringBuilder();
    if (!found.before().isEmpty()) {
      words.append("after ");
      List<String> all = new ArrayList<>();
      for (Trace each : found.before()) {
        all.add(packet(site, each.request().get(0).decisions().get(0).before()));
      }
      words.append(
          all.size() > 2
              ? all.get(0) + " and " + (all.size() - 1) + " more"
              : String.join(" and ", all));
      words.append(", ");
    }
    words.append(packet(site, sent));
    if (forged) {
      words.append(", a forged source that comes in by ");
      words
          .append(found.by().own().name())
          .append(" of ")
          .append(found.by().device().name())
          .append(',');
    }
    words.append(" is delivered to ").append(legs.get(legs.size() - 1).where());
    List<String> rules = rules(legs);
    return words.append(rules.isEmpty() ? "" : " (" + String.join("; ", rules) + ")").toString();
  }

  static String packet(Site site, Header header) {
    Named owner = site.ownerOf(header.source());
    Packet packet = Packet.of(header);
    boolean ports = Protocol.hasPorts(packet.protocol);
    boolean plain = packet.protocol != Protocol.TCP || packet.tcpFlags == Packet.SYN;
    return (owner == null ? "" : owner.name() + " ")
        + header.source()
        + (ports && packet.sourcePort > 0 && packet.sourcePort < FIRST_USUAL
            ? ":" + packet.sourcePort
            : "")
        + " → "
        + header.destinationText()
        + (ports && plain ? "/" + Protocol.name(header.protocol()) : " " + header.kind());
  }

  /** What let a packet through: the device, and its rule, list, own service or default. */
  record Deciding(String where, Placed by) {
    Evidence.Line line() {
      return Evidence.Line.of(where, by);
    }
  }

  /** What let a packet through, in the order of its way. */
  static List<Deciding> deciding(List<Leg> legs) {
    List<Deciding> all = new ArrayList<>();
    for (Leg leg : legs) {
      for (Decision decision : leg.decisions()) {
        Placed by = decision.by();
        if (by != null
            && LETTING.contains(decision.ruling().step())
            && !(by instanceof Interface)) {
          all.add(new Deciding(leg.where(), by));
        }
      }
    }
    return all;
  }

  /** The same in words, each once. */
  static List<String> rules(List<Leg> legs) {
    return deciding(legs).stream().map(each -> each.line().text()).distinct().toList();
  }
}
