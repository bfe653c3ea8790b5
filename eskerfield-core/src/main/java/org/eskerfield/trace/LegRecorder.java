// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import java.util.ArrayList;
import java.util.List;
import java.util.Set;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Network;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Route;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.outcome.MatchField;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.walk.Narrator;
import org.jspecify.annotations.Nullable;

/**
 * Writes down the decisions of one leg, with the header before and after each; if it is terse, only
 * those that belong into a log. Counts them where somebody counts.
 */
final class LegRecorder implements Narrator {
  private static final Header NOT_WRITTEN =
      new Packet(Address.lowest(Family.IPV4), 0, Address.lowest(Family.IPV4), 0, 0, Icmp.NO_TYPE, 0)
          .header();

  private final String where;
  private final Leg.Kind kind;
  private final Wording wording;
  private final @Nullable Interface arriving;
  private final boolean terse;
  private final @Nullable Tally tally;
  private final List<Decision> decisions = new ArrayList<>();
  private @Nullable Interface leaving;
  private Header last;
  private @Nullable NearMiss near;
  private @Nullable NearMiss missedTranslation;

  // So many parameters: one is made for every leg, also where nothing is put into words.
  LegRecorder(
      String where,
      Leg.Kind kind,
      Wording wording,
      @Nullable Interface arriving,
      Packet packet,
      boolean terse,
      @Nullable Tally tally) {
    this.where = where;
    this.kind = kind;
    this.wording = wording;
    this.arriving = arriving;
    this.terse = terse;
    this.tally = tally;
    this.last = terse ? NOT_WRITTEN : packet.header();
  }

  @Override
  public void nearly(Placed rule, Set<MatchField> fields, Packet seen) {
    if (terse) {
      return;
    }
    near = new NearMiss(rule, fields, wording.nearMiss(rule, fields, seen.header(), arriving));
    if (rule instanceof TranslationRule) {
      missedTranslation = near;
    }
  }

  @Override
  public void decided(Ruling ruling, @Nullable Placed by, Packet packet) {
    if (kind != Leg.Kind.DEVICE) {
      if (!terse) {
        Header now = packet.header();
        boolean filter = by instanceof AccessRule || by instanceof AccessList;
        add(
            ruling,
            by,
            now,
            filter
                ? wording.decision(new Wording.Decided(ruling, by, last, now, near, null, null))
                : wording.hop(ruling, by, now));
      }
      return;
    }
    if (tally != null) {
      tally.count(ruling, by, arriving, packet.protocol);
    }
    if (terse) {
      if (isForLog(ruling, by)) {
        last = packet.header();
        add(
            ruling,
            by,
            last,
            wording.decision(new Wording.Decided(ruling, by, last, last, null, arriving, leaving)));
      }
      return;
    }
    Header now = packet.header();
    if (ruling == Ruling.DEVICE_NOT_ADMITTED
        || ruling == Ruling.DEVICE_REFUSES
        || ruling == Ruling.DEVICE_REFUSES_LATER) {
      near =
          missedTranslation; // the packet was probably meant for that rule and not for the device
    }
    if (ruling == Ruling.ROUTED) {
      leaving = by instanceof Route route ? route.leaving() : (Interface) by;
    }
    add(
        ruling,
        by,
        now,
        wording.decision(new Wording.Decided(ruling, by, last, now, near, arriving, leaving)));
  }

  /** Whether a decision belongs into a log. */
  static boolean isForLog(Ruling ruling, @Nullable Placed by) {
    return isLogged(ruling, by) || ruling.ends() == Outcome.EXHAUSTED;
  }

  @Override
  public void nobodyThere(Network network, Address to, Packet packet) {
    if (!terse) {
      add(Ruling.NOBODY_THERE, network, packet.header(), HopWording.nobodyThere(network, to));
    }
  }

  private void add(Ruling ruling, @Nullable Placed by, Header now, String text) {
    decisions.add(new Decision(ruling, text, by, isLogged(ruling, by), near, last, now));
    if (ruling.ends() != null && kind == Leg.Kind.DEVICE) {
      leaving = null;
    }
    last = now;
    near = null;
  }

  private static boolean isLogged(Ruling ruling, @Nullable Placed by) {
    if (by instanceof AccessRule rule) {
      return rule.log();
    }
    if (by instanceof AccessList list) {
      return list.logsOtherwise();
    }
    return ruling == Ruling.ADMITTED
        && by instanceof TranslationRule rule
        && rule.admit() != null
        && rule.admit().log();
  }

  Leg leg() {
    return new Leg(where, kind, arriving, leaving, decisions);
  }
}
