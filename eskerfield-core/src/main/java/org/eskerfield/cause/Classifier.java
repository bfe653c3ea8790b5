package org.eskerfield.cause;

import java.util.ArrayList;
import java.util.EnumSet;
import java.util.List;
import java.util.Objects;
import java.util.Set;
import java.util.function.Function;
import java.util.function.Predicate;
import org.eskerfield.engine.CompiledList;
import org.eskerfield.engine.DeviceProgram;
import org.eskerfield.engine.Match;
import org.eskerfield.engine.Outcome;
import org.eskerfield.engine.Ruling;
import org.eskerfield.engine.Step;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Assignment;
import org.eskerfield.model.DestinationRule;
import org.eskerfield.model.Device;
import org.eskerfield.model.DomainName;
import org.eskerfield.model.DynamicRule;
import org.eskerfield.model.Hairpin;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Named;
import org.eskerfield.model.Network;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Route;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.SharedRule;
import org.eskerfield.model.Site;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.packet.SpecialAddresses;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.NearMiss;
import org.eskerfield.trace.Segment;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import org.jspecify.annotations.Nullable;

/**
 * Names the cause for which one conversation failed.
 *
 * <p>Idea: the last decision tells what happened, and for most rulings that is the cause already.
 * Where a ruling has several causes, they are told apart by trying: a rule came too early if the
 * attempt succeeds without it, a name resolved to the wrong side if it succeeds with the answer of
 * another resolver, an address was wrong if it succeeds with another one.
 */
final class Classifier {
  /**
   * What was found.
   *
   * @param obstacle the obstacle
   * @param mended the site as if it were away; null where that cannot be guessed
   */
  record Verdict(Obstacle obstacle, @Nullable Site mended) {}

  private final Site site;
  private final Conversation conversation;
  private final Attempt attempt;
  private final Function<Site, Conversation> rehearsal;
  private final Predicate<Conversation> goal;

  // Where it ended.
  private List<Leg> way = List.of();
  private boolean onTheWayBack;
  private @Nullable Decision end;
  private String sentence = "";

  Classifier(
      Site site,
      Conversation conversation,
      Function<Site, Conversation> rehearsal,
      Predicate<Conversation> goal) {
    this.site = site;
    this.conversation = conversation;
    this.attempt = conversation.attempt();
    this.rehearsal = rehearsal;
    this.goal = goal;
  }

  /** The cause; null if none of the known ones is it. */
  @Nullable Verdict judge() {
    Trace opening = conversation.opening();
    sentence = conversation.reason();
    if (opening == null) {
      return judgeLookup();
    }
    Verdict verdict = judgeOldSession(opening);
    verdict = verdict == null ? judgeName() : verdict;
    verdict = verdict == null ? judgeTransfer(opening) : verdict;
    Trace deciding = Objects.requireNonNullElse(conversation.deciding(), opening);
    if (conversation.outcome() == Outcome.ANSWERED) {
      return verdict == null ? judgeRules(opening) : verdict;
    }
    find(deciding);
    verdict = verdict == null ? judgeRules(opening) : verdict;
    if (verdict != null || end == null) {
      return verdict;
    }
    verdict = judgeDown();
    verdict = verdict == null && !onTheWayBack ? judgeGateway() : verdict;
    return verdict != null ? verdict : onTheWayBack ? judgeReply(deciding, end) : judgeRequest(end);
  }

  /** Did the sender hand it to a router that is not on the way, though another one is? */
  private @Nullable Verdict judgeGateway() {
    Host sender = site.hosts().get(way.get(0).where());
    Header header = way.get(0).decisions().get(0).before();
    Leg end = way.get(way.size() - 1);
    boolean lost =
        last(way).ruling() == Ruling.NO_ROUTE || last(way).ruling() == Ruling.HOPS_USED_UP;
    if (sender == null || sender.gateways().isEmpty() || !lost || way.size() < 2) {
      return null;
    }
    Host changed = Mends.leading(site, sender, header.destination());
    return changed == null || changed.gateways().equals(sender.gateways())
        ? null
        : verdict(
            Cause.GATEWAY_OR_PREFIX_WRONG,
            sender.name()
                + " hands it to "
                + way.get(1).where()
                + ", but the way leads over "
                + changed.gateways().get(0)
                + (end.equals(way.get(1)) ? "" : ", not to " + end.where()),
            sender,
            site.with(changed));
  }

  /** Did it miss its way because an interface is down? */
  private @Nullable Verdict judgeDown() {
    for (Leg leg : way) {
      Device device = site.devices().get(leg.where());
      if (leg.kind() != Leg.Kind.DEVICE || device == null) {
        continue;
      }
      Decision last = leg.decisions().get(leg.decisions().size() - 1);
      Address to = last.after().destination();
      for (Interface own : device.interfaces()) {
        boolean leads = own.network().prefixOf(to) != null;
        for (Route route : device.routes()) {
          leads |=
              route.to().length() > 0
                  && route.to().contains(to)
                  && route.leaving() != null
                  && route.leaving().name().equals(own.name());
        }
        if (!own.isUp() && leads) {
          return verdict(
              Cause.INTERFACE_DOWN,
              Labels.of(own)
                  + " of "
                  + device.name()
                  + (own.state() == Interface.State.NO_LINK ? " has no link" : " is off"),
              own,
              site.with(Mends.up(device, own)));
        }
      }
    }
    return null;
  }

