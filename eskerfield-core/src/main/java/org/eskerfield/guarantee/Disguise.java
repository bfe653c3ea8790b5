// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.guarantee;

import java.util.List;
import java.util.Objects;
import org.eskerfield.model.Device;
import org.eskerfield.model.Guarantee;
import org.eskerfield.model.Interface;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Header;
import org.eskerfield.reach.Senders;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Trace;
import org.eskerfield.walk.EveryHop;
import org.eskerfield.walk.EveryPacket.Passage;
import org.jspecify.annotations.Nullable;

/**
 * Guarantees by which whatever leaves by an interface has one of some sources: what is sent by it,
 * what answers those beyond it, and what its device sends itself.
 */
final class Disguise {
  private final Proving on;
  private final PacketSpace space;
  private final Guarantee guarantee;
  private final Meant meant;
  private final Device device;
  private final Interface leaving;
  private final AddressSet allowed;
  private final PacketSet others;

  Disguise(Proving on, Guarantee guarantee) {
    this.on = on;
    this.space = on.space;
    this.guarantee = guarantee;
    this.meant = new Meant(on, guarantee);
    Guarantee.Exit exit = Objects.requireNonNull(guarantee.leaving(), "leaving");
    this.device = Objects.requireNonNull(on.site.devices().get(exit.device()), exit.device());
    this.leaving =
        device.interfaces().stream()
            .filter(own -> own.name().equals(exit.own()))
            .findFirst()
            .orElseThrow();
    this.allowed = on.site.addresses(guarantee.sources());
    this.others = space.sources(allowed).complement();
  }

  Proof prove() {
    for (Address own : leaving.addresses()) {
      if (!allowed.contains(own)) {
        return proof(
            Proof.Status.BROKEN,
            device.name() + " itself sends as " + own + " by " + leaving.name(),
            null,
            List.of());
      }
    }
    Tries sent = new Tries(on, meant, false, (by, packet, trace) -> shows(trace.request()));
    Tries answered = new Tries(on, meant, true, (by, packet, trace) -> shows(trace.reply()));
    Ways.Entry doubtful = null;
    List<Ways.Entry> entries = on.ways().entries();
    var leaves = on.ways().to(new Leaving(others));
    var arrives = on.ways().to(this::anybody);
    for (Ways.Entry each : entries) {
      PacketSet from = meant.sent(each.own().network());
      PacketSet going = Objects.requireNonNull(leaves.get(each)).intersection(from);
      Tries.Found found = going.isEmpty() ? null : sent.find(each, going, going);
      if (found == null && each.own().equals(leaving)) {
        PacketSet coming =
            Objects.requireNonNull(arrives.get(each)).minus(space.destinations(allowed));
        found = coming.isEmpty() ? null : answered.find(each, coming, coming);
        going = going.union(coming);
      }
      if (found != null) {
        return broken(found, sent.broken().union(answered.broken()));
      }
      doubtful = going.isEmpty() ? doubtful : each;
    }
    return doubtful == null
        ? contents()
        : proof(
            Proof.Status.UNDETERMINED,
            "packets that come in by "
                + doubtful.own().name()
                + " of "
                + doubtful.device().name()
                + " might leave with another source, but none was found that does",
            null,
            List.of());
  }

  /** Nothing leaves with another source; what is within the packets is looked at last. */
  private Proof contents() {
    Contents.Shown shown =
        new Contents(on, device, leaving, allowed)
            .find(each -> meant.sent(each.own().network()), this::leaving);
    if (shown == null) {
      return proof(
          Proof.Status.HOLDS,
          "every packet that can leave by "
              + leaving.name()
              + " of "
              + device.name()
              + ", its replies and its own packets were followed",
          null,
          List.of());
    }
    Header first = shown.sent().request().get(0).decisions().get(0).before();
    return proof(
        Proof.Status.BROKEN,
        BrokenWords.packet(on.site, first) + " shows " + shown.what(),
        new Proof.Example(List.of(), shown.sent(), 0),
        List.of());
  }

  /** All that may leave by the interface, whatever its source, as it comes in. */
  PacketSet leaving(Ways.Entry by) {
    return Objects.requireNonNull(on.ways().to(new Leaving(space.all())).get(by))
        .intersection(meant.sent(by.own().network()));
  }

  private PacketSet anybody(EveryHop.Landing landing) {
    return landing.own() == null ? space.all() : space.none();
  }

  /** Some of what leaves by the interface. */
  private final class Leaving implements Ways.Goal {
    private final PacketSet some;

    Leaving(PacketSet some) {
      this.some = some;
    }

    @Override
    public PacketSet among(EveryHop.Landing landing) {
      return space.none();
    }

    @Override
    public @Nullable PacketSet leaving(Ways.Entry by, Passage passage) {
      boolean here = by.device().equals(device) && leaving.equals(passage.leaving());
      return here ? some : null;
    }
  }

  private boolean shows(List<Leg> legs) {
    return seen(legs) != null;
  }

  /** The packet as it leaves with another source; null where it does not. */
  private @Nullable Header seen(List<Leg> legs) {
    for (Leg leg : legs) {
      Interface by = leg.leaving();
      if (leg.where().equals(device.name()) && by != null && by.name().equals(leaving.name())) {
        Header left = leg.decisions().get(leg.decisions().size() - 1).after();
        if (!allowed.contains(left.source())) {
          return left;
        }
      }
    }
    return null;
  }

  private Proof broken(Tries.Found found, PacketSet packets) {
    Trace trace = found.trace();
    Header out = seen(trace.request());
    Header back = out == null ? seen(trace.reply()) : out;
    Header left = Objects.requireNonNull(back);
    String packet = BrokenWords.packet(on.site, trace.request().get(0).decisions().get(0).before());
    return proof(
        found.before().isEmpty() ? Proof.Status.BROKEN : Proof.Status.HOLDS_UNTIL,
        (out == null ? "the reply to " + packet : packet)
            + " leaves by "
            + leaving.name()
            + " with source "
            + left.source(),
        new Proof.Example(found.before(), trace, 0),
        on.words.of(Senders.plain(space, packets)));
  }

  private Proof proof(
      Proof.Status status, String reason, Proof.@Nullable Example example, List<String> packets) {
    return new Proof(
        guarantee, status, reason, example, packets, Assumptions.ofNone(on.site, guarantee));
  }
}
