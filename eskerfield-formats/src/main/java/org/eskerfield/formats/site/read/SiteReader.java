// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.read;

import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.DateTimeException;
import java.time.ZoneId;
import java.util.ArrayDeque;
import java.util.Deque;
import java.util.HashSet;
import java.util.Iterator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Set;
import java.util.TreeSet;
import org.eskerfield.check.Policy;
import org.eskerfield.formats.Problem;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.literal.BadLiteralException;
import org.eskerfield.formats.literal.Literals;
import org.eskerfield.formats.literal.Problems;
import org.eskerfield.formats.site.shape.SiteShapes;
import org.eskerfield.formats.yaml.Node;
import org.eskerfield.formats.yaml.SourceText;
import org.eskerfield.formats.yaml.YamlParser;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Device;
import org.eskerfield.model.Group;
import org.eskerfield.model.Guarantee;
import org.eskerfield.model.Host;
import org.eskerfield.model.Network;
import org.eskerfield.model.Place;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Size;
import org.eskerfield.verify.Expectation;
import org.eskerfield.words.Printable;
import org.jspecify.annotations.Nullable;

/**
 * Reads site files: all of a file, or all that is wrong with it.
 *
 * <p>The text becomes a tree ({@link YamlParser}), the tree is checked against the grammar ({@link
 * SiteShapes}, {@link Fields}), and then each part is given its meaning here and in {@link
 * DeviceReader}. No stage stops at the first problem.
 */
public final class SiteReader {
  private static final ZoneId UTC = ZoneId.of("UTC");

  private final SourceText source;
  private final Problems problems;
  private final Terms terms;
  private final Map<String, Network> networks = new LinkedHashMap<>();
  private final Map<String, Host> hosts = new LinkedHashMap<>();
  private final Map<String, Group> groups = new LinkedHashMap<>();
  private final Map<String, Device> devices = new LinkedHashMap<>();

  /** Who has an address on a network, by both, to find the second. */
  private final Map<String, String> holders = new LinkedHashMap<>();

  private final Neighbours neighbours = new Neighbours();

  private SiteReader(SourceText source) {
    this.source = source;
    this.problems = new Problems(source);
    this.terms = new Terms(problems);
  }

  /**
   * Reads the site of a site file.
   *
   * @throws UnreadableSiteException if the file does not exist, is no text or has any problem
   */
  public static Site read(Path file) throws UnreadableSiteException {
    return readFile(file).site();
  }

  /**
   * Reads a site file with its expectations.
   *
   * @throws UnreadableSiteException if the file does not exist, is no text or has any problem
   */
  public static SiteFile readFile(Path file) throws UnreadableSiteException {
    String name = String.valueOf(file.getFileName());
    if (Files.isDirectory(file)) {
      throw unreadable(name, file + " is a folder", "name the site file in it");
    }
    try (InputStream in = Files.newInputStream(file)) {
      return read(name, in, file.getParent());
    } catch (java.nio.file.NoSuchFileException e) {
      throw unreadable(name, "there is no file " + file, "check the path");
    } catch (java.nio.file.AccessDeniedException e) {
      throw unreadable(name, file + " may not be read", "check its permissions");
    } catch (IOException e) {
      throw unreadable(name, file + " cannot be read: " + e.getMessage(), "check the path");
    }
  }

  /** Reads a site from a text; {@code file} is the name that messages call it by. */
  public static Site read(String file, String text) throws UnreadableSiteException {
    try {
      byte[] bytes = text.getBytes(StandardCharsets.UTF_8);
      return read(file, new ByteArrayInputStream(bytes)).site();
    } catch (IOException e) {
      throw unreadable(file, "the text cannot be read: " + e.getMessage(), "is it text?");
    }
  }

  /**
   * Reads a site file from a stream, which stays open.
   *
   * @param file the name that messages call it by
   * @throws IOException if the stream fails
   */
  public static SiteFile read(String file, InputStream in)
      throws UnreadableSiteException, IOException {
    return read(file, in, null);
  }

  /**
   * Reads the site of a file, whatever its expectations say.
   *
   * @throws IOException if the file cannot be read
   */
  public static Site readWithoutExpectations(Path file)
      throws UnreadableSiteException, IOException {
    try (InputStream in = Files.newInputStream(file)) {
      SourceText source = SourceText.read(String.valueOf(file.getFileName()), in);
      return new SiteReader(source).site(null, /* withExpectations= */ false).site();
    } catch (SourceText.UnusableTextException e) {
      throw new IOException(e.getMessage(), e);
    }
  }

