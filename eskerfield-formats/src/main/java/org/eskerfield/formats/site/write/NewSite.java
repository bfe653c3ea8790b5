// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.write;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.SpecialAddresses;
import org.jspecify.annotations.Nullable;

/**
 * The beginning of a site file, with comments that say what to go on with: one device between a
 * carrier and some zones, which may reach the internet and are not reached from there.
 *
 * @param site the title
 * @param timeZone the time zone of schedules
 * @param device the name of the device
 * @param link the prefix of the link to the carrier
 * @param carrier the carrier's address on it
 * @param own the device's address on it
 * @param assigned whether the carrier assigns that address, and may change it
 * @param zones the prefix of each inner network by the name of its zone, the one that manages the
 *     device first; at least one
 * @param hosts in order
 */
public record NewSite(
    String site,
    String timeZone,
    String device,
    Prefix link,
    Address carrier,
    Address own,
    boolean assigned,
    Map<String, Prefix> zones,
    List<NewHost> hosts) {
  /** The name of the schema that {@link #text} ties the file to, in the same folder. */
  public static final String SCHEMA = "site.schema.json";

  /**
   * A host.
   *
   * @param name its name
   * @param address its address; one of no zone is on the internet
   * @param services what it listens on; may be empty
   */
  public record NewHost(String name, Address address, List<String> services) {}

  /** The text of the file. */
  public String text() {
    StringBuilder out = new StringBuilder();
    out.append("# yaml-language-server: $schema=./").append(SCHEMA).append('\n');
    out.append(
        """
        # The line above ties this file to its JSON Schema: editors complete it and explain each key.
        #
        #   eskerfield check FILE                  what is wrong with it, and how to mend it
        #   eskerfield explain FILE                every rule in plain language
        #   eskerfield ledger FILE                 who has which address, and what is free
        #   eskerfield offer FILE HOST SERVICE     offers a host's service to outsiders
        #   eskerfield verify FILE                 whether all is as 'expect' at the end says
        """);
    out.append("eskerfield: 1\n");
    out.append("site: ").append(quoted(site)).append('\n');
    out.append("time-zone: ").append(timeZone).append("\n\n");
    out.append(
        "# A network is a broadcast domain. A zone is a level of trust; networks may share one.\n");
    out.append("networks:\n");
    zones.forEach(
        (name, prefix) ->
            out.append("  " + name + ": { prefix: " + prefix + ", zone: " + name + " }\n"));
    out.append("  carrier-link:\n    prefix: ").append(link);
    out.append("\n    zone: internet\n    carrier: ").append(carrier);
    out.append("  # the carrier's router\n");
    out.append("    # A block that the carrier also sends here:\n");
    out.append("    # routed: { to: 192.0.2.64/28, via: ").append(own).append(" }\n\n");
    hosts(out);
    device(out);
    out.append("# What must be so, tried anew by 'eskerfield verify' after each change.\n");
    out.append("expect:\n");
    for (Map.Entry<String, Prefix> zone : zones.entrySet()) {
      out.append("  - { from: ").append(zone.getKey());
      out.append(", to: ").append(outsider()).append(", service: https, outcome: answered }\n");
    }
    out.append("  - { from: ").append(outsider()).append(", to: ").append(own);
    out.append(", service: ssh, outcome: dropped }\n");
    return out.toString();
  }

  private void device(StringBuilder out) {
    String first = zones.keySet().iterator().next();
    out.append("devices:\n  ").append(device).append(":\n");
    out.append("    # What becomes of a way that no list below guards, from zone to zone.\n");
    out.append("    stance:\n");
    zones.keySet().forEach(name -> out.append("      " + name + " to internet: accept\n"));
    out.append("      otherwise: drop\n");
    out.append("    interfaces:\n      uplink: { on: carrier-link, at: ");
    out.append(assigned ? "assigned by the carrier, now: " + own : own).append(" }\n");
    zones.forEach(
        (name, prefix) ->
            out.append("      " + name + ": { on: " + name + ", at: " + gateway(prefix) + " }\n"));
    out.append("    routes:\n      - { to: any, via: ").append(carrier).append(" }\n");
    out.append("    # Who may reach the device itself.\n");
    out.append("    services:\n      - { service: [ssh, ping], from: ")
        .append(first)
        .append(" }\n");
    out.append(
        "    # The first rule that matches decides; rules for what arrives, then for what leaves.\n");
    out.append("    translation:\n      - shared: everybody to the internet\n        from: ");
    out.append(zones.size() == 1 ? first : "[" + String.join(", ", zones.keySet()) + "]");
    out.append("\n        leaving: uplink\n");
    out.append("    access:\n      from the internet:\n        guards: { arriving: uplink }\n");
    out.append("        # 'eskerfield offer' puts rules here.\n        rules: []\n");
    out.append("        otherwise: drop\n\n");
  }

  private void hosts(StringBuilder out) {
    out.append(
        "# 'assigned' is fixed (set on the host), reserved, or leased; what is offered must not be leased.\n");
    out.append(hosts.isEmpty() ? "# hosts:\n" : "hosts:\n");
    for (NewHost host : hosts) {
      List<String> parts = new ArrayList<>();
      String on = "internet";
      for (Map.Entry<String, Prefix> zone : zones.entrySet()) {
        on = zone.getValue().contains(host.address()) ? zone.getKey() : on;
      }
      parts.add("on: " + on);
      parts.add("at: " + host.address());
      if (!on.equals("internet")) {
        parts.add("assigned: fixed");
      }
      if (!host.services().isEmpty()) {
        boolean one = host.services().size() == 1;
        String all = String.join(", ", host.services());
        parts.add("listens: " + (one ? all : "[" + all + "]"));
      }
      out.append("  " + host.name() + ": { " + String.join(", ", parts) + " }\n");
    }
    Prefix first = zones.values().iterator().next();
    out.append("  # till:    { on: ").append(zones.keySet().iterator().next());
    out.append(", at: ")
        .append(member(first, 7))
        .append(", assigned: reserved, listens: https }\n");
    out.append("  # partner: { on: internet, at: ").append(outsider()).append(" }\n\n");
  }

  /** An address of the documentation that is none of the site's. */
  private Address outsider() {
    Address usual = Address.ipv4(192, 0, 2, 140);
    Address other = Address.ipv4(198, 51, 100, 77);
    return link.contains(usual) || hosts.stream().anyMatch(h -> h.address().equals(usual))
        ? other
        : usual;
  }

  private static Address gateway(Prefix prefix) {
    return prefix.usable().first();
  }

  private static Address member(Prefix prefix, int number) {
    Address address = prefix.first();
    for (int i = 0; i < number; i++) {
      Address next = address.next();
      address = next == null || !prefix.contains(next) ? address : next;
    }
    return address;
  }

  private static String quoted(String text) {
    return text.matches("[\\p{L}][\\p{L}0-9 ,.'()-]*") ? text : "'" + text.replace("'", "''") + "'";
  }

  /**
   * The problem with the link to the carrier as far as it is known; null if there is none.
   *
   * @param carrier the carrier's address on it; null if it is not known yet
   * @param own the device's; null if it is not known yet
   */
  public static @Nullable String problem(
      Prefix link, @Nullable Address carrier, @Nullable Address own) {
    if (link.family() != Family.IPV4 || link.length() > 30) {
      return link + " has no room for the carrier's router and the device";
    }
    if (carrier != null && (!link.contains(carrier) || link.isNetworkOrBroadcast(carrier))) {
      return "the carrier's address " + carrier + " is no usable one of " + link;
    }
    if (own == null) {
      return null;
    }
    if (!link.contains(own) || link.isNetworkOrBroadcast(own)) {
      return "the device's address " + own + " is no usable one of " + link;
    }
    if (own.equals(carrier)) {
      return own + " is the carrier's own address: the device needs another one of " + link;
    }
    return SpecialAddresses.NOT_ON_THE_INTERNET.contains(own)
        ? own
            + " is "
            + SpecialAddresses.kind(own)
            + ": nobody outside reaches it; the address of the device towards the carrier is asked"
            + " for"
        : null;
  }

  /** The problem with the prefix of a zone; null if there is none. */
  public static @Nullable String problem(Prefix zone) {
    return zone.family() != Family.IPV4 || zone.length() > 30
        ? zone + " has no room for a device and a host"
        : null;
  }
}