  /** Finds the decision that ended it. */
  private void find(Trace trace) {
    onTheWayBack = last(trace.request()).ruling().ends() == null && !trace.reply().isEmpty();
    way = onTheWayBack ? trace.reply() : trace.request();
    if (trace.outcome() == Outcome.ANSWERED) { // a later packet was lost
      for (Segment segment : conversation.segments()) {
        if (!segment.delivered()) {
          way = segment.legs();
          onTheWayBack = segment.isReply();
        }
      }
    }
    end = way.isEmpty() ? null : last(way);
  }

  private static Decision last(List<Leg> way) {
    List<Decision> decisions = way.get(way.size() - 1).decisions();
    return decisions.get(decisions.size() - 1);
  }

  // Verdicts.

  private Verdict verdict(
      Cause cause, String detail, @Nullable Placed place, @Nullable Site mended) {
    NearMiss near = end == null ? null : end.near();
    return new Verdict(new Obstacle(cause, sentence, detail, place, near, conversation), mended);
  }

  private Verdict verdict(Cause cause, Decision end, @Nullable Site mended) {
    return verdict(cause, "", end.by(), mended);
  }

  private boolean succeedsOn(Site changed) {
    return goal.test(rehearsal.apply(changed));
  }

  // Before the packet itself.

  private @Nullable Verdict judgeLookup() {
    if (conversation.lookup() == null) {
      return null;
    }
    Trace asked = conversation.lookup().trace();
    if (asked == null || asked.outcome() == Outcome.ANSWERED) {
      return verdict(Cause.NAME_UNKNOWN, "", site.names().get(conversation.lookup().name()), null);
    }
    find(asked);
    return end == null ? null : onTheWayBack ? judgeReply(asked, end) : judgeRequest(end);
  }

  private @Nullable Verdict judgeOldSession(Trace opening) {
    boolean met = false;
    for (Leg leg : opening.request()) {
      for (Decision decision : leg.decisions()) {
        met |= decision.ruling() == Ruling.SESSION_KNOWN;
      }
    }
    if (!met || !goal.test(Tracer.of(site).converse(attempt))) {
      return null;
    }
    return verdict(
        Cause.OLD_SESSION,
        "a new flow would be translated as the rules say now; make the device forget the session,"
            + " or wait until it ends",
        null,
        null);
  }

  private @Nullable Verdict judgeName() {
    if (conversation.lookup() == null) {
      return null;
    }
    String by = conversation.lookup().answeredBy();
    DomainName name = site.names().get(conversation.lookup().name());
    DomainName.Answer got = conversation.lookup().answer();
    if (name == null || got == null || by == null) {
      return null;
    }
    for (DomainName.Answer other : name.answers()) {
      if (other.addresses().isEmpty() || other.addresses().equals(got.addresses())) {
        continue;
      }
      List<DomainName.Answer> answers = new ArrayList<>();
      answers.add(new DomainName.Answer(by, other.addresses(), other.follows(), other.place()));
      Site changed = site.with(new DomainName(name.name(), answers, name.place()));
      if (succeedsOn(changed)) {
        return verdict(
            Cause.NAME_WRONG_SIDE,
            by
                + " says "
                + got.addresses().get(0)
                + "; with "
                + other.addresses().get(0)
                + ", as "
                + (other.resolver() == null ? "the internet" : other.resolver())
                + " says, it would work",
            got,
            changed);
      }
    }
    return null;
  }

  private @Nullable Verdict judgeTransfer(Trace opening) {
    if (conversation.transfer() == null || opening.outcome() != Outcome.ANSWERED) {
      return null;
    }
    Site changed = site;
    Device first = null;
    for (Device device : site.devices().values()) {
      if (!device.state().fileTransfer() && !conversation.notThere().contains(device.name())) {
        changed = changed.with(device.withState(device.state().withFileTransfer()));
        first = first == null ? device : first;
      }
    }
    return first == null || !succeedsOn(changed)
        ? null
        : verdict(
            Cause.TRANSFER_NOT_HELPED,
            "with the gateway for file transfer switched on (state: { file-transfer: true }) the"
                + " data connection opens",
            first,
            changed);
  }

  /** Does a rule take it that should not? */
  private @Nullable Verdict judgeRules(Trace opening) {
    boolean answered = conversation.outcome() == Outcome.ANSWERED;
    for (Leg leg : opening.request()) {
      Device device = site.devices().get(leg.where());
      for (Decision decision : leg.decisions()) {
        Placed by = decision.by();
        if (by == null || device == null) {
          continue;
        }
        switch (decision.ruling()) {
          case DESTINATION_TRANSLATED -> {
            Verdict taken = takenFromItself(device, decision, by);
            if (taken != null) {
              return taken;
            }
          }
          case UNTOUCHED, DROPPED_BY_RULE, REJECTED_BY_RULE -> {}
          case SOURCE_TRANSLATED -> {
            if (!answered) {
              continue;
            }
          }
          default -> {
            continue;
          }
        }
        Site changed = site.with(Mends.without(device, by));
        Conversation then = rehearsal.apply(changed);
        boolean helps =
            decision.ruling().step() == Step.ACCESS
                ? !endsAt(then, device, Step.ACCESS)
                : goal.test(then);
        if (helps) {
          boolean untouched = decision.ruling() == Ruling.UNTOUCHED;
          return verdict(
              untouched ? Cause.UNTOUCHED_FIRST : Cause.ORDER,
              Labels.of(by) + " stands before " + taker(then, device, decision.ruling().step()),
              by,
              changed);
        }
      }
    }
    return null;
  }