  /**
   * Reads a site file from a stream, which stays open.
   *
   * @param file the name that messages call it by
   * @param folder where the file stands, for the files that it names; null if it names none
   * @throws IOException if the stream fails
   */
  public static SiteFile read(String file, InputStream in, @Nullable Path folder)
      throws UnreadableSiteException, IOException {
    SourceText source;
    try {
      source = SourceText.read(file, in);
    } catch (SourceText.UnusableTextException e) {
      throw new UnreadableSiteException(
          file, List.of(new Problem(e.place(), Objects.toString(e.getMessage()), e.remedy(), "")));
    }
    return new SiteReader(source).site(folder, /* withExpectations= */ true);
  }

  private static UnreadableSiteException unreadable(String file, String message, String remedy) {
    return new UnreadableSiteException(
        file, List.of(new Problem(new Place(file, 1, 1), message, remedy, "")));
  }

  private SiteFile site(@Nullable Path folder, boolean withExpectations)
      throws UnreadableSiteException {
    YamlParser.Parsed parsed = YamlParser.parse(source);
    Place start = new Place(source.file(), 1, 1);
    if (parsed.root() == null && parsed.slips().isEmpty()) {
      throw unreadable(
          source.file(),
          "the file is empty",
          "a site file begins with 'eskerfield: 1' and needs 'site', 'networks' and 'devices'");
    }
    if (!parsed.slips().isEmpty()) {
      // What a broken line leaves out would look like mistakes elsewhere, so the rest must wait.
      for (YamlParser.Slip slip : parsed.slips()) {
        problems.add(slip.place(), slip.message(), slip.remedy());
      }
      throw new UnreadableSiteException(source.file(), problems.sorted());
    }
    Node root = Objects.requireNonNull(parsed.root());
    reportUnprintable(root);
    Fields fields = Fields.check(root, SiteShapes.SITE, start, problems);
    Site site = read(fields);
    // Expectations ask the site, and an incomplete one would make their names look wrong.
    List<Expectation> expectations =
        problems.isEmpty() && withExpectations && fields.has("expect")
            ? new ExpectationReader(site, problems, folder).read(fields)
            : List.of();
    List<Guarantee> guarantees =
        problems.isEmpty() && withExpectations && fields.has("guarantees")
            ? new GuaranteeReader(site, problems).read(fields)
            : List.of();
    Policy policy = new PolicyReader(problems).read(fields);
    if (!problems.isEmpty()) {
      throw new UnreadableSiteException(source.file(), problems.sorted());
    }
    return new SiteFile(site, expectations, guarantees, policy);
  }

  /** Names and words are shown everywhere; notes are escaped where they are shown. */
  private void reportUnprintable(Node node) {
    if (node instanceof Node.Mapping mapping) {
      for (Node.Entry entry : mapping.entries()) {
        reportUnprintable(entry.key());
        if (!entry.key().text().equals("note") || !(entry.value() instanceof Node.Scalar)) {
          reportUnprintable(entry.value());
        }
      }
    } else if (node instanceof Node.Sequence sequence) {
      sequence.items().forEach(this::reportUnprintable);
    } else if (node instanceof Node.Scalar scalar) {
      int at = Printable.firstThatIsNot(scalar.text());
      if (at >= 0) {
        problems.add(
            scalar,
            String.format(
                "'%s' holds the character U+%04X, which does not show",
                Printable.shortened(scalar.text(), 60), scalar.text().codePointAt(at)),
            "write it without; only notes may hold such characters");
      }
    }
  }

  private Site read(Fields fields) {
    NetworkReader networkReader = new NetworkReader(this);
    for (Fields.NamedNode named : fields.named("networks")) {
      networkReader.read(named, child(fields, named));
    }
    networkReader.reportOverlaps();
    define(fields, "hosts", AddressTerm.Kind.HOST);
    define(fields, "groups", AddressTerm.Kind.GROUP);
    define(fields, "devices", AddressTerm.Kind.DEVICE);
    for (Fields.NamedNode named : fields.named("services")) {
      terms.defineService(named.name(), Fields.texts(named.value()));
    }
    ScheduleReader schedules = new ScheduleReader(problems);
    for (Fields.NamedNode named : fields.named("schedules")) {
      terms.defineSchedule(
          named.name().text(), schedules.read(named.name(), fields.children(named.value())));
    }
    for (Fields.NamedNode named : fields.named("networks")) {
      networkReader.readTold(named, child(fields, named));
    }
    readGroups(fields);
    HostReader hostReader = new HostReader(this);
    for (Fields.NamedNode named : fields.named("hosts")) {
      hostReader.read(named, child(fields, named));
    }
    networks.values().forEach(neighbours::learn);
    for (Fields.NamedNode named : fields.named("devices")) {
      neighbours.learn(child(fields, named));
    }
    for (Fields.NamedNode named : fields.named("devices")) {
      DeviceReader reader = new DeviceReader(this, named.name(), child(fields, named));
      Device device = reader.read();
      if (device != null) {
        devices.put(named.name().text(), device);
      }
    }
    networkReader.reportUnknownDevices(devices.keySet());
    Place start = new Place(source.file(), 1, 1);
    if (fields.has("devices") && fields.named("devices").isEmpty()) {
      problems.add(fields.place("devices"), "there is no device", "describe at least one");
    }
    Site site =
        new Site(
            Objects.requireNonNullElse(fields.text("site"), ""),
            timeZone(fields),
            networks,
            hosts,
            terms.services(),
            groups,
            terms.schedules(),
            new NameReader(this, devices).read(fields),
            devices,
            fields.text("note"),
            start);
    reportGateways(site);
    return site;
  }

