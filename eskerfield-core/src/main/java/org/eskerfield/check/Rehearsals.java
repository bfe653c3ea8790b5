// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.check;

import java.util.ArrayList;
import java.util.Collections;
import java.util.Comparator;
import java.util.HashMap;
import java.util.HashSet;
import java.util.IdentityHashMap;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Set;
import org.eskerfield.cause.Cause;
import org.eskerfield.cause.Diagnosis;
import org.eskerfield.cause.Obstacle;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Device;
import org.eskerfield.model.Hairpin;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Network;
import org.eskerfield.model.Outside;
import org.eskerfield.model.OutwardRule;
import org.eskerfield.model.Placed;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.outcome.Step;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressRange;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.eskerfield.set.PacketSet;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Probe;
import org.eskerfield.trace.Trace;
import org.eskerfield.walk.EveryPacket.Passage;
import org.jspecify.annotations.Nullable;

/**
 * What the rules offer, tried.
 *
 * <p>Idea: each rule that leads outsiders inside says what is meant to work. So a packet that the
 * device lets in by it is led through the whole site and its reply back, by the same machines as a
 * trace, and where that fails, the causes are looked for as for any attempt. What a single device
 * decides is proved with sets elsewhere; this is about all that comes behind it. Rules whose
 * packets go the same way to hosts of the same kind are tried once.
 */
final class Rehearsals {
  private final Inspection check;
  private final Set<String> tried = new HashSet<>();

  /** Hosts outside whose networks do not let everything out. */
  private final AddressSet blocked;

  private final Map<String, Aims> aims = new HashMap<>();

  Rehearsals(Inspection check) {
    this.check = check;
    List<Address> blocked = new ArrayList<>();
    for (Host host : check.site.hosts().values()) {
      if (host.isOutside() && !host.blocked().isEmpty()) {
        blocked.addAll(host.addresses());
      }
    }
    this.blocked = AddressSet.ofAddresses(blocked);
  }

  void inspect() {
    for (Device device : check.site.devices().values()) {
      for (TranslationRule rule : device.translation()) {
        if (!rule.disabled()) {
          rule.choose(
              inward -> leading(device, inward),
              outward -> outwards(device, outward),
              untouched -> {});
        }
      }
    }
    boolean several = check.site.devices().size() > 1;
    for (Device device : check.site.devices().values()) {
      several |= device.access().stream().anyMatch(AccessList::stateless);
    }
    boolean sizes = check.tracer.program().hasSizes();
    if (several || sizes) {
      betweenNetworks(); // one device that remembers sessions leads replies as requests went
    }
    if (sizes) {
      outOfNetworks();
    }
  }

  // Between inner networks: what arrives must be answered.

  private void betweenNetworks() {
    for (Family family : Family.values()) {
      betweenNetworks(family);
    }
  }

  private void betweenNetworks(Family family) {
    Map<String, Host> first = new LinkedHashMap<>();
    for (Host host : check.site.hosts().values()) {
      if (!host.isOutside() && !host.off() && host.address(family) != null) {
        host.networks().forEach(network -> first.putIfAbsent(network.name(), host));
      }
    }
    for (Host sender : new LinkedHashSet<>(first.values())) {
      for (Host receiver : new LinkedHashSet<>(first.values())) {
        Address to = receiver.address(family);
        if (to == null || sender.equals(receiver)) {
          continue;
        }
        for (Probe probe : probes(receiver, family)) {
          Attempt attempt = check.attempt(sender, to, probe);
          Conversation conversation = check.tracer.converse(attempt);
          if (isLost(conversation)) {
            lost(sender, receiver.name(), receiver, conversation);
            break;
          }
        }
      }
    }
  }

  // From inner networks to the internet: what is full must get through.

  private void outOfNetworks() {
    Set<String> done = new HashSet<>();
    for (Host sender : check.site.hosts().values()) {
      for (Family family : sender.isOutside() || sender.off() ? new Family[0] : Family.values()) {
        Address to = Outside.stranger(check.site, family);
        if (to == null || sender.address(family) == null) {
          continue;
        }
        boolean isNew = false;
        for (Network network : sender.networks()) {
          isNew |= !network.isOutside() && done.add(family + network.name());
        }
        Conversation conversation =
            isNew
                ? check.tracer.converse(check.attempt(sender, to, Probe.of(Protocol.TCP, 443)))
                : null;
        if (conversation != null && isLost(conversation)) {
          lost(sender, "the internet", sender, conversation);
        }
      }
    }
  }

