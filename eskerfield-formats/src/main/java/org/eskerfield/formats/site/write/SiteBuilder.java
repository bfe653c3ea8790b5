// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.write;

import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.time.ZoneId;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.function.UnaryOperator;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Action;
import org.eskerfield.model.Assignment;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;

/**
 * Builds a site in code, object after object.
 *
 * <p>What is built is what a file would say: names and literals stand wherever a file has them, and
 * {@link #build} reads it as a file is read. So what comes of it is a whole site or a list of all
 * that is wrong with it, and {@link #text} is always a file that can be read.
 */
public final class SiteBuilder {
  private final Map<String, Object> tree = new LinkedHashMap<>();

  private SiteBuilder(String title) {
    tree.put("eskerfield", 1);
    tree.put("site", title);
  }

  /** Begins a site. */
  public static SiteBuilder site(String title) {
    return new SiteBuilder(title);
  }

  /** The time zone of its schedules; UTC if none is set. */
  public SiteBuilder timeZone(ZoneId zone) {
    tree.put("time-zone", zone.getId());
    return this;
  }

  /** A network. */
  public SiteBuilder network(String name, UnaryOperator<NetworkPart> as) {
    return with("networks", name, as.apply(new NetworkPart()).map);
  }

  /** A host; on the internet if it is on no network. */
  public SiteBuilder host(String name, UnaryOperator<HostPart> as) {
    return with("hosts", name, as.apply(new HostPart()).map);
  }

  /** A service of its own: {@code 502/tcp}. */
  public SiteBuilder service(String name, String... parts) {
    return with("services", name, List.of(parts));
  }

  /** A group of addresses. */
  public SiteBuilder group(String name, String... members) {
    return with("groups", name, List.of(members));
  }

  /** A schedule of one window: {@code mon-fri}, {@code 07:00-18:00}. */
  public SiteBuilder schedule(String name, String days, String hours) {
    return with("schedules", name, Map.of("days", days, "hours", hours));
  }

  /** A name of the DNS and what it resolves to. */
  public SiteBuilder name(String name, String address) {
    return with("names", name, address);
  }

  /** A device. */
  public SiteBuilder device(String name, UnaryOperator<DevicePart> as) {
    return with("devices", name, as.apply(new DevicePart()).map);
  }

  /** Adds an expectation: a conversation to an address, and its outcome. */
  public SiteBuilder expect(String from, String to, String service, Outcome outcome) {
    return expect(from, to, service, outcome.toString());
  }

  /** Adds an expectation: a conversation that a host must answer. */
  public SiteBuilder expectAnswer(String from, String to, String service, String host) {
    return expect(from, to, service, Outcome.ANSWERED + " by " + host);
  }

  private SiteBuilder expect(String from, String to, String service, String outcome) {
    Map<String, Object> item = new LinkedHashMap<>();
    item.put("from", from);
    item.put("to", to);
    item.put("service", service);
    item.put("outcome", outcome);
    Part.list(tree, "expect").add(item);
    return this;
  }

  private SiteBuilder with(String key, String name, Object value) {
    Object before = Part.map(tree, key).put(name, value);
    if (before != null) {
      throw new IllegalArgumentException("'" + name + "' stands twice under '" + key + "'");
    }
    return this;
  }

  /**
   * The site with its expectations; places are those of {@link #text}.
   *
   * @throws UnreadableSiteException if the site is wrong, with all problems
   */
  public SiteFile build() throws UnreadableSiteException {
    try {
      byte[] text = SiteWriter.text(tree).getBytes(StandardCharsets.UTF_8);
      return SiteReader.read("built", new ByteArrayInputStream(text));
    } catch (IOException e) {
      throw new UncheckedIOException("reading from memory does not fail", e);
    }
  }

  /**
   * The text of the site file.
   *
   * @throws UnreadableSiteException if it could not be read
   */
  public String text() throws UnreadableSiteException {
    build();
    return SiteWriter.text(tree);
  }

