// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.write;

import java.time.DayOfWeek;
import java.util.ArrayList;
import java.util.Collection;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.TreeSet;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.eskerfield.formats.site.edit.SiteEditor;
import org.eskerfield.formats.site.shape.Shape;
import org.eskerfield.formats.site.shape.TranslationShapes;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Admission;
import org.eskerfield.model.Assignment;
import org.eskerfield.model.DestinationRule;
import org.eskerfield.model.Device;
import org.eskerfield.model.DomainName;
import org.eskerfield.model.External;
import org.eskerfield.model.Flags;
import org.eskerfield.model.Hairpin;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Network;
import org.eskerfield.model.OutwardRule;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Pool;
import org.eskerfield.model.Route;
import org.eskerfield.model.Schedule;
import org.eskerfield.model.Service;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.model.Stance;
import org.eskerfield.model.StateSettings;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.AddressRange;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.PortSet;
import org.jspecify.annotations.Nullable;
import org.snakeyaml.engine.v2.api.Dump;
import org.snakeyaml.engine.v2.api.DumpSettings;
import org.snakeyaml.engine.v2.common.FlowStyle;
import org.snakeyaml.engine.v2.schema.CoreSchema;

/**
 * Writes a site as the text of a site file. To read it again gives the same site, but for the
 * places. A site that was read from a file is better changed in its text ({@link SiteEditor}),
 * which keeps comments and layout; this is for sites that are made in code.
 */
public final class SiteWriter {
  /** The words of a time window, as {@code ScheduleReader} puts them together. */
  private static final Pattern WINDOW =
      Pattern.compile(
          "(.*?)(?: ([0-9]{1,2}:[0-9]{2} ?- ?[0-9]{1,2}:[0-9]{2}))?(?: from [0-9-]+)?(?: until"
              + " [0-9-]+)?");

  private SiteWriter() {}

  /** The text of a site file with everything that the site has. */
  public static String write(Site site) {
    return text(tree(site));
  }

  /** The text of a tree of maps and lists. */
  static String text(Map<String, Object> tree) {
    DumpSettings settings =
        DumpSettings.builder()
            .setSchema(new CoreSchema()) // the one that the reader follows: +1 is a number in it
            .setDefaultFlowStyle(FlowStyle.AUTO)
            .setIndent(2)
            .setIndicatorIndent(2)
            .setIndentWithIndicator(true)
            .setWidth(120)
            .setSplitLines(false)
            .build();
    return new Dump(settings).dumpToString(tree);
  }

  /**
   * What an interface, a route, an own service or a rule says: its keys as they stand in a site
   * file, but for its name, each with its value on one line.
   *
   * @return in the order of the reference; empty for everything else that has a place
   */
  public static Map<String, String> keys(Placed thing) {
    Map<String, String> keys = new LinkedHashMap<>();
    if (thing instanceof TranslationRule
        || thing instanceof AccessRule
        || thing instanceof Interface
        || thing instanceof Route
        || thing instanceof OwnService) {
      tree(thing).forEach((key, value) -> keys.put(key, line(value)));
    }
    if (thing instanceof TranslationRule rule) {
      keys.remove(rule.kind());
    } else if (thing instanceof AccessRule rule) {
      keys.remove(rule.action().toString());
    }
    return keys;
  }

  /**
   * What an object says by its own keys, as a site file does; of a device and a host without the
   * objects that stand in it.
   *
   * @return in the order of the reference; empty for what has no keys of its own
   */
  public static Map<String, Object> tree(Placed thing) {
    if (thing instanceof TranslationRule rule) {
      return translation(rule);
    } else if (thing instanceof AccessRule rule) {
      return rule(rule);
    } else if (thing instanceof AccessList list) {
      return list(list);
    } else if (thing instanceof Interface own) {
      return networkInterface(own);
    } else if (thing instanceof Route route) {
      return route(route);
    } else if (thing instanceof OwnService own) {
      return ownService(own);
    } else if (thing instanceof Host host) {
      return host(host.withFilter(null));
    } else if (thing instanceof Network network) {
      return network(network);
    } else if (thing instanceof Device device) {
      return settings(device);
    }
    return Map.of();
  }

