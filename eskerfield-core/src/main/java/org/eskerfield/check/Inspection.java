// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.check;

import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.EnumSet;
import java.util.HashSet;
import java.util.IdentityHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Set;
import org.eskerfield.cause.Diagnosis;
import org.eskerfield.change.Cure;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Named;
import org.eskerfield.model.Network;
import org.eskerfield.model.Outside;
import org.eskerfield.model.Place;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Route;
import org.eskerfield.model.Site;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.SpecialAddresses;
import org.eskerfield.program.CompiledList;
import org.eskerfield.program.DeviceMeaning;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;
import org.eskerfield.set.UndeterminedException;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Probe;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import org.eskerfield.walk.EveryPacket;
import org.jspecify.annotations.Nullable;

/** What the inspectors of one check share: the site, its sets, its tracer, and what was found. */
final class Inspection {
  /** Addresses that the internet carries. */
  static final AddressSet CARRIED = SpecialAddresses.NOT_ON_THE_INTERNET.complement();

  /** To find a cause compiles the site anew, so only so many are looked for. */
  private static final int MOST_DIAGNOSES = 100;

  /** How many intervals the passages of one device may take. */
  private static final int MOST_A_DEVICE = 8_000_000;

  /** Whether to find also what follows from other findings. */
  final boolean consequences;

  final Site site;
  final Tracer tracer;
  final PacketSpace space;
  final Ports ports;
  private final Map<String, EveryPacket> sets;
  private final Found found = new Found();
  private final Set<String> known = new HashSet<>();

  /** What the terms of rules stand for; each rule has its own list of them. */
  private final IdentityHashMap<List<AddressTerm>, AddressSet> addresses = new IdentityHashMap<>();

  private final Set<String> undetermined = new HashSet<>();
  private final IdentityHashMap<AccessRule, PacketSet> decided = new IdentityHashMap<>();
  private final AddressSet strangers;

  /** The packets that {@link #strangers} send. */
  final PacketSet fromStrangers;

  private final AddressSet described;
  private final AddressSet describedInside;
  private final int mostOfDevice;
  private int diagnoses;

  Inspection(Site site) {
    this(site, MOST_A_DEVICE, /* consequences= */ false);
  }

  /** One that gives the passages of a device so many intervals, and then says so. */
  Inspection(Site site, int mostOfDevice, boolean consequences) {
    this.site = site;
    this.consequences = consequences;
    this.mostOfDevice = mostOfDevice;
    this.tracer = Tracer.of(site);
    this.strangers = Outside.senders(site);
    this.described = Outside.described(site);
    this.describedInside = describedInside(site);
    this.sets = EveryPacket.of(tracer.program(), VirtualClock.start(site.timeZone()));
    this.space = sets.values().iterator().next().space();
    this.ports = new Ports(space);
    this.fromStrangers = space.sources(strangers);
  }

  /** One that finds also what follows from other findings. */
  static Inspection withConsequences(Site site) {
    return new Inspection(site, MOST_A_DEVICE, /* consequences= */ true);
  }

  // What was found.

  void add(
      Code code, Placed at, String message, @Nullable Conversation sample, @Nullable Cure cure) {
    add(code, at, at instanceof Named named ? named.name() : Labels.of(at), message, sample, cure);
  }

  void add(
      Code code,
      Placed at,
      String about,
      String message,
      @Nullable Conversation sample,
      @Nullable Cure cure) {
    if (known.add(key(code, at.place(), about))) {
      Cure given = cure == null ? Cure.byHand("which change is meant, only you can decide") : cure;
      found.add(
          new Finding(code, code.severity(), about, message, at.place(), sample, given, null));
    }
  }

  private static String key(Code code, Place place, String about) {
    return code + " " + place + " " + place.column() + " " + about;
  }

  boolean has(Code code, Placed at) {
    return found.at(at).stream().anyMatch(each -> each.code() == code);
  }

  /** Warnings and advice of something that does not work, as errors are. */
  private static final Set<Code> STOPPING =
      EnumSet.of(
          Code.INTERFACE_OFF, Code.HOST_OFF, Code.CLIENTS_REWRITTEN, Code.SENDER_NETWORK_BLOCKS);

  static boolean stops(Finding finding) {
    return finding.severity() == Severity.ERROR || STOPPING.contains(finding.code());
  }