  /** The rule of a device that takes the opening at a step, in words. */
  private static String taker(Conversation then, Device device, Step step) {
    Trace trace = then.opening();
    if (trace != null) {
      for (Leg leg : trace.request()) {
        for (Decision decision : leg.decisions()) {
          if (leg.where().equals(device.name())
              && (decision.ruling().step() == step || decision.ruling().step() == Step.SOURCE)
              && decision.by() instanceof Named rule
              && rule.place().line() > 0) {
            return Labels.of(rule) + " (line " + rule.place().line() + "), which should take it";
          }
        }
      }
    }
    return "what should take it";
  }

  private static boolean endsAt(Conversation conversation, Device device, Step step) {
    Trace trace = conversation.opening();
    if (trace == null) {
      return false;
    }
    Leg leg = trace.request().get(trace.request().size() - 1);
    Decision last = leg.decisions().get(leg.decisions().size() - 1);
    return leg.where().equals(device.name())
        && last.ruling().ends() != null
        && last.ruling().step() == step;
  }

  private @Nullable Verdict takenFromItself(Device device, Decision decision, Placed by) {
    Header asked = decision.before();
    for (Interface own : device.interfaces()) {
      if (!own.addresses().contains(asked.destination())) {
        continue;
      }
      for (OwnService service : device.services()) {
        if (ServiceTerm.anyCovers(
            List.of(service.service()),
            asked.protocol(),
            asked.destinationPort(),
            asked.icmpType())) {
          Site changed = site.with(Mends.without(device, by));
          return verdict(
              Cause.OWN_SERVICE_TAKEN,
              Labels.of(by)
                  + " takes what is for the device's own service "
                  + service.service().text()
                  + " (line "
                  + service.place().line()
                  + ")",
              by,
              succeedsOn(changed) ? changed : null);
        }
      }
    }
    return null;
  }

  // The request.

  private @Nullable Verdict judgeRequest(Decision end) {
    Leg leg = way.get(way.size() - 1);
    Device device = site.devices().get(leg.where());
    Header header = end.after();
    return switch (end.ruling()) {
      case BLOCKED_AT_SENDER ->
          verdict(Cause.SENDER_NETWORK_BLOCKS, end, willing(leg.where(), header));
      case SENDER_OFF, HOST_OFF -> verdict(Cause.HOST_OFF, end, willing(leg.where(), header));
      case NO_GATEWAY -> verdict(Cause.GATEWAY_OR_PREFIX_WRONG, end, leading(leg.where(), header));
      case NOBODY_THERE -> judgeNobody(leg, end);
      case INTERFACE_DOWN, ROUTE_DOWN -> judgeDown(device, end);
      case NO_ROUTE, ROUTE_DISCARDS ->
          verdict(Cause.ROUTE_MISSING, end, routed(device, header.destination()));
      case HOPS_USED_UP -> verdict(Cause.LOOP, "", null, routedEverywhere(header.destination()));
      case SOURCE_NOT_CARRIED -> judgePrivateSource();
      case DESTINATION_NOT_CARRIED -> judgePrivateDestination(header);
      case NO_CARRIER_LINK -> verdict(Cause.ADDRESS_NOT_ROUTED, end, null);
      case DESTINATION_UNMATCHED, DEVICE_NOT_ADMITTED, DEVICE_REFUSES, DEVICE_SERVICE_CLOSED ->
          device == null ? null : judgeUntranslated(device, leg, end);
      case NOT_ADMITTED -> device == null ? null : judgeAdmission(device, end);
      case DROPPED_BY_RULE,
          REJECTED_BY_RULE,
          DROPPED_OTHERWISE,
          REJECTED_OTHERWISE,
          DROPPED_BY_STANCE,
          REJECTED_BY_STANCE ->
          device == null ? null : judgeAccess(device, leg, end);
      case POOL_USED_UP ->
          verdict(
              end.by() instanceof DynamicRule rule
                      && rule.pool().addresses().ranges().size() == 1
                      && rule.pool()
                          .addresses()
                          .ranges()
                          .get(0)
                          .first()
                          .equals(rule.pool().addresses().ranges().get(0).last())
                  ? Cause.SHARING_LEFT_OUT
                  : Cause.EXHAUSTED,
              end,
              null);
      case PORTS_USED_UP, PORT_LIMIT_REACHED -> verdict(Cause.EXHAUSTED, end, null);
      case CANNOT_SHARE -> verdict(Cause.CANNOT_SHARE, end, null);
      case HOST_REFUSES -> verdict(Cause.NOTHING_LISTENS, end, willing(leg.where(), header));
      case HOST_FILTERED, HOST_REJECTED ->
          verdict(Cause.HOST_FILTER, end, willing(leg.where(), header));
      case HOST_SILENT -> verdict(Cause.NO_PING, end, willing(leg.where(), header));
      case SOURCE_IS_OWN, SOURCE_IMPOSSIBLE, SOURCE_BY_OTHER_WAY, NOT_FORWARDED ->
          verdict(Cause.NOT_FORWARDED, end, null);
      case NOT_AN_OPENING, BINDING_FILTERED, ERROR_UNMATCHED ->
          verdict(Cause.NO_SESSION, end, null);
      default -> null;
    };
  }

  private @Nullable Site willing(String name, Header header) {
    Host host = site.hosts().get(name);
    return host == null ? null : site.with(Mends.willing(host, header));
  }