  /** Something with keys. */
  abstract static class Part<P extends Part<P>> {
    final Map<String, Object> map = new LinkedHashMap<>();

    abstract P self();

    P put(String key, Object value) {
      map.put(key, value);
      return self();
    }

    P putAll(String key, String... values) {
      return put(key, values.length == 1 ? values[0] : List.of(values));
    }

    @SuppressWarnings("unchecked") // only this class puts values there
    static Map<String, Object> map(Map<String, Object> in, String key) {
      return (Map<String, Object>) in.computeIfAbsent(key, k -> new LinkedHashMap<>());
    }

    @SuppressWarnings("unchecked") // only this class puts values there
    static List<Object> list(Map<String, Object> in, String key) {
      return (List<Object>) in.computeIfAbsent(key, k -> new ArrayList<>());
    }

    /** The engineer's remark. */
    public P note(String text) {
      return put("note", text);
    }
  }

  /** A network. */
  public static final class NetworkPart extends Part<NetworkPart> {
    private NetworkPart() {}

    @Override
    NetworkPart self() {
      return this;
    }

    /** The prefixes of the network. */
    public NetworkPart prefix(String... prefixes) {
      return putAll("prefix", prefixes);
    }

    /** The zone that it is in. */
    public NetworkPart zone(String zone) {
      return put("zone", zone);
    }

    /** The carrier's router on it. */
    public NetworkPart carrier(String... addresses) {
      return putAll("carrier", addresses);
    }

    /** A block that the carrier also sends here. */
    public NetworkPart routed(String block, String via) {
      return put("routed", Map.of("to", block, "via", via));
    }

    /** The largest packet that it takes, in bytes. */
    public NetworkPart mtu(int bytes) {
      return put("mtu", bytes);
    }

    /** The resolver that its hosts ask. */
    public NetworkPart resolver(String host) {
      return put("resolver", host);
    }
  }

  /** A host. */
  public static final class HostPart extends Part<HostPart> {
    private HostPart() {
      map.put("on", Site.INTERNET);
    }

    @Override
    HostPart self() {
      return this;
    }

    /** The networks that it is on. */
    public HostPart on(String... networks) {
      return putAll("on", networks);
    }

    /** The addresses of the host. */
    public HostPart at(String... addresses) {
      return putAll("at", addresses);
    }

    /** How it comes by them. */
    public HostPart assigned(Assignment how) {
      return put("assigned", how.toString());
    }

    /** The services that the host listens on. */
    public HostPart listens(String... services) {
      return putAll("listens", services);
    }

    /** Where it sends what is not on its own network. */
    public HostPart gateway(String... addresses) {
      return putAll("gateway", addresses);
    }

    /** Whom it asks for names. */
    public HostPart resolver(String host) {
      return put("resolver", host);
    }
  }

  /** A device. */
  public static final class DevicePart extends Part<DevicePart> {
    private DevicePart() {
      otherwise(Action.DROP);
    }

    @Override
    DevicePart self() {
      return this;
    }

    /** The default from one zone to another where no list guards; first match wins. */
    public DevicePart stance(String fromZone, String toZone, Action action) {
      Map<String, Object> stance = map(map, "stance");
      Object otherwise = stance.remove("otherwise"); // what is asked last stands last
      stance.put(fromZone + " to " + toZone, action.toString());
      stance.put("otherwise", otherwise == null ? Action.DROP.toString() : otherwise);
      return this;
    }

    /** The default for all other traffic that no list guards; drop if left out. */
    public DevicePart otherwise(Action action) {
      map(map, "stance").put("otherwise", action.toString());
      return this;
    }

    /** An interface with an address of its own. */
    public DevicePart attach(String name, String network, String... addresses) {
      Map<String, Object> own = map(map(map, "interfaces"), name);
      own.put("on", network);
      own.put("at", addresses.length == 1 ? addresses[0] : List.of(addresses));
      return this;
    }

