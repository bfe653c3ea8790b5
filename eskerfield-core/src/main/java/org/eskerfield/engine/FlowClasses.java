package org.eskerfield.engine;

import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import org.eskerfield.model.DestinationRule;
import org.eskerfield.model.DynamicRule;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Pool;
import org.eskerfield.model.StaticRule;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.model.UntouchedRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.packet.SpecialAddresses;
import org.eskerfield.set.Dimension;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;
import org.eskerfield.set.Rewrite;
import org.jspecify.annotations.Nullable;

/**
 * The packets that a device, knowing no flow yet, treats as it treats a given one.
 *
 * <p>Idea: go with the packet through the steps of the device's program, and at each question that
 * is asked of it keep of all packets those that give the same answer. So a class holds the packet,
 * and every packet of it is decided by the same rules; which rules these are, the machine says.
 * Classes may be finer than they need be, never coarser.
 */
public final class FlowClasses {
  /**
   * Packets that are treated alike.
   *
   * @param arrived as they arrive
   * @param destination how their destination is rewritten
   * @param source how their source is rewritten after that
   */
  public record FlowClass(PacketSet arrived, Rewrite destination, Rewrite source) {}

  private final DeviceSets sets;
  private final DeviceProgram program;
  private final PacketSpace space;
  private final Map<String, Rows> rows = new HashMap<>();
  private final List<PacketSet> ways = new ArrayList<>();
  private final List<PacketSet> downs = new ArrayList<>();

  /** The classes of a device. */
  public FlowClasses(DeviceSets sets) {
    this.sets = sets;
    this.program = sets.program();
    this.space = sets.space();
    for (RouteTable.Entry way : program.routes.ways()) {
      ways.add(space.destinations(AddressSet.ofPrefixes(List.of(way.to()))));
    }
    for (Interface own : program.device.interfaces()) {
      if (!own.isUp()) { // what leads there is told from what leads nowhere
        downs.add(space.destinations(AddressSet.ofPrefixes(own.network().prefixes())));
      }
    }
    program.device.routes().stream()
        .filter(route -> route.leaving() != null && !route.leaving().isUp())
        .forEach(
            route -> downs.add(space.destinations(AddressSet.ofPrefixes(List.of(route.to())))));
  }

  /** What the rules of a row match, and what is left for each by those before it. */
  private final class Rows {
    private final List<PacketSet> matched;
    private final List<PacketSet.Bounds> bounds = new ArrayList<>();
    private final Map<Integer, PacketSet> decided = new HashMap<>();
    private @Nullable PacketSet rest;

    Rows(List<PacketSet> matched) {
      this.matched = matched;
      matched.forEach(set -> bounds.add(set.bounds()));
    }

    int first(Packet packet, int arriving, int leaving, ZonedDateTime at) {
      for (int i = 0; i < matched.size(); i++) {
        if (matched.get(i).contains(packet, arriving, leaving, at)) {
          return i;
        }
      }
      return -1;
    }

    /** The packets that a rule is the first to match, or that none matches. */
    PacketSet decided(int index) {
      if (index < 0) {
        rest = rest == null ? space.union(matched).complement() : rest;
        return rest;
      }
      PacketSet known = decided.get(index);
      if (known == null) {
        known = matched.get(index);
        for (int i = 0; i < index; i++) {
          known = bounds.get(i).mayMeet(bounds.get(index)) ? known.minus(matched.get(i)) : known;
        }
        decided.put(index, known);
      }
      return known;
    }
  }

  private Rows rows(String key, List<PacketSet> matched) {
    return rows.computeIfAbsent(key, k -> new Rows(matched));
  }

  /** The class of a packet that arrives by an interface. */
  public FlowClass of(Packet packet, Interface arriving, ZonedDateTime at) {
    return new Walk(packet.copy(), arriving, at).walk();
  }

  /** The routes that packets take by their source, as far as they tell sources apart. */
  public List<PacketSet> sourceWays() {
    List<PacketSet> all = new ArrayList<>();
    for (RouteTable.Entry way : program.routes.ways()) {
      all.add(space.sources(AddressSet.ofPrefixes(List.of(way.to()))));
    }
    return all;
  }

  /** The same by their destination. */
  public List<PacketSet> destinationWays() {
    return ways;
  }