  private static Fields child(Fields fields, Fields.NamedNode named) {
    List<Fields> children = fields.children(named.value());
    return children.get(0);
  }

  private void define(Fields fields, String key, AddressTerm.Kind kind) {
    for (Fields.NamedNode named : fields.named(key)) {
      terms.define(named.name(), kind);
      if (terms.isZone(named.name().text())) {
        problems.add(
            named.name(),
            "the name '" + named.name().text() + "' is also that of a zone",
            "choose another name; only a network may share its name with its zone");
      }
    }
  }

  private ZoneId timeZone(Fields fields) {
    Node.Scalar scalar = fields.scalar("time-zone");
    if (scalar == null) {
      if (!fields.named("schedules").isEmpty() && !fields.has("time-zone")) {
        problems.add(
            fields.place("schedules"),
            "schedules need a 'time-zone': it says whose clock they go by",
            "add time-zone: Europe/London at the top");
      }
      return UTC;
    }
    try {
      return ZoneId.of(scalar.text());
    } catch (DateTimeException e) {
      Set<String> zones = new TreeSet<>(ZoneId.getAvailableZoneIds());
      problems.add(
          scalar,
          "no time zone is called '" + scalar.text() + "'",
          problems.didYouMean(scalar.text(), zones, "write a name such as Europe/London, or UTC"));
      return UTC;
    }
  }

  // Networks.

  /** Looks a network up by the key {@code on}; null, and reported, if there is none. */
  @Nullable Network network(Node.@Nullable Scalar scalar) {
    if (scalar == null) {
      return null;
    }
    Network network = networks.get(scalar.text());
    if (network == null) {
      terms.undefined(scalar, "network", scalar.text(), List.copyOf(networks.keySet()));
    }
    return network;
  }

  /** The address that a text is; null if it is none, which is reported where it is read. */
  static @Nullable Address readable(Node.Scalar text) {
    try {
      return Literals.address(text.text());
    } catch (BadLiteralException e) {
      return null;
    }
  }

  /** The link-local addresses of routers. */
  Neighbours neighbours() {
    return neighbours;
  }

  /** As {@link #checkOn}, but for routers: those are known by their link-local addresses, too. */
  void checkRouterOn(Network network, Node.Scalar text, String who) {
    Address address = readable(text);
    if (address == null || !Neighbours.isOn(network, address)) {
      checkOn(network, text, who);
    }
  }

  /** Reports an address that is not a member of a network. Unreadable addresses were reported. */
  void checkOn(Network network, Node.Scalar text, String who) {
    Address address = readable(text);
    if (address == null) {
      return;
    }
    String whose = "the address " + address + " of " + who + " is ";
    Prefix prefix = network.prefixOf(address);
    if (prefix == null) {
      if (!network.prefixes().isEmpty()) {
        String all = String.join(", ", network.prefixes().stream().map(Prefix::toString).toList());
        problems.add(
            text,
            whose + "outside network '" + network.name() + "', which is " + all,
            "correct the address or the network");
      }
    } else if (prefix.isRouterAnycast(address)) {
      problems.add(
          text,
          whose + "that of every router on " + prefix + " (subnet-router anycast, RFC 4291)",
          "choose a higher one, such as " + address.next());
    } else if (prefix.isNetworkOrBroadcast(address)) {
      String which = address.equals(prefix.first()) ? "network" : "broadcast";
      problems.add(
          text, whose + "the " + which + " address of " + prefix, "choose one between the two");
    }
  }

  /** Reports an address, of IP or of Ethernet, that somebody else has on the same network. */
  void hold(String network, Object address, String who, Node.Scalar at) {
    String other = holders.putIfAbsent(network + " " + address, who);
    if (other != null) {
      problems.add(
          at,
          "the address " + address + " of " + who + " is also that of " + other,
          "give each its own");
    }
  }

  @Nullable Prefix prefix(Node.Scalar text) {
    try {
      return Literals.prefix(text.text());
    } catch (BadLiteralException e) {
      problems.add(text, e.message(), e.remedy());
      return null;
    }
  }