  static List<Probe> probes(Host receiver, Family family) {
    List<Probe> probes = new ArrayList<>();
    if (receiver.answersPing()) {
      probes.add(Probe.ping(family));
    }
    for (ServiceTerm term : receiver.listens().stream().limit(2).toList()) {
      ServicePart part = term.service().parts().get(0);
      if (Protocol.hasPorts(part.protocol())) {
        probes.add(Probe.of(part.protocol(), part.ports().first()));
      }
    }
    return probes;
  }

  /** Whether a request arrived, and its reply or what followed did not. */
  private static boolean isLost(Conversation conversation) {
    Trace opening = conversation.opening();
    return opening != null
        && opening.deliveredTo() != null
        && conversation.outcome() == Outcome.UNANSWERED
        && !opening.reply().isEmpty();
  }

  private void lost(Host sender, String receiver, Host usually, Conversation conversation) {
    Diagnosis why = check.diagnosed(conversation);
    Obstacle obstacle = why == null || why.obstacles().isEmpty() ? null : why.obstacles().get(0);
    Code code = obstacle == null ? null : codeOf(obstacle);
    if (obstacle != null && code != null) {
      Placed place = obstacle.place() == null ? usually : obstacle.place();
      check.add(
          code,
          place,
          sender.name() + " to " + receiver + ": " + told(obstacle),
          conversation,
          obstacle.cure());
    }
  }

  // From outside.

  private void leading(Device device, InwardRule rule) {
    fromOutside(device, rule);
    if (rule.hairpin() != null) {
      fromInside(device, rule, rule.hairpin());
    }
  }

  private void fromOutside(Device device, InwardRule rule) {
    for (Interface arriving : rule.facing().interfaces()) {
      if (!arriving.isOutside()) {
        continue;
      }
      if (check.passages(device, arriving).isEmpty()) {
        continue;
      }
      for (Passage passage : check.sets(device).passages(arriving, rule)) {
        if (!isNew(device, passage, rule)) {
          continue;
        }
        for (AddressSet strangers : check.strangersByRoute()) {
          PacketSet senders = passage.arrived().intersection(check.space.sources(strangers));
          for (PacketSet each : parts(rule)) {
            PacketSet preferred = check.preferring(senders.intersection(each), meant(device, rule));
            preferred = check.preferring(preferred, check.describedOutside());
            attempt(rule, check.attempt(preferred.sample()));
          }
        }
      }
    }
  }

  /** Whether nothing like it was tried: the same way, to a host that is nothing special. */
  private boolean isNew(Device device, Passage passage, InwardRule rule) {
    Host host = check.site.hostLedTo(rule);
    boolean special =
        host == null
            || host.networks().size() != 1
            || !host.gateways().isEmpty()
            || !host.ownPrefixes().isEmpty()
            || host.filter() != null
            || host.off();
    boolean transfer = false;
    for (ServiceTerm term : rule.services()) {
      transfer |= term.service().covers(Protocol.TCP, 21, Icmp.NO_TYPE, Icmp.NO_CODE);
    }
    Interface leaving = passage.leaving();
    return special
        || transfer
        || hasBlockedSender(device, rule)
        || tried.add(
            device.name()
                + " "
                + passage.arriving().name()
                + " "
                + (leaving == null ? "" : leaving.name())
                + " "
                + passage.via()
                + " "
                + Objects.requireNonNull(host).networks().get(0).name());
  }

  /** The packets of each protocol and first port that a rule names. */
  private List<PacketSet> parts(InwardRule rule) {
    if (rule.services().isEmpty()) {
      Host host = check.site.hostLedTo(rule);
      boolean silent = host != null && host.listens().isEmpty();
      return silent || host == null ? List.of() : List.of(check.space.services(host.listens()));
    }
    List<PacketSet> parts = new ArrayList<>();
    for (ServiceTerm term : rule.services()) {
      for (ServicePart part : term.service().parts()) {
        parts.add(check.space.service(part));
      }
    }
    return parts;
  }

