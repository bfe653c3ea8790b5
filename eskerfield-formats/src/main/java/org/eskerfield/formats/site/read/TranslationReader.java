// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.read;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.eskerfield.formats.literal.BadLiteralException;
import org.eskerfield.formats.literal.Literals;
import org.eskerfield.formats.literal.Problems;
import org.eskerfield.formats.yaml.Node;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Admission;
import org.eskerfield.model.DestinationRule;
import org.eskerfield.model.DestinationRuleBuilder;
import org.eskerfield.model.DynamicRule;
import org.eskerfield.model.DynamicRuleBuilder;
import org.eskerfield.model.External;
import org.eskerfield.model.Hairpin;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Pool;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.SharedRule;
import org.eskerfield.model.SharedRuleBuilder;
import org.eskerfield.model.Site;
import org.eskerfield.model.StateSettings;
import org.eskerfield.model.StaticRule;
import org.eskerfield.model.StaticRuleBuilder;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.model.UntouchedRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.jspecify.annotations.Nullable;

/** Reads the translation rules of one device. */
final class TranslationReader {
  /**
   * The external or internal side of a rule: where, and what stands behind it.
   *
   * @param at the text, for problems
   * @param where the first word
   * @param rest the ports or service behind it, or null
   */
  private record Side(Node.Scalar at, String where, @Nullable String rest) {
    static @Nullable Side of(Node.@Nullable Scalar scalar) {
      if (scalar == null) {
        return null;
      }
      String[] words = scalar.text().split("\\s+", 2);
      return new Side(scalar, words[0], words.length == 2 ? words[1] : null);
    }
  }

  private static final Pattern JOINED =
      Pattern.compile("([0-9.]+|[^\\s:]*[^\\s:0-9a-fA-F.][^\\s:]*):([0-9-]+(?:/[a-z+]+)?)");

  private final DeviceReader device;
  private final SiteReader site;
  private final Problems problems;
  private final Terms terms;

  TranslationReader(DeviceReader device, SiteReader site) {
    this.device = device;
    this.site = site;
    this.problems = site.problems();
    this.terms = site.terms();
  }

  List<TranslationRule> read(List<Fields> fields) {
    List<TranslationRule> rules = new ArrayList<>();
    for (Fields rule : fields) {
      TranslationRule read = read(rule);
      if (read != null) {
        rules.add(read);
      }
    }
    return rules;
  }

  private @Nullable TranslationRule read(Fields rule) {
    if (rule.has("static")) {
      return fixed(rule, title(rule, "static"));
    }
    if (rule.has("destination")) {
      return destination(rule, title(rule, "destination"));
    }
    if (rule.has("dynamic")) {
      return dynamic(rule, title(rule, "dynamic"));
    }
    if (rule.has("shared")) {
      return shared(rule, title(rule, "shared"));
    }
    if (rule.has("prefix")) {
      return new PrefixRuleReader(device, site).read(rule, title(rule, "prefix"), hairpin(rule));
    }
    return rule.has("untouched") ? untouched(rule, title(rule, "untouched")) : null;
  }

  private static String title(Fields rule, String kind) {
    String title = rule.text(kind);
    return title == null ? "" : title;
  }

  private static boolean disabled(Fields rule) {
    return rule.isTrue("disabled", false);
  }

  // Source rules.

  private @Nullable SharedRule shared(Fields rule, String title) {
    List<AddressTerm> from = terms.addresses(rule.texts("from"), true);
    List<AddressTerm> to = terms.addresses(rule.texts("to"), false);
    InterfaceTerm leaving = device.interfaceTerm(rule.scalar("leaving"));
    Pool pool = pool(rule, "pool");
    if (leaving == null || (rule.has("pool") && pool == null)) {
      return null;
    }
    return SharedRuleBuilder.builder()
        .name(title)
        .from(from)
        .to(to)
        .leaving(leaving)
        .pool(pool)
        .state(state(rule))
        .disabled(disabled(rule))
        .note(rule.text("note"))
        .place(rule.place())
        .build();
  }

  private @Nullable StateSettings state(Fields rule) {
    return rule.has("state") ? device.state(rule, device.state()) : null;
  }

  private @Nullable DynamicRule dynamic(Fields rule, String title) {
    List<AddressTerm> from = terms.addresses(rule.texts("from"), true);
    List<AddressTerm> to = terms.addresses(rule.texts("to"), false);
    InterfaceTerm leaving = device.interfaceTerm(rule.scalar("leaving"));
    Pool pool = pool(rule, "pool");
    if (leaving == null || pool == null) {
      return null;
    }
    return DynamicRuleBuilder.builder()
        .name(title)
        .from(from)
        .to(to)
        .leaving(leaving)
        .pool(pool)
        .state(state(rule))
        .disabled(disabled(rule))
        .note(rule.text("note"))
        .place(rule.place())
        .build();
  }