  /** Whether lists see the destination as it was before translation. */
  public boolean seesOriginal() {
    return program.device.seesOriginal();
  }

  /** What rules of lists that keep no state match. */
  public List<PacketSet> stateless() {
    List<PacketSet> all = new ArrayList<>();
    for (CompiledList list : program.lists) {
      if (list.list().stateless()) {
        for (CompiledList.Entry entry : list.entries()) { // of packets that come from elsewhere
          PacketSet matched = sets.matching(entry.match());
          int some = sets.number(program.device.interfaces().get(0));
          all.add(matched.intersection(space.arriving(some)).without(Dimension.ARRIVING));
        }
      }
    }
    return all;
  }

  private final class Walk {
    private final Packet packet;
    private final Interface arriving;
    private final int number;
    private final ZonedDateTime at;
    private final Packet original;
    private PacketSet like = space.all();
    private Rewrite to = Rewrite.NONE;

    Walk(Packet packet, Interface arriving, ZonedDateTime at) {
      this.packet = packet;
      this.original = packet.copy();
      this.arriving = arriving;
      this.number = sets.number(arriving);
      this.at = at;
    }

    /** Keeps those that give the same answer as the packet as it arrived. */
    private boolean asked(PacketSet question) {
      boolean yes = question.contains(original, number, 0, at);
      like = yes ? like.intersection(question) : like.minus(question);
      return yes;
    }

    /** Keeps those that give the same answer as the packet with its new destination. */
    private boolean askedInside(PacketSet question) {
      boolean yes = question.contains(packet, number, 0, at);
      PacketSet same = yes ? question : question.complement();
      like = like.intersection(same.preImage(to));
      return yes;
    }

    private FlowClass end() {
      return end(Rewrite.NONE);
    }

    private FlowClass end(Rewrite source) {
      return new FlowClass(like.without(Dimension.ARRIVING), to, source);
    }

    FlowClass walk() {
      like = space.arriving(number);
      asked(space.protocol(Protocol.TCP));
      List<Address> own = new ArrayList<>();
      for (Interface each : program.device.interfaces()) {
        if (program.realm(each) == program.realm(arriving)) {
          own.addAll(each.addresses());
        }
      }
      if (!arriving.isUp()
          || asked(space.sources(AddressSet.ofAddresses(own)))
          || asked(space.sources(SpecialAddresses.NEVER_A_SOURCE))
          || asked(space.destinations(program.unforwarded()))) {
        return end();
      }
      if (program.device.verifySource()) {
        Rows back = rows("back", sourceWays());
        int way = back.first(original, number, 0, at);
        like = like.intersection(back.decided(way));
        Interface leads = way < 0 ? null : program.routes.way(way).leaving();
        if (leads == null || !leads.name().equals(arriving.name())) {
          return end();
        }
      }
      return destination();
    }

    private FlowClass destination() {
      List<Translations.Inbound> entries = program.translations.inbound;
      List<PacketSet> taken = new ArrayList<>();
      for (Translations.Inbound entry : entries) {
        taken.add(sets.takenBy(entry).intersection(space.arriving(number)));
      }
      Rows inbound = rows("in " + arriving.name(), taken);
      int index = inbound.first(original, number, 0, at);
      like = like.intersection(inbound.decided(index));
      Translations.Inbound entry = index < 0 ? null : entries.get(index);
      if (entry != null) {
        to = sets.rewrite(entry);
        if (!(entry.rule() instanceof UntouchedRule)) {
          entry.rewrite(packet);
        }
      }
      PacketSet owned = space.destinations(program.own());
      if (entry == null && askedInside(sets.unmatched(arriving))) {
        return end();
      }
      if (askedInside(owned)) {
        forDevice(entry);
        return end();
      }
      return route(entry);
    }

    private void forDevice(Translations.@Nullable Inbound entry) {
      Match admission = entry == null ? null : entry.admission();
      if (admission != null && !askedInside(sets.matching(admission))) {
        return;
      }
      lists(null, admission != null);
      for (int type : new int[] {Icmp.ECHO_REQUEST, Icmp.ECHO_REQUEST_V6}) {
        askedInside(space.where(Dimension.ICMP_TYPE, type, type)); // no answer is no refusal
      }
      for (DeviceProgram.Own own : program.services) {
        askedInside(sets.matching(own.match()));
        askedInside(space.services(List.of(own.service().service())));
      }
    }