  /** Takes findings back that follow from another one. */
  void forget(List<Finding> some) {
    found.remove(some);
    some.forEach(each -> known.remove(key(each.code(), each.place(), each.about())));
  }

  /** Whether anything was found about a thing. */
  boolean hasAny(Placed at) {
    return !consequences && !found.at(at).isEmpty();
  }

  /** Whether something was found about a thing that the same changes mend. */
  boolean hasCure(Placed at, Cure cure) {
    return !consequences
        && found.at(at).stream().anyMatch(each -> each.cure().changes().equals(cure.changes()));
  }

  /** Whether something was found that the same changes to the file mend. */
  boolean hasCure(Cure cure) {
    return !consequences && found.isMendedBy(cure);
  }

  /** Whether an error was found at a thing. */
  boolean isWrong(Placed at) {
    return !consequences && found.at(at).stream().anyMatch(Inspection::stops);
  }

  /**
   * Whether an error was found already whose sample ends at the same device, for the same reason.
   */
  boolean endsAlike(Conversation conversation) {
    String end = consequences ? null : end(conversation);
    return end != null
        && found.all().stream()
            .anyMatch(
                each -> stops(each) && each.sample() != null && end.equals(end(each.sample())));
  }

  private static @Nullable String end(Conversation conversation) {
    Trace trace = conversation.deciding();
    for (Leg leg : trace == null ? List.<Leg>of() : trace.legs()) {
      for (Decision decision : leg.decisions()) {
        Outcome ends = decision.ruling().ends();
        if (ends != null && ends != Outcome.ANSWERED) {
          return leg.where() + " " + decision.ruling();
        }
      }
    }
    return null;
  }

  List<Finding> findings() {
    return found.all();
  }

  // Sets.

  EveryPacket sets(Device device) {
    return Objects.requireNonNull(sets.get(device.name()), device.name());
  }

  /** The passages by an interface; none, and a finding, if there are too many to work out. */
  List<EveryPacket.Passage> passages(Device device, Interface arriving) {
    if (undetermined.contains(device.name())) {
      return List.of();
    }
    try {
      space.allow(mostOfDevice);
      return sets(device).passages(arriving);
    } catch (UndeterminedException e) {
      undetermined.add(device.name());
      Named subject = e.subject();
      add(
          Code.UNDETERMINED,
          subject == null ? device : subject,
          "what "
              + device.name()
              + " lets through was not worked out: "
              + (subject == null ? "its rules" : "its rules up to " + Labels.of(subject))
              + " cut the packets into too many pieces",
          null,
          Cure.byHand(
              "make rules of one list name the same addresses and services where they can"));
      return List.of();
    } finally {
      space.allow(Integer.MAX_VALUE);
    }
  }

  /** What a rule translates of what some sources send who are where an interface leads. */
  PacketSet sentBy(Device device, Interface arriving, TranslationRule rule, AddressSet sources) {
    // Those who come by it, and not who pretends to be one of them.
    PacketSet here = space.sources(sources.intersection(addressesBehind(device, arriving)));
    PacketSet sent = space.none();
    for (EveryPacket.Passage passage : passages(device, arriving)) {
      if (rule.equals(passage.sourceRule())) {
        sent = sent.union(passage.inside().intersection(here));
      }
    }
    return sent;
  }

  /** Whether a rule translates anything of what some sources send. */
  boolean sendsBy(Device device, TranslationRule rule, AddressSet sources) {
    return device.interfaces().stream()
        .anyMatch(arriving -> !sentBy(device, arriving, rule, sources).isEmpty());
  }

  /** Notes what a rule decides after the rules before it. */
  void decides(AccessRule rule, PacketSet packets) {
    decided.put(rule, packets);
  }

  /** What a rule decides after the rules before it; something else where that is not known. */
  PacketSet decided(CompiledList.Entry entry, PacketSet otherwise) {
    return decided.getOrDefault(entry.rule(), otherwise);
  }

  /** What a rule decides of what strangers open, as far as that was worked out; else matches. */
  PacketSet decided(Device device, CompiledList.Entry entry) {
    DeviceMeaning meaning = sets(device).meaning();
    return decided
        .getOrDefault(entry.rule(), meaning.of(entry.match()))
        .intersection(fromStrangers)
        .intersection(meaning.opening());
  }

  AddressSet addresses(List<AddressTerm> terms) {
    AddressSet resolved = addresses.get(terms);
    if (resolved == null) {
      resolved = site.addresses(terms);
      addresses.put(terms, resolved);
    }
    return resolved;
  }