  private @Nullable Site leading(String name, Header header) {
    Host host = site.hosts().get(name);
    Host changed = host == null ? null : Mends.leading(site, host, header.destination());
    return changed == null ? null : site.with(changed);
  }

  private @Nullable Site routed(@Nullable Device device, Address to) {
    Device changed = device == null ? null : Mends.routed(site, device, to);
    return changed == null ? null : site.with(changed);
  }

  private @Nullable Site routedEverywhere(Address to) {
    Site changed = site;
    for (Device device : site.devices().values()) {
      Device better = Mends.routed(site, device, to);
      changed = better == null ? changed : changed.with(better);
    }
    return changed.equals(site) ? null : changed;
  }

  private Verdict judgeDown(@Nullable Device device, Decision end) {
    Site mended =
        device != null && end.by() instanceof Interface own
            ? site.with(Mends.up(device, own))
            : null;
    return verdict(Cause.INTERFACE_DOWN, end, mended);
  }

  /** Nobody has the address that the packet was handed to. */
  private Verdict judgeNobody(Leg leg, Decision end) {
    List<Decision> decisions = leg.decisions();
    Ruling before =
        decisions.size() < 2 ? Ruling.FLOW_IS_NEW : decisions.get(decisions.size() - 2).ruling();
    Header header = end.after();
    if (leg.kind() == Leg.Kind.HOST && before == Ruling.SENT_TO_GATEWAY) {
      return verdict(
          Cause.GATEWAY_OR_PREFIX_WRONG,
          "its gateway is no device of the site",
          site.hosts().get(leg.where()),
          leading(leg.where(), header));
    }
    Host sender = site.hosts().get(leg.where());
    if (sender != null && !sender.ownPrefixes().isEmpty() && before == Ruling.SENT_TO_NEIGHBOUR) {
      return verdict(
          Cause.GATEWAY_OR_PREFIX_WRONG,
          "it takes " + sender.ownPrefixes().get(0) + " for its own network",
          sender,
          leading(leg.where(), header));
    }
    if (leg.kind() == Leg.Kind.INTERNET && end.by() instanceof Network link) {
      Interface assigned = assignedOn(link);
      if (assigned != null) {
        return verdict(
            Cause.ADDRESS_CHANGED,
            "the carrier assigns the address of "
                + assigned.name()
                + "; it is "
                + assigned.addresses().get(0)
                + " now",
            assigned,
            null);
      }
      Verdict wrong = judgeOtherAddress(header);
      return wrong != null ? wrong : verdict(Cause.TRANSLATION_MISSING, end, null);
    }
    if (translatedBy() == null) {
      return verdict(Cause.WRONG_ADDRESS, end, null);
    }
    Host moved = listener(header);
    if (moved != null && !moved.addresses().contains(header.destination())) {
      return verdict(
          Cause.HOST_MOVED,
          moved.name() + " listens on that port, and is at " + moved.addresses().get(0),
          translatedBy(),
          site.with(Mends.alsoAt(moved, header.destination())));
    }
    Network network = site.networkOf(header.destination());
    Host phantom =
        network == null ? null : Mends.willing(Host.unnamed(header.destination(), network), header);
    return verdict(
        Cause.HOST_MOVED, "", translatedBy(), phantom == null ? null : site.with(phantom));
  }

  private @Nullable Interface assignedOn(Network link) {
    for (Device device : site.devices().values()) {
      for (Interface own : device.interfaces()) {
        if (own.network().name().equals(link.name()) && own.assigned() == Assignment.BY_CARRIER) {
          return own;
        }
      }
    }
    return null;
  }

  /** The rule that changed the destination last. */
  private @Nullable Placed translatedBy() {
    Placed by = null;
    for (Leg leg : way) {
      for (Decision decision : leg.decisions()) {
        by = decision.ruling() == Ruling.DESTINATION_TRANSLATED ? decision.by() : by;
      }
    }
    return by;
  }

  private Verdict judgePrivateSource() {
    Device device = null;
    Interface leaving = null;
    Interface arriving = null;
    for (Leg leg : way) {
      if (leg.kind() == Leg.Kind.DEVICE && leg.leaving() != null) {
        device = site.devices().get(leg.where());
        leaving = leg.leaving();
        arriving = leg.arriving();
      }
    }
    Header header = last(way).after();
    Network inside = site.networkOf(header.destination());
    if (device != null && inside != null && inside.carrier().isEmpty()) {
      return verdict(
          Cause.ROUTE_MISSING,
          device.name()
              + " has no route to "
              + inside.name()
              + ", so that a route towards the internet takes it",
          device,
          routed(device, header.destination()));
    }
    if (device == null || leaving == null) {
      return verdict(Cause.CARRIER_DISCARDS_PRIVATE, "", null, null);
    }
    SharedRule opening =
        new SharedRule(
            "as if mended",
            List.of(Mends.term(header.source())),
            List.of(),
            new InterfaceTerm(leaving.name(), List.of(leaving), leaving.place()),
            null,
            null,
            false,
            null,
            leaving.place());
    Site mended = site.with(Mends.with(device, null, opening));
    for (TranslationRule rule : device.translation()) {
      List<AddressTerm> from =
          rule instanceof SharedRule shared
              ? shared.from()
              : rule instanceof DynamicRule lent ? lent.from() : List.of();
      InterfaceTerm meant =
          rule instanceof SharedRule shared
              ? shared.leaving()
              : rule instanceof DynamicRule lent ? lent.leaving() : null;
      if (meant != null && (from.isEmpty() || site.addresses(from).contains(header.source()))) {
        if (rule.disabled()) {
          return verdict(
              Cause.CARRIER_DISCARDS_PRIVATE,
              Labels.of(rule) + " would translate it, but is disabled",
              rule,
              mended);
        }
        if (!meant.names(leaving)) {
          return verdict(
              Cause.WRONG_INTERFACE,
              Labels.of(rule)
                  + " would translate it, but is for packets that leave by "
                  + meant.text()
                  + ", and this leaves by "
                  + leaving.name(),
              rule,
              mended);
        }
      }
    }
    String from = arriving == null ? "" : " from " + arriving.network().zone();
    return verdict(
        Cause.CARRIER_DISCARDS_PRIVATE,
        "no rule of "
            + device.name()
            + " translates sources"
            + from
            + " that leave by "
            + leaving.name(),
        device,
        mended);
  }