  private static String line(Object value) {
    List<String> parts = new ArrayList<>();
    if (value instanceof Map<?, ?> map) {
      map.forEach((key, each) -> parts.add(key + " " + line(each)));
    } else if (value instanceof List<?> list) {
      list.forEach(each -> parts.add(line(each)));
    } else {
      parts.add(value.equals(true) ? "yes" : value.equals(false) ? "no" : value.toString());
    }
    return String.join(", ", parts);
  }

  private static void put(Map<String, Object> map, String key, @Nullable Object value) {
    boolean nothing =
        value == null
            || (value instanceof List<?> list && list.isEmpty())
            || (value instanceof Map<?, ?> inner && inner.isEmpty());
    if (!nothing) {
      map.put(key, value);
    }
  }

  private static void putIf(Map<String, Object> map, String key, boolean value) {
    if (value) {
      map.put(key, true);
    }
  }

  /** One value stands for itself, several as a list. */
  private static Object some(List<String> values) {
    return values.size() == 1 ? values.get(0) : values;
  }

  private static Object texts(Collection<?> values) {
    return some(values.stream().map(Object::toString).toList());
  }

  private static Object terms(List<AddressTerm> terms) {
    return some(terms.stream().map(AddressTerm::text).toList());
  }

  private static Object services(List<ServiceTerm> terms) {
    return some(terms.stream().map(ServiceTerm::text).toList());
  }

  private static @Nullable String name(@Nullable InterfaceTerm term) {
    return term == null ? null : term.text();
  }

  // The site.

  private static Map<String, Object> tree(Site site) {
    Map<String, Object> map = new LinkedHashMap<>();
    map.put("eskerfield", 1);
    map.put("site", site.name());
    map.put("time-zone", site.timeZone().getId());
    put(map, "note", site.note());
    Map<String, Object> networks = new LinkedHashMap<>();
    site.networks().values().forEach(each -> networks.put(each.name(), network(each)));
    put(map, "networks", networks);
    Map<String, Object> hosts = new LinkedHashMap<>();
    site.hosts().values().forEach(each -> hosts.put(each.name(), host(each)));
    put(map, "hosts", hosts);
    Map<String, Object> services = new LinkedHashMap<>();
    site.services().values().forEach(each -> services.put(each.name(), parts(each)));
    put(map, "services", services);
    Map<String, Object> groups = new LinkedHashMap<>();
    site.groups().values().forEach(each -> groups.put(each.name(), terms(each.members())));
    put(map, "groups", groups);
    Map<String, Object> schedules = new LinkedHashMap<>();
    site.schedules()
        .values()
        .forEach(
            each ->
                schedules.put(
                    each.name(), each.windows().stream().map(SiteWriter::window).toList()));
    put(map, "schedules", schedules);
    Map<String, Object> names = new LinkedHashMap<>();
    site.names().values().forEach(each -> names.put(each.name(), answers(each)));
    put(map, "names", names);
    Map<String, Object> devices = new LinkedHashMap<>();
    site.devices().values().forEach(each -> devices.put(each.name(), device(each)));
    map.put("devices", devices);
    return map;
  }

  private static Map<String, Object> network(Network network) {
    Map<String, Object> map = new LinkedHashMap<>();
    map.put("prefix", texts(network.prefixes()));
    map.put("zone", network.zone());
    put(map, "realm", network.realm());
    put(map, "carrier", texts(network.carrier()));
    List<Object> routed = new ArrayList<>();
    for (Network.Routed block : network.routed()) {
      routed.add(Map.of("to", block.to().toString(), "via", block.via().toString()));
    }
    put(map, "routed", routed);
    List<String> leases = new ArrayList<>();
    for (AddressRange range : network.leases().ranges()) {
      leases.add(range.toString());
    }
    put(map, "leases", some(leases));
    put(map, "leases-from", lease(network.lease()));
    put(map, "vlan", network.vlan());
    put(map, "mtu", network.mtu());
    put(map, "resolver", network.resolver() == null ? null : network.resolver().text());
    put(map, "note", network.note());
    return map;
  }

  private static @Nullable Object lease(Network.@Nullable Lease lease) {
    if (lease == null) {
      return null;
    }
    Map<String, Object> map = new LinkedHashMap<>();
    map.put("device", lease.device());
    put(map, "gateway", texts(lease.gateways()));
    put(map, "resolver", lease.resolver() == null ? null : lease.resolver().text());
    if (!lease.time().equals(Network.Lease.USUAL_TIME)) {
      map.put("time", lease.time().toSeconds() + "s");
    }
    return map.size() == 1 ? lease.device() : map;
  }

