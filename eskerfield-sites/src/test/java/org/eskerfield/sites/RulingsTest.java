// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.ArrayList;
import java.util.EnumSet;
import java.util.List;
import java.util.Set;
import org.eskerfield.formats.Sites;
import org.eskerfield.formats.ask.QuestionReader;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Header;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Question;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.Arguments;
import org.junit.jupiter.params.provider.MethodSource;

/**
 * One small change of the Skerry terminal a row, one packet through it, and what must be said of
 * it. Together the rows make every ruling that a single device can come to.
 */
class RulingsTest {
  private static final Set<Ruling> SEEN = EnumSet.noneOf(Ruling.class);

  /** Rulings that a packet through one device, with empty tables before it, cannot meet. */
  private static final Set<Ruling> NOT_BY_ONE_PACKET =
      EnumSet.of(
          Ruling.BINDING_KNOWN, // the session is found first; DeviceMachineTest has them
          Ruling.BINDING_FILTERED,
          Ruling.BINDING_KNOWN_INSIDE,
          Ruling.DESTINATION_UNTRANSLATABLE, // PrefixTranslationTest
          Ruling.SOURCE_UNTRANSLATABLE,
          Ruling.ERROR_OF_BINDING,
          Ruling.FRAGMENT_WAITS, // PacketSizesTest
          Ruling.FRAGMENT_NOT_KEPT,
          Ruling.FRAGMENT_RECEIVED,
          Ruling.FRAGMENTED,
          Ruling.TOO_LARGE,
          Ruling.SESSION_OF_ANOTHER,
          Ruling.ENDPOINT_IN_USE, // CornersTest
          Ruling.CONNECTION_EXPECTED, // RunTest has the file transfers
          Ruling.TEXT_TRANSLATED,
          Ruling.RESET_RECEIVED,
          Ruling.ERROR_UNMATCHED,
          Ruling.PORTS_USED_UP,
          Ruling.POOL_USED_UP,
          Ruling.PORT_LIMIT_REACHED,
          Ruling.NOT_AN_OPENING,
          Ruling.SOURCE_IS_OWN, // nobody forges addresses in a trace
          Ruling.SOURCE_IMPOSSIBLE);

  /** Replaces a piece of the file, which must be there. */
  private record Edit(String piece, String by) {
    String on(String text) {
      assertThat(text).contains(piece);
      return text.replace(piece, by);
    }
  }

  private static Arguments row(
      String ask, String outcome, Ruling last, String reason, String... piecesAndReplacements) {
    List<Edit> edits = new ArrayList<>();
    for (int i = 0; i < piecesAndReplacements.length; i += 2) {
      edits.add(new Edit(piecesAndReplacements[i], piecesAndReplacements[i + 1]));
    }
    return Arguments.of(ask, outcome, last, reason, edits);
  }

  private static final String INBOUND = "contractor 198.51.100.140 1502/tcp";
  private static final String OUTBOUND = "kiosk hydrographic 8883/tcp";
  private static final String KIOSK = "assigned: reserved, note: sells tickets";
  private static final String RAMP = "assigned: reserved, listens: ramp-control";
  private static final String ADMIT = "becomes: ramp 502\n        admit: ";
  private static final String OPEN = "stance: { pier to internet: accept, otherwise: drop }";
  private static final String TO_DEVICE = "guards: { arriving: pier, to: device }";

  private static final String FIRST = "      - destination: ramp controller";
  private static final String BLOCK =
      "static: a, facing: uplink, external: 192.0.2.64/27, internal: 10.77.4.0/27";
  private static final String HAIRPINNED =
      "static: a, facing: uplink, external: 198.51.100.141, internal: ramp, admit: any, ";

  /** A row with a rule above the first one. */
  private static Arguments above(
      String ask, String outcome, Ruling last, String reason, String rule) {
    return row(ask, outcome, last, reason, FIRST, "      - { " + rule + " }\n" + FIRST);
  }

