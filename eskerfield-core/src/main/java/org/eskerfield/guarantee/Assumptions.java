// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.guarantee;

import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.Device;
import org.eskerfield.model.Guarantee;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Site;
import org.eskerfield.model.StateSettings;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.trace.Moments;
import org.jspecify.annotations.Nullable;

/** What a proof takes for granted, so that nobody reads more into it. */
final class Assumptions {
  /** Those of guarantees by which packets must arrive. */
  static final List<String> OF_ALL =
      List.of(
          "ports and identifiers of shared addresses are free",
          "senders use source ports from 1024 on",
          "one sender at a time, but for pools that lend whole addresses",
          "hosts are switched on and listen as the site file says");

  private Assumptions() {}

  /** Those of a guarantee by which packets must not arrive. */
  static List<String> ofNone(Site site, Guarantee guarantee) {
    List<String> all = new ArrayList<>();
    all.add(
        guarantee.honest()
            ? "where a guarantee says honest-senders, they write their own address as source"
            : "senders write any source address, unless a device verifies it");
    all.add("carriers deliver whatever is addressed to the site, to private addresses, too");
    for (Guarantee.Exempt each : guarantee.except()) {
      if (!each.from().isEmpty()) {
        all.add("nobody else forges the source addresses of those who are exempt on their network");
        break;
      }
    }
    all.add("a segment that is forged into a live session counts as part of that session");
    all.add("replies, notices and data connections count as part of the session they belong to");
    String outlasting = outlasting(site);
    if (outlasting != null) {
      all.add(outlasting);
    }
    all.add(
        "nobody is at an address of the site's networks that the file gives to no host or device");
    all.add("no host that was broken into relays for others");
    return all;
  }

  /** How long a session may go on when the hours in which it may be opened are over. */
  private static @Nullable String outlasting(Site site) {
    StateSettings.Timers longest = null;
    for (Device device : site.devices().values()) {
      if (hasSchedules(device)) {
        StateSettings.Timers own = device.state().timers();
        longest = longest == null ? own : longest(longest, own);
      }
    }
    return longest == null
        ? null
        : "a session that was opened in its hours goes on after them as long as it is used; unused,"
            + " it ends after "
            + Moments.text(longest.tcpEstablished())
            + " (TCP), "
            + Moments.text(longest.udp())
            + " (UDP) or "
            + Moments.text(longest.icmp())
            + " (ping)";
  }

  private static StateSettings.Timers longest(StateSettings.Timers one, StateSettings.Timers two) {
    return new StateSettings.Timers(
        longest(one.udp(), two.udp()),
        longest(one.tcpEstablished(), two.tcpEstablished()),
        longest(one.tcpTransitory(), two.tcpTransitory()),
        longest(one.icmp(), two.icmp()),
        longest(one.other(), two.other()));
  }

  private static Duration longest(Duration one, Duration two) {
    return one.compareTo(two) < 0 ? two : one;
  }

  private static boolean hasSchedules(Device device) {
    for (AccessList list : device.access()) {
      if (list.rules().stream().anyMatch(rule -> rule.when() != null)) {
        return true;
      }
    }
    for (TranslationRule rule : device.translation()) {
      InwardRule inward = rule.inward();
      if (inward != null && inward.admit() != null && inward.admit().when() != null) {
        return true;
      }
    }
    return false;
  }
}