  private Verdict judgePrivateDestination(Header header) {
    for (Device device : site.devices().values()) {
      for (TranslationRule rule : device.translation()) {
        if (rule instanceof InwardRule inward
            && inward.external().now(header.destination().family()) != null
            && Objects.requireNonNull(inward.external().now(header.destination().family()))
                .contains(header.destination())) {
          return verdict(
              Cause.ADDRESS_PRIVATE,
              header.destination()
                  + " is "
                  + SpecialAddresses.kind(header.destination())
                  + ": "
                  + device.name()
                  + " itself stands behind somebody's translation",
              rule,
              null);
        }
      }
    }
    Verdict wrong = judgeOtherAddress(header);
    return wrong != null ? wrong : verdict(Cause.WRONG_ADDRESS, "", null, null);
  }

  /** Would it work with another external address? */
  private @Nullable Verdict judgeOtherAddress(Header header) {
    for (Device device : site.devices().values()) {
      for (TranslationRule rule : device.translation()) {
        if (rule.disabled() || !(rule instanceof InwardRule inward)) {
          continue;
        }
        var external = inward.external().now(header.destination().family());
        if (external == null
            || external.contains(
                attempt.addresses().isEmpty()
                    ? header.destination()
                    : attempt.addresses().get(0))) {
          continue;
        }
        Conversation other =
            Tracer.of(site)
                .converse(
                    new Attempt(
                        attempt.sender(),
                        attempt.source(),
                        external.first().toString(),
                        null,
                        List.of(external.first()),
                        attempt.probe(),
                        attempt.sourcePort(),
                        attempt.mode(),
                        attempt.at()));
        if (goal.test(other)) {
          return verdict(
              Cause.WRONG_ADDRESS,
              external.first() + " is the address that works: " + Labels.of(rule),
              rule,
              null);
        }
      }
    }
    return null;
  }

  /** A packet for an address of the device that no rule takes further. */
  private Verdict judgeUntranslated(Device device, Leg leg, Decision end) {
    NearMiss near = end.near();
    Header header = end.after();
    Verdict changed = judgeChangedAddress(device, header);
    if (near != null && near.rule() instanceof InwardRule rule) {
      return judgeNearTranslation(device, leg, end, near, rule);
    }
    Verdict wrong = judgeOtherAddress(header);
    if (changed != null || wrong != null) {
      return changed != null ? changed : Objects.requireNonNull(wrong);
    }
    Verdict outer = judgeOuter(device, leg, header);
    if (outer != null) {
      return outer;
    }
    if (end.ruling() == Ruling.DEVICE_SERVICE_CLOSED) {
      return verdict(Cause.OWN_SERVICE_CLOSED, end, open(device, header));
    }
    for (TranslationRule rule : device.translation()) {
      if (rule.disabled()
          && rule instanceof InwardRule inward
          && isAt(inward, header)
          && covers(inward.services(), header)) {
        return verdict(
            Cause.TRANSLATION_MISSING,
            Labels.of(rule) + " would take it, but is disabled",
            rule,
            null);
      }
    }
    return verdict(Cause.TRANSLATION_MISSING, end, open(device, header));
  }

  private static boolean isAt(InwardRule rule, Header header) {
    var external = rule.external().now(header.destination().family());
    return external != null && external.contains(header.destination());
  }

  private static boolean covers(List<ServiceTerm> services, Header header) {
    return ServiceTerm.anyCovers(
        services, header.protocol(), header.destinationPort(), header.icmpType());
  }

  /** As if the device itself ran the service: the only way on that needs no guess. */
  private @Nullable Site open(Device device, Header header) {
    if (conversation.attempt().name() == null && isOwn(device, header.destination())) {
      List<OwnService> services = new ArrayList<>();
      services.add(new OwnService(Mends.service(header), List.of(), null, device.place()));
      services.addAll(device.services());
      Site opened = site.with(device.withServices(services));
      return succeedsOn(opened) ? null : opened;
    }
    return null;
  }

  private static boolean isOwn(Device device, Address address) {
    return device.interfaces().stream().anyMatch(own -> own.addresses().contains(address));
  }

