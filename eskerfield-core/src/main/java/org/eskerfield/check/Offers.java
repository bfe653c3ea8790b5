// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.check;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import org.eskerfield.cause.Cause;
import org.eskerfield.cause.Diagnosis;
import org.eskerfield.cause.Obstacle;
import org.eskerfield.change.Change;
import org.eskerfield.change.Cure;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Placed;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.outcome.Step;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.packet.SpecialAddresses;
import org.eskerfield.program.CompiledList;
import org.eskerfield.set.Dimension;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketWords;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Trace;
import org.eskerfield.walk.EveryPacket.Passage;
import org.jspecify.annotations.Nullable;

/** Translation without access, access without translation, and either of them in part. */
final class Offers {
  private final Inspection check;

  Offers(Inspection check) {
    this.check = check;
  }

  void inspect(Device device) {
    for (InwardRule rule : device.inward()) {
      if (!rule.disabled()) {
        inspect(device, rule);
      }
    }
    for (CompiledList list : check.sets(device).program().lists()) {
      List<AccessList.Guard> guards = list.list().guards();
      if (!device.seesOriginal()
          && guards.stream().anyMatch(Offers::isFromOutside)
          && guards.stream().allMatch(Offers::isUp)) {
        inspect(device, list);
      }
    }
  }

  // Translation without access.

  private void inspect(Device device, InwardRule rule) {
    PacketSet taken = check.space.none();
    PacketSet letIn = check.space.none();
    for (Interface arriving : rule.facing().interfaces()) {
      List<Passage> passages = check.passages(device, arriving);
      if (passages.isEmpty() && !arriving.isUp()) {
        continue;
      }
      taken = taken.union(check.sets(device).takes(arriving, rule).arrived());
      if (!passages.isEmpty()) {
        for (Passage passage : check.sets(device).passages(arriving, rule)) {
          letIn = letIn.union(passage.arrived());
        }
      }
    }
    if (taken.isEmpty()) {
      if (rule.hairpin() != null) {
        new Orders(check).facingHalf(device, rule);
      }
      return; // nothing arrives, or earlier rules take it all: other findings say so
    }
    if (letIn.isEmpty() && rule.isStateless()) {
      return; // it is for those who go out as well; whom it lets in, the lists may well not say
    }
    if (new WrongHost(check).inspect(rule, taken)) {
      return;
    }
    AddressSet inner = AddressSet.ofPrefixes(List.of(rule.internalBlock()));
    if (letIn.isEmpty() && rule.services().isEmpty() && check.sendsBy(device, rule, inner)) {
      onlySends(rule, taken);
    } else if (letIn.isEmpty()) {
      judge(rule, taken, "none of it");
    } else if (!rule.services().isEmpty()) {
      PacketSet missing = ports(taken).minus(ports(letIn));
      if (!missing.isEmpty()) {
        judge(rule, taken.intersection(missing), "only a part of it");
      }
    }
  }

  /** What a rule is for that only sends, nobody can know; that nobody gets in is worth a word. */
  private void onlySends(InwardRule rule, PacketSet taken) {
    for (Host host : check.site.hosts().values()) {
      boolean his = host.addresses().stream().anyMatch(rule.internalBlock()::contains);
      if (his && !host.off() && !host.listens().isEmpty()) {
        PacketSet meant = taken.intersection(check.space.services(host.listens()));
        meant = check.preferring(meant.isEmpty() ? taken : meant, check.strangers());
        check.add(
            Code.ONLY_SENDS,
            rule,
            Labels.of(rule)
                + " translates what "
                + host.name()
                + " sends; nobody outside gets in to it at "
                + rule.external().text(),
            check.traced(check.attempt(check.preferring(meant, check.describedOutside()).sample())),
            Cure.byHand(
                "if somebody outside is to reach it, offer that service to them; else leave it"));
      }
    }
  }

  /** Only what is asked for: protocol, port and ICMP type, from and to whomever. */
  private static PacketSet ports(PacketSet set) {
    return set.withoutAllBut(
        Dimension.FAMILY, Dimension.PROTOCOL, Dimension.DESTINATION_PORT, Dimension.ICMP_TYPE);
  }