  static List<Arguments> rows() {
    return List.of(
        // The healthy site.
        row(
            OUTBOUND,
            "answered",
            Ruling.REPLY_ACCEPTED,
            "sees the sender as skerry 198.51.100.140:50000"),
        row(
            INBOUND,
            "answered",
            Ruling.REPLY_ACCEPTED,
            "'ramp controller' leads there, access rule 'the contractor works on the ramp' accepts it"),
        row("kiosk ramp 502/tcp", "answered", Ruling.REPLY_ACCEPTED, "ramp 10.77.4.9:502 answers"),
        row(
            "kiosk hydrographic 8883/tcp",
            "answered",
            Ruling.REPLY_ACCEPTED,
            "",
            "pier:   { on: pier,",
            "pier:   { largest-segment: 1000, on: pier,"),
        row("kiosk 192.0.2.200 ping", "answered", Ruling.REPLY_ACCEPTED, "answers ping"),
        row("kiosk skerry ping", "answered", Ruling.REPLY_ACCEPTED, "skerry 10.77.4.1 answers"),
        row("skerry kiosk ping", "answered", Ruling.DEVICE_RECEIVES, "kiosk 10.77.4.20 answers"),
        row("skerry hydrographic 8883/tcp", "answered", Ruling.DEVICE_RECEIVES, "hydrographic"),
        row(
            "kiosk 203.0.113.9 443/tcp",
            "answered",
            Ruling.REPLY_ACCEPTED,
            "203.0.113.9:443 answers"),
        row(
            "kiosk 198.51.100.129 ping",
            "answered",
            Ruling.REPLY_ACCEPTED,
            "198.51.100.129 answers"),

        // What hosts and their networks let pass.
        row(
            INBOUND,
            "dropped",
            Ruling.BLOCKED_AT_SENDER,
            "its network blocks 1502/tcp",
            "at: 192.0.2.140,",
            "at: 192.0.2.140, network-blocks: 1502/tcp,"),
        row(
            OUTBOUND,
            "unroutable",
            Ruling.SENDER_OFF,
            "is switched off",
            KIOSK,
            KIOSK + ", off: true"),
        row(INBOUND, "unroutable", Ruling.HOST_OFF, "is switched off", RAMP, RAMP + ", off: true"),
        row(
            INBOUND,
            "answered",
            Ruling.REPLY_ACCEPTED,
            "ramp 10.77.4.9:502 answers",
            RAMP,
            RAMP + ", filter: { rules: [{ accept: work, from: contractor }], otherwise: drop }"),
        row(
            INBOUND,
            "answered",
            Ruling.REPLY_ACCEPTED,
            "ramp 10.77.4.9:502 answers",
            RAMP,
            RAMP + ", filter: { otherwise: accept }"),
        row(
            INBOUND,
            "dropped",
            Ruling.HOST_FILTERED,
            "accepts only packets from kiosk, and this is from contractor",
            RAMP,
            RAMP + ", filter: { rules: [{ accept: ours, from: kiosk }], otherwise: drop }"),
        row(
            INBOUND,
            "refused",
            Ruling.HOST_REJECTED,
            "rejects it by access rule 'nobody' of its own filter",
            RAMP,
            RAMP + ", filter: { rules: [{ reject: nobody, from: any }], otherwise: accept }"),

        // Hosts.
        row(
            "kiosk ramp 503/tcp",
            "refused",
            Ruling.REPLY_ACCEPTED,
            "ramp refuses it: nothing there listens on 503/tcp"),
        row(
            "kiosk ramp 502/udp",
            "refused",
            Ruling.HOST_REFUSES,
            "nothing there listens on 502/udp"),
        row(
            "kiosk ramp ping",
            "unanswered",
            Ruling.HOST_SILENT,
            "does not answer pings",
            "listens: ramp-control",
            "listens: ramp-control, answers-ping: false"),
        row(
            "kiosk 10.77.4.77 22/tcp",
            "unroutable",
            Ruling.NOBODY_THERE,
            "no host on network pier has 10.77.4.77"),
        row(
            "kiosk 192.0.2.200 ping",
            "unroutable",
            Ruling.NOT_FOR_HOST,
            "192.0.2.200 is not its address, and a host forwards nothing",
            "at: 10.77.4.20, assigned",
            "at: 10.77.4.20, gateway: 10.77.4.9, assigned"),
        row(
            "kiosk 192.0.2.200 ping",
            "unroutable",
            Ruling.NO_GATEWAY,
            "no gateway to 192.0.2.200",
            "interfaces:",
            "interfaces:\n      back: { on: yard, at: 10.77.5.1 }",
            "      pier:   { on: pier, at: 10.77.4.1 }",
            "",
            "  pier:         {",
            "  yard: { prefix: 10.77.5.0/24, zone: yard }\n  pier: {",
            "pier to internet: accept, ",
            "",
            "      - { service: [ssh, ping], from: pier }",
            "      - { service: ping, from: yard }"),

        // The internet.
        row(
            "passenger 10.77.4.9 502/tcp",
            "unroutable",
            Ruling.DESTINATION_NOT_CARRIED,
            "10.77.4.9 is a private address"),
        row(
            "passenger 100.64.1.1 502/tcp",
            "unroutable",
            Ruling.DESTINATION_NOT_CARRIED,
            "100.64.1.1 is an address that carriers share"),
        row(
            OUTBOUND,
            "unroutable",
            Ruling.SOURCE_NOT_CARRIED,
            "its source 10.77.4.20 is a private address",
            "        from: pier\n        leaving: uplink",
            "        from: ramp\n        leaving: uplink"),
        row(
            "stranger 203.0.113.70 80/tcp",
            "unroutable",
            Ruling.NO_CARRIER_LINK,
            "network yard is no link to a carrier",
            "  pier:         {",
            "  yard: { prefix: 203.0.113.64/28, zone: yard }\n  pier: {"),
        row(
            "stranger 198.51.100.150 80/tcp",
            "unroutable",
            Ruling.NOBODY_THERE,
            "no host on network carrier-link has 198.51.100.150"),

        // The carrier's own router is its own way out.
        row(
            "198.51.100.129 192.0.2.200 8883/tcp",
            "answered",
            Ruling.REPLY_ACCEPTED,
            "hydrographic 192.0.2.200:8883 answers"),

        // Step 0.
        row(
            INBOUND,
            "unroutable",
            Ruling.INTERFACE_DOWN,
            "interface uplink is off",
            "now: 198.51.100.140",
            "now: 198.51.100.140, state: off"),
        row(
            INBOUND,
            "unroutable",
            Ruling.INTERFACE_DOWN,
            "interface uplink has no link",
            "now: 198.51.100.140",
            "now: 198.51.100.140, state: no link"),
        row(
            "kiosk 10.77.5.255 9/udp",
            "dropped",
            Ruling.NOT_FORWARDED,
            "10.77.5.255 is a broadcast",
            "interfaces:",
            "interfaces:\n      back: { on: yard, at: 10.77.5.1 }",
            "  pier:         {",
            "  yard: { prefix: 10.77.5.0/24, zone: yard }\n  pier: {"),
        row("kiosk 224.0.0.9 9/udp", "dropped", Ruling.NOT_FORWARDED, "multicast"),
        row(
            "kiosk ramp 502/tcp",
            "dropped",
            Ruling.SOURCE_BY_OTHER_WAY,
            "the way back to 10.77.4.20 leads elsewhere",
            "stance: {",
            "verify-source: true\n    stance: {",
            "{ on: pier, at: 10.77.4.9,",
            "{ on: yard, at: 10.77.6.9,",
            "{ to: any, via: 198.51.100.129 }",
            "{ to: 10.77.4.16/28, via: 198.51.100.129 }",
            "interfaces:",
            "interfaces:\n      yard: { on: yard, at: 10.77.6.1 }",
            "  pier:         {",
            "  yard: { prefix: 10.77.6.0/24, zone: yard }\n  pier: {"),

        // Step 2.
        row(
            "stranger 198.51.100.141 1503/tcp",
            "dropped",
            Ruling.DESTINATION_UNMATCHED,
            "destination rule 'ramp controller' matches only packets for 1502/tcp, and this is 1503/tcp",
            "at: uplink 1502/tcp",
            "at: 198.51.100.141 1502/tcp"),
        row(
            "kiosk 198.51.100.141 1502/tcp",
            "dropped",
            Ruling.DESTINATION_UNMATCHED,
            "matches only packets arriving on uplink, and this arrives on pier",
            "at: uplink 1502/tcp",
            "at: 198.51.100.141 1502/tcp"),

        // Step 3.
        row(
            "kiosk skerry 22/tcp",
            "answered",
            Ruling.REPLY_ACCEPTED,
            "skerry 10.77.4.1:22 answers"),
        row(
            "stranger 198.51.100.140 22/tcp",
            "dropped",
            Ruling.DEVICE_SERVICE_CLOSED,
            "own service ssh is open to pier only, and this is from stranger (198.51.100.250)"),
        row(
            "stranger 198.51.100.140 443/tcp",
            "dropped",
            Ruling.DEVICE_NOT_ADMITTED,
            "neither a translation rule nor a service of its own matches 443/tcp"),
        row(
            "kiosk skerry 443/tcp",
            "refused",
            Ruling.REPLY_ACCEPTED,
            "it runs no 443/tcp",
            OPEN,
            "stance: accept"),
        row(
            "stranger 198.51.100.140 443/tcp",
            "refused",
            Ruling.REPLY_ACCEPTED,
            "refuses it after 6 s, unless somebody inside opens the same connection by then",
            OPEN,
            "stance: accept\n    state: { syn-wait: 6s }"),
        row(
            "kiosk skerry 443/udp",
            "refused",
            Ruling.DEVICE_REFUSES,
            "it runs no 443/udp",
            OPEN,
            "stance: { pier to device: reject, otherwise: drop }"),
        row(
            "stranger 198.51.100.140 443/tcp",
            "refused",
            Ruling.REPLY_ACCEPTED,
            "it runs no 443/tcp",
            OPEN,
            "stance: { internet to any: reject, otherwise: drop }"),
        row(
            "stranger 198.51.100.140 ping",
            "unanswered",
            Ruling.DEVICE_SILENT,
            "does not answer pings: own service ping is open to pier only",
            OPEN,
            "stance: accept"),
        row(
            "kiosk skerry 443/tcp",
            "dropped",
            Ruling.DEVICE_NOT_ADMITTED,
            "nor a service of its own matches 443/tcp",
            "    access:",
            "    access:\n      own: { " + TO_DEVICE + ", otherwise: accept }"),
        row(
            "kiosk skerry ssh",
            "answered",
            Ruling.REPLY_ACCEPTED,
            "access rule 'manage' accepts it",
            "    access:",
            "    access:\n      own: { "
                + TO_DEVICE
                + ", rules: [{ accept: manage, service: ssh }], otherwise: drop }"),
        row(
            "kiosk skerry ping",
            "dropped",
            Ruling.DROPPED_OTHERWISE,
            "list 'own'",
            "    access:",
            "    access:\n      own: { "
                + TO_DEVICE
                + ", rules: [{ accept: manage, service: ssh }], otherwise: drop }"),

        // Step 4.
        row(
            "kiosk 192.0.2.200 ping",
            "unroutable",
            Ruling.NO_ROUTE,
            "no route to 192.0.2.200",
            "{ to: any, via: 198.51.100.129 }",
            "{ to: 203.0.113.0/24, via: 198.51.100.129 }"),
        row(
            OUTBOUND,
            "unroutable",
            Ruling.ROUTE_DOWN,
            "the route to 192.0.2.200 leaves by interface uplink, which is off",
            "now: 198.51.100.140",
            "now: 198.51.100.140, state: off"),
        row(
            OUTBOUND,
            "unroutable",
            Ruling.ROUTE_DISCARDS,
            "discards it, by its route to 192.0.2.0/24 says",
            "      - { to: any, via",
            "      - { to: 192.0.2.0/24, discard: true }\n      - { to: any, via"),
        row(
            "kiosk 203.0.113.9 80/tcp",
            "unroutable",
            Ruling.HOPS_USED_UP,
            "its hop count is used up",
            OPEN,
            "stance: accept",
            "10.77.4.20,",
            "10.77.4.20, gateway: 10.77.4.1,",
            "10.77.4.9,",
            "10.77.4.9, gateway: 10.77.4.1,",
            "      - { to: any, via",
            "      - { to: 203.0.113.0/24, via: 10.77.4.2 }\n      - { to: any, via",
            "devices:\n",
            "devices:\n  other: { stance: accept, interfaces: { pier: { on: pier, at: 10.77.4.2 } }, routes: [{ to: any, via: 10.77.4.1 }] }\n"),

        // Step 5.
        row(
            INBOUND,
            "answered",
            Ruling.REPLY_ACCEPTED,
            "destination rule 'ramp controller' leads there and admits it",
            "becomes: ramp 502",
            ADMIT + "contractor",
            "from: contractor\n            to",
            "from: stranger\n            to"),
        row(
            "stranger 198.51.100.140 1502/tcp",
            "dropped",
            Ruling.NOT_ADMITTED,
            "admits only contractor, and this is from stranger (198.51.100.250)",
            "becomes: ramp 502",
            ADMIT + "contractor"),
        row(
            INBOUND + " sunday",
            "dropped",
            Ruling.NOT_ADMITTED,
            "admits only contractor within 'working hours' (mon-fri 07:00-18:00), and it is Sunday 09:00",
            "becomes: ramp 502",
            ADMIT + "{ from: contractor, when: working hours }"),
        row(
            "stranger 198.51.100.140 1502/tcp",
            "dropped",
            Ruling.DROPPED_OTHERWISE,
            "no rule of list 'from the internet' accepts it; access rule 'the contractor works on the ramp' accepts only packets from contractor"),
        row(
            INBOUND + " sunday",
            "dropped",
            Ruling.DROPPED_OTHERWISE,
            "accepts only packets within 'working hours'"),
        row(
            "stranger 198.51.100.140 1502/tcp",
            "refused",
            Ruling.REJECTED_OTHERWISE,
            "rejects it",
            "        otherwise: drop\n",
            "        otherwise: reject\n"),
        row(
            "stranger 198.51.100.140 1502/tcp",
            "answered",
            Ruling.REPLY_ACCEPTED,
            "ramp",
            "        otherwise: drop\n",
            "        otherwise: accept\n"),
        row(
            INBOUND,
            "dropped",
            Ruling.DROPPED_BY_RULE,
            "drops it by access rule 'the contractor works on the ramp'",
            "- accept: the",
            "- drop: the"),
        row(
            INBOUND,
            "refused",
            Ruling.REJECTED_BY_RULE,
            "rejects it by access rule",
            "- accept: the",
            "- reject: the"),
        row(
            INBOUND,
            "dropped",
            Ruling.DROPPED_BY_STANCE,
            "no list guards traffic from internet to pier, and the stance for it is drop",
            "guards: { arriving: uplink }",
            "guards: { leaving: uplink, arriving: uplink }"),
        row(
            OUTBOUND,
            "refused",
            Ruling.REJECTED_BY_STANCE,
            "the stance for it is reject",
            OPEN,
            "stance: reject"),
        row(
            INBOUND,
            "dropped",
            Ruling.DROPPED_OTHERWISE,
            "accepts only packets to ramp, and this is for skerry (198.51.100.140)",
            "stance: {",
            "access-sees: original\n    stance: {",
            "service: ramp-control\n",
            "service: 1502/tcp\n"),
        row(
            INBOUND,
            "answered",
            Ruling.REPLY_ACCEPTED,
            "ramp",
            "stance: {",
            "access-sees: original\n    stance: {",
            "to: ramp\n            service: ramp-control",
            "to: skerry\n            service: 1502/tcp"),
        row(
            INBOUND,
            "dropped",
            Ruling.DROPPED_OTHERWISE,
            "accepts only packets from port 1024-2048, and this is from port 50000",
            "to: ramp\n",
            "to: ramp\n            source-port: 1024-2048\n"),
        row(
            INBOUND,
            "unanswered",
            Ruling.DROPPED_OTHERWISE,
            "ramp answers, but the reply is lost: skerry drops it: no rule of list 'from the pier'",
            "    access:",
            "    access:\n      from the pier: { guards: { arriving: pier }, stateless: true, rules: [{ accept: out, to: hydrographic }], otherwise: drop }"),

        // Other kinds of rules, put above the first.
        above(
            "stranger 198.51.100.141 502/tcp",
            "answered",
            Ruling.REPLY_ACCEPTED,
            "ramp 10.77.4.9:502 answers: static rule 'a' leads there and admits it",
            "static: a, facing: uplink, external: 198.51.100.141, internal: ramp, admit: any"),
        above(
            "ramp hydrographic 8883/tcp",
            "answered",
            Ruling.REPLY_ACCEPTED,
            "sees the sender as 198.51.100.141:50000",
            "static: a, facing: uplink, external: 198.51.100.141, internal: ramp"),
        above(
            "ramp hydrographic ping",
            "answered",
            Ruling.REPLY_ACCEPTED,
            "sees the sender as 198.51.100.141",
            "static: a, facing: uplink, external: 198.51.100.141, internal: ramp"),
        row(
            "kiosk hydrographic 8883/tcp",
            "answered",
            Ruling.REPLY_ACCEPTED,
            "sees the sender as 192.0.2.84:50000",
            FIRST,
            "      - { " + BLOCK + " }\n" + FIRST,
            "carrier: 198.51.100.129 }",
            "carrier: 198.51.100.129, routed: { to: 192.0.2.64/27, via: 198.51.100.140 } }"),
        above(
            "kiosk hydrographic 8883/tcp",
            "unanswered",
            Ruling.NO_CARRIER_LINK,
            "has no way to 192.0.2.84: rules of skerry use it, but no carrier link holds it",
            BLOCK),
        above(
            "stranger 198.51.100.151 8002/tcp",
            "refused",
            Ruling.REPLY_ACCEPTED,
            "ramp refuses it: nothing there listens on 9002/tcp",
            "static: a, facing: uplink, external: 198.51.100.151 8000-8009/tcp, internal: ramp 9000-9009, admit: any"),
        above(
            "stranger 198.51.100.151 8010/tcp",
            "dropped",
            Ruling.DESTINATION_UNMATCHED,
            "static rule 'a' matches only packets for 8000-8009/tcp",
            "static: a, facing: uplink, external: 198.51.100.151 8000-8009/tcp, internal: ramp 9000-9009, admit: any"),
        above(
            "kiosk hydrographic 8883/tcp",
            "answered",
            Ruling.REPLY_ACCEPTED,
            "sees the sender as 198.51.100.150:50000",
            "dynamic: a, from: pier, leaving: uplink, pool: 198.51.100.150-198.51.100.152"),
        above(
            "kiosk hydrographic gre",
            "refused",
            Ruling.HOST_REFUSES,
            "nothing there listens on gre",
            "dynamic: a, from: pier, leaving: uplink, pool: 198.51.100.150-198.51.100.152"),
        above(
            "stranger 198.51.100.150 80/tcp",
            "dropped",
            Ruling.DESTINATION_UNMATCHED,
            "198.51.100.150 is an address of translation rules",
            "dynamic: a, from: pier, leaving: uplink, pool: 198.51.100.150-198.51.100.152"),
        above(
            "kiosk hydrographic 8883/tcp",
            "answered",
            Ruling.REPLY_ACCEPTED,
            "sees the sender as 198.51.100.150:50000",
            "shared: a, from: pier, leaving: uplink, pool: 198.51.100.150-198.51.100.152"),
        above(
            "kiosk hydrographic 8883/tcp",
            "unroutable",
            Ruling.SOURCE_NOT_CARRIED,
            "its source 10.77.4.20 is a private address",
            "untouched: a, from: kiosk, to: hydrographic"),
        above(
            "kiosk hydrographic 8883/tcp",
            "answered",
            Ruling.REPLY_ACCEPTED,
            "198.51.100.140:50000",
            "untouched: a, from: ramp, to: hydrographic"),
        above(
            "kiosk hydrographic 8883/tcp",
            "answered",
            Ruling.REPLY_ACCEPTED,
            "198.51.100.140:50000",
            "static: a, facing: uplink, external: 198.51.100.141, internal: kiosk, disabled: true"),

        // Hairpin: kiosk and ramp share a network, so the reply comes back only if the source is
        // changed.
        above(
            "kiosk 198.51.100.141 502/tcp",
            "answered",
            Ruling.REPLY_ACCEPTED,
            "it sees the sender as skerry 10.77.4.1:50000",
            HAIRPINNED + "hairpin: pier"),
        above(
            "kiosk 198.51.100.141 502/tcp",
            "answered",
            Ruling.REPLY_ACCEPTED,
            "it sees the sender as skerry 198.51.100.140:50000",
            HAIRPINNED + "hairpin: { from: [pier], source: external }"),
        above(
            "kiosk 198.51.100.141 502/tcp",
            "unanswered",
            Ruling.REPLY_DISCARDED,
            "kiosk discards it: it sent to 198.51.100.141:502, and this reply comes from 10.77.4.9:502",
            HAIRPINNED + "hairpin: { from: pier, source: kept }"),
        above(
            "kiosk 198.51.100.141 502/tcp",
            "dropped",
            Ruling.DESTINATION_UNMATCHED,
            "matches only packets arriving on uplink",
            HAIRPINNED + "note: none"),
        above(
            "kiosk 198.51.100.142 502/tcp",
            "answered",
            Ruling.REPLY_ACCEPTED,
            "it sees the sender as skerry 10.77.4.1:50000",
            "destination: a, arriving: uplink, at: 198.51.100.142 502/tcp, becomes: ramp, admit: any, hairpin: pier"),

        // Steps 6 and 7.
        row(
            "kiosk hydrographic gre",
            "dropped",
            Ruling.CANNOT_SHARE,
            "tells senders apart by port, and gre has none"),
        row(
            "skerry hydrographic gre",
            "refused",
            Ruling.HOST_REFUSES,
            "nothing there listens on gre"),
        row(
            "kiosk till 80/tcp",
            "answered",
            Ruling.REPLY_ACCEPTED,
            "till 10.77.5.7:80 answers",
            OPEN,
            "stance: accept",
            "interfaces:",
            "interfaces:\n      back: { on: yard, at: 10.77.5.1 }",
            "  pier:         {",
            "  yard: { prefix: 10.77.5.0/24, zone: yard }\n  pier: {",
            "  kiosk: {",
            "  till: { on: yard, at: 10.77.5.7, listens: http }\n  kiosk: {"));
  }