  private UntouchedRule untouched(Fields rule, String title) {
    return new UntouchedRule(
        title,
        terms.addresses(rule.texts("from"), false),
        terms.addresses(rule.texts("to"), false),
        disabled(rule),
        rule.text("note"),
        rule.place());
  }

  private @Nullable Pool pool(Fields rule, String key) {
    List<AddressTerm> read = new ArrayList<>();
    AddressSet all = AddressSet.NONE;
    for (Node.Scalar text : rule.texts(key)) {
      AddressSet addresses;
      try {
        addresses = Literals.addresses(text.text());
      } catch (BadLiteralException e) {
        problems.add(text, e.message(), e.remedy());
        continue;
      }
      if (addresses.ranges().get(0).first().family() != Family.IPV4) {
        ipv4Only(text, "the pool holds IPv6 addresses");
        continue;
      }
      read.add(new AddressTerm(AddressTerm.Kind.LITERAL, text.text(), addresses, text.place()));
      all = all.union(addresses);
    }
    return read.isEmpty() ? null : new Pool(read, all, rule.place(key));
  }

  // Rules that lead inside.

  /** The key that fixes the way out names one interface. */
  private @Nullable InterfaceTerm wayOut(Fields rule) {
    Node.Scalar text = rule.scalar("leaving");
    InterfaceTerm leaving = text == null ? null : device.interfaceTerm(text);
    if (text != null && leaving != null && leaving.interfaces().size() != 1) {
      problems.add(
          text,
          "'leaving: " + text.text() + "' names " + leaving.interfaces().size() + " interfaces",
          "name the one by which the packets go on");
      return null;
    }
    return leaving;
  }

  private DestinationRule.@Nullable Sources sources(Fields rule) {
    List<Node.Scalar> texts = rule.texts("sources-become");
    if (texts.isEmpty()) {
      return null;
    }
    if (texts.size() == 1 && texts.get(0).text().equals(Site.SELF)) {
      return new DestinationRule.Sources(null, texts.get(0).place());
    }
    Pool pool = pool(rule, "sources-become");
    return pool == null ? null : new DestinationRule.Sources(pool, pool.place());
  }

  private @Nullable DestinationRule destination(Fields rule, String title) {
    InterfaceTerm arriving = device.interfaceTerm(rule.scalar("arriving"));
    InterfaceTerm leaving = wayOut(rule);
    DestinationRule.Sources sources = sources(rule);
    List<AddressTerm> from = terms.addresses(rule.texts("from"), false);
    Hairpin hairpin = hairpin(rule);
    Admission admit = admission(rule);
    Side at = Side.of(rule.scalar("at"));
    Side becomes = Side.of(rule.scalar("becomes"));
    External external = at == null ? null : external(at, "at", "becomes");
    List<ServiceTerm> services = services(at);
    AddressTerm host = becomes == null ? null : host(becomes, "becomes", "at");
    Address internal = becomes == null || host == null ? null : address(becomes, host);
    PortSet ports = ports(becomes, services);
    if (services == null
        || becomes == null
        || arriving == null
        || external == null
        || host == null
        || internal == null) {
      return null;
    }
    if (ports != null) {
      checkWidths(becomes, services, ports, false);
    }
    return DestinationRuleBuilder.builder()
        .name(title)
        .facing(arriving)
        .leaving(leaving)
        .sources(sources)
        .from(from)
        .external(external)
        .services(services)
        .internal(host)
        .internalBlock(Prefix.of(internal))
        .internalPorts(ports)
        .hairpin(hairpin)
        .admit(admit)
        .disabled(disabled(rule))
        .note(rule.text("note"))
        .place(rule.place())
        .build();
  }

