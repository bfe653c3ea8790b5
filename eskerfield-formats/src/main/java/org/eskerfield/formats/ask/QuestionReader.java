// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.ask;

import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.literal.BadLiteralException;
import org.eskerfield.formats.literal.Literals;
import org.eskerfield.formats.literal.Similar;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Named;
import org.eskerfield.model.Network;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.eskerfield.packet.Size;
import org.eskerfield.packet.SpecialAddresses;
import org.eskerfield.program.DeviceProgram;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.FileTransfer;
import org.eskerfield.trace.Probe;
import org.eskerfield.trace.Question;
import org.eskerfield.trace.Talk;
import org.jspecify.annotations.Nullable;

/**
 * Reads what a person wants to know: from whom, to where, with what, when.
 *
 * <pre>{@code
 * Question question =
 *     QuestionReader.on(site).from("contractor").to("198.51.100.140").service("1502/tcp").read();
 * }</pre>
 */
public final class QuestionReader {
  private static final Pattern WITH_PORT =
      Pattern.compile("\\[(?<v6>[^\\]]+)\\](?::(?<port6>.*))?|(?<host>[^:]+):(?<port>[^:]*)");

  private final Site site;
  private String from = "";
  private String to = "";
  private String service = "";
  private @Nullable String at;
  private int sourcePort = Question.DEFAULT_SOURCE_PORT;
  private @Nullable Integer size;
  private boolean mayFragment;
  private FileTransfer.@Nullable Mode mode;
  private FileTransfer.@Nullable DataTo dataTo;

  private QuestionReader(Site site) {
    this.site = site;
  }

  /** A reader of questions about a site. */
  public static QuestionReader on(Site site) {
    return new QuestionReader(site);
  }

  /** Who sends: a host, a device, a device with one of its interfaces, or an address. */
  public QuestionReader from(String who) {
    from = who.strip();
    return this;
  }

  /**
   * Where to: a host, a device, a device with one of its interfaces, an address, or any of them
   * with {@code :port}.
   */
  public QuestionReader to(String where) {
    to = where.strip();
    return this;
  }

  /**
   * The service: {@code 443/tcp}, the name of a service, {@code ping}; {@code tcp} if the port is
   * in to.
   */
  public QuestionReader service(String what) {
    service = what.strip();
    return this;
  }

  /**
   * When: {@code 2026-11-23T10:00}, {@code sunday 10:00}, {@code sunday} or {@code 10:00}, by the
   * clock of the site. Null for the start of a working day.
   */
  public QuestionReader at(@Nullable String time) {
    at = time;
    return this;
  }

  /** The sender's port or the identifier of its ping, 0 to 65535. */
  public QuestionReader sourcePort(int port) {
    sourcePort = port;
    return this;
  }

  /**
   * How large the packet is, in bytes with its IP header, 1 to 65535; of TCP each full segment of
   * the connection. Nobody asks if it is not said.
   */
  public QuestionReader size(int bytes) {
    size = bytes;
    return this;
  }

  /** That devices may cut a packet whose size is said: IPv4 without the don't-fragment bit. */
  public QuestionReader mayFragment() {
    mayFragment = true;
    return this;
  }

  /** Who opens the data connection of a file transfer; null for the client. */
  public QuestionReader mode(FileTransfer.@Nullable Mode mode) {
    this.mode = mode;
    return this;
  }

  /** Where a passive client opens the data connection to; null for what the answer says. */
  public QuestionReader dataTo(FileTransfer.@Nullable DataTo dataTo) {
    this.dataTo = dataTo;
    return this;
  }

  /**
   * The question about one packet.
   *
   * @throws UnusableQuestionException if a part of it makes no sense on this site
   */
  public Question read() throws UnusableQuestionException {
    Attempt attempt = attempt();
    if (attempt.name() != null) {
      throw new UnusableQuestionException(
          "to",
          "'" + attempt.to() + "' is a name that has to be looked up",
          "ask for a conversation, or name a host or an address");
    }
    Address target = reachable(attempt);
    Address source = attempt.source();
    return new Question(
        attempt.sender(),
        source != null ? source : source(attempt.sender(), target),
        target,
        attempt.probe().on(target.family()),
        sourcePort,
        attempt.at());
  }

