// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.report.map;

import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Deque;
import java.util.HashMap;
import java.util.IdentityHashMap;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.regex.Pattern;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Network;
import org.eskerfield.model.Placed;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Prefix;
import org.eskerfield.report.draw.Theme;
import org.eskerfield.trace.Labels;
import org.eskerfield.words.Printable;
import org.jspecify.annotations.Nullable;

/** What stands on the map of a site, and what is linked; how it is laid out, others decide. */
final class MapPlan {
  /**
   * How much is written.
   *
   * @param hosts how many hosts of a network, at most
   * @param offers how many offered services of a device, at most
   * @param listens whether to say what hosts listen on
   * @param lines on how many lines a network stands below its name: 1, where its prefix stands
   *     beside it, 2, or as many as it needs
   * @param folds whether networks that only one device is on stand together in one box
   */
  record Detail(int hosts, int offers, boolean listens, int lines, boolean folds) {
    Detail(int hosts, int offers, boolean listens, int lines) {
      this(hosts, offers, listens, lines, false);
    }

    /** Whether boxes stand close, since there are many. */
    boolean isTight() {
      return lines <= 2;
    }
  }

  /** From everything to next to nothing: the first that can be read at the usual size is taken. */
  static final List<Detail> DETAILS =
      List.of(
          new Detail(16, 12, true, 99),
          new Detail(8, 6, false, 99),
          new Detail(4, 3, false, 99),
          new Detail(0, 0, false, 99),
          new Detail(0, 0, false, 2),
          new Detail(0, 0, false, 1),
          new Detail(0, 0, false, 1, true));

  /** How many other devices stand around one. */
  private static final int MOST_BESIDE = 12;

  /** So many networks behind a device at least are folded. */
  private static final int MANY = 3;

  private static final Pattern TUNNEL =
      Pattern.compile("(?<![a-z])(tunnel|vpn)", Pattern.CASE_INSENSITIVE);

  /** The name of the internet's box; no network can have it. */
  static final String INTERNET = "";

  /**
   * A line between two boxes.
   *
   * @param from the box nearer to the internet
   * @param to the other
   * @param fromPort the port at its start, or null
   * @param toPort the port at its end, or null
   * @param down whether nothing gets through
   */
  record Link(
      Box from, Box to, Box.@Nullable Port fromPort, Box.@Nullable Port toPort, boolean down) {}

  final Map<String, Box> networks = new LinkedHashMap<>();
  final Map<String, Box> devices = new LinkedHashMap<>();

  /** By {@link #key}, each once. */
  final Map<String, Link> links = new LinkedHashMap<>();

  /** Of those interfaces that are shown; equal ones of two devices are two. */
  private final IdentityHashMap<Interface, Box.Port> ports = new IdentityHashMap<>();

  private final Site site;

  /** The device around which everything is shown; null for the whole site. */
  private final @Nullable Device focus;

  /** How much is written. */
  final Detail detail;

  private final List<Host> kept;

  /**
   * Plans a map.
   *
   * @param focus of which only the networks are shown, with the devices on them; null for all
   * @param kept hosts that are shown in any case, also those that the site does not name
   */
  MapPlan(Site site, Detail detail, @Nullable Device focus, List<Host> kept) {
    this.site = site;
    this.focus = focus;
    this.detail = detail;
    this.kept = kept;
    List<Network> shown = site.networks().values().stream().filter(this::isShown).toList();
    boolean outside = shown.stream().anyMatch(network -> !network.carrier().isEmpty());
    if (focus == null) {
      outside |= kept.stream().anyMatch(Host::isOutside);
      outside |= site.hosts().values().stream().anyMatch(Host::isOutside);
    }
    if (outside) {
      networks.put(INTERNET, internet());
    }
    List<String> zones = List.copyOf(site.zones());
    for (Network network : shown) {
      networks.put(network.name(), box(network, zones.indexOf(network.zone())));
    }
    for (Device device : besides(shown)) {
      devices.put(device.name(), box(device));
    }
    boxes().forEach(Box::wrap);
    areas();
    link();
  }

  /** Which devices are shown: all, or the one in focus and some of the others on its networks. */
  private List<Device> besides(List<Network> shown) {
    if (focus == null) {
      return List.copyOf(site.devices().values());
    }
    Set<Device> besides = new LinkedHashSet<>(List.of(focus));
    for (Network network : shown) {
      int left = 0;
      for (Device device : site.devices().values()) {
        boolean on = device.interfaces().stream().anyMatch(own -> own.network().equals(network));
        if (on && !besides.contains(device) && besides.size() > MOST_BESIDE) {
          left++;
        } else if (on) {
          besides.add(device);
        }
      }
      if (left > 0) {
        required(networks, network.name())
            .add("faint", left + (left == 1 ? " more device" : " more devices"), tip(network));
      }
    }
    return List.copyOf(besides);
  }