    /** An interface whose address the carrier assigns. */
    public DevicePart attachAssigned(String name, String network, String... now) {
      attach(name, network, now);
      Map<String, Object> own = map(map(map, "interfaces"), name);
      own.put("now", own.put("at", Assignment.BY_CARRIER.toString()));
      return this;
    }

    /** The state of an interface that was attached. */
    public DevicePart state(String name, Interface.State state) {
      map(map(map, "interfaces"), name).put("state", state.toString());
      return this;
    }

    /** The largest packet that leaves by an interface that was attached, in bytes. */
    public DevicePart mtu(String name, int bytes) {
      map(map(map, "interfaces"), name).put("mtu", bytes);
      return this;
    }

    /** The largest segment that SYNs may ask for when they pass an interface, in bytes. */
    public DevicePart largestSegment(String name, int bytes) {
      map(map(map, "interfaces"), name).put("largest-segment", bytes);
      return this;
    }

    /** A route; {@code any} for every destination. */
    public DevicePart route(String to, String via) {
      list(map, "routes").add(Map.of("to", to, "via", via));
      return this;
    }

    /** A service of the device itself, and who may reach it. */
    public DevicePart serves(String service, String... from) {
      list(map, "services").add(Map.of("service", service, "from", List.of(from)));
      return this;
    }

    /** Packets to an external address go to a host instead. */
    public DevicePart destination(String name, UnaryOperator<DestinationPart> as) {
      return rule(as.apply(new DestinationPart(name)));
    }

    /** An external address stands for a host, both ways. */
    public DevicePart fixed(String name, UnaryOperator<StaticPart> as) {
      return rule(as.apply(new StaticPart(name)));
    }

    /** An external IPv6 prefix stands for an internal one, both ways and without state. */
    public DevicePart prefix(String name, UnaryOperator<PrefixPart> as) {
      return rule(as.apply(new PrefixPart(name)));
    }

    /** Many share one address. */
    public DevicePart shared(String name, UnaryOperator<SourcePart> as) {
      return rule(as.apply(new SourcePart("shared", name)));
    }

    /** Each borrows an address of a pool. */
    public DevicePart dynamic(String name, UnaryOperator<SourcePart> as) {
      return rule(as.apply(new SourcePart("dynamic", name)));
    }

    /** Nothing is translated between two sides. */
    public DevicePart untouched(String name, String from, String to) {
      Map<String, Object> rule = new LinkedHashMap<>();
      rule.put("untouched", name);
      rule.put("from", from);
      rule.put("to", to);
      list(map, "translation").add(rule);
      return this;
    }

    private DevicePart rule(Part<?> rule) {
      list(map, "translation").add(rule.map);
      return this;
    }

    /** A rule list. */
    public DevicePart list(String name, UnaryOperator<ListPart> as) {
      map(map, "access").put(name, as.apply(new ListPart()).map);
      return this;
    }
  }

  /** What rules that lead inside have in common. */
  abstract static class InwardPart<P extends InwardPart<P>> extends Part<P> {
    /** Which insiders may use the external address, too. */
    public P hairpin(String... interfacesOrZones) {
      return putAll("hairpin", interfacesOrZones);
    }
  }

  /** What rules that act both ways have in common. */
  abstract static class BothWaysPart<P extends BothWaysPart<P>> extends InwardPart<P> {
    /** The interface or zone of the external side. */
    public P facing(String interfaceOrZone) {
      return put("facing", interfaceOrZone);
    }

    /** The external address or block. */
    public P external(String where) {
      return put("external", where);
    }

    /** The host or block inside; of a prefix rule also the network that has it. */
    public P internal(String where) {
      return put("internal", where);
    }
  }

  /** A destination rule. */
  public static final class DestinationPart extends InwardPart<DestinationPart> {
    private DestinationPart(String name) {
      map.put("destination", name);
    }

    @Override
    DestinationPart self() {
      return this;
    }