    private FlowClass route(Translations.@Nullable Inbound entry) {
      InterfaceTerm fixed =
          entry != null && entry.rule() instanceof InwardRule inward ? inward.leaving() : null;
      List<PacketSet> leading = new ArrayList<>();
      for (int i = 0; i < ways.size(); i++) {
        Interface leaving = program.routes.way(i).leaving();
        boolean can =
            fixed == null
                || (leaving != null && leaving.name().equals(fixed.interfaces().get(0).name()));
        leading.add(can ? ways.get(i) : space.none());
      }
      String key = "to " + (fixed == null ? "" : fixed.interfaces().get(0).name());
      Rows routes = rows(key, leading);
      int way = routes.first(packet, number, 0, at);
      like = like.intersection(routes.decided(way).preImage(to));
      if (way < 0) {
        downs.forEach(this::askedInside);
        return end();
      }
      Interface leaving = program.routes.way(way).leaving();
      if (leaving == null) {
        return end();
      }
      Match admission = entry == null ? null : entry.admission();
      if (admission != null && !askedInside(sets.matching(admission))) {
        return end();
      }
      lists(leaving, admission != null);
      return source(entry, leaving);
    }

    private void lists(@Nullable Interface leaving, boolean settled) {
      for (CompiledList list : program.lists) {
        if (list.guards(arriving, leaving) && (!settled || list.list().stateless())) {
          List<PacketSet> matched = new ArrayList<>();
          list.entries().forEach(entry -> matched.add(sets.matching(entry.match())));
          Rows rules = rows("list " + list.list().name(), matched);
          boolean before = program.device.seesOriginal();
          Packet seen = before ? original : packet;
          PacketSet decided = rules.decided(rules.first(seen, number, 0, at));
          like = like.intersection(before ? decided : decided.preImage(to));
        }
      }
    }

    private FlowClass source(Translations.@Nullable Inbound entry, Interface leaving) {
      Interface side = leaving;
      if (entry != null && entry.rule() instanceof UntouchedRule) {
        return end();
      }
      if (entry != null && entry.hairpins(arriving) && entry.hairpin() != null) {
        switch (entry.hairpin().source()) {
          case KEPT -> {
            return end();
          }
          case DEVICE -> {
            return shared(program.ownOf(leaving));
          }
          case EXTERNAL -> {
            return asOutside(entry.home());
          }
        }
      } else if (entry != null
          && entry.rule() instanceof DestinationRule both
          && both.sources() != null) {
        Pool pool = both.sources().pool();
        return shared(pool == null ? program.ownOf(leaving) : program.translations.sharable(pool));
      }
      List<Translations.Outbound> entries = program.translations.outbound;
      List<PacketSet> taken = new ArrayList<>();
      int out = sets.number(side);
      for (Translations.Outbound each : entries) {
        taken.add(sets.takenBy(each).intersection(space.leaving(out)).without(Dimension.LEAVING));
      }
      Rows outbound = rows("out " + side.name(), taken);
      int index = outbound.first(packet, number, out, at);
      like = like.intersection(outbound.decided(index).preImage(to));
      if (index < 0) {
        return end();
      }
      return translated(entries.get(index), side);
    }

    private FlowClass translated(Translations.Outbound entry, Interface side) {
      TranslationRule rule = entry.rule();
      boolean shares = !(rule instanceof StaticRule || rule instanceof DynamicRule);
      if (shares ? !askedInside(sets.shareable()) : askedInside(sets.claimedOnLoan(entry, side))) {
        return end();
      }
      return end(sets.rewrite(entry, side));
    }

    /** A hairpinned packet that gets the source that it would have if it left by an interface. */
    private FlowClass asOutside(@Nullable Interface side) {
      if (side == null) {
        return end();
      }
      for (Translations.Outbound each : program.translations.outbound) {
        PacketSet takes =
            sets.takenBy(each)
                .intersection(space.leaving(sets.number(side)))
                .without(Dimension.LEAVING);
        if (asked(takes)) {
          return translated(each, side);
        }
      }
      return end();
    }

    private FlowClass shared(AddressSet pool) {
      return askedInside(sets.shareable().intersection(space.of(Family.IPV4)))
          ? end(sets.shares(pool))
          : end();
    }
  }
}
