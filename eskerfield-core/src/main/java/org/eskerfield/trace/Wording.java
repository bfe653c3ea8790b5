// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import java.util.Set;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Admission;
import org.eskerfield.model.Device;
import org.eskerfield.model.Flags;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Named;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Route;
import org.eskerfield.model.Schedule;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.outcome.MatchField;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.words.Some;
import org.jspecify.annotations.Nullable;

/**
 * Puts decisions into words. Every text is a predicate ("drops it: ..."), so that the name of the
 * node in front of it makes a sentence.
 */
final class Wording {
  private final Site site;
  private final ZonedDateTime now;
  private final HopWording hop;
  private int hops = Packet.INITIAL_TTL;

  /** The most addresses or services of a rule that a sentence names. */
  private static final int MOST_NAMES = 8;

  /** No way through a site is as long as this. */
  private static final int MANY_HOPS = 32;

  Wording(Site site, Question question, ZonedDateTime now) {
    this.site = site;
    this.hop = new HopWording(site, question, this);
    this.now = now;
  }

  /** A decision of a host or of the internet. */
  String hop(Ruling ruling, @Nullable Placed by, Header at) {
    return hop.decision(ruling, by, at);
  }

  /** Name and address where the address belongs to a host or device, else the address. */
  String who(Address address) {
    Named named = site.ownerOf(address);
    return named == null ? address.toString() : named.name() + " (" + address + ")";
  }

  /**
   * A decision of a device.
   *
   * @param by what decided, or null
   * @param before the packet before
   * @param after the packet afterwards
   * @param near the rule that nearly took it, or null
   * @param arriving where it came in; null for the device's own
   * @param leaving where it leaves; null where that is not decided
   */
  record Decided(
      Ruling ruling,
      @Nullable Placed by,
      Header before,
      Header after,
      @Nullable NearMiss near,
      @Nullable Interface arriving,
      @Nullable Interface leaving) {
    private String label() {
      return by == null ? "" : Labels.of(by);
    }

    private String nearly() {
      return near == null ? "" : "; " + near.text();
    }
  }

  /** A decision of a device in words: what it does, and why. */
  String decision(Decided it) {
    return arrival(it);
  }

  /** What it says when a packet arrives. */
  private String arrival(Decided it) {
    return switch (it.ruling) {
      case SENT_BY_DEVICE -> "sends a packet of its own";
      case ARRIVED -> "receives it on " + it.label();
      case FRAGMENT_WAITS ->
          "keeps it until the first fragment of its packet comes, which has the ports";
      case FRAGMENT_NOT_KEPT ->
          "drops it: as many fragments of "
              + it.after.source()
              + " wait for their first ones as may";
      case INTERFACE_DOWN -> "cannot receive it: " + it.label() + state(it.by);
      case SOURCE_IS_OWN ->
          "drops it: its source " + it.after.source() + " is the device's own address";
      case SOURCE_IMPOSSIBLE -> "drops it: no packet may come from " + it.after.source();
      case SOURCE_BY_OTHER_WAY ->
          "drops it: it came in on "
              + it.label()
              + ", but the way back to "
              + it.after.source()
              + " leads elsewhere (verify-source)";
      case NOT_FORWARDED ->
          "drops it: "
              + it.after.destination()
              + " is a broadcast, network or multicast address, which no router forwards";
      case SESSION_KNOWN -> "matches an established session";
      case BINDING_KNOWN ->
          "matches the binding of " + it.after.destinationText() + ", made by " + it.label();
      case BINDING_KNOWN_INSIDE ->
          "matches the binding of "
              + it.after.destinationText()
              + ", made by "
              + it.label()
              + ", which insiders may use as well";
      case ERROR_KNOWN -> "matches the session of the packet that the error is about";
      case CONNECTION_EXPECTED -> "knows it: the data connection that was announced";
      case ERROR_UNMATCHED -> "drops it: an error about a packet of no session that it knows";
      case TEXT_TRANSLATED ->
          "names the endpoint in the text as the other side knows it (gateway for file transfer)";
      case BINDING_FILTERED ->
          "drops it: "
              + it.after.destinationText()
              + " is in use by "
              + it.label()
              + ", but not to speak with "
              + who(it.after.source());
      case FLOW_IS_NEW -> "matches no session: a new flow";
      default -> destination(it);
    };
  }