  /**
   * The attempt at a conversation, by name or address.
   *
   * @throws UnusableQuestionException if a part of it makes no sense on this site
   */
  public Attempt attempt() throws UnusableQuestionException {
    if (sourcePort < 0 || sourcePort > 65535) {
      throw new UnusableQuestionException(
          "source-port", "port " + sourcePort + " is outside 0-65535", "choose one within");
    }
    Named sender = sender();
    String where = to;
    String port = null;
    if (!Literals.looksLikeAddress(to) || to.indexOf(':') == to.lastIndexOf(':')) {
      Matcher matcher = WITH_PORT.matcher(to);
      if (matcher.matches()) {
        boolean v6 = matcher.group("v6") != null;
        where = matcher.group(v6 ? "v6" : "host");
        port = matcher.group(v6 ? "port6" : "port");
      }
    }
    boolean byName = site.names().containsKey(where);
    List<Address> candidates = byName ? List.of() : targets(sender, where);
    for (Address target : candidates) {
      if (SpecialAddresses.NEVER_ON_A_WIRE.contains(target)) {
        throw new UnusableQuestionException(
            "to",
            target + " is " + SpecialAddresses.kind(target) + ", and packets to it leave no host",
            "name the host, or an address that others reach it by");
      }
    }
    Interface own = ownInterface(from);
    Address source = Literals.looksLikeAddress(from) ? address("from", from) : null;
    if (own != null) {
      source = ownAddress(own, candidates);
    }
    Family family = byName ? Family.IPV4 : candidates.get(0).family();
    AskedService asked = new AskedService(site, service);
    Probe probe = sized(asked.probe(port, family), family);
    Attempt attempt =
        new Attempt(
            sender,
            source,
            where,
            byName ? where : null,
            candidates,
            probe,
            sourcePort,
            manner(asked, probe, family),
            AskedTime.of(at, site.timeZone()));
    if (!byName) {
      reachable(attempt);
    }
    return attempt;
  }

  private Probe sized(Probe probe, Family family) throws UnusableQuestionException {
    int headers = Size.headers(family, probe.protocol());
    if (mayFragment && (size == null || family == Family.IPV6)) {
      throw new UnusableQuestionException(
          "may-fragment",
          size == null ? "it is about a size, and none is said" : "nobody on the way cuts IPv6",
          size == null ? "say how many bytes, such as size 1500" : "leave it out");
    }
    if (size != null && (size < headers || size > Size.MOST)) {
      throw new UnusableQuestionException(
          "size",
          size < headers
              ? size + " bytes do not hold the headers of " + probe + ", which take " + headers
              : size + " bytes are more than a packet can have",
          "choose " + headers + " to " + Size.MOST);
    }
    return size == null ? probe : probe.of(size, mayFragment);
  }

  /** How it goes on: a file transfer where the service says so, whatever the port. */
  private Attempt.Manner manner(AskedService asked, Probe probe, Family family)
      throws UnusableQuestionException {
    Talk talk =
        asked.isCalled("ftp")
            ? Talk.FILE_TRANSFER
            : asked.isCalled("ftps") ? Talk.ENCRYPTED_FILE_TRANSFER : null;
    boolean transfers = talk != null || Talk.of(probe).isTransfer();
    if ((mode != null || dataTo != null) && !transfers) {
      throw new UnusableQuestionException(
          mode != null ? "mode" : "data-to",
          "'" + service + "' is no file transfer, and opens no data connection",
          Protocol.TCP == probe.protocol()
              ? "leave it out, or write the service ftp, and the port behind the address"
              : "leave it out");
    }
    boolean ipv4 = family == Family.IPV4;
    if (mode != null && !ipv4 && !mode.toString().startsWith("extended")) {
      throw new UnusableQuestionException(
          "mode", "'" + mode + "' is for IPv4 only (RFC 2428)", "ask for extended-" + mode);
    }
    FileTransfer.Mode usual = ipv4 ? FileTransfer.Mode.PASSIVE : FileTransfer.Mode.EXTENDED_PASSIVE;
    return new Attempt.Manner(
        talk,
        mode == null ? usual : mode,
        dataTo == null ? FileTransfer.DataTo.ANSWER : dataTo,
        asked.remark());
  }