  private Verdict judgeNearTranslation(
      Device device, Leg leg, Decision end, NearMiss near, InwardRule rule) {
    Interface arriving = leg.arriving();
    Set<Match.Field> fields = near.fields();
    if (fields.contains(Match.Field.ARRIVING) && arriving != null) {
      boolean inside = !arriving.network().zone().equals(Site.INTERNET);
      InterfaceTerm here = new InterfaceTerm(arriving.name(), List.of(arriving), rule.place());
      InwardRule changed =
          inside
              ? Rules.with(
                  rule, rule.facing(), new Hairpin(here, Hairpin.Source.DEVICE, rule.place()))
              : Rules.with(rule, here, rule.hairpin());
      boolean rest = fields.size() == 1;
      return verdict(
          inside ? Cause.HAIRPIN_MISSING : Cause.WRONG_INTERFACE,
          "",
          rule,
          rest ? site.with(Mends.with(device, rule, changed)) : null);
    }
    if (fields.contains(Match.Field.SERVICE)) {
      Header header = end.after();
      Verdict other = judgeOtherAddress(header);
      other =
          other == null && !isOtherProtocol(rule, header) ? judgeOuter(device, leg, header) : other;
      if (other != null) {
        return other;
      }
      Host meant = isOtherProtocol(rule, header) ? null : listener(header);
      return meant == null
          ? verdict(
              Cause.WRONG_SERVICE,
              "",
              rule,
              rule instanceof DestinationRule served
                  ? site.with(Mends.with(device, rule, Rules.serving(served, header)))
                  : null)
          : verdict(
              Cause.TRANSLATION_MISSING,
              meant.name() + " listens there, but no rule of " + device.name() + " leads to it",
              device,
              site.with(Mends.with(device, null, Rules.leadingTo(leg, header, meant))));
    }
    return verdict(
        Cause.SENDER_NOT_ADMITTED,
        "",
        rule,
        site.with(Mends.with(device, rule, Rules.forEverybody(rule))));
  }

  /** Whether the rule is for the same port of the other protocol. */
  private static boolean isOtherProtocol(InwardRule rule, Header header) {
    int other =
        header.protocol() == Protocol.TCP
            ? Protocol.UDP
            : header.protocol() == Protocol.UDP ? Protocol.TCP : header.protocol();
    return !rule.services().isEmpty()
        && ServiceTerm.anyCovers(
            rule.services(), other, header.destinationPort(), header.icmpType());
  }

  /** The only host that listens on the port of a packet; null if there is none or several. */
  private @Nullable Host listener(Header header) {
    Host found = null;
    for (Host host : site.hosts().values()) {
      if (!host.isOutside() && !host.listens().isEmpty() && covers(host.listens(), header)) {
        if (found != null) {
          return null;
        }
        found = host;
      }
    }
    return found;
  }

  /** A rule names an address literally that the carrier assigns and has changed. */
  private @Nullable Verdict judgeChangedAddress(Device device, Header header) {
    for (Interface own : device.interfaces()) {
      if (own.assigned() != Assignment.BY_CARRIER
          || !own.addresses().contains(header.destination())) {
        continue;
      }
      for (TranslationRule rule : device.translation()) {
        if (rule instanceof InwardRule inward
            && !rule.disabled()
            && inward.external().literal() != null
            && own.network().prefixOf(inward.external().literal().first()) != null
            && !own.addresses().contains(inward.external().literal().first())
            && covers(inward.services(), header)) {
          return verdict(
              Cause.ADDRESS_CHANGED,
              Labels.of(rule)
                  + " names "
                  + inward.external().text()
                  + ", but the carrier has assigned "
                  + header.destination()
                  + " to "
                  + own.name()
                  + " now",
              rule,
              site.with(Mends.with(device, rule, Rules.at(inward, own))));
        }
      }
    }
    return null;
  }

  /** A device behind this one expects the packet, but this one does not pass it on. */
  private @Nullable Verdict judgeOuter(Device outer, Leg leg, Header header) {
    for (Device inner : site.devices().values()) {
      if (inner.name().equals(outer.name())) {
        continue;
      }
      for (TranslationRule rule : inner.translation()) {
        if (rule.disabled() || !(rule instanceof InwardRule inward) || isFed(outer, inward)) {
          continue;
        }
        var external = inward.external().now(header.destination().family());
        boolean facesOuter =
            inward.facing().interfaces().stream()
                .anyMatch(
                    own ->
                        outer.interfaces().stream()
                            .anyMatch(o -> o.network().name().equals(own.network().name())));
        if (external != null
            && facesOuter
            && leg.arriving() != null
            && SpecialAddresses.NOT_ON_THE_INTERNET.contains(external.first())) {
          return verdict(
              Cause.OUTER_RULE_MISSING,
              inner.name()
                  + " behind it expects the packet at "
                  + external.first()
                  + " by "
                  + Labels.of(rule)
                  + " (line "
                  + rule.place().line()
                  + "), but no rule of "
                  + outer.name()
                  + " leads it there",
              outer,
              site.with(
                  Mends.with(
                      outer,
                      null,
                      Rules.passedOn(outer, leg.arriving(), header, external.first(), inward))));
        }
      }
    }
    return null;
  }

  /** Whether a rule of the outer device leads to where a rule of the inner one takes packets. */
  private static boolean isFed(Device outer, InwardRule inner) {
    for (TranslationRule rule : outer.translation()) {
      if (rule instanceof InwardRule inward && !rule.disabled()) {
        var external = inner.external().now(inward.internalBlock().family());
        if (external == null || !inward.internalBlock().contains(external.first())) {
          continue;
        }
        PortSet ports = inward.internalPorts();
        if (inner.services().isEmpty() || (ports == null && inward.services().isEmpty())) {
          return true;
        }
        for (ServiceTerm term : inner.services()) {
          for (ServicePart part : term.service().parts()) {
            if (ports != null
                ? part.ports().intersects(ports)
                : inward.services().stream()
                    .anyMatch(own -> own.service().overlaps(term.service()))) {
              return true;
            }
          }
        }
      }
    }
    return false;
  }