  private static String untranslatable(Decided it, Address address) {
    return "cannot translate it: "
        + it.label()
        + " has no counterpart for "
        + address
        + ", since the word that would keep the checksum is ffff";
  }

  /** What it says of the destination. */
  private String destination(Decided it) {
    return switch (it.ruling) {
      case DESTINATION_TRANSLATED ->
          "changes the destination to " + it.after.destinationText() + " by " + it.label();
      case DESTINATION_RESTORED ->
          "changes the destination to " + it.after.destinationText() + ", as its session says";
      case UNTOUCHED -> "keeps both addresses by " + it.label();
      case PORT_LIMIT_REACHED ->
          "gives it no port: "
              + who(it.after.source())
              + " has as many as one source may, by "
              + it.label()
              + " and the device's 'ports-per-source'";
      case POOL_USED_UP ->
          "has no address left for it: " + it.label() + " has every address of its pool in use";
      case DESTINATION_KEPT -> "keeps the destination " + it.after.destinationText() + it.nearly();
      case DESTINATION_UNMATCHED ->
          "drops it: "
              + it.after.destination()
              + " is an address of translation rules, and none of them matches this packet"
              + it.nearly();
      case DESTINATION_UNTRANSLATABLE -> untranslatable(it, it.after.destination());
      default -> device(it);
    };
  }

  /** What it says of packets for itself, and of their way. */
  private String device(Decided it) {
    return switch (it.ruling) {
      case DEVICE_ACCEPTED_BY_RULE, ACCEPTED_BY_RULE -> "accepts it by " + it.label();
      case DEVICE_ACCEPTED_OTHERWISE, ACCEPTED_OTHERWISE ->
          "accepts it: no rule of " + it.label() + " matches, and that accepts the rest";
      case DEVICE_ANSWERS -> "delivers it to itself: " + it.label();
      case DEVICE_RECEIVES ->
          it.after.inner() == null ? "receives the reply to its own packet" : told(it.after);
      case DEVICE_SERVICE_CLOSED ->
          "drops it: "
              + it.label()
              + " is open to "
              + from(((OwnService) required(it.by)).from())
              + " only, and this is from "
              + who(it.after.source());
      case DEVICE_NOT_ADMITTED ->
          "drops it: "
              + it.after.destination()
              + " is its own address, and neither a translation rule"
              + " nor a service of its own matches "
              + service(it.after)
              + it.nearly();
      case DEVICE_REFUSES, DEVICE_REFUSES_LATER ->
          (it.ruling == Ruling.DEVICE_REFUSES_LATER ? refusesLater(it.arriving) : "refuses it: ")
              + (it.by instanceof OwnService own
                  ? it.label()
                      + (own.from().isEmpty()
                          ? " knows no such connection"
                          : " is open to "
                              + from(own.from())
                              + " only, and this is from "
                              + who(it.after.source()))
                  : it.after.destination()
                      + " is its own address, and it runs no "
                      + service(it.after)
                      + it.nearly());
      case DEVICE_SILENT ->
          "gets the ping, but does not answer pings"
              + (it.by instanceof OwnService own
                  ? ": " + it.label() + " is open to " + from(own.from()) + " only"
                  : "");
      case ENDPOINT_IN_USE ->
          "cannot tell the replies apart from those of another session or rule: "
              + it.after.sourceText()
              + " is in use towards "
              + it.after.destinationText()
              + (it.by == null ? "" : ", which " + it.label() + " would give it as well");
      case ERROR_OF_BINDING ->
          "matches the binding of the packet that the error is about, made by " + it.label();
      default -> access(it);
    };
  }

