// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.guarantee;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.model.Guarantee;
import org.eskerfield.model.Network;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.reach.Senders;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;
import org.eskerfield.walk.EveryHop;
import org.jspecify.annotations.Nullable;

/** Guarantees by which no packet may come to somebody. */
final class Prohibition {
  private final Proving on;
  private final PacketSpace space;
  private final Guarantee guarantee;
  private final Meant meant;

  Prohibition(Proving on, Guarantee guarantee) {
    this.on = on;
    this.space = on.space;
    this.guarantee = guarantee;
    this.meant = new Meant(on, guarantee);
  }

  Proof prove() {
    String nobody = nobody();
    if (nobody != null) {
      return new Proof(
          guarantee, Proof.Status.HOLDS_FOR_NOTHING, nobody, null, List.of(), List.of());
    }
    Tries tries = new Tries(on, meant);
    Tries.Found found = null;
    Ways.Entry doubtful = null;
    for (Ways.Entry each : on.ways().entries()) {
      PacketSet all = meant.breaking(each, true);
      if (all.isEmpty()) {
        continue;
      }
      Tries.Found here = tries.find(each, meant.breaking(each, false), all);
      doubtful = here == null ? each : doubtful;
      if (here != null && (found == null || isBetter(here, found))) {
        found = here;
      }
    }
    if (found != null) {
      return broken(found, tries);
    }
    if (doubtful != null) {
      return proof(
          Proof.Status.UNDETERMINED,
          "packets that come in by "
              + doubtful.own().name()
              + " of "
              + doubtful.device().name()
              + " might get through, but none was found that does");
    }
    Transfers transfers = new Transfers(on, guarantee, meant);
    Tries.Found data = transfers.find();
    if (data != null) {
      return broken(data, tries);
    }
    if (!transfers.isComplete()) {
      return proof(
          Proof.Status.UNDETERMINED,
          "there are too many kinds of control connections of file transfers to try them all");
    }
    String direct = direct();
    return direct == null
        ? proof(Proof.Status.HOLDS, held())
        : proof(Proof.Status.NOT_DECIDED, direct);
  }

  private Proof proof(Proof.Status status, String reason) {
    return new Proof(guarantee, status, reason, null, List.of(), assumptions());
  }

  /** An example that needs nothing to go before is better, and one whose sender is no forger. */
  private boolean isBetter(Tries.Found one, Tries.Found other) {
    int before = Integer.compare(one.before().size(), other.before().size());
    return before != 0 ? before < 0 : !isForged(one) && isForged(other);
  }

  private boolean isForged(Tries.Found found) {
    return !meant.own(found.by().own().network()).contains(found.sent().packet().source());
  }

  /** Whom the guarantee names that nobody is; null where it speaks of somebody. */
  private @Nullable String nobody() {
    if (meant.receivers.isNobody()) {
      return "nobody is meant by 'to'";
    }
    for (Ways.Entry each : on.ways().entries()) {
      if (!meant.sent(each.own().network()).isEmpty()) {
        return null;
      }
    }
    for (Ends.Senders each : meant.senders) {
      Network network = each.network();
      if (network != null && !meant.sent(network).isEmpty()) {
        return null;
      }
    }
    return "nobody is meant by 'from'";
  }

  private Proof broken(Tries.Found found, Tries tries) {
    PacketSet all = tries.broken();
    AddressSet own = meant.own(found.by().own().network());
    List<String> lines = new ArrayList<>(words(all, own));
    if (!tries.isWhole()) {
      lines.add("and more, which were not told apart");
    }
    return new Proof(
        guarantee,
        found.before().isEmpty() ? Proof.Status.BROKEN : Proof.Status.HOLDS_UNTIL,
        BrokenWords.of(on.site, found, isForged(found)),
        new Proof.Example(
            found.before(), found.trace(), on.sources(all.intersection(space.sources(own)))),
        all.isEmpty() ? List.of() : lines,
        assumptions());
  }

  /** Packets in words: those that open, with sources of the senders' own, where there are any. */
  private List<String> words(PacketSet all, AddressSet own) {
    PacketSet opening = all.intersection(on.opening());
    PacketSet shown = opening.isEmpty() ? all : opening;
    PacketSet honest = shown.intersection(space.sources(own));
    List<String> lines =
        new ArrayList<>(on.words.of(Senders.plain(space, honest.isEmpty() ? shown : honest)));
    if (!honest.isEmpty() && !honest.equals(shown)) {
      lines.add("the same from forged sources");
    }
    return lines;
  }

  /** Who gets something of somebody on his own network; null for nobody. */
  private @Nullable String direct() {
    for (Network network : on.site.networks().values()) {
      PacketSet sent = meant.sent(network);
      EveryHop.Landing got = sent.isEmpty() ? null : meant.direct(network, sent);
      if (got != null && got.host() != null) {
        return "senders and "
            + got.host().name()
            + " are both on network "
            + network.name()
            + ", where no device stands between them";
      }
    }
    return null;
  }

  private String held() {
    int count = 0;
    for (Ways.Entry each : on.ways().entries()) {
      count += meant.sent(each.own().network()).isEmpty() ? 0 : 1;
    }
    return "every packet that can come in by "
        + (count == 1 ? "one interface" : count + " interfaces")
        + " was followed, in every state of the devices";
  }

  private List<String> assumptions() {
    return Assumptions.ofNone(on.site, guarantee);
  }
}