  private boolean isShown(Network network) {
    return focus == null
        || focus.interfaces().stream().anyMatch(own -> own.network().equals(network));
  }

  /** Networks of one zone stand together, the internet with those that lead to it. */
  private void areas() {
    Map<String, List<Box>> zones = new LinkedHashMap<>();
    networks.forEach(
        (name, box) -> {
          if (box.kind == Box.Kind.SEVERAL) {
            return;
          }
          Network network = site.networks().get(name);
          String zone = network == null ? Site.INTERNET : network.zone();
          zones.computeIfAbsent(zone, each -> new ArrayList<>()).add(box);
        });
    zones.forEach((zone, boxes) -> boxes.forEach(box -> box.area = boxes.size() > 1 ? zone : ""));
  }

  /** Whether the file calls a network a tunnel: its name, zone or note, or those who are on it. */
  private boolean isTunnel(Network network) {
    String said = network.name() + " " + network.zone() + " " + network.note();
    for (Interface own : site.interfacesOn(network)) {
      said += " " + own.name() + " " + own.note();
    }
    return TUNNEL.matcher(said).find() && !network.isOutside();
  }

  List<Box> boxes() {
    Set<Box> all = new LinkedHashSet<>(networks.values()); // those that are folded share one
    all.addAll(devices.values());
    return List.copyOf(all);
  }

  /** The link of an interface, or of a network to the internet if there is no interface. */
  static String key(Network network, @Nullable String device, @Nullable Interface own) {
    return own == null ? "internet " + network.name() : device + " " + own.name();
  }

  // Boxes.

  private Box internet() {
    Box box = new Box(Box.Kind.INTERNET, INTERNET, "the internet", "zone-internet", "the internet");
    List<Host> outside = new ArrayList<>();
    for (Host host : hosts()) {
      if (host.isOutside()) {
        outside.add(host);
      }
    }
    addHosts(box, outside);
    return box;
  }

  private Box box(Network network, int zone) {
    boolean isInternet = network.isOutside();
    String strip = isInternet ? "zone-internet" : "zone-" + zone % Theme.ZONES;
    Box box = new Box(Box.Kind.NETWORK, network.name(), network.name(), strip, tip(network));
    StringBuilder prefixes = new StringBuilder();
    for (Prefix prefix : network.prefixes()) {
      prefixes.append(prefixes.isEmpty() ? "" : ", ").append(prefix);
    }
    box.add("plain", prefixes.toString(), tip(network));
    String realm = network.realm() == null ? "" : ", realm " + network.realm();
    box.add("faint", "zone " + network.zone() + realm, tip(network));
    for (Address carrier : network.carrier()) {
      box.add("faint", "carrier " + carrier, tip(network));
    }
    for (Network.Routed block : network.routed()) {
      box.add("faint", block.to() + " via " + block.via(), tip(block));
    }
    box.tunnel = isTunnel(network);
    List<Host> here = new ArrayList<>();
    for (Host host : hosts()) {
      if (host.isOn(network)) {
        here.add(host);
      }
    }
    addHosts(box, here);
    tighten(box);
    return box;
  }

  /** Joins lines until they are few enough; those of hosts stay, since ways end at them. */
  private void tighten(Box box) {
    if (detail.lines() == 1) {
      box.beside = box.lines.remove(0).text();
    }
    List<Box.Line> joined = new ArrayList<>();
    List<Box.Line> own = new ArrayList<>();
    for (Box.Line line : box.lines) {
      if (!line.name().isEmpty()) {
        own.add(line);
      } else if (joined.size() < detail.lines()) {
        joined.add(line);
      } else {
        Box.Line last = joined.remove(joined.size() - 1);
        joined.add(
            new Box.Line(
                "",
                last.text() + ", " + line.text(),
                last.style(),
                last.tip() + "; " + line.tip()));
      }
    }
    box.lines.clear();
    box.lines.addAll(joined);
    box.lines.addAll(own);
  }

  private List<Host> hosts() {
    List<Host> all = new ArrayList<>(site.hosts().values());
    for (Host host : kept) {
      if (!site.hosts().containsKey(host.name())) {
        all.add(host);
      }
    }
    return all;
  }