  /** The hosts outside that a rule, its admission or an access rule for it names. */
  private AddressSet meant(Device device, InwardRule rule) {
    AddressSet named = check.addresses(rule.from());
    if (rule.admit() != null) {
      named = named.union(check.addresses(rule.admit().from()));
    }
    AddressSet inside = AddressSet.ofPrefixes(List.of(rule.internalBlock()));
    for (AccessRule access :
        aims.computeIfAbsent(device.name(), name -> new Aims(device)).at(inside)) {
      named = named.union(check.addresses(access.from()));
    }
    return named.intersection(check.strangers());
  }

  /** The access rules of a device that are about some destinations and for some senders. */
  private final class Aims {
    private record Aim(AddressRange at, AccessRule rule) {}

    private final List<Aim> aims = new ArrayList<>();

    /** The highest address that an aim up to each one reaches. */
    private final List<Address> reach = new ArrayList<>();

    Aims(Device device) {
      for (AccessList list : device.access()) {
        for (AccessRule rule : list.rules()) {
          if (rule.from().stream().noneMatch(t -> t.kind() == AddressTerm.Kind.ANY)) {
            for (AddressRange at :
                rule.to().isEmpty()
                    ? List.<AddressRange>of()
                    : check.addresses(rule.to()).ranges()) {
              aims.add(new Aim(at, rule));
            }
          }
        }
      }
      aims.sort(Comparator.comparing(aim -> aim.at.first()));
      Address highest = null;
      for (Aim aim : aims) {
        Address last = aim.at.last();
        highest = highest == null || highest.compareTo(last) < 0 ? last : highest;
        reach.add(highest);
      }
    }

    /** Those that are about one of some addresses. */
    Set<AccessRule> at(AddressSet some) {
      Set<AccessRule> found = Collections.newSetFromMap(new IdentityHashMap<>());
      for (AddressRange range : some.ranges()) {
        int end = 0; // the first that begins behind the range
        int to = aims.size();
        while (end < to) {
          int middle = (end + to) >>> 1;
          boolean before = aims.get(middle).at.first().compareTo(range.last()) <= 0;
          end = before ? middle + 1 : end;
          to = before ? to : middle;
        }
        for (int i = end - 1; i >= 0 && reach.get(i).compareTo(range.first()) >= 0; i--) {
          if (aims.get(i).at.last().compareTo(range.first()) >= 0) {
            found.add(aims.get(i).rule);
          }
        }
      }
      return found;
    }
  }

  /** Described senders whom the rule is meant for, and whose own network blocks something. */
  private boolean hasBlockedSender(Device device, InwardRule rule) {
    return !blocked.isEmpty() && meant(device, rule).intersects(blocked);
  }

  private void attempt(InwardRule rule, @Nullable Attempt attempt) {
    Conversation conversation = check.traced(attempt);
    Diagnosis why = conversation == null ? null : check.diagnosed(conversation);
    if (why == null) {
      return;
    }
    // What comes behind the first obstacle is sure only where mending all of them helps.
    int sure = why.complete() ? why.obstacles().size() : Math.min(1, why.obstacles().size());
    for (Obstacle obstacle : why.obstacles().subList(0, sure)) {
      report(rule, why.conversation(), obstacle);
    }
  }

  // From inside.

  private void fromInside(Device device, InwardRule rule, Hairpin hairpin) {
    Prefix external = rule.block();
    for (Interface arriving : hairpin.from().interfaces()) {
      for (Network network : check.behind(device, arriving)) {
        Host sender = insider(network, rule);
        if (sender == null || external == null) {
          continue;
        }
        Host another = rule.isStateless() ? anotherInside(rule, sender) : null;
        Address inside = another == null ? null : another.address(rule.family());
        Address to = inside == null ? external.first() : rule.externalAddress(inside, external);
        List<Probe> probes = another == null ? probes(rule.services()) : probes(another.listens());
        if (to == null) {
          continue; // it has no counterpart
        }
        for (Probe probe : probes) {
          Attempt attempt = check.attempt(sender, to, probe);
          Conversation conversation = check.tracer.converse(attempt);
          boolean shut =
              check.sets(device).passages(arriving, rule).isEmpty()
                  && isKeptIn(device, conversation);
          Diagnosis why =
              conversation.outcome() == Outcome.UNANSWERED || shut
                  ? check.diagnosed(conversation)
                  : null;
          if (why != null) {
            why.obstacles().stream().limit(1).forEach(o -> report(rule, conversation, o));
          }
        }
      }
    }
  }

