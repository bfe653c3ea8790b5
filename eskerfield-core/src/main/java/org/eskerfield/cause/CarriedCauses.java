// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cause;

import org.eskerfield.model.Device;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Network;
import org.eskerfield.model.Placed;
import org.eskerfield.model.PrefixRule;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.SpecialAddresses;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.Leg;
import org.jspecify.annotations.Nullable;

/** Names the cause for which the internet discards a packet whose address it does not carry. */
final class CarriedCauses extends Case {
  CarriedCauses(Case other) {
    super(other);
  }

  Verdict judgePrivateSource() {
    Device device = null;
    Interface leaving = null;
    Interface arriving = null;
    for (Leg leg : legs) {
      if (leg.kind() == Leg.Kind.DEVICE && leg.leaving() != null) {
        device = site.devices().get(leg.where());
        leaving = leg.leaving();
        arriving = leg.arriving();
      }
    }
    Header header = Leg.last(legs).after();
    Verdict unrouted = judgeUnrouted(device, header);
    if (unrouted != null) {
      return unrouted;
    }
    Placed translated = translatedSource(device);
    if (translated != null) {
      return verdict(
          Cause.ADDRESS_PRIVATE,
          Labels.of(translated) + " makes it " + SpecialAddresses.kind(header.source()),
          translated,
          null);
    }
    if (device == null || leaving == null) {
      return verdict(Cause.CARRIER_DISCARDS_PRIVATE, "", null, null);
    }
    Verdict meant = judgeMeant(device, leaving, header.source());
    if (meant != null) {
      return meant;
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
        device);
  }

  /** The rule of the last device that translated the source; null if it has none. */
  private @Nullable Placed translatedSource(@Nullable Device last) {
    Placed by = null;
    for (Leg leg : legs) {
      if (last == null || !leg.where().equals(last.name())) {
        continue; // a device before it may well hide its networks behind an inner address
      }
      for (Decision decision : leg.decisions()) {
        by = decision.ruling() == Ruling.SOURCE_TRANSLATED ? decision.by() : by;
      }
    }
    return by;
  }

  /** A device sends towards the internet what is for a network inside; null where none does. */
  private @Nullable Verdict judgeUnrouted(@Nullable Device device, Header header) {
    Network inside = site.networkOf(header.destination());
    return device == null || inside == null || !inside.carrier().isEmpty()
        ? null
        : verdict(
            Cause.ROUTE_MISSING,
            device.name()
                + " has no route to "
                + inside.name()
                + ", so that a route towards the internet takes it",
            device,
            routed(device, header.destination()));
  }

  /** A rule that is meant to translate a source, and does not; null if there is none. */
  private @Nullable Verdict judgeMeant(Device device, Interface leaving, Address source) {
    for (TranslationRule rule : device.translation()) {
      PrefixRule prefix = rule.by(f -> null, d -> null, p -> p, l -> null, s -> null, u -> null);
      if (prefix != null && !rule.disabled() && prefix.leavesOut(source)) {
        return verdict(
            Cause.CARRIER_DISCARDS_PRIVATE,
            Labels.of(rule)
                + " translates only "
                + prefix.internalBlock()
                + " of "
                + prefix.written()
                + ", since its external prefix is a /"
                + prefix.internalBlock().length(),
            rule);
      }
      InterfaceTerm meant = meantFor(rule, source);
      if (meant != null) {
        if (rule.disabled()) {
          return verdict(
              Cause.CARRIER_DISCARDS_PRIVATE,
              Labels.of(rule) + " would translate it, but is disabled",
              rule);
        }
        if (!meant.names(leaving)) {
          return verdict(
              Cause.WRONG_INTERFACE,
              Labels.of(rule)
                  + " would translate it, but is for packets that leave by "
                  + meant.text()
                  + ", and this leaves by "
                  + leaving.name(),
              rule);
        }
      }
    }
    return null;
  }

  /** Where packets of a source leave that a rule is meant to translate; null for other sources. */
  private @Nullable InterfaceTerm meantFor(TranslationRule rule, Address source) {
    boolean ofAll = rule.from().isEmpty() || site.addresses(rule.from()).contains(source);
    return rule.bySide(
        in -> in.isStateless() && in.internalBlock().contains(source) ? in.facing() : null,
        out -> ofAll && source.family() == Family.IPV4 ? out.leaving() : null,
        both -> null);
  }

  Verdict judgePrivateDestination(Header header) {
    Verdict unrouted = judgeUnrouted(lastDevice(), header);
    if (unrouted != null) {
      return unrouted;
    }
    if (translatedBy() != null && site.networkOf(header.destination()) == null) {
      return verdict(
          Cause.HOST_MOVED,
          "no network of the site holds "
              + header.destination()
              + "; lead the rule to the host that is meant",
          translatedBy(),
          null);
    }
    for (Device device : site.devices().values()) {
      for (InwardRule rule : device.inward()) {
        Prefix block = rule.block(header.destination().family());
        if (block != null && block.contains(header.destination())) {
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
    Verdict wrong = new UntranslatedCauses(this).judgeOtherAddress(header);
    return wrong != null ? wrong : verdict(Cause.WRONG_ADDRESS, "", null, null);
  }
}