  /** As {@link Site#matched}. */
  AddressSet matched(List<AddressTerm> terms) {
    return terms.isEmpty() ? AddressSet.ALL : addresses(terms);
  }

  /** The addresses of hosts on the internet that the file describes. */
  AddressSet describedOutside() {
    return described;
  }

  /** The addresses of hosts inside that the file describes. */
  AddressSet describedInside() {
    return describedInside;
  }

  private static AddressSet describedInside(Site site) {
    List<Address> all = new ArrayList<>();
    for (Host host : site.hosts().values()) {
      if (!host.isOutside()) {
        all.addAll(host.addresses());
      }
    }
    return AddressSet.ofAddresses(all);
  }

  /** The addresses from which the internet brings packets: of no inner network and no device. */
  AddressSet strangers() {
    return strangers;
  }

  /**
   * The strangers, told apart by where the routes of the devices send packets for them: what holds
   * for the replies to one of a class holds for those to all of it.
   */
  List<AddressSet> strangersByRoute() {
    List<AddressSet> classes = new ArrayList<>(List.of(strangers));
    for (Device device : site.devices().values()) {
      for (Route route : device.routes()) {
        AddressSet block = AddressSet.ofPrefixes(List.of(route.to()));
        for (AddressSet each : List.copyOf(classes)) {
          AddressSet in = each.intersection(block);
          AddressSet out = each.intersection(block.complement());
          if (!in.isEmpty() && !out.isEmpty()) {
            classes.remove(each);
            classes.add(out);
            classes.add(in);
          }
        }
      }
    }
    return classes;
  }

  /** Those of a set whom somebody outside sends that the file describes, else anybody outside. */
  PacketSet likely(PacketSet set) {
    return preferring(preferring(set, strangers), describedOutside());
  }

  /** The part of a set that meets what is preferred, as far as anything does. */
  PacketSet preferring(PacketSet set, AddressSet sources) {
    PacketSet narrow = set.intersection(space.sources(sources));
    return narrow.isEmpty() ? set : narrow;
  }

  PacketSet preferringTo(PacketSet set, AddressSet destinations) {
    PacketSet narrow = set.intersection(space.destinations(destinations));
    return narrow.isEmpty() ? set : narrow;
  }

  /** The networks beyond an interface: its own, and those of the site that are routed by it. */
  List<Network> behind(Device device, Interface own) {
    List<Network> behind = new ArrayList<>();
    for (Network network : site.networks().values()) {
      boolean inside = !network.isOutside();
      Address first = network.prefixes().get(0).first();
      Address some = first.next();
      Interface towards = sets(device).program().towards(some == null ? first : some);
      if (network.name().equals(own.network().name())
          || (inside && towards != null && towards.name().equals(own.name()))) {
        behind.add(network);
      }
    }
    return behind;
  }

  AddressSet addressesBehind(Device device, Interface own) {
    AddressSet all = AddressSet.NONE;
    for (Network network : behind(device, own)) {
      all = all.union(AddressSet.ofPrefixes(network.prefixes()));
    }
    return all;
  }

  // Samples.

  /** The attempt that sends a packet; null where its addresses cannot be a sender's. */
  @Nullable Attempt attempt(PacketSet.@Nullable Member member) {
    return member == null ? null : Attempt.sending(site, member);
  }

  /** What becomes of a packet; null where nobody could send it. */
  @Nullable Conversation traced(@Nullable Attempt attempt) {
    return attempt == null ? null : tracer.converse(attempt);
  }

  /** A host's attempt to reach a port of an address, on an ordinary day. */
  Attempt attempt(Host host, Address to, Probe probe) {
    return attempt(host, to, probe, VirtualClock.start(site.timeZone()));
  }

  /** The same at some moment. */
  Attempt attempt(Host host, Address to, Probe probe, ZonedDateTime at) {
    return Attempt.at(host, to, probe, at);
  }

  /** What stands in the way of an attempt; null if nothing does, or too many were asked. */
  @Nullable Diagnosis diagnosed(Conversation conversation) {
    if (conversation.outcome() == Outcome.ANSWERED || diagnoses == MOST_DIAGNOSES) {
      return null;
    }
    diagnoses++;
    return Diagnosis.of(tracer, conversation.attempt());
  }
}