  private boolean isKept(Host host) {
    return kept.stream().anyMatch(other -> other.name().equals(host.name()));
  }

  private void addHosts(Box box, List<Host> hosts) {
    int left = hosts.size() <= detail.hosts() + 1 ? hosts.size() : detail.hosts();
    int folded = 0;
    StringBuilder names = new StringBuilder();
    for (Host host : hosts) {
      boolean shown = left > 0 || isKept(host);
      left--;
      if (shown) {
        box.lines.add(new Box.Line(host.name(), text(host, box), "plain", tip(host)));
      } else {
        folded++;
        names.append(names.isEmpty() ? "" : ", ").append(host.name());
        names.append(" (").append(host.place()).append(")");
      }
    }
    if (folded > 0) {
      String number = folded < hosts.size() ? folded + " more" : "" + folded;
      box.add("faint", number + (folded == 1 ? " host" : " hosts"), names.toString());
    }
  }

  private String text(Host host, Box on) {
    StringBuilder text = new StringBuilder();
    for (Address address : host.addresses()) {
      Network network = site.networkOf(address);
      boolean elsewhere = network != null && !network.name().equals(on.name);
      if (!elsewhere || host.networks().size() < 2) {
        text.append(text.isEmpty() ? "" : ", ").append(address);
      }
    }
    String named = host.name().equals(text.toString()) ? "" : host.name() + "  ";
    String listens = "";
    if (detail.listens() && !host.listens().isEmpty()) {
      StringBuilder services = new StringBuilder();
      for (ServiceTerm term : host.listens()) {
        services.append(services.isEmpty() ? "" : ", ").append(term.text());
      }
      listens = "  listens on " + services;
    }
    return named + text + listens + (host.off() ? "  (off)" : "");
  }

  private Box box(Device device) {
    Box box = new Box(Box.Kind.DEVICE, device.name(), device.name(), "", tip(device));
    if (device.note() != null) {
      box.add("faint", Printable.line(device.note()), tip(device));
    }
    offers(box, device);
    List<Interface> folded = folded(device);
    Box several = folded.isEmpty() ? null : several(device, folded, box);
    int hidden = 0;
    for (Interface own : device.interfaces()) {
      if (!isShown(own.network())) {
        hidden++;
        continue;
      }
      if (several != null && folded.contains(own)) {
        networks.put(own.network().name(), several);
        ports.put(own, box.ports.get(0));
        continue;
      }
      List<String> below = new ArrayList<>();
      for (Address address : own.addresses()) {
        below.add(address.toString());
      }
      if (!own.isUp()) {
        below.add("(" + own.state() + ")");
      }
      Box.Port port = new Box.Port(own.name(), below, "interface " + own.name() + ", " + tip(own));
      box.ports.add(port);
      ports.put(own, port);
    }
    if (hidden > 0) {
      box.add("faint", hidden + (hidden == 1 ? " more interface" : " more interfaces"), null);
    }
    return box;
  }

  /** The interfaces of a device whose networks nobody else is on, and nobody has to be seen on. */
  private List<Interface> folded(Device device) {
    List<Interface> alone = new ArrayList<>();
    for (Interface own : device.interfaces()) {
      Network network = own.network();
      boolean plain =
          isShown(network)
              && own.isUp() // one that is not has to be seen
              && !network.isOutside()
              && network.carrier().isEmpty()
              && site.interfacesOn(network).size() == 1
              && kept.stream().noneMatch(host -> host.isOn(network));
      if (plain && detail.folds()) {
        alone.add(own);
      }
    }
    return alone.size() < MANY ? List.of() : alone;
  }

  private Box several(Device device, List<Interface> folded, Box on) {
    String title = folded.size() + " networks behind " + device.name();
    Box box = new Box(Box.Kind.SEVERAL, title, title, "", tip(device));
    for (Interface own : folded) {
      Network network = own.network();
      long hosts = site.hosts().values().stream().filter(host -> host.isOn(network)).count();
      String line =
          network.name()
              + " "
              + String.join(", ", network.prefixes().stream().map(Prefix::toString).toList())
              + ", zone "
              + network.zone()
              + (hosts == 0 ? "" : ", " + hosts + (hosts == 1 ? " host" : " hosts"))
              + "; "
              + own.name()
              + " "
              + String.join(", ", own.addresses().stream().map(Address::toString).toList());
      box.add("plain", line, tip(network) + "; interface " + own.name() + ", " + tip(own));
    }
    on.ports.add(new Box.Port(folded.size() + " interfaces", List.of(), tip(device)));
    return box;
  }