  /** What lists, admissions and stances say. */
  private String access(Decided it) {
    return switch (it.ruling) {
      case ROUTED -> routed(it.by, it.after, it.leaving);
      case HOPS_USED_UP -> hopsUsedUp();
      case HOST_ACCEPTED_BY_RULE -> "accepts it by " + it.label() + " of its own filter";
      case HOST_ACCEPTED_OTHERWISE ->
          "accepts it: no rule of its own filter matches it, and the filter accepts the rest";
      case HOST_FILTERED, HOST_REJECTED ->
          (it.ruling == Ruling.HOST_FILTERED ? "drops it" : "rejects it")
              + (it.by instanceof AccessRule
                  ? " by " + it.label() + " of its own filter"
                  : ": no rule of its own filter accepts it" + it.nearly());
      case NO_ROUTE -> "has no route to " + it.after.destination();
      case ROUTE_DOWN ->
          "cannot forward it: the route to "
              + it.after.destination()
              + " leaves by "
              + it.label()
              + ", which"
              + state(it.by);
      case ROUTE_DISCARDS -> "discards it, by its " + it.label() + " says";
      case ADMITTED -> "accepts it: " + it.label() + " admits " + admitted(it.by);
      case NOT_ADMITTED ->
          "drops it: "
              + it.label()
              + " admits only "
              + admitted(it.by)
              + (it.near == null
                  ? ""
                  : ", and " + actual(it.near.rule(), it.near.fields(), it.after, it.arriving));
      case DROPPED_BY_RULE -> "drops it by " + it.label();
      case REJECTED_BY_RULE -> "rejects it by " + it.label();
      case DROPPED_OTHERWISE -> "drops it: no rule of " + it.label() + " accepts it" + it.nearly();
      case REJECTED_OTHERWISE ->
          "rejects it: no rule of " + it.label() + " accepts it" + it.nearly();
      case ACCEPTED_BY_STANCE ->
          "accepts it: no list guards traffic"
              + zones(it.arriving, it.leaving)
              + ", and the stance for it is accept";
      case DROPPED_BY_STANCE ->
          "drops it: no list guards traffic"
              + zones(it.arriving, it.leaving)
              + ", and the stance for it is drop";
      case REJECTED_BY_STANCE ->
          "rejects it: no list guards traffic"
              + zones(it.arriving, it.leaving)
              + ", and the stance for it is reject";
      default -> source(it);
    };
  }

  /** What it says of the source, and of the session. */
  private String source(Decided it) {
    return switch (it.ruling) {
      case SOURCE_TRANSLATED ->
          "changes the source to "
              + it.after.sourceText()
              + identifier(it.before, it.after)
              + " by "
              + it.label();
      case SOURCE_RESTORED ->
          "changes the source to " + it.after.sourceText() + ", as its session says";
      case SOURCE_KEPT -> "keeps the source " + it.after.sourceText();
      case CANNOT_SHARE ->
          "drops it: "
              + it.label()
              + " tells senders apart by port, and "
              + Protocol.name(it.after.protocol())
              + " has none";
      case SOURCE_UNTRANSLATABLE -> untranslatable(it, it.after.source());
      case FRAGMENTED -> fragmented(it.after, it.label());
      case TOO_LARGE -> tooLarge(it.after, ((Interface) required(it.by)).linkMtu(), it.label());
      case SEGMENT_LIMITED ->
          "lets it ask for segments of "
              + Objects.requireNonNull(it.after.size()).largestSegment()
              + " bytes at most on "
              + it.label();
      case PORTS_USED_UP -> "has no port left for it: " + it.label() + " has every port in use";
      case SESSION_RECORDED -> "creates a session for the replies";
      case SESSION_NOT_NEEDED -> "forwards it without a session";
      case SESSION_OF_ANOTHER ->
          "forwards it without a session: replies to it belong to another session";
      case NOT_AN_OPENING -> "drops it: it belongs to no session and does not open one";
      default -> throw new IllegalArgumentException(it.ruling + " is no decision of a device");
    };
  }

  /** That a packet goes on in fragments. */
  static String fragmented(Header at, String link) {
    return "forwards it in fragments, since it does not fit "
        + link
        + " whole: "
        + Objects.requireNonNull(at.size());
  }