  private void judge(InwardRule rule, PacketSet kept, String howMuch) {
    boolean outside = rule.facing().interfaces().stream().anyMatch(Interface::isOutside);
    PacketSet sent = check.preferring(kept, outside ? check.strangers() : AddressSet.NONE);
    PacketSet meant = check.preferring(sent, check.addresses(senders(rule)));
    PacketSet preferred =
        check.preferring(meant, outside ? check.describedOutside() : insiders(rule));
    Attempt attempt = check.attempt(preferred.sample());
    Conversation sample = check.traced(attempt);
    if (sample == null) {
      return;
    }
    Decision end = lastOf(sample);
    if (end == null || (end.ruling().step() != Step.ACCESS && end.ruling().step() != Step.DEVICE)) {
      return; // a list would let it in, but it never gets so far
    }
    Diagnosis diagnosis = check.diagnosed(sample);
    Obstacle obstacle =
        diagnosis == null || diagnosis.obstacles().isEmpty() ? null : diagnosis.obstacles().get(0);
    report(rule, sample, end, obstacle, /* half= */ !howMuch.startsWith("none"));
  }

  private void report(
      InwardRule rule,
      Conversation sample,
      Decision end,
      @Nullable Obstacle obstacle,
      boolean half) {
    if (Rehearsals.isAstray(check, obstacle, sample)) {
      return;
    }
    Cure cure = obstacle == null ? null : letIn(rule, obstacle);
    if (obstacle != null
        && obstacle.cause() == Cause.OTHER_SIDE_NAMED
        && obstacle.place() instanceof AccessRule wrong) {
      check.add(
          Code.OTHER_SIDE_NAMED,
          wrong,
          Labels.of(wrong) + " is meant for " + Labels.of(rule) + ", but " + obstacle.detail(),
          sample,
          cure);
      return;
    }
    if (half) {
      Trace opening = Objects.requireNonNull(sample.opening());
      check.add(
          Code.HALF_LET_IN,
          rule,
          Labels.of(rule)
              + " leads "
              + opening.question().probe()
              + " to "
              + rule.internal().text()
              + " as well, but "
              + sample.reason(),
          sample,
          cure);
      return;
    }
    if (obstacle != null && obstacle.cause() == Cause.INTERFACE_DOWN && obstacle.place() != null) {
      // A list says no, but only since the packet came the wrong way.
      check.add(
          Objects.requireNonNullElse(Rehearsals.codeOf(obstacle), Code.INTERFACE_DOWN),
          obstacle.place(),
          Labels.of(rule) + ": " + Rehearsals.told(obstacle),
          sample,
          obstacle.cure());
      return;
    }
    check.add(
        Code.TRANSLATION_WITHOUT_ACCESS,
        rule,
        Labels.of(rule) + " leads to " + rule.internal().text() + ", but " + barrier(end, sample),
        sample,
        cure);
  }

  /** Described hosts on the networks that a rule faces; all insiders if there are none. */
  private AddressSet insiders(InwardRule rule) {
    AddressSet near = AddressSet.NONE;
    for (Interface own : rule.facing().interfaces()) {
      near = near.union(AddressSet.ofPrefixes(own.network().prefixes()));
    }
    AddressSet all = check.describedInside();
    AddressSet those = all.intersection(near);
    return those.isEmpty() ? all : those;
  }

  /** How to let in what a rule leads: for those whom the rules for its host name, if they do. */
  Cure letIn(InwardRule rule, Obstacle obstacle) {
    for (Device device : check.site.devices().values()) {
      for (AccessList list : device.access()) {
        for (AccessRule access : list.rules()) {
          if (access.disabled() && access.action() == Action.ACCEPT && isFor(access, rule)) {
            return Cure.of(
                "enable " + Labels.of(access),
                new Change.Alter(access, access.withDisabled(false)));
          }
        }
      }
    }
    return openedTo(rule, obstacle.cure());
  }

  /** The cure of an obstacle; where access is missing, for all whom the rule is for. */
  Cure letInIfMissing(Code code, InwardRule rule, Obstacle obstacle) {
    return code == Code.TRANSLATION_WITHOUT_ACCESS ? letIn(rule, obstacle) : obstacle.cure();
  }