  // Access.

  private Verdict judgeAdmission(Device device, Decision end) {
    InwardRule rule = (InwardRule) Objects.requireNonNull(end.by());
    NearMiss near = end.near();
    boolean late = near != null && near.fields().equals(EnumSet.of(Match.Field.SCHEDULE));
    return verdict(
        late ? Cause.OUTSIDE_SCHEDULE : Cause.SENDER_NOT_ADMITTED,
        end,
        site.with(Mends.with(device, rule, Rules.admittingAll(rule))));
  }

  private Verdict judgeAccess(Device device, Leg leg, Decision end) {
    Header header = end.after();
    Placed by = end.by();
    AccessList list = listOf(device, by);
    Interface leaving = leavingOf(leg, device, header);
    String from = leg.arriving() == null ? Site.ANY : leg.arriving().network().zone();
    String to = leaving == null ? Site.ANY : leaving.network().zone();
    Site mended =
        site.with(
            list != null ? Mends.passing(device, list, header) : Mends.passing(device, from, to));
    if (by instanceof AccessRule) {
      return verdict(Cause.DENIED, end, mended);
    }
    NearMiss near = end.near();
    if (near != null) {
      Set<Match.Field> fields = near.fields();
      if (fields.equals(EnumSet.of(Match.Field.SCHEDULE))) {
        return verdict(Cause.OUTSIDE_SCHEDULE, "", near.rule(), mended);
      }
      if (fields.equals(EnumSet.of(Match.Field.DESTINATION)) && namesOtherSide(near, leg)) {
        return verdict(
            Cause.OTHER_SIDE_NAMED,
            device.name()
                + " filters on the destination "
                + (device.seesOriginal() ? "before" : "after")
                + " translation",
            near.rule(),
            mended);
      }
      boolean meant = near.rule() instanceof AccessRule rule && !rule.to().isEmpty();
      if ((meant && fields.equals(EnumSet.of(Match.Field.SERVICE)))
          || fields.equals(EnumSet.of(Match.Field.SOURCE_PORT))) {
        return verdict(Cause.WRONG_SERVICE, "", near.rule(), mended);
      }
      if (fields.equals(EnumSet.of(Match.Field.SOURCE))) {
        return verdict(Cause.SENDER_NOT_ADMITTED, "", near.rule(), mended);
      }
    }
    for (AccessList other : device.access()) {
      AccessRule match = accepting(other, header);
      if (match == null || other.equals(list)) {
        continue;
      }
      boolean idle = other.guards().isEmpty();
      if (idle || isOnTheWrongWay(other, match)) {
        return verdict(
            idle ? Cause.LIST_GUARDS_NOTHING : Cause.WRONG_INTERFACE,
            Labels.of(match)
                + " of "
                + Labels.of(other)
                + " would accept it, but the list guards "
                + (idle ? "nothing" : "another way"),
            other,
            mended);
      }
    }
    for (AccessList each : device.access()) {
      for (AccessRule rule : each.rules()) {
        if (rule.disabled()
            && rule.action() == Action.ACCEPT
            && each.equals(list)
            && covers(rule.services(), header)) {
          return verdict(Cause.ACCESS_MISSING, Labels.of(rule) + " is disabled", rule, mended);
        }
      }
    }
    return verdict(Cause.ACCESS_MISSING, end, mended);
  }

  /** Whether a list stands where no packet comes that the rule is for. */
  private boolean isOnTheWrongWay(AccessList list, AccessRule rule) {
    AddressSet sources = site.addresses(rule.from());
    for (AccessList.Guard guard : list.guards()) {
      InterfaceTerm arriving = guard.arriving();
      if (rule.from().isEmpty() || arriving == null) {
        return false;
      }
      for (Interface own : arriving.interfaces()) {
        if (sources.intersects(site.zoneAddresses(own.network().zone()))) {
          return false;
        }
      }
    }
    return true;
  }

  private @Nullable AccessRule accepting(AccessList list, Header header) {
    AccessRule match =
        CompiledList.of(site, list).firstMatch(Packet.of(header), false, attempt.at());
    return match != null && match.action() == Action.ACCEPT ? match : null;
  }

  /** Whether the rule names the address that the packet had, or will have, on the other side. */
  private boolean namesOtherSide(NearMiss near, Leg leg) {
    AccessRule rule = (AccessRule) near.rule();
    for (Decision decision : leg.decisions()) {
      if (decision.ruling() == Ruling.DESTINATION_TRANSLATED) {
        return site.addresses(rule.to()).contains(decision.before().destination())
            || site.addresses(rule.to()).contains(decision.after().destination());
      }
    }
    return false;
  }

  private static @Nullable AccessList listOf(Device device, @Nullable Placed by) {
    for (AccessList list : device.access()) {
      if (list.equals(by) || (by instanceof AccessRule rule && list.rules().contains(rule))) {
        return list;
      }
    }
    return null;
  }

  private @Nullable Interface leavingOf(Leg leg, Device device, Header header) {
    for (Decision decision : leg.decisions()) {
      if (decision.ruling() == Ruling.ROUTED) {
        return decision.by() instanceof Route route ? route.leaving() : (Interface) decision.by();
      }
    }
    return DeviceProgram.compile(site, device).device().interfaces().stream()
        .filter(own -> own.network().prefixOf(header.destination()) != null)
        .findFirst()
        .orElse(null);
  }