  /** What the rules of a device offer at its edge. */
  private void offers(Box box, Device device) {
    List<Box.Line> all = new ArrayList<>();
    for (InwardRule rule : device.inward()) {
      if (!rule.disabled()) {
        String ports = rule.internalPorts() == null ? "" : " " + rule.internalPorts();
        String text =
            rule.external().text() + services(rule) + " → " + rule.internal().text() + ports;
        all.add(new Box.Line("", text, "plain", Labels.of(rule) + ", " + tip(rule)));
      }
    }
    if (all.isEmpty()) {
      return;
    }
    int shown = all.size() <= detail.offers() + 1 ? all.size() : detail.offers();
    box.add("faint", shown == 0 ? "offers " + all.size() + " services" : "offers", null);
    box.lines.addAll(all.subList(0, shown));
    if (shown > 0 && shown < all.size()) {
      box.add("faint", "and " + (all.size() - shown) + " more", null);
    }
  }

  private static String services(InwardRule rule) {
    StringBuilder text = new StringBuilder();
    for (ServiceTerm term : rule.services()) {
      text.append(text.isEmpty() ? " " : ", ").append(term.text());
    }
    return text.toString();
  }

  private static String tip(Placed thing) {
    String note =
        thing instanceof Host host && host.note() != null
            ? host.note() + ", "
            : thing instanceof Network network && network.note() != null
                ? network.note() + ", "
                : thing instanceof Interface own && own.note() != null ? own.note() + ", " : "";
    return Printable.line(note + thing.place());
  }

  // Links, each from the box that is nearer to the internet.

  private void link() {
    Map<Box, Integer> depths = depths();
    Set<Box> folded = new LinkedHashSet<>();
    for (Device device : shown()) {
      Box box = required(devices, device.name());
      for (Interface own : device.interfaces()) {
        Box.Port port = ports.get(own);
        Box network = networks.get(own.network().name());
        if (port == null
            || network == null
            || (network.kind == Box.Kind.SEVERAL && !folded.add(network))) {
          continue; // those that are folded have one line
        }
        boolean outward = depth(depths, network) > depth(depths, box);
        links.put(
            key(own.network(), device.name(), own),
            outward
                ? new Link(box, network, port, null, !own.isUp())
                : new Link(network, box, null, port, !own.isUp()));
      }
    }
    Box internet = networks.get(INTERNET);
    for (Network network : site.networks().values()) {
      if (internet != null && !network.carrier().isEmpty() && isShown(network)) {
        Box box = required(networks, network.name());
        links.put(key(network, null, null), new Link(internet, box, null, null, false));
      }
    }
  }

  private List<Device> shown() {
    return site.devices().values().stream()
        .filter(device -> devices.containsKey(device.name()))
        .toList();
  }

  private Map<Box, Integer> depths() {
    Map<Box, Set<Box>> neighbours = new HashMap<>();
    for (Device device : shown()) {
      Box box = required(devices, device.name());
      for (Interface own : device.interfaces()) {
        Box network = networks.get(own.network().name());
        if (network == null) {
          continue;
        }
        neighbours.computeIfAbsent(box, b -> new LinkedHashSet<>()).add(network);
        neighbours.computeIfAbsent(network, b -> new LinkedHashSet<>()).add(box);
      }
    }
    Map<Box, Integer> depths = new HashMap<>();
    Deque<Box> open = new ArrayDeque<>();
    Box internet = networks.get(INTERNET);
    if (internet != null) {
      depths.put(internet, 0);
      for (Network network : site.networks().values()) {
        if (!network.carrier().isEmpty() && isShown(network)) {
          Box box = required(networks, network.name());
          depths.put(box, 1);
          open.add(box);
        }
      }
    }
    List<Box> starts = new ArrayList<>(devices.values());
    starts.addAll(networks.values());
    for (Box start : starts) {
      while (!open.isEmpty()) {
        Box box = open.remove();
        for (Box next : neighbours.getOrDefault(box, Set.of())) {
          if (!depths.containsKey(next)) {
            depths.put(next, depth(depths, box) + 1);
            open.add(next);
          }
        }
      }
      if (!depths.containsKey(start)) {
        depths.put(start, 0);
        open.add(start);
      }
    }
    return depths;
  }

  private static int depth(Map<Box, Integer> depths, Box box) {
    Integer depth = depths.get(box);
    return depth == null ? 0 : depth;
  }

  private static <T> T required(Map<String, T> all, String name) {
    T found = all.get(name);
    if (found == null) {
      throw new IllegalStateException("nothing on the map is called " + name);
    }
    return found;
  }
}