  /** The MTU that a network or interface names; null for none. */
  @Nullable Integer mtu(Fields fields, boolean ipv6) {
    Integer mtu = fields.whole("mtu");
    if (mtu != null && ipv6 && mtu < Size.LEAST_MTU_V6) {
      problems.add(
          fields.place("mtu"),
          "IPv6 needs links that take "
              + Size.LEAST_MTU_V6
              + " bytes (RFC 8200), and this takes "
              + mtu,
          "write mtu: " + Size.LEAST_MTU_V6 + " or more, or take the IPv6 addresses away");
    }
    return mtu;
  }

  /** The resolver that a host or network names: a host or an address. */
  @Nullable AddressTerm resolver(Fields fields) {
    Node.Scalar text = fields.scalar("resolver");
    List<AddressTerm> found =
        text == null ? List.of() : terms.addresses(List.of(text), /* selfAllowed= */ false);
    if (text == null || found.isEmpty()) {
      return null;
    }
    AddressTerm term = found.get(0);
    boolean isAddress =
        term.kind() == AddressTerm.Kind.LITERAL
            && Literals.looksLikeAddress(term.text())
            && term.text().indexOf('/') < 0
            && term.text().indexOf('-') < 0;
    if (term.kind() != AddressTerm.Kind.HOST && !isAddress) {
      problems.add(
          text, "'" + text.text() + "' cannot answer for names", "name one host or one address");
      return null;
    }
    return term;
  }

  private void reportGateways(Site site) {
    for (Host host : hosts.values()) {
      for (Address address : host.addresses()) {
        Family family = address.family();
        Network network = host.networkHolding(address);
        List<Address> gateways = network == null ? List.of() : site.gateways(network, family);
        if (host.gateway(family) == null && gateways.size() > 1 && host.networks().size() == 1) {
          problems.add(
              host,
              "host '"
                  + host.name()
                  + "' needs a 'gateway': it says where the host sends what is"
                  + " not on its network, and there are "
                  + gateways.size()
                  + " routers there",
              "add gateway: "
                  + String.join(" or ", gateways.stream().map(Address::toString).toList()));
        } else if (host.gateway(family) == null
            && host.networks().stream().filter(n -> !site.gateways(n, family).isEmpty()).count()
                > 1) {
          problems.add(
              host,
              "host '"
                  + host.name()
                  + "' is on several networks and needs a 'gateway': it says where the host sends"
                  + " what is on none of them",
              "add gateway: and the address of a router");
          break;
        }
      }
    }
  }

  // Groups.

  private void readGroups(Fields fields) {
    Map<String, List<AddressTerm>> members = new LinkedHashMap<>();
    for (Fields.NamedNode named : fields.named("groups")) {
      members.put(named.name().text(), terms.addresses(Fields.texts(named.value()), false));
    }
    Set<String> circular = circular(members);
    for (Fields.NamedNode named : fields.named("groups")) {
      String name = named.name().text();
      if (circular.contains(name)) {
        problems.add(
            named.name(),
            "group '" + name + "' contains itself",
            "take it out of its members, or out of theirs");
        members.put(name, List.of());
      }
    }
    for (Fields.NamedNode named : fields.named("groups")) {
      String name = named.name().text();
      groups.put(
          name, new Group(name, members.getOrDefault(name, List.of()), named.name().place()));
    }
  }

  /**
   * The groups that lead back to themselves, of each circle the one by which it is entered: a walk
   * into the depth, which comes to each group once; what leads back onto its own path closes a
   * circle. The path is a list and not the stack of calls, since chains may be long.
   */
  private static Set<String> circular(Map<String, List<AddressTerm>> members) {
    Set<String> circular = new HashSet<>();
    Set<String> seen = new HashSet<>();
    Map<String, Iterator<AddressTerm>> path = new LinkedHashMap<>();
    for (String start : members.keySet()) {
      Deque<String> open = new ArrayDeque<>();
      open.push(start);
      while (!open.isEmpty()) {
        String group = open.peek();
        if (seen.add(group)) {
          path.put(group, members.getOrDefault(group, List.of()).iterator());
        }
        Iterator<AddressTerm> left = path.get(group);
        if (left == null || !left.hasNext()) {
          path.remove(group);
          open.pop();
          continue;
        }
        AddressTerm member = left.next();
        if (member.kind() == AddressTerm.Kind.GROUP) {
          if (path.containsKey(member.text())) {
            circular.add(member.text());
          } else if (!seen.contains(member.text())) {
            open.push(member.text());
          }
        }
      }
    }
    return circular;
  }

  // What the reader of a device needs.

  Problems problems() {
    return problems;
  }

  Terms terms() {
    return terms;
  }

  Map<String, Network> networks() {
    return networks;
  }

  Map<String, Host> hosts() {
    return hosts;
  }
}
