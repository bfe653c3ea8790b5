// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cause;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.function.Function;
import java.util.function.Predicate;
import org.eskerfield.change.Change;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Device;
import org.eskerfield.model.DomainName;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Named;
import org.eskerfield.model.Network;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Route;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.outcome.Step;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Endpoint;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Lookup;
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
final class Classifier extends Case {
  Classifier(
      Site site,
      Conversation conversation,
      Function<Site, Conversation> rehearsal,
      Predicate<Conversation> goal) {
    super(site, conversation, rehearsal, goal);
  }

  /** The cause; null if none of the known ones is it. */
  @Nullable Verdict judge() {
    Trace opening = conversation.opening();
    sentence = conversation.reason();
    Verdict kept = judgeKept();
    kept = kept == null ? judgeLease() : kept;
    if (kept != null) {
      return kept;
    }
    if (opening == null) {
      return judgeLookup();
    }
    Verdict verdict = judgeOldSession(opening);
    verdict = verdict == null ? judgeName() : verdict;
    verdict = verdict == null ? judgeTransfer(opening) : verdict;
    verdict = verdict == null ? judgeSize() : verdict;
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
    return verdict != null
        ? verdict
        : onTheWayBack
            ? new ReplyCauses(this).judgeReply(deciding, end)
            : new RequestCauses(this).judgeRequest(end);
  }

  private @Nullable Verdict judgeLookup() {
    if (conversation.lookup() == null) {
      return null;
    }
    Trace asked = conversation.lookup().trace();
    if (asked == null || asked.outcome() == Outcome.ANSWERED) {
      return verdict(Cause.NAME_UNKNOWN, "", site.names().get(conversation.lookup().name()), null);
    }
    find(asked);
    return end == null
        ? null
        : onTheWayBack
            ? new ReplyCauses(this).judgeReply(asked, end)
            : new RequestCauses(this).judgeRequest(end);
  }

  /** Does a host go by what it was told before a change? A fresh start is tried. */
  private @Nullable Verdict judgeKept() {
    Lookup lookup = conversation.lookup();
    boolean name = lookup != null && lookup.remembered();
    List<String> held = conversation.held();
    if ((!name && held.isEmpty()) || !goal.test(Tracer.of(site).converse(attempt))) {
      return null;
    }
    if (lookup != null && name) {
      return verdict(
          Cause.NAME_REMEMBERED,
          "whoever asks now is told something else; lower 'ttl' before a change, or wait",
          site.names().get(lookup.name()));
    }
    Host host = site.hosts().get(held.get(0));
    return verdict(
        Cause.LEASE_NOT_RENEWED,
        String.join(" and ", held)
            + (held.size() == 1 ? " goes" : " go")
            + " by the old lease; renew it, or shorten the time of leases before a change",
        host == null ? null : site.lease(host));
  }

  /** Does what comes with a lease lead astray? Another gateway and another resolver are tried. */
  private @Nullable Verdict judgeLease() {
    Trace opening = conversation.opening();
    Endpoint by = opening == null ? null : opening.deliveredTo();
    List<String> ends = new ArrayList<>(List.of(attempt.sender().name()));
    if (by != null && by.name() != null) {
      ends.add(by.name());
    }
    for (String end : ends) {
      Host host = site.hosts().get(end);
      Network.Lease lease = host == null ? null : site.lease(host);
      if (host == null || lease == null) {
        continue;
      }
      for (Map.Entry<String, Host> other : otherwiseTold(host, lease).entrySet()) {
        Site changed = site.with(other.getValue());
        if (succeedsOn(changed)) {
          return verdict(
              Cause.LEASE_WRONG,
              "with "
                  + other.getKey()
                  + " it works; let "
                  + lease.device()
                  + " hand that out on "
                  + host.networks().get(0).name(),
              lease,
              changed);
        }
      }
    }
    return null;
  }