  /** The interface that a text names: {@code skerry pier}; null if it names none. */
  private @Nullable Interface ownInterface(String text) {
    int blank = text.indexOf(' ');
    Device device = blank < 0 ? null : site.devices().get(text.substring(0, blank));
    if (device != null) {
      for (Interface own : device.interfaces()) {
        if (own.name().equals(text.substring(blank + 1).strip())) {
          return own;
        }
      }
    }
    return null;
  }

  /** The address of an interface, of the family of one of some addresses. */
  private static Address ownAddress(Interface own, List<Address> candidates) {
    for (Address candidate : candidates) {
      Address address = own.address(candidate.family());
      if (address != null) {
        return address;
      }
    }
    return own.addresses().get(0);
  }

  /** The first address of a family that the sender has. */
  private Address reachable(Attempt attempt) throws UnusableQuestionException {
    Named sender = attempt.sender();
    Address source = attempt.source();
    for (Address candidate : attempt.addresses()) {
      Family family = candidate.family();
      if (source == null ? hasFamily(sender, family) : source.family() == family) {
        return candidate;
      }
    }
    if (!site.hosts().containsKey(attempt.to()) && !site.devices().containsKey(attempt.to())) {
      throw noAddress(sender, attempt.addresses().get(0));
    }
    throw new UnusableQuestionException(
        "to",
        "'" + sender.name() + "' and '" + attempt.to() + "' have no family of addresses in common",
        "give them addresses of one family");
  }

  /**
   * Who is meant by a text: a host, device or address itself; for a group, network or zone each
   * host in it, or, where no host is, its lowest address.
   *
   * @throws UnusableQuestionException if nothing has this name
   */
  public static List<String> senders(Site site, String text) throws UnusableQuestionException {
    AddressSet all;
    if (site.hosts().containsKey(text) || site.devices().containsKey(text)) {
      return List.of(text);
    } else if (site.groups().get(text) != null) {
      all = site.addresses(Objects.requireNonNull(site.groups().get(text)).members());
    } else if (site.networks().get(text) != null) {
      all = AddressSet.ofPrefixes(Objects.requireNonNull(site.networks().get(text)).prefixes());
    } else if (site.zones().contains(text)) {
      all = site.zoneAddresses(text);
    } else {
      return List.of(text);
    }
    List<String> members = new ArrayList<>();
    for (Host host : site.hosts().values()) {
      if (host.addresses().stream().anyMatch(all::contains)) {
        members.add(host.name());
      }
    }
    Address lowest = all.lowest(Family.IPV4);
    if (members.isEmpty() && text.equals(Site.INTERNET)) {
      throw new UnusableQuestionException(
          "from",
          "no host of the internet is described",
          "add one under 'hosts' with on: internet, or name an address");
    }
    if (members.isEmpty() && lowest == null) {
      throw new UnusableQuestionException(
          "from", "'" + text + "' has no member that could send", "name a host or an address");
    }
    if (members.isEmpty() && lowest != null) {
      members.add(member(site, lowest).toString());
    }
    return members;
  }

  /** The first address from one on that can be a host's: no network's and no device's. */
  private static Address member(Site site, Address lowest) {
    Network network = site.networkOf(lowest);
    Prefix prefix = network == null ? null : network.prefixOf(lowest);
    for (Address each = lowest; each != null && prefix != null; each = each.next()) {
      if (!isOfAll(prefix, each) && site.deviceAt(each) == null) {
        return prefix.contains(each) ? each : lowest;
      }
    }
    return lowest;
  }

  /** Whether an address is no single member's. */
  private static boolean isOfAll(Prefix prefix, Address address) {
    return prefix.isNetworkOrBroadcast(address) || prefix.isRouterAnycast(address);
  }

  // From.

  private Named sender() throws UnusableQuestionException {
    Named named = site.hosts().get(from);
    if (named == null) {
      String device = ownInterface(from) == null ? from : from.substring(0, from.indexOf(' '));
      named = site.devices().get(device);
    }
    if (named != null) {
      return named;
    }
    if (!Literals.looksLikeAddress(from)) {
      throw unknown("from", from);
    }
    Address address = address("from", from);
    Host host = site.hostAt(address);
    Device device = site.deviceAt(address);
    if (host != null || device != null) {
      return Objects.requireNonNull(host != null ? host : device);
    }
    Network network = site.networkOf(address);
    Prefix prefix = network == null ? null : network.prefixOf(address);
    boolean ofAll = prefix != null && isOfAll(prefix, address);
    if (ofAll || SpecialAddresses.NEVER_A_SOURCE.contains(address)) {
      throw new UnusableQuestionException(
          "from",
          "no host can have the address " + address,
          ofAll
              ? "it is "
                  + (address.family() == Family.IPV4
                      ? "the network or broadcast address of "
                      : "that of every router on ")
                  + prefix
              : "it is " + SpecialAddresses.kind(address));
    }
    return Host.unnamed(address, network);
  }