  // The reply.

  private @Nullable Verdict judgeReply(Trace trace, Decision end) {
    Leg leg = way.get(way.size() - 1);
    Device device = site.devices().get(leg.where());
    Header header = end.after();
    Host answerer = site.hosts().get(way.get(0).where());
    String other = otherWay(trace);
    switch (end.ruling()) {
      case REPLY_DISCARDED -> {
        return verdict(Cause.REPLY_BY_OTHER_WAY, other, translatedOf(trace), hairpinned(trace));
      }
      case NO_GATEWAY -> {
        return verdict(
            Cause.GATEWAY_OR_PREFIX_WRONG, "", answerer, leading(way.get(0).where(), header));
      }
      case NOBODY_THERE -> {
        if (leg.kind() == Leg.Kind.HOST) {
          return judgeNobody(leg, end);
        }
      }
      case INTERFACE_DOWN, ROUTE_DOWN -> {
        return judgeDown(device, end);
      }
      case NO_ROUTE, ROUTE_DISCARDS -> {
        if (other.isEmpty() || answerer == null) {
          return verdict(Cause.RETURN_ROUTE_MISSING, end, routed(device, header.destination()));
        }
      }
      case HOPS_USED_UP -> {
        return verdict(Cause.LOOP, "", null, routedEverywhere(header.destination()));
      }
      case DESTINATION_NOT_CARRIED -> {
        if (other.isEmpty()) {
          return verdict(
              Cause.RETURN_ROUTE_MISSING,
              "a route towards the internet takes it instead",
              lastDevice(),
              routed(lastDevice(), header.destination()));
        }
      }
      default -> {
        AccessList list = device == null ? null : listOf(device, end.by());
        if (device != null && list != null && list.stateless()) {
          return verdict(
              Cause.REPLIES_NOT_LET_IN, end, site.with(Mends.passing(device, list, header)));
        }
      }
    }
    // It met other devices, or none: the answerer sends its replies elsewhere.
    if (answerer != null && !other.isEmpty() && !answerer.isOutside()) {
      Site led = leadingBack(trace, answerer);
      boolean wrongGateway = !answerer.gateways().isEmpty() && answerer.networks().size() == 1;
      return verdict(
          wrongGateway ? Cause.GATEWAY_OR_PREFIX_WRONG : Cause.REPLY_BY_OTHER_WAY,
          other,
          answerer,
          led);
    }
    return verdict(Cause.REPLY_BY_OTHER_WAY, other, end.by(), null);
  }

  private @Nullable Device lastDevice() {
    Device last = null;
    for (Leg leg : way) {
      last = leg.kind() == Leg.Kind.DEVICE ? site.devices().get(leg.where()) : last;
    }
    return last;
  }

  /** Where the reply left the way of the request; empty if it did not. */
  private String otherWay(Trace trace) {
    List<String> there = new ArrayList<>();
    for (Leg leg : trace.request()) {
      there.add(0, leg.where());
    }
    for (int i = 0; i < way.size() && i < there.size(); i++) {
      if (!way.get(i).where().equals(there.get(i))) {
        return "the request came to "
            + there.get(i - 1 < 0 ? 0 : i - 1)
            + " from "
            + there.get(i)
            + ", but the reply goes on to "
            + way.get(i).where();
      }
    }
    return "";
  }

  /** As if the answerer had the device for its gateway from which the request came. */
  private @Nullable Site leadingBack(Trace trace, Host answerer) {
    List<Leg> request = trace.request();
    if (request.size() < 2) {
      return null;
    }
    Leg before = request.get(request.size() - 2);
    Interface by = before.leaving();
    Device device = site.devices().get(before.where());
    Address gateway =
        by == null || device == null ? null : by.address(trace.question().to().family());
    return gateway == null
        ? null
        : site.with(
            new Host(
                answerer.name(),
                answerer.networks(),
                answerer.addresses(),
                answerer.assigned(),
                List.of(),
                List.of(gateway),
                answerer.resolver(),
                answerer.listens(),
                answerer.answersPing(),
                answerer.filter(),
                answerer.blocked(),
                answerer.off(),
                answerer.note(),
                answerer.place()));
  }

  private static @Nullable Placed translatedOf(Trace trace) {
    for (Leg leg : trace.request()) {
      for (Decision decision : leg.decisions()) {
        if (decision.ruling() == Ruling.DESTINATION_TRANSLATED) {
          return decision.by();
        }
      }
    }
    return null;
  }

  /** As if a hairpin that keeps the source changed it to the device's. */
  private @Nullable Site hairpinned(Trace trace) {
    for (Leg leg : trace.request()) {
      Device device = site.devices().get(leg.where());
      for (Decision decision : leg.decisions()) {
        if (device != null
            && decision.ruling() == Ruling.DESTINATION_TRANSLATED
            && decision.by() instanceof InwardRule rule
            && rule.hairpin() != null
            && rule.hairpin().source() == Hairpin.Source.KEPT) {
          Hairpin changed =
              new Hairpin(rule.hairpin().from(), Hairpin.Source.DEVICE, rule.hairpin().place());
          return site.with(Mends.with(device, rule, Rules.with(rule, rule.facing(), changed)));
        }
      }
    }
    return null;
  }
}