  /** A host with another gateway or resolver than its lease names, by what would be handed out. */
  private Map<String, Host> otherwiseTold(Host host, Network.Lease lease) {
    Map<String, Host> told = new LinkedHashMap<>();
    for (Network network : lease.gateways().isEmpty() ? List.<Network>of() : host.networks()) {
      for (Family family : Family.values()) {
        for (Address gateway : site.gateways(network, family)) {
          if (host.gateways().isEmpty() && !lease.gateways().contains(gateway)) {
            told.put("gateway " + gateway, host.withGateways(List.of(gateway)));
          }
        }
      }
    }
    DomainName name = attempt.name() == null ? null : site.names().get(attempt.name());
    if (name != null && lease.resolver() != null && host.resolver() == null) {
      for (Host each : site.hosts().values()) {
        if (each.listens().stream()
            .anyMatch(term -> term.service().covers(Protocol.UDP, 53, -1, -1))) {
          told.put("resolver " + each.name(), host.withResolver(AddressTerm.of(each)));
        }
      }
    }
    return told;
  }

  private @Nullable Verdict judgeOldSession(Trace opening) {
    boolean known = false;
    for (Leg leg : opening.request()) {
      for (Decision decision : leg.decisions()) {
        known |= decision.ruling() == Ruling.SESSION_KNOWN;
      }
    }
    if (!known || !goal.test(Tracer.of(site).converse(attempt))) {
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
      answers.add(
          new DomainName.Answer(
              by, other.addresses(), other.follows(), other.texts(), other.place()));
      Site changed = site.with(name.saying(answers));
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

  /**
   * Does a data connection fail that would open if the devices on the way read what is announced? A
   * control connection that is encrypted cannot be read, so that its twin in plain text is tried.
   */
  private @Nullable Verdict judgeTransfer(Trace opening) {
    if (conversation.transfer() == null || opening.outcome() != Outcome.ANSWERED) {
      return null;
    }
    Map<Device, PortSet> unread = unread(site, opening);
    Site allRead = site;
    for (Map.Entry<Device, PortSet> each : unread.entrySet()) {
      Site one = site.with(reading(each.getKey(), each.getValue()));
      if (succeedsOn(one)) {
        return notHelped(each.getKey(), each.getValue(), one);
      }
      allRead = allRead.with(reading(each.getKey(), each.getValue()));
    }
    if (unread.size() > 1 && succeedsOn(allRead)) {
      Map.Entry<Device, PortSet> first = unread.entrySet().iterator().next();
      return notHelped(first.getKey(), first.getValue(), allRead);
    }
    if (!conversation.transfer().encrypted()) {
      return null;
    }
    boolean asItIs = goal.test(Tracer.of(site).converse(attempt.inPlainText()));
    if (asItIs || goal.test(Tracer.of(allRead).converse(attempt.inPlainText()))) {
      return verdict(
          Cause.TRANSFER_ENCRYPTED,
          "the same in plain text comes through"
              + (asItIs ? "" : " with the gateway for file transfer switched on")
              + " (tried); no device reads the address and port in an encrypted announcement",
          null,
          null);
    }
    return null;
  }

  /**
   * The devices on the way whose gateways do not read this control connection, each with the port
   * by which it would have to know it, in the order of the way.
   */
  static Map<Device, PortSet> unread(Site site, Trace opening) {
    Map<Device, PortSet> unread = new LinkedHashMap<>();
    for (Leg leg : opening.request()) {
      Device device = site.devices().get(leg.where());
      if (device == null) {
        continue;
      }
      int port = leg.decisions().get(leg.decisions().size() - 1).after().destinationPort();
      if (!device.state().fileTransfer() || !device.state().controlPorts().contains(port)) {
        unread.put(device, PortSet.of(port));
      }
    }
    return unread;
  }

  private static Device reading(Device device, PortSet control) {
    return device.withState(device.state().withFileTransfer(control));
  }

  private Verdict notHelped(Device device, PortSet control, Site changed) {
    return verdict(
        Cause.TRANSFER_NOT_HELPED,
        device.state().fileTransfer()
            ? "with "
                + control
                + " among the control ports of "
                + device.name()
                + " (state: { control-ports: ["
                + device.state().controlPorts().union(control).toString().replace(",", ", ")
                + "] }) the data connection opens"
            : "with the gateway for file transfer switched on (state: { file-transfer: true }) the"
                + " data connection opens",
        device,
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
        Site changed = on(new Change.Remove(by));
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

  /** Was a packet too large, and did its sender not hear of that? Whoever hears sends less. */
  private @Nullable Verdict judgeSize() {
    Decision unfit = null;
    Decision notice = null;
    for (Segment segment : conversation.segments()) {
      Decision last = Leg.last(segment.legs());
      if (last.ruling() == Ruling.TOO_LARGE) {
        unfit = last;
        notice = null;
      } else if (unfit != null
          && segment.legs().get(0).decisions().get(0).before().inner() != null) {
        notice = last;
      }
    }
    if (unfit == null || conversation.outcome() == Outcome.ANSWERED || unfit.by() == null) {
      return null;
    }
    String untold = "nobody on the way can tell its sender";
    Placed by = notice == null ? null : notice.by();
    return by == null
        ? verdict(Cause.NOTICE_LOST, notice == null ? untold : "", unfit.by())
        : verdictWith(by, Cause.NOTICE_LOST, "", unfit.by());
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
            return Labels.of(rule) + " (line " + rule.place().line() + "), which should match it";
          }
        }
      }
    }
    return "what should match it";
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
        if (covers(List.of(service.service()), asked)) {
          return verdict(
              Cause.OWN_SERVICE_TAKEN,
              Labels.of(by)
                  + " takes what is for the device's own service "
                  + service.service().text()
                  + " (line "
                  + service.place().line()
                  + ")",
              by);
        }
      }
    }
    return null;
  }

  /** Did the sender hand it to a router that is not on the way, though another one is? */
  private @Nullable Verdict judgeGateway() {
    Host sender = site.hosts().get(legs.get(0).where());
    Header header = legs.get(0).decisions().get(0).before();
    Leg end = legs.get(legs.size() - 1);
    boolean lost =
        Leg.last(legs).ruling() == Ruling.NO_ROUTE
            || Leg.last(legs).ruling() == Ruling.HOPS_USED_UP;
    if (sender == null || sender.gateways().isEmpty() || !lost || legs.size() < 2) {
      return null;
    }
    Host changed = Mends.leading(site, sender, header.destination());
    return changed == null || changed.gateways().equals(sender.gateways())
        ? null
        : verdict(
            Cause.GATEWAY_OR_PREFIX_WRONG,
            sender.name()
                + " hands it to "
                + legs.get(1).where()
                + ", but the route leaves by "
                + changed.gateways().get(0)
                + (end.equals(legs.get(1)) ? "" : ", not to " + end.where()),
            sender);
  }

  /** Did it miss its way because an interface is down? */
  private @Nullable Verdict judgeDown() {
    Host sender = legs.size() == 1 ? site.hosts().get(legs.get(0).where()) : null;
    for (Network network : sender == null ? List.<Network>of() : sender.networks()) {
      for (Interface own : site.interfacesOn(network)) {
        if (!own.isUp() && !rehearsal.apply(on(Mends.up(own))).reason().equals(sentence)) {
          return down(site.deviceOf(own), own);
        }
      }
    }
    for (Leg leg : legs) {
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
          return down(device, own);
        }
      }
    }
    return null;
  }

  private Verdict down(Device device, Interface own) {
    String state = own.state() == Interface.State.NO_LINK ? " has no link" : " is off";
    return verdict(Cause.INTERFACE_DOWN, Labels.of(own) + " of " + device.name() + state, own);
  }
}