  private static Address address(String part, String text) throws UnusableQuestionException {
    try {
      return Literals.address(text);
    } catch (BadLiteralException e) {
      throw new UnusableQuestionException(part, e.message(), e.remedy());
    }
  }

  private UnusableQuestionException unknown(String part, String name) {
    if (name.isEmpty()) {
      return new UnusableQuestionException(part, "it is empty", "name a host or an address");
    }
    int blank = name.indexOf(' ');
    Device device = blank < 0 ? null : site.devices().get(name.substring(0, blank));
    if (device != null) {
      List<String> own = device.interfaces().stream().map(Interface::name).toList();
      String wanted = name.substring(blank + 1).strip();
      return new UnusableQuestionException(
          part,
          "'" + device.name() + "' has no interface '" + wanted + "'",
          Similar.didYouMean(wanted, own, "it has: " + String.join(", ", own)));
    }
    List<String> names = new ArrayList<>(site.hosts().keySet());
    names.addAll(site.devices().keySet());
    if (part.equals("to")) {
      names.addAll(site.names().keySet());
    }
    String all = "there is: " + String.join(", ", names.subList(0, Math.min(20, names.size())));
    String what =
        site.networks().containsKey(name)
            ? "network"
            : site.zones().contains(name) ? "zone" : site.groups().containsKey(name) ? "group" : "";
    if (!what.isEmpty()) {
      return new UnusableQuestionException(
          part,
          "'" + name + "' is a " + what + ", and a trace goes from one sender to one receiver",
          "name a host, a device or an address; " + all);
    }
    return new UnusableQuestionException(
        part,
        "no host or device is called '" + name + "'",
        Similar.didYouMean(name, names, all + ", or any address"));
  }

  // To.

  private List<Address> targets(Named sender, String where) throws UnusableQuestionException {
    Host host = site.hosts().get(where);
    Device device = site.devices().get(where);
    if (host != null) {
      return host.addresses();
    }
    if (device != null) {
      return addressesTowards(device, sender);
    }
    Interface own = ownInterface(where);
    if (own != null) {
      return own.addresses();
    }
    if (Literals.looksLikeAddress(where)) {
      return List.of(address("to", where));
    }
    throw unknown("to", where);
  }

  /** The address of a device on a network of the sender, else its only one. */
  private static List<Address> addressesTowards(Device device, Named sender)
      throws UnusableQuestionException {
    List<Address> all = new ArrayList<>();
    for (Interface own : device.interfaces()) {
      if (sender instanceof Host host && host.isOn(own.network())) {
        return own.addresses();
      }
      all.addAll(own.addresses());
    }
    if (all.size() > 1) {
      throw new UnusableQuestionException(
          "to",
          "'" + device.name() + "' has several addresses",
          "name one: " + String.join(", ", all.stream().map(Address::toString).toList()));
    }
    return all;
  }

  private static boolean hasFamily(Named sender, Family family) {
    if (sender instanceof Host host) {
      return host.address(family) != null;
    }
    return ((Device) sender).address(family) != null;
  }

  private Address source(Named sender, Address target) throws UnusableQuestionException {
    Address source;
    if (sender instanceof Host host) {
      source = site.source(host, target);
    } else {
      Device device = (Device) sender;
      source = DeviceProgram.compile(site, device).sourceTowards(target);
      source = source != null ? source : device.address(target.family());
    }
    if (source == null) {
      throw noAddress(sender, target);
    }
    return source;
  }

  private static UnusableQuestionException noAddress(Named sender, Address target) {
    return new UnusableQuestionException(
        "to",
        "'" + sender.name() + "' has no " + target.family() + " address to reach " + target,
        "give it one, or try another address");
  }
}