  private @Nullable StaticRule fixed(Fields rule, String title) {
    InterfaceTerm facing = device.interfaceTerm(rule.scalar("facing"));
    InterfaceTerm leaving = wayOut(rule);
    Hairpin hairpin = hairpin(rule);
    Admission admit = admission(rule);
    Side outside = Side.of(rule.scalar("external"));
    Side inside = Side.of(rule.scalar("internal"));
    External external = outside == null ? null : external(outside, "external", "internal");
    List<ServiceTerm> services = services(outside);
    Prefix internal = inside == null ? null : block(inside);
    PortSet ports = ports(inside, services);
    if (services == null
        || inside == null
        || facing == null
        || external == null
        || internal == null) {
      return null;
    }
    Prefix block = external.now(Family.IPV4);
    if (block != null && block.length() != internal.length()) {
      problems.add(
          inside.at(),
          "the internal prefix " + internal + " and the external " + block + " differ in length",
          "write two prefixes of the same length, or two addresses");
      return null;
    }
    if (!services.isEmpty() && internal.length() < Family.IPV4.bits()) {
      problems.add(
          outside == null ? inside.at() : outside.at(),
          "a static rule for a whole prefix names no ports",
          "leave the service out, or write one address on each side");
    }
    if (ports != null) {
      checkWidths(inside, services, ports, true);
    }
    AddressTerm term =
        terms.kindOf(inside.where()) == AddressTerm.Kind.HOST
            ? new AddressTerm(
                AddressTerm.Kind.HOST, inside.where(), AddressSet.NONE, inside.at().place())
            : new AddressTerm(
                AddressTerm.Kind.LITERAL,
                inside.where(),
                AddressSet.ofPrefixes(List.of(internal)),
                inside.at().place());
    return StaticRuleBuilder.builder()
        .name(title)
        .facing(facing)
        .leaving(leaving)
        .external(external)
        .services(services)
        .internal(term)
        .internalBlock(internal)
        .internalPorts(ports)
        .hairpin(hairpin)
        .admit(admit)
        .disabled(disabled(rule))
        .note(rule.text("note"))
        .place(rule.place())
        .build();
  }

  /**
   * The external side of a rule.
   *
   * @param key where it stands
   * @param other where the internal side stands
   */
  private @Nullable External external(Side side, String key, String other) {
    String text = side.where();
    if (isJoined(side, "/tcp")) {
      return null;
    }
    Map<String, Interface> interfaces = device.interfaces();
    Interface own = interfaces.get(text);
    if (own != null) {
      if (own.address(Family.IPV4) == null) {
        ipv4Only(side.at(), "interface '" + text + "' has no IPv4 address");
        return null;
      }
      return new External(null, own, text);
    }
    if (Literals.looksLikeAddress(text)) {
      Prefix block = literalBlock(side, key.equals("external"));
      if (block != null && block.first().family() != Family.IPV4) {
        ipv4Only(side.at(), "the external address " + text + " is an IPv6 address");
        return null;
      }
      return block == null ? null : new External(block, null, text);
    }
    if (terms.kindOf(text) == AddressTerm.Kind.HOST) {
      problems.add(
          side.at(),
          "'" + text + "' is a host inside, and '" + key + "' takes the external address",
          "write an external address or an interface here, and " + other + ": " + text);
    } else if (device.interfacesComplete()) {
      terms.undefined(
          side.at(), "interface of " + device.name(), text, List.copyOf(interfaces.keySet()));
    }
    return null;
  }

  /**
   * Reports an address or name that a colon joins to a port.
   *
   * @param protocol what follows the port where it is written right
   */
  private boolean isJoined(Side side, String protocol) {
    if (side.where().endsWith(",")) {
      problems.add(
          side.at(),
          "'" + side.at().text() + "' names several, and a rule has one",
          "write a rule for each of them");
      return true;
    }
    Matcher joined = JOINED.matcher(side.at().text());
    if (!joined.matches()) {
      return false;
    }
    problems.add(
        side.at(),
        "a colon joins '" + joined.group(1) + "' and its port",
        "a blank separates the two: "
            + joined.group(1)
            + " "
            + joined.group(2)
            + (joined.group(2).indexOf('/') < 0 ? protocol : ""));
    return true;
  }

  private @Nullable Prefix literalBlock(Side side, boolean prefixAllowed) {
    try {
      return prefixAllowed && side.where().indexOf('/') >= 0
          ? Literals.prefix(side.where())
          : Prefix.of(Literals.address(side.where()));
    } catch (BadLiteralException e) {
      problems.add(side.at(), e.message(), e.remedy());
      return null;
    }
  }

  private void ipv4Only(Placed at, String message) {
    problems.add(
        at,
        message,
        "this kind of rule is for IPv4; reach IPv6 hosts by an access rule, or translate whole"
            + " prefixes by a 'prefix' rule");
  }

  /** The services behind an external address; null, and reported, if they cannot be read. */
  private @Nullable List<ServiceTerm> services(@Nullable Side side) {
    if (side == null || side.rest() == null) {
      return List.of();
    }
    ServiceTerm service = terms.service(side.at(), side.rest(), side.where() + " ");
    return service == null ? null : List.of(service);
  }