  /** That a packet does not fit. */
  static String tooLarge(Header at, int mtu, String link) {
    return "cannot forward it: its "
        + Objects.requireNonNull(at.size()).longest()
        + " bytes are more than the MTU of "
        + link
        + ", "
        + mtu
        + (at.source().family() == Family.IPV4 ? ", and it must not be fragmented" : "");
  }

  /** That a notice was heard. */
  static String told(Header at) {
    return at.size() != null && at.size().nextMtu() > 0
        ? "is told that its packet was too large, and that "
            + at.size().nextMtu()
            + " bytes get through"
        : "is told that its packet was not delivered";
  }

  /** Takes note of the hop count that a packet sets out with. */
  void setsOut(int ttl) {
    hops = ttl;
  }

  /** Why a hop count is used up: who sends with a small one asks for the way, as a route trace. */
  String hopsUsedUp() {
    return "drops it: its hop count is used up, "
        + (hops >= MANY_HOPS ? "so it was looping" : "with which it was sent: " + hops);
  }

  private String refusesLater(@Nullable Interface arriving) {
    for (Device device : site.devices().values()) {
      if (arriving != null && device.interfaces().contains(arriving)) {
        long seconds = device.state().synWait().toSeconds();
        return "refuses it after "
            + seconds
            + " s, unless somebody inside opens the same connection by then: ";
      }
    }
    return "refuses it later: ";
  }

  private static Placed required(@Nullable Placed by) {
    if (by == null) {
      throw new IllegalArgumentException("this decision has somebody who made it");
    }
    return by;
  }

  private static String state(@Nullable Placed by) {
    if (!(by instanceof Interface own)) {
      return "";
    }
    return own.state() == Interface.State.NO_LINK ? " has no link" : " is " + own.state();
  }

  private static String identifier(Header before, Header after) {
    return Icmp.isEchoRequest(after.icmpType()) && before.sourcePort() != after.sourcePort()
        ? " (identifier " + before.sourcePort() + " to " + after.sourcePort() + ")"
        : "";
  }

  private static String routed(@Nullable Placed by, Header after, @Nullable Interface leaving) {
    if (by instanceof Route route) {
      return "routes it out of "
          + (leaving == null ? "nowhere" : leaving.name())
          + " via "
          + route.via()
          + ": "
          + Labels.of(route);
    }
    Interface own = (Interface) required(by);
    return "routes it out of "
        + own.name()
        + ": "
        + after.destination()
        + " is on network "
        + own.network().name();
  }

  private static String zones(@Nullable Interface arriving, @Nullable Interface leaving) {
    return arriving == null || leaving == null
        ? ""
        : " from " + arriving.network().zone() + " to " + leaving.network().zone();
  }

  private static String from(List<AddressTerm> terms) {
    return terms.isEmpty() ? "anybody" : joined(terms.stream().map(AddressTerm::text).toList());
  }

  private static String joined(List<String> texts) {
    return Some.of(texts, MOST_NAMES);
  }

  private static String admitted(@Nullable Placed by) {
    Admission admit = ((TranslationRule) required(by)).admit();
    if (admit == null) {
      throw new IllegalArgumentException(required(by).place() + " admits nobody");
    }
    Schedule when = admit.when();
    return from(admit.from()) + (when == null ? "" : " within " + hours(when));
  }

  private static String hours(Schedule when) {
    List<String> windows = when.windows().stream().map(Schedule.Window::text).toList();
    return "'" + when.name() + "' (" + String.join("; ", windows) + ")";
  }

  /** Protocol and port of a request, as a site file writes them. */
  static String service(Header header) {
    return Icmp.isEchoRequest(header.icmpType())
        ? "ping"
        : Probe.of(header.protocol(), header.destinationPort()).toString();
  }