  private static List<Probe> probes(List<ServiceTerm> services) {
    List<Probe> probes = new ArrayList<>();
    for (ServiceTerm term : services) {
      for (ServicePart part : term.service().parts()) {
        if (part.protocol() != ServicePart.ANY_PROTOCOL && probes.size() < 4) {
          probes.add(Probe.of(part.protocol(), part.ports().first()));
        }
      }
    }
    return probes;
  }

  private @Nullable Host insider(Network network, InwardRule rule) {
    for (Host host : check.site.hosts().values()) {
      if (host.isOn(network)
          && !host.off()
          && host.address(rule.family()) != null
          && (rule.isStateless()
              || !rule.internalBlock()
                  .contains(Objects.requireNonNull(host.address(rule.family()))))) {
        return host;
      }
    }
    return null;
  }

  /** A host that a rule for many translates as well, and that offers something. */
  private @Nullable Host anotherInside(InwardRule rule, Host but) {
    for (Host host : check.site.hosts().values()) {
      Address address = host.address(rule.family());
      if (address != null
          && !host.off()
          && !host.name().equals(but.name())
          && !host.listens().isEmpty()
          && rule.internalBlock().contains(address)) {
        return host;
      }
    }
    return null;
  }

  // On the way out.

  /** Sources that a rule is for, but of which the device lets none out to be translated. */
  private void outwards(Device device, OutwardRule rule) {
    List<AddressTerm> to = rule.to();
    for (AddressTerm term : rule.from()) {
      AddressSet sources = check.addresses(List.of(term));
      Host sender = null;
      for (Host host : check.site.hosts().values()) {
        Address own = host.address(Family.IPV4);
        boolean one = own != null && sources.contains(own);
        sender = sender == null && one && !host.isOutside() && !host.off() ? host : sender;
      }
      AddressSet reached = check.strangers().intersection(check.matched(to));
      Address target = reached.intersection(check.describedOutside()).lowest(Family.IPV4);
      target = target == null ? reached.lowest(Family.IPV4) : target;
      if (sender == null || target == null || check.sendsBy(device, rule, sources)) {
        continue;
      }
      Conversation conversation =
          check.tracer.converse(check.attempt(sender, target, Probe.of(Protocol.TCP, 443)));
      Diagnosis why = check.diagnosed(conversation);
      Obstacle first = why == null || why.obstacles().isEmpty() ? null : why.obstacles().get(0);
      if (first != null
          && isKeptIn(device, conversation)
          && !isAstray(check, first, conversation)) {
        check.add(
            Code.SOURCES_NOT_LET_OUT,
            rule,
            Labels.of(rule) + " is for " + term.text() + ", too, but " + told(first),
            conversation,
            first.cure());
      }
    }
  }

  /** Whether it is the access of the device that ends it. */
  static boolean isKeptIn(Device device, Conversation conversation) {
    Trace opening = conversation.opening();
    if (opening == null) {
      return false;
    }
    Leg last = opening.request().get(opening.request().size() - 1);
    Decision end = last.decisions().get(last.decisions().size() - 1);
    return last.where().equals(device.name())
        && end.ruling().step() == Step.ACCESS
        && end.ruling().ends() != null;
  }

  // What it means.

  /**
   * Says so where it is a list that guards other ways than its rules are for; of one that guards
   * none, {@link Sides} says it.
   */
  static boolean isAstray(Inspection check, @Nullable Obstacle obstacle, Conversation sample) {
    Code code = obstacle == null ? null : codeOf(obstacle);
    if (obstacle == null
        || (code != Code.WRONG_INTERFACE && code != Code.LIST_GUARDS_NOTHING)
        || !(obstacle.place() instanceof AccessList list)) {
      return false;
    }
    if (code == Code.WRONG_INTERFACE) {
      check.add(code, list, obstacle.detail(), sample, obstacle.cure());
    }
    return true;
  }

