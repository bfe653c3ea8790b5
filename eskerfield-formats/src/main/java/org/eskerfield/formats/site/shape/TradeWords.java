// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.shape;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import org.eskerfield.formats.literal.Similar;
import org.jspecify.annotations.Nullable;

/**
 * Words of the trade for what the keys of a site file say, so that whoever writes one is helped.
 */
public final class TradeWords {
  private static final List<String> ON = List.of("enabled", "enable", "active");
  private static final Map<String, List<String>> KEYS = new HashMap<>();

  static {
    words("note", "comment", "comments", "description", "desc", "remark", "remarks", "info");
    words("from", "source", "src", "sources", "source-address", "src-address", "client", "clients");
    words("to", "destination", "dst", "dest", "destination-address", "dst-address", "target");
    words("service", "port", "ports", "protocol", "proto", "services", "application");
    words("services", "service", "management");
    words("source-port", "source-ports", "src-port");
    words("at", "ip", "address", "addr", "addresses", "ip-address", "ipv4", "ipv6", "external");
    words("prefix", "subnet", "cidr", "range", "address", "net", "prefixes");
    words("via", "gateway", "next-hop", "nexthop", "gw", "next");
    words("gateway", "default-gateway", "router", "gw", "via");
    words("arriving", "in", "inbound", "incoming", "ingress", "interface", "arrives");
    words("leaving", "out", "outbound", "outgoing", "egress", "interface", "leaves");
    words("facing", "interface", "outside", "side");
    words("becomes", "internal", "forward", "redirect", "to", "inside");
    words("internal", "inside", "private", "becomes", "host");
    words("external", "outside", "public", "at");
    words("pool", "addresses", "range", "external");
    words("when", "schedule", "time", "time-range", "hours");
    words("days", "day", "weekdays");
    words("hours", "time", "times", "from");
    words("log", "logging");
    words("otherwise", "default", "policy", "default-action", "else");
    words("guards", "applies", "direction", "interface");
    words("rules", "entries", "rule", "acl");
    words("access", "firewall", "filter", "filters", "acl", "rules", "lists");
    words("translation", "nat", "translations");
    words("stance", "default", "policy", "policies");
    words("hosts", "servers", "machines", "clients");
    words("networks", "subnets", "network", "vlans");
    words("devices", "routers", "firewalls", "gateways", "device");
    words("listens", "ports", "listen", "open", "listening", "services", "service");
    words("hardware", "mac", "mac-address", "ethernet");
    words("resolver", "dns", "nameserver", "name-server");
    words("on", "network", "subnet", "vlan", "interface", "zone");
    words("expect", "expectations", "tests", "test", "checks");
    words("outcome", "result", "expected", "verdict", "action");
    words("routed", "additional", "block", "blocks");
    words("carrier", "provider", "isp", "upstream");
    words("mtu", "max-size");
    words("largest-segment", "mss", "tcp-mss");
    words("state", "status", "link");
    words("accept", "allow", "permit", "pass", "allowed", "permitted");
    words("answered", "allowed", "accepted", "ok", "open", "success", "permitted", "reached");
    words("dropped", "denied", "blocked", "filtered", "discarded", "timeout", "fails");
    words("refused", "closed", "rejected", "reset");
    words("drop", "deny", "block", "discard", "denied", "blocked");
    words("reject", "refuse");
    words("destination", "port-forward", "forward", "dnat", "redirect", "inbound");
    words("shared", "pat", "snat", "source", "outbound");
    words("static", "one-to-one");
  }

  private TradeWords() {}

  private static void words(String key, String... others) {
    KEYS.put(key, List.of(others));
  }

  /** The key among some that a word says, or a slip of one; null if there is none, or several. */
  public static @Nullable String key(String word, List<String> keys) {
    List<String> known = new ArrayList<>(keys);
    keys.forEach(key -> known.addAll(KEYS.getOrDefault(key, List.of())));
    String nearest = Similar.nearest(plain(word), known);
    if (nearest == null || keys.contains(nearest)) {
      return nearest;
    }
    List<String> meant =
        keys.stream().filter(key -> KEYS.getOrDefault(key, List.of()).contains(nearest)).toList();
    return meant.size() == 1 ? meant.get(0) : null;
  }

  /** Whether a word says that something acts, where a file says what does not. */
  public static boolean isSwitch(String word) {
    return ON.contains(plain(word));
  }

  private static String plain(String word) {
    return word.toLowerCase(Locale.ROOT).replace('_', '-').replace(' ', '-');
  }
}