  private String actual(
      Placed rule, Set<MatchField> fields, Header packet, @Nullable Interface arriving) {
    List<String> texts = new ArrayList<>();
    for (MatchField field : fields) {
      texts.add(
          switch (field) {
            case ARRIVING -> "this arrives on " + (arriving == null ? "none" : arriving.name());
            case SOURCE -> "this is from " + who(packet.source());
            case DESTINATION -> "this is for " + who(packet.destination());
            case SERVICE -> "this is " + service(packet);
            case SOURCE_PORT -> "this is from port " + packet.sourcePort();
            case FLAGS ->
                packet.tcpFlags() == 0
                    ? "this has none"
                    : "this has " + String.join(", ", Flags.names(packet.tcpFlags()));
            case SCHEDULE -> "it is " + Moments.text(now, schedule(rule));
          });
    }
    return String.join(" and ", texts);
  }

  String nearMiss(
      Placed rule, Set<MatchField> fields, Header packet, @Nullable Interface arriving) {
    List<String> asked = new ArrayList<>();
    for (MatchField field : fields) {
      asked.add(
          switch (field) {
            case ARRIVING -> "arriving on " + facing((TranslationRule) rule);
            case SOURCE -> "from " + from(sources(rule));
            case DESTINATION -> "to " + from(((AccessRule) rule).to());
            case SERVICE ->
                "for " + joined(services(rule).stream().map(ServiceTerm::text).toList());
            case SOURCE_PORT -> "from port " + ((AccessRule) rule).sourcePorts();
            case FLAGS -> "with flags " + ((AccessRule) rule).flags();
            case SCHEDULE -> "within " + hours(schedule(rule));
          });
    }
    String takes =
        rule instanceof AccessRule
            ? " accepts only packets "
            : rule instanceof Admission ? " admits only packets " : " matches only packets ";
    return Labels.of(rule)
        + takes
        + String.join(" and ", asked)
        + ", and "
        + actual(rule, fields, packet, arriving);
  }

  private static String facing(TranslationRule rule) {
    return Objects.requireNonNull(rule.facing(), "asked only of rules that face something").text();
  }

  private static Schedule schedule(Placed rule) {
    Schedule when =
        rule instanceof AccessRule access
            ? access.when()
            : rule instanceof Admission admission ? admission.when() : null;
    if (when == null) {
      throw new IllegalArgumentException(rule.place() + " has no schedule to miss");
    }
    return when;
  }

  private static List<AddressTerm> sources(Placed rule) {
    if (rule instanceof AccessRule access) {
      return access.from();
    }
    return rule instanceof Admission admission ? admission.from() : ((TranslationRule) rule).from();
  }

  private static List<ServiceTerm> services(Placed rule) {
    return rule instanceof AccessRule access
        ? access.services()
        : ((TranslationRule) rule).services();
  }

  /** The reason of a packet that was answered. */
  @SuppressWarnings("ReferenceEquality") // the very rule that was told of just before
  static String answered(Endpoint receiver, Endpoint seenAs, String what, List<Leg> request) {
    StringBuilder text = new StringBuilder(receiver.toString());
    text.append(" answers").append(what);
    String join = ": ";
    boolean sourceChanged = false;
    int devices = 0;
    for (Leg leg : request) {
      devices += leg.kind() == Leg.Kind.DEVICE ? 1 : 0;
    }
    boolean severalDevices = devices > 1;
    Placed last = null;
    for (Leg leg : request) {
      for (Decision decision : leg.decisions()) {
        Placed by = decision.by();
        String verb =
            switch (decision.ruling()) {
              case DESTINATION_TRANSLATED -> " leads there";
              case ADMITTED -> " admits it";
              case ACCEPTED_BY_RULE, DEVICE_ACCEPTED_BY_RULE -> " accepts it";
              default -> "";
            };
        sourceChanged |= decision.ruling() == Ruling.SOURCE_TRANSLATED;
        if (by != null && !verb.isEmpty()) {
          boolean same = by == last;
          String whose = severalDevices ? leg.where() + "'s " : "";
          text.append(same ? " and" : join + whose + Labels.of(by)).append(verb);
          last = by;
          join = ", ";
        }
      }
    }
    if (sourceChanged) {
      text.append(join.equals(": ") ? ", and" : "; it")
          .append(" sees the sender as ")
          .append(seenAs.toString());
    }
    return text.toString();
  }
}