  @ParameterizedTest(name = "{0} {3}")
  @MethodSource("rows")
  void aPacketMeetsItsRuling(
      String ask, String outcome, Ruling last, String reason, List<Edit> edits) throws Exception {
    String text = Sites.skerryText();
    for (Edit edit : edits) {
      text = edit.on(text);
    }
    Site site = SiteReader.read("skerry.site.yaml", text);
    String[] words = ask.split(" ");
    Question question =
        QuestionReader.on(site)
            .from(words[0])
            .to(words[1])
            .service(words[2])
            .at(words.length > 3 ? words[3] : null)
            .read();
    Trace trace = Tracer.of(site).trace(question);
    assertThat(trace.reason()).contains(reason);
    assertThat(trace.outcome()).hasToString(outcome);
    // A notice comes back where the request ended.
    boolean noticed =
        !trace.reply().isEmpty()
            && trace.reply().get(0).decisions().get(0).before().inner() != null;
    List<Leg> lastWay = trace.reply().isEmpty() || noticed ? trace.request() : trace.reply();
    List<Decision> decisions = lastWay.get(lastWay.size() - 1).decisions();
    assertThat(decisions.get(decisions.size() - 1).ruling()).isEqualTo(last);
    assertThat(trace.deliveredTo() == null)
        .isEqualTo(trace.request().stream().noneMatch(RulingsTest::delivers));
    headersFollowEachOther(trace.request());
    headersFollowEachOther(trace.reply());
    trace.request().forEach(leg -> leg.decisions().forEach(d -> SEEN.add(d.ruling())));
    trace.reply().forEach(leg -> leg.decisions().forEach(d -> SEEN.add(d.ruling())));
  }