  private static Map<String, Object> host(Host host) {
    Map<String, Object> map = new LinkedHashMap<>();
    List<String> on = host.networks().stream().map(Network::name).toList();
    map.put("on", on.isEmpty() ? Site.INTERNET : some(on));
    map.put("at", texts(host.addresses()));
    map.put("assigned", host.assigned().toString());
    put(map, "hardware", host.hardware());
    put(map, "gateway", texts(host.gateways()));
    put(map, "listens", services(host.listens()));
    if (!host.answersPing()) {
      map.put("answers-ping", false);
    }
    put(map, "own-prefix", texts(host.ownPrefixes()));
    put(map, "resolver", host.resolver() == null ? null : host.resolver().text());
    AccessList filter = host.filter();
    if (filter != null) {
      Map<String, Object> inner = new LinkedHashMap<>();
      put(inner, "rules", filter.rules().stream().map(SiteWriter::rule).toList());
      inner.put("otherwise", filter.otherwiseText());
      put(inner, "note", filter.note());
      map.put("filter", inner);
    }
    put(map, "network-blocks", services(host.blocked()));
    putIf(map, "off", host.off());
    put(map, "note", host.note());
    return map;
  }

  private static Object parts(Service service) {
    List<String> parts = new ArrayList<>();
    for (ServicePart part : service.parts()) {
      if (part.icmpType() != Icmp.ECHO_REQUEST_V6) { // 'ping' is both families' already
        parts.add(part.toString());
      }
    }
    return some(parts);
  }

  private static Map<String, Object> window(Schedule.Window window) {
    Map<String, Object> map = new LinkedHashMap<>();
    Matcher words = WINDOW.matcher(window.text());
    if (words.matches() && !words.group(1).isEmpty()) {
      map.put("days", some(List.of(words.group(1).split(", "))));
      put(map, "hours", words.group(2));
    } else {
      List<String> days = new ArrayList<>();
      for (DayOfWeek day : new TreeSet<>(window.days())) {
        days.add(day.name().toLowerCase(Locale.ROOT).substring(0, 3));
      }
      map.put("days", some(days));
      map.put("hours", window.start() + "-" + window.end());
    }
    put(map, "first-day", window.firstDay() == null ? null : window.firstDay().toString());
    put(map, "last-day", window.lastDay() == null ? null : window.lastDay().toString());
    return map;
  }

  private static Map<String, Object> answers(DomainName name) {
    Map<String, Object> map = new LinkedHashMap<>();
    for (DomainName.Answer answer : name.answers()) {
      String resolver = answer.resolver() == null ? Site.INTERNET : answer.resolver();
      map.put(resolver, answer(answer));
    }
    if (name.ttl() != null) {
      map.put("ttl", name.ttl().toSeconds() + "s");
    }
    return map;
  }

  /** An answer of a resolver, as a site file says it. */
  public static Object answer(DomainName.Answer answer) {
    return some(answer.texts());
  }

  // Devices.

  private static Map<String, Object> device(Device device) {
    Map<String, Object> map = settings(device);
    if (device.state().equals(StateSettings.OF_THE_RFCS)) {
      map.remove("state");
    }
    Map<String, Object> interfaces = new LinkedHashMap<>();
    device.interfaces().forEach(own -> interfaces.put(own.name(), networkInterface(own)));
    map.put("interfaces", interfaces);
    // A network of several prefixes is one route of the file, and several of the model.
    put(map, "routes", device.routes().stream().map(SiteWriter::route).distinct().toList());
    put(map, "services", device.services().stream().map(SiteWriter::ownService).toList());
    put(map, "translation", device.translation().stream().map(SiteWriter::translation).toList());
    Map<String, Object> access = new LinkedHashMap<>();
    device.access().forEach(list -> access.put(list.name(), list(list)));
    put(map, "access", access);
    return map;
  }

  private static Map<String, Object> settings(Device device) {
    Map<String, Object> map = new LinkedHashMap<>();
    put(map, "note", device.note());
    map.put("stance", stance(device.stance()));
    if (device.seesOriginal()) {
      map.put("access-sees", "original");
    }
    put(map, "saves", device.savesAtOnce() ? null : "when told");
    putIf(map, "verify-source", device.verifySource());
    map.put("state", state(device.state()));
    return map;
  }