  private @Nullable AddressTerm host(Side side, String key, String other) {
    if (isJoined(side, "")) {
      return null;
    }
    if (terms.kindOf(side.where()) == AddressTerm.Kind.HOST) {
      return new AddressTerm(
          AddressTerm.Kind.HOST, side.where(), AddressSet.NONE, side.at().place());
    }
    if (Literals.looksLikeAddress(side.where())) {
      Address address = terms.literal(side.at(), side.where());
      return address == null
          ? null
          : new AddressTerm(
              AddressTerm.Kind.LITERAL, side.where(), AddressSet.of(address), side.at().place());
    }
    if (device.interfaces().containsKey(side.where())) {
      problems.add(
          side.at(),
          "'"
              + side.where()
              + "' is an interface of "
              + device.name()
              + ", and '"
              + key
              + "' takes a host inside",
          "write the host or its address here, and " + other + ": " + side.where());
      return null;
    }
    terms.undefined(side.at(), "host", side.where(), terms.namesOf(AddressTerm.Kind.HOST));
    return null;
  }

  /** The IPv4 address of a host or literal; null, and reported unless that was done before. */
  private @Nullable Address address(Side side, AddressTerm term) {
    Address address;
    if (term.kind() == AddressTerm.Kind.HOST) {
      Host host = site.hosts().get(term.text());
      if (host == null || host.addresses().isEmpty()) {
        return null;
      }
      address = host.address(Family.IPV4);
    } else {
      address = term.literal().ranges().get(0).first();
    }
    if (address == null || address.family() != Family.IPV4) {
      ipv4Only(side.at(), "'" + term.text() + "' has no IPv4 address");
      return null;
    }
    return address;
  }

  private @Nullable Prefix block(Side side) {
    if (side.where().indexOf('/') >= 0) {
      Prefix block = literalBlock(side, true);
      if (block != null && block.first().family() != Family.IPV4) {
        ipv4Only(side.at(), side.where() + " is an IPv6 prefix");
        return null;
      }
      return block;
    }
    AddressTerm host = host(side, "internal", "external");
    Address address = host == null ? null : address(side, host);
    return address == null ? null : Prefix.of(address);
  }

  private @Nullable PortSet ports(@Nullable Side side, @Nullable List<ServiceTerm> services) {
    if (side == null || side.rest() == null || services == null) {
      return null;
    }
    try {
      return Literals.ports(side.rest());
    } catch (BadLiteralException e) {
      problems.add(
          side.at(),
          e.message(),
          side.rest().indexOf('/') >= 0 ? "write the port alone; the protocol stays" : e.remedy());
      return null;
    }
  }

  /** A range becomes one port, or a range of the same length; for a static rule, the latter. */
  private void checkWidths(Side side, List<ServiceTerm> services, PortSet ports, boolean bothWays) {
    if (services.isEmpty()) {
      problems.add(
          side.at(),
          "the internal side names port " + ports + ", but the external side names none",
          "name the external port too, as in uplink " + ports + "/tcp");
      return;
    }
    List<ServicePart> parts = services.get(0).service().parts();
    PortSet external = parts.get(0).ports();
    boolean oneRange =
        external.isRange() && parts.stream().allMatch(part -> part.ports().equals(external));
    if ((ports.size() > 1 || bothWays) && (!oneRange || external.size() != ports.size())) {
      problems.add(
          side.at(),
          "the "
              + ports.size()
              + " ports "
              + ports
              + " cannot take "
              + (oneRange ? external.size() + " ports " + external : services.get(0).text()),
          bothWays
              ? "write as many ports on both sides"
              : "write one port, or a range as long as the external one");
    }
  }

  private @Nullable Hairpin hairpin(Fields rule) {
    Node node = rule.node("hairpin");
    if (node == null) {
      return null;
    }
    Fields full = node instanceof Node.Mapping ? rule.children("hairpin").get(0) : null;
    InterfaceTerm from =
        device.interfaceTerm(full == null ? rule.texts("hairpin") : full.texts("from"));
    String source = full == null ? null : full.text("source");
    return from == null
        ? null
        : new Hairpin(
            from,
            source == null
                ? Hairpin.Source.DEVICE
                : Hairpin.Source.valueOf(source.toUpperCase(Locale.ROOT)),
            rule.place("hairpin"));
  }

  private @Nullable Admission admission(Fields rule) {
    if (!rule.has("admit")) {
      return null;
    }
    if (!(rule.node("admit") instanceof Node.Mapping)) {
      List<AddressTerm> from = terms.addresses(rule.texts("admit"), false);
      return new Admission(from, null, false, rule.place("admit"));
    }
    Fields admit = rule.children("admit").get(0);
    return new Admission(
        terms.addresses(admit.texts("from"), false),
        terms.schedule(admit.scalar("when")),
        admit.isTrue("log", false),
        rule.place("admit"));
  }
}