  private boolean isFor(AccessRule access, InwardRule rule) {
    AddressSet inside = AddressSet.ofPrefixes(List.of(rule.internalBlock()));
    return !access.to().isEmpty()
        && check.addresses(access.to()).intersects(inside)
        && check.addresses(access.to()).ranges().size() == 1;
  }

  /** Whom the access rules for the host of a rule let in; empty for everybody. */
  private List<AddressTerm> senders(InwardRule rule) {
    Map<String, AddressTerm> named = new LinkedHashMap<>();
    rule.from().forEach(term -> named.putIfAbsent(term.text(), term));
    for (Device device : check.site.devices().values()) {
      for (AccessList list : device.access()) {
        for (AccessRule access : list.rules()) {
          if (access.action() == Action.ACCEPT && isFor(access, rule)) {
            access.from().forEach(term -> named.putIfAbsent(term.text(), term));
          }
        }
      }
    }
    return List.copyOf(named.values());
  }

  /** A cure that lets one sender in, for all whom a rule is for. */
  private Cure openedTo(InwardRule rule, Cure cure) {
    List<Change> changes = new ArrayList<>();
    for (Change change : cure.changes()) {
      changes.add(
          change instanceof Change.Add add
              ? new Change.Add(add.object(), openedTo(rule, add.added()), add.before())
              : change);
    }
    return new Cure(cure.summary(), changes);
  }

  private Placed openedTo(InwardRule rule, Placed added) {
    if (added instanceof AccessList list) {
      List<AccessRule> rules = new ArrayList<>();
      list.rules().forEach(each -> rules.add(openedTo(rule, each)));
      return list.withRules(rules);
    }
    return added instanceof AccessRule access ? openedTo(rule, access) : added;
  }

  private AccessRule openedTo(InwardRule rule, AccessRule access) {
    return access
        .withName("what " + rule.name() + " leads in")
        .withFrom(senders(rule))
        .withServices(rule.services().isEmpty() ? access.services() : inside(rule));
  }

  /** The services of a rule as they are inside. */
  static List<ServiceTerm> inside(InwardRule rule) {
    PortSet ports = rule.internalPorts();
    List<ServiceTerm> inside = new ArrayList<>();
    for (ServiceTerm term : rule.services()) {
      if (ports == null) {
        inside.add(term);
        continue;
      }
      for (ServicePart part : term.service().parts()) {
        inside.add(
            ServiceTerm.of(
                Protocol.hasPorts(part.protocol())
                    ? new ServicePart(part.protocol(), ports, part.icmpType())
                    : part));
      }
    }
    return inside;
  }

  private static String barrier(Decision end, Conversation sample) {
    if (end.by() instanceof AccessList list) {
      return Labels.of(list) + " accepts none of it";
    }
    return switch (end.ruling()) {
      case DROPPED_BY_STANCE, REJECTED_BY_STANCE -> {
        Leg leg = last(sample);
        Interface leaving = leg.leaving();
        String from = leg.arriving() == null ? "anywhere" : leg.arriving().network().zone();
        yield "no list guards traffic from "
            + from
            + (leaving == null ? "" : " to " + leaving.network().zone())
            + ", and the stance there is "
            + (end.ruling().name().startsWith("DROP") ? "drop" : "reject");
      }
      default -> "nobody is admitted: " + sample.reason();
    };
  }

  private static Leg last(Conversation sample) {
    List<Leg> legs = Objects.requireNonNull(sample.opening()).request();
    return legs.get(legs.size() - 1);
  }

  static @Nullable Decision lastOf(Conversation sample) {
    if (sample.opening() == null) {
      return null;
    }
    List<Decision> decisions = last(sample).decisions();
    return decisions.get(decisions.size() - 1);
  }

  // Access without translation.

  /** Whether something can come by the interfaces of a guard. */
  private static boolean isUp(AccessList.Guard guard) {
    InterfaceTerm arriving = guard.arriving();
    return arriving == null || arriving.interfaces().stream().allMatch(Interface::isUp);
  }