  private static Object stance(Stance stance) {
    if (stance.pairs().isEmpty()) {
      return stance.otherwise().toString();
    }
    Map<String, Object> map = new LinkedHashMap<>();
    for (Stance.Pair pair : stance.pairs()) {
      map.put(pair.from() + " to " + pair.to(), pair.action().toString());
    }
    map.put("otherwise", stance.otherwise().toString());
    return map;
  }

  private static Map<String, Object> state(StateSettings state) {
    Map<String, Object> map = new LinkedHashMap<>();
    StateSettings.Timers timers = state.timers();
    map.put("udp", timers.udp().toSeconds() + "s");
    map.put("tcp-established", timers.tcpEstablished().toSeconds() + "s");
    map.put("tcp-transitory", timers.tcpTransitory().toSeconds() + "s");
    map.put("icmp", timers.icmp().toSeconds() + "s");
    map.put("other", timers.other().toSeconds() + "s");
    map.put("mapping", state.mapping().toString());
    map.put("filtering", state.filtering().toString());
    map.put("pooling", state.pooling().toString());
    StateSettings.Ports ports = state.ports();
    map.put("port-preservation", ports.preserved());
    map.put("port-parity", ports.parity());
    map.put("port-range-fallback", ports.fallback());
    if (ports.perSource() > 0) {
      map.put("ports-per-source", ports.perSource());
    }
    if (!ports.holdDown().isZero()) {
      map.put("port-hold-down", ports.holdDown().toSeconds() + "s");
    }
    map.put("inbound-refreshes", state.inboundRefreshes());
    map.put("mid-stream", state.midStream());
    map.put("file-transfer", state.fileTransfer());
    map.put("control-ports", some(List.of(state.controlPorts().toString().split(","))));
    if (!state.synWait().isZero()) {
      map.put("syn-wait", state.synWait().toSeconds() + "s");
    }
    return map;
  }

  /** Of how a device keeps state, what a rule may say. */
  private static Map<String, Object> state(StateSettings state, Shape rule) {
    Map<String, Object> map = state(state);
    Shape.Key key = rule.key("state");
    if (key != null && key.value() instanceof Shape.Child child) {
      map.keySet().retainAll(child.shape().keyNames());
    }
    return map;
  }

  private static Map<String, Object> networkInterface(Interface own) {
    Map<String, Object> map = new LinkedHashMap<>();
    map.put("on", own.network().name());
    boolean assigned = own.assigned() == Assignment.BY_CARRIER;
    map.put("at", assigned ? own.assigned().toString() : texts(own.addresses()));
    put(map, "now", assigned ? texts(own.addresses()) : null);
    if (!own.isUp()) {
      map.put("state", own.state().toString());
    }
    put(map, "port", texts(own.ports()));
    put(map, "mtu", own.mtu());
    put(map, "largest-segment", own.largestSegment());
    put(map, "note", own.note());
    return map;
  }

  private static Map<String, Object> route(Route route) {
    Map<String, Object> map = new LinkedHashMap<>();
    map.put("to", route.text());
    put(map, "via", route.via() == null ? null : route.via().toString());
    putIf(map, "discard", route.discards());
    if (route.preference() != Route.DEFAULT_PREFERENCE) {
      map.put("preference", route.preference());
    }
    put(map, "note", route.note());
    return map;
  }

  private static Map<String, Object> ownService(OwnService own) {
    Map<String, Object> map = new LinkedHashMap<>();
    map.put("service", own.service().text());
    map.put("from", own.from().isEmpty() ? Site.ANY : terms(own.from()));
    put(map, "note", own.note());
    return map;
  }

  private static Map<String, Object> translation(TranslationRule rule) {
    Map<String, Object> map = new LinkedHashMap<>();
    map.put(rule.kind(), rule.name());
    rule.choose(
        inward -> inward(map, inward),
        outward -> outward(map, outward),
        both -> {
          map.put("from", terms(both.from()));
          map.put("to", terms(both.to()));
        });
    putIf(map, "disabled", rule.disabled());
    put(map, "note", rule.note());
    return map;
  }

  private static String at(External external, List<ServiceTerm> services) {
    List<String> words = new ArrayList<>(List.of(external.text()));
    services.forEach(each -> words.add(each.text()));
    return String.join(" ", words);
  }