  private static boolean delivers(Leg leg) {
    return leg.decisions().stream()
        .anyMatch(
            d ->
                switch (d.ruling()) {
                  case HOST_ANSWERS,
                      HOST_REFUSES,
                      HOST_REJECTED,
                      HOST_SILENT,
                      TAKEN_TO_ANSWER,
                      DEVICE_ANSWERS ->
                      true;
                  default -> false;
                });
  }

  /** Each header is exactly the one before it, and only decisions that say so change it. */
  private static void headersFollowEachOther(List<Leg> way) {
    Header last = null;
    for (Leg leg : way) {
      for (Decision decision : leg.decisions()) {
        if (last != null) {
          assertThat(decision.before().source()).isEqualTo(last.source());
          assertThat(decision.before().destination()).isEqualTo(last.destination());
          assertThat(decision.before().sourcePort()).isEqualTo(last.sourcePort());
          assertThat(decision.before().destinationPort()).isEqualTo(last.destinationPort());
        }
        boolean source = !decision.before().sourceText().equals(decision.after().sourceText());
        boolean destination =
            !decision.before().destinationText().equals(decision.after().destinationText());
        assertThat(source)
            .isEqualTo(
                decision.ruling() == Ruling.SOURCE_TRANSLATED
                    || decision.ruling() == Ruling.SOURCE_RESTORED);
        assertThat(destination)
            .isEqualTo(
                decision.ruling() == Ruling.DESTINATION_TRANSLATED
                    || decision.ruling() == Ruling.DESTINATION_RESTORED);
        last = decision.after();
      }
    }
  }

  @Test
  void theRowsMeetEveryRuling() {
    for (Arguments row : rows()) {
      Object[] cells = row.get();
      try {
        @SuppressWarnings("unchecked")
        List<Edit> edits = (List<Edit>) cells[4];
        aPacketMeetsItsRuling(
            (String) cells[0], (String) cells[1], (Ruling) cells[2], (String) cells[3], edits);
      } catch (Exception | AssertionError e) {
        continue; // that row fails by itself
      }
    }
    Set<Ruling> missing = EnumSet.allOf(Ruling.class);
    missing.removeAll(SEEN);
    assertThat(missing).isEqualTo(NOT_BY_ONE_PACKET);
  }
}