  /** Whether all packets that the guard is about come straight from the internet. */
  static boolean isFromOutside(AccessList.Guard guard) {
    InterfaceTerm arriving = guard.arriving();
    return arriving != null
        && !guard.toDevice()
        && arriving.interfaces().stream().allMatch(Interface::isOutside);
  }

  private void inspect(Device device, CompiledList list) {
    PacketSet takenIn = null;
    for (CompiledList.Entry entry : list.entries()) {
      AccessRule rule = entry.rule();
      if (rule.action() != Action.ACCEPT || rule.to().isEmpty() || !namesPrivateHosts(rule)) {
        continue;
      }
      PacketSet accepted = check.decided(device, entry).intersection(check.space.of(Family.IPV4));
      if (accepted.isEmpty()) {
        continue; // a rule for replies, or for insiders
      }
      takenIn = takenIn == null ? takenIn(device, list.list()) : takenIn;
      PacketSet reached = accepted.intersection(takenIn);
      if (reached.isEmpty()) {
        report(device, rule, accepted, rule.services().isEmpty() ? "" : " on " + texts(rule));
      } else if (!rule.services().isEmpty()) {
        PacketSet missing = ports(accepted).minus(ports(reached));
        if (!missing.isEmpty()) {
          PacketSet.Member one = accepted.intersection(missing).sample();
          report(
              device,
              rule,
              accepted.intersection(missing),
              one == null ? "" : " on " + PacketWords.service(one.packet()));
        }
      }
    }
  }

  private static String texts(AccessRule rule) {
    return String.join(", ", rule.services().stream().map(ServiceTerm::text).toList());
  }

  /** What the rules of the ways that a list guards lead inside. */
  private PacketSet takenIn(Device device, AccessList list) {
    List<PacketSet> pieces = new ArrayList<>();
    for (AccessList.Guard guard : list.guards()) {
      InterfaceTerm term = guard.arriving();
      for (Interface arriving : term == null ? device.interfaces() : term.interfaces()) {
        check.passages(device, arriving);
        for (InwardRule rule : device.inward()) {
          pieces.add(check.sets(device).takes(arriving, rule).inside());
        }
      }
    }
    return check.space.union(pieces).without(Dimension.ARRIVING);
  }

  private void report(Device device, AccessRule rule, PacketSet accepted, String services) {
    String to = String.join(", ", rule.to().stream().map(AddressTerm::text).toList());
    PacketSet preferred = check.preferring(accepted, check.describedOutside());
    TranslationRule disabled = disabledFor(device, accepted);
    if (disabled != null) {
      check.add(
          Code.DISABLED_RULE_NEEDED,
          disabled,
          Labels.of(disabled) + " is disabled, but " + Labels.of(rule) + " relies on it",
          null,
          Cure.of("enable it", new Change.Alter(disabled, disabled.enabled())));
    }
    Cure cure =
        disabled != null
            ? Cure.of(
                "enable " + Labels.of(disabled), new Change.Alter(disabled, disabled.enabled()))
            : new LeadingCures(check).cure(device, rule, accepted);
    if (disabled == null && check.hasCure(cure)) {
      return; // the rule that is meant leads elsewhere: that was said of it
    }
    check.add(
        Code.ACCESS_WITHOUT_TRANSLATION,
        rule,
        Labels.of(rule)
            + " lets outsiders reach "
            + to
            + services
            + ", but no translation rule of "
            + device.name()
            + " brings them there",
        check.traced(check.attempt(preferred.sample())),
        cure);
  }

  private @Nullable TranslationRule disabledFor(Device device, PacketSet accepted) {
    for (InwardRule rule : device.inward()) {
      if (rule.disabled()
          && accepted.meets(
              check.space.destinations(AddressSet.ofPrefixes(List.of(rule.internalBlock()))))) {
        return rule;
      }
    }
    return null;
  }

  /** Whether a rule names IPv4 addresses that are all private. */
  private boolean namesPrivateHosts(AccessRule rule) {
    AddressSet to = check.addresses(rule.to());
    return to.lowest(Family.IPV4) != null
        && !to.intersects(SpecialAddresses.NOT_ON_THE_INTERNET.complement());
  }
}