  private static String inside(InwardRule rule) {
    PortSet ports = rule.internalPorts();
    return rule.internal().text() + (ports == null ? "" : " " + ports);
  }

  private static @Nullable Object sources(DestinationRule rule) {
    Pool pool = rule.pool();
    return rule.sources() == null ? null : pool == null ? Site.SELF : terms(pool.terms());
  }

  private static void outward(Map<String, Object> map, OutwardRule rule) {
    Pool pool = rule.pool();
    StateSettings state = rule.state();
    map.put("from", terms(rule.from()));
    put(map, "to", terms(rule.to()));
    map.put("leaving", rule.leaving().text());
    put(map, "pool", pool == null ? null : terms(pool.terms()));
    Shape shape = rule.by(lent -> TranslationShapes.DYNAMIC, shared -> TranslationShapes.SHARED);
    put(map, "state", state == null ? null : state(state, shape));
  }

  private static void inward(Map<String, Object> map, InwardRule rule) {
    map.put(rule.isBothWays() ? "facing" : "arriving", rule.facing().text());
    put(map, "from", terms(rule.from()));
    map.put(rule.isBothWays() ? "external" : "at", at(rule.external(), rule.services()));
    map.put(rule.isBothWays() ? "internal" : "becomes", inside(rule));
    put(map, "leaving", name(rule.leaving()));
    put(map, "sources-become", rule.by(fixed -> null, to -> sources(to), prefix -> null));
    Hairpin hairpin = rule.hairpin();
    if (hairpin != null) {
      Object from = some(List.of(hairpin.from().text().split(", ")));
      boolean plain = hairpin.source() == rule.usualHairpin();
      map.put("hairpin", plain ? from : fromAnd(from, "source", hairpin.source().toString()));
    }
    Admission admit = rule.admit();
    if (admit != null) {
      Object from = terms(admit.from());
      String when = admit.when() == null ? null : admit.when().name();
      Map<String, Object> inner = fromAnd(from, "when", when);
      putIf(inner, "log", admit.log());
      map.put("admit", inner.size() == 1 ? from : inner);
    }
  }

  private static Map<String, Object> fromAnd(Object from, String key, @Nullable Object value) {
    Map<String, Object> map = new LinkedHashMap<>();
    map.put("from", from);
    put(map, key, value);
    return map;
  }

  private static Map<String, Object> list(AccessList list) {
    Map<String, Object> map = new LinkedHashMap<>();
    List<Object> guards = new ArrayList<>();
    for (AccessList.Guard guard : list.guards()) {
      Map<String, Object> guarded = new LinkedHashMap<>();
      put(guarded, "arriving", name(guard.arriving()));
      put(guarded, "leaving", name(guard.leaving()));
      put(guarded, "to", guard.toDevice() ? Site.SELF : null);
      guards.add(guarded);
    }
    put(map, "guards", guards.size() == 1 ? guards.get(0) : guards);
    putIf(map, "stateless", list.stateless());
    put(map, "rules", list.rules().stream().map(SiteWriter::rule).toList());
    map.put("otherwise", list.otherwiseText());
    put(map, "note", list.note());
    return map;
  }

  private static void flags(Map<String, Object> groups, String key, int flags) {
    put(groups, key, flags == 0 ? null : some(Flags.names(flags)));
  }

  private static Map<String, Object> rule(AccessRule rule) {
    Map<String, Object> map = new LinkedHashMap<>();
    map.put(rule.action().toString(), rule.name());
    put(map, "from", terms(rule.from()));
    put(map, "to", terms(rule.to()));
    put(map, "service", services(rule.services()));
    PortSet ports = rule.sourcePorts();
    put(map, "source-port", ports == null ? null : some(List.of(ports.toString().split(","))));
    Flags flags = rule.flags();
    if (flags != null) {
      Map<String, Object> groups = new LinkedHashMap<>();
      flags(groups, "any", flags.any());
      flags(groups, "all", flags.all());
      flags(groups, "none", flags.none());
      map.put("flags", groups);
    }
    put(map, "when", rule.when() == null ? null : rule.when().name());
    putIf(map, "log", rule.log());
    putIf(map, "disabled", rule.disabled());
    put(map, "note", rule.note());
    return map;
  }
}
