// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.walk;

import java.util.ArrayList;
import java.util.IdentityHashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import org.eskerfield.model.Interface;
import org.eskerfield.model.StateSettings;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.Family;
import org.eskerfield.set.Dimension;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;
import org.eskerfield.set.Rewrite;
import org.jspecify.annotations.Nullable;

/**
 * The temporary bindings that one rule may have made for what left by one interface, whoever's
 * traffic it was, and what may come in by them (RFC 4787 section 5). They hold all that is
 * possible, and more: which port belongs to whom is left open.
 *
 * @param rule the rule
 * @param outside the interface for which they were made
 * @param reaching the packets that go to one of their external endpoints, as they arrive
 * @param lead how their destination becomes that of an owner
 * @param fromOutside the packets, as they are led on, that the filter of an owner may let in
 * @param fromInside the same of insiders, who are judged by the source that they would have outside
 */
record LiveBindings(
    TranslationRule rule,
    Interface outside,
    PacketSet reaching,
    Rewrite lead,
    PacketSet fromOutside,
    PacketSet fromInside) {
  /** How many boxes of packets that went out may be turned round. */
  private static final int MOST_BOXES = 4_000;

  /** What went out by one rule and interface. */
  private static final class Made {
    final TranslationRule rule;
    final Interface outside;
    final List<PacketSet> sent = new ArrayList<>();
    final List<PacketSet> left = new ArrayList<>();
    boolean anySender;

    Made(TranslationRule rule, Interface outside) {
      this.rule = rule;
      this.outside = outside;
    }
  }

  /** All that some passages of a device may make. */
  static List<LiveBindings> of(List<EveryPacket.Passage> passages, EveryPacket device) {
    IdentityHashMap<TranslationRule, Map<String, Made>> made = new IdentityHashMap<>();
    List<Made> inOrder = new ArrayList<>();
    for (EveryPacket.Passage each : passages) {
      Interface outside = each.madeFor();
      TranslationRule rule = each.sourceRule();
      if (outside == null || rule == null) {
        continue;
      }
      Made of =
          made.computeIfAbsent(rule, r -> new LinkedHashMap<>())
              .computeIfAbsent(
                  outside.name(),
                  name -> {
                    Made fresh = new Made(rule, outside);
                    inOrder.add(fresh);
                    return fresh;
                  });
      of.sent.add(
          each.inside()
              .withoutAllBut(
                  Dimension.FAMILY, Dimension.PROTOCOL, Dimension.DESTINATION, Dimension.SOURCE));
      of.left.add(
          each.left().withoutAllBut(Dimension.FAMILY, Dimension.PROTOCOL, Dimension.SOURCE));
      // Towards whom it is made is told by where the packet goes, unless that is as good as
      // outside.
      Interface leaving = each.leaving();
      boolean goesThere = leaving != null && leaving.name().equals(outside.name());
      of.anySender |= !goesThere || each.binding() != null;
    }
    List<LiveBindings> all = new ArrayList<>();
    inOrder.forEach(each -> all.add(of(each, device)));
    return all;
  }

  private static LiveBindings of(Made made, EveryPacket device) {
    PacketSpace space = device.space();
    StateSettings own = made.rule.state();
    StateSettings settings = own != null ? own : device.program().device().state();
    boolean whole = made.rule.lends();
    // An identifier of ICMP is met in replies only.
    PacketSet only = whole ? space.of(Family.IPV4) : space.withPorts();
    PacketSet owners = answering(space.union(made.sent)).intersection(only);
    PacketSet reaching = space.askedFor(space.union(made.left), MOST_BOXES).intersection(only);
    PacketSet anybody = owners.without(Dimension.SOURCE);
    boolean any =
        made.anySender || settings.filtering() == StateSettings.Endpoints.ENDPOINT_INDEPENDENT;
    PacketSet addresses = owners.withoutAllBut(Dimension.FAMILY, Dimension.DESTINATION);
    Rewrite lead = Rewrite.NONE.andBecomes(Dimension.DESTINATION, addresses, space.of(Family.IPV4));
    return new LiveBindings(
        made.rule,
        made.outside,
        reaching,
        whole ? lead : lead.andBecomes(Dimension.DESTINATION_PORT, space.all(), space.withPorts()),
        any ? anybody : owners,
        anybody);
  }

  /**
   * The packets whose ends are those of some that went out, changed over; where there are too many
   * pairs of them to tell, those to whoever sent, from everybody.
   */
  private static PacketSet answering(PacketSet sent) {
    PacketSpace space = sent.space();
    boolean many = sent.boxes(MOST_BOXES + 1).size() > MOST_BOXES;
    PacketSet told = many ? sent.without(Dimension.DESTINATION) : sent;
    return space.askedFor(told, MOST_BOXES);
  }

  /** Whether an interface is the one for which they were made. */
  boolean isOutside(Interface arriving) {
    return arriving.name().equals(outside.name());
  }

  /** The packets that may be let in, of those that arrive by an interface. */
  PacketSet admitted(Interface arriving) {
    return isOutside(arriving) ? fromOutside : fromInside;
  }

  @Override
  public boolean equals(@Nullable Object other) {
    return other instanceof LiveBindings that
        && rule.equals(that.rule)
        && outside.equals(that.outside)
        && reaching.equals(that.reaching)
        && fromOutside.equals(that.fromOutside)
        && fromInside.equals(that.fromInside);
  }

  @Override
  public int hashCode() {
    return Objects.hash(reaching, fromOutside, fromInside);
  }
}