  /** What happens at an obstacle, with what there is to know besides. */
  static String told(Obstacle obstacle) {
    if (obstacle.cause() == Cause.INTERFACE_DOWN && !obstacle.detail().isEmpty()) {
      return obstacle.detail() + ", so " + obstacle.sentence();
    }
    String detail = obstacle.detail().isEmpty() ? "" : " (" + obstacle.detail() + ")";
    return obstacle.sentence() + detail;
  }

  private void report(InwardRule rule, Conversation sample, Obstacle obstacle) {
    Code code = codeOf(obstacle);
    Placed at = obstacle.place();
    Host filtering =
        at instanceof AccessList || at instanceof AccessRule ? receiver(obstacle) : null;
    at = code == Code.HOST_FILTER && filtering != null ? filtering : at;
    if (code == null || isSaidOfInner(code, obstacle) || isAstray(check, obstacle, sample)) {
      return;
    }
    boolean own = code == Code.TRANSLATION_WITHOUT_ACCESS || code == Code.NOTHING_LISTENS;
    Placed place = own || at == null ? rule : at;
    check.add(
        code,
        place,
        Labels.of(rule) + ": " + told(obstacle),
        sample,
        new Offers(check).letInIfMissing(code, rule, obstacle));
  }

  private @Nullable Host receiver(Obstacle obstacle) {
    Trace opening = obstacle.conversation().opening();
    List<Leg> legs = opening == null ? List.of() : opening.request();
    return legs.isEmpty() ? null : check.site.hosts().get(legs.get(legs.size() - 1).where());
  }

  /** Whether the rule of an inner device by which the packet came has the finding already. */
  private boolean isSaidOfInner(Code code, Obstacle obstacle) {
    Trace opening = obstacle.conversation().opening();
    for (Leg leg : opening == null ? List.<Leg>of() : opening.request()) {
      for (Decision decision : leg.decisions()) {
        if (decision.ruling() == Ruling.DESTINATION_TRANSLATED
            && decision.by() != null
            && check.has(code, decision.by())) {
          return true;
        }
      }
    }
    return false;
  }

  static @Nullable Code codeOf(Obstacle obstacle) {
    Cause cause = obstacle.cause();
    return switch (cause) {
      case ACCESS_MISSING, DENIED, SENDER_NOT_ADMITTED, ORDER -> Code.TRANSLATION_WITHOUT_ACCESS;
      case OTHER_SIDE_NAMED -> Code.OTHER_SIDE_NAMED;
      case LIST_GUARDS_NOTHING -> Code.LIST_GUARDS_NOTHING;
      case WRONG_SERVICE ->
          InwardRule.of(obstacle.place()) != null
              ? Code.NOTHING_LISTENS
              : Code.TRANSLATION_WITHOUT_ACCESS;
      case TRANSLATION_MISSING, OWN_SERVICE_CLOSED, NOTHING_LISTENS -> Code.NOTHING_LISTENS;
      case WRONG_INTERFACE -> Code.WRONG_INTERFACE;
      case HOST_MOVED -> Code.HOST_MOVED;
      case HOST_OFF -> Code.HOST_OFF;
      case HOST_FILTER -> Code.HOST_FILTER;
      case GATEWAY_OR_PREFIX_WRONG -> Code.GATEWAY_OR_PREFIX_WRONG;
      case REPLY_BY_OTHER_WAY -> Code.REPLY_BY_OTHER_WAY;
      case REPLIES_NOT_LET_IN -> Code.REPLIES_NOT_LET_IN;
      case NOTICE_LOST -> Code.NOTICE_LOST;
      case RETURN_ROUTE_MISSING -> Code.RETURN_ROUTE_MISSING;
      case ROUTE_MISSING -> Code.ROUTE_MISSING;
      case LOOP -> Code.LOOP;
      case INTERFACE_DOWN ->
          obstacle.place() instanceof Interface own && own.state() == Interface.State.OFF
              ? Code.INTERFACE_OFF
              : Code.INTERFACE_DOWN;
      case HAIRPIN_MISSING -> Code.HAIRPIN_MISSING;
      case TRANSFER_NOT_HELPED, TRANSFER_ENCRYPTED -> Code.TRANSFER_NOT_HELPED;
      case SENDER_NETWORK_BLOCKS -> Code.SENDER_NETWORK_BLOCKS;
      case CARRIER_DISCARDS_PRIVATE -> Code.SOURCES_UNTRANSLATED;
      default -> null;
    };
  }
}