    /** The interface or zone by which packets arrive. */
    public DestinationPart arriving(String interfaceOrZone) {
      return put("arriving", interfaceOrZone);
    }

    /** The external address and service: {@code uplink 8443/tcp}. */
    public DestinationPart at(String where) {
      return put("at", where);
    }

    /** The host, and its port where that is another: {@code till 443}. */
    public DestinationPart becomes(String host) {
      return put("becomes", host);
    }

    /** Whose packets only. */
    public DestinationPart from(String... whom) {
      return putAll("from", whom);
    }

    /** Who is let in by the rule itself. */
    public DestinationPart admit(String... from) {
      return putAll("admit", from);
    }
  }

  /** A static rule. */
  public static final class StaticPart extends BothWaysPart<StaticPart> {
    private StaticPart(String name) {
      map.put("static", name);
    }

    @Override
    StaticPart self() {
      return this;
    }

    /** Who is let in by the rule itself. */
    public StaticPart admit(String... from) {
      return putAll("admit", from);
    }
  }

  /** A prefix rule. */
  public static final class PrefixPart extends BothWaysPart<PrefixPart> {
    private PrefixPart(String name) {
      map.put("prefix", name);
    }

    @Override
    PrefixPart self() {
      return this;
    }
  }

  /** A shared or dynamic rule. */
  public static final class SourcePart extends Part<SourcePart> {
    private SourcePart(String kind, String name) {
      map.put(kind, name);
    }

    @Override
    SourcePart self() {
      return this;
    }

    /** The sources. */
    public SourcePart from(String... whom) {
      return putAll("from", whom);
    }

    /** The destinations; everywhere if none is named. */
    public SourcePart to(String... where) {
      return putAll("to", where);
    }

    /** Where they leave. */
    public SourcePart leaving(String interfaceOrZone) {
      return put("leaving", interfaceOrZone);
    }

    /** The external addresses; a shared rule without uses the interface's own. */
    public SourcePart pool(String... addresses) {
      return putAll("pool", addresses);
    }
  }

  /** A rule list. */
  public static final class ListPart extends Part<ListPart> {
    private ListPart() {
      map.put("otherwise", Action.DROP.toString());
    }

    @Override
    ListPart self() {
      return this;
    }

    /** Guards packets that arrive by an interface or zone. */
    public ListPart arriving(String interfaceOrZone) {
      list(map, "guards").add(Map.of("arriving", interfaceOrZone));
      return this;
    }

    /** Guards packets that arrive by one and leave by another interface or zone. */
    public ListPart between(String arriving, String leaving) {
      list(map, "guards").add(Map.of("arriving", arriving, "leaving", leaving));
      return this;
    }

    /** Guards packets to the device itself. */
    public ListPart toDevice() {
      list(map, "guards").add(Map.of("to", Site.SELF));
      return this;
    }

    /** A rule. */
    public ListPart rule(Action action, String name, UnaryOperator<AccessPart> as) {
      list(map, "rules").add(as.apply(new AccessPart(action, name)).map);
      return this;
    }

    /** The action for packets that no rule matches; drop if left out. */
    public ListPart otherwise(Action action) {
      return put("otherwise", action.toString());
    }
  }

  /** An access rule. */
  public static final class AccessPart extends Part<AccessPart> {
    private AccessPart(Action action, String name) {
      map.put(action.toString(), name);
    }

    @Override
    AccessPart self() {
      return this;
    }

    /** The sources; everybody if none is named. */
    public AccessPart from(String... whom) {
      return putAll("from", whom);
    }

    /** The destinations; everywhere if none is named. */
    public AccessPart to(String... where) {
      return putAll("to", where);
    }

    /** The services; every one if none is named. */
    public AccessPart service(String... services) {
      return putAll("service", services);
    }

    /** The schedule within which it acts. */
    public AccessPart when(String schedule) {
      return put("when", schedule);
    }

    /** A match is logged. */
    public AccessPart log() {
      return put("log", true);
    }
  }
}
