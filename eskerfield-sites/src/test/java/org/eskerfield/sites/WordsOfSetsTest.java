// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import java.util.function.Predicate;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.eskerfield.compare.ChangedFate;
import org.eskerfield.compare.ChangedFates;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.literal.BadLiteralException;
import org.eskerfield.formats.literal.Literals;
import org.eskerfield.model.Device;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Network;
import org.eskerfield.model.Outside;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.eskerfield.packet.SpecialAddresses;
import org.eskerfield.set.PacketWords;
import org.eskerfield.state.VirtualClock;
import org.junit.jupiter.api.Test;

/**
 * What is printed of a set of packets, read back as a person reads it: members that are drawn are
 * in one of its lines, and what is in a line is a member. The sets are what slips change on drawn
 * sites.
 */
class WordsOfSetsTest {
  private static final Pattern SERVICE =
      Pattern.compile(
          "every service( but .*)?|ping|protocols? .*|[a-z]+|[0-9]+(-[0-9]+)?/(tcp|udp)");
  private static final int DRAWN = 400;

  private final Random random = new Random(7);
  private int lines;
  private int members;
  private int others;

  /** What one line says. */
  private record Said(AddressSet from, AddressSet to, Predicate<Packet> service, boolean whole) {
    boolean covers(Packet packet) {
      return from.contains(packet.source())
          && to.contains(packet.destination())
          && service.test(packet);
    }
  }

  @Test
  void whatIsSaidOfASetIsTrueOfIt() throws Exception {
    for (int seed = 0; seed < 6; seed++) {
      String text = DrawnBusiness.text(seed);
      Site site = MutationTest.read(text).site();
      List<Mutations.Mutation> slips = Mutations.of(text);
      for (int i = 0; i < 2; i++) {
        Mutations.Mutation slip = slips.get(random.nextInt(slips.size()));
        Site now;
        try {
          now = MutationTest.read(slip.text()).site();
        } catch (UnreadableSiteException e) {
          continue;
        }
        for (ChangedFate change :
            ChangedFates.between(site, now, (who, done, of) -> {}).changes()) {
          judge(seed + " " + slip.what(), now, change);
        }
      }
    }
    System.out.printf("lines %d, members %d, others %d%n", lines, members, others);
    assertThat(lines).isGreaterThan(50);
    assertThat(members).isGreaterThan(1_000);
    assertThat(others).isGreaterThan(1_000);
  }

  private void judge(String what, Site site, ChangedFate change) throws BadLiteralException {
    List<String> texts = new PacketWords(site).of(change.packets());
    List<Said> said = new ArrayList<>();
    boolean whole = true;
    for (String text : texts) {
      if (text.startsWith("and others")) {
        whole = false;
      } else {
        lines++;
        Said one = new Reader(site).read(text);
        whole &= one.whole;
        said.add(one);
      }
    }
    assertThat(texts).as(what).noneMatch(text -> text.endsWith("in part"));
    boolean sometimes = texts.stream().anyMatch(text -> text.endsWith("at some times"));
    for (int i = 0; i < DRAWN; i++) {
      Packet packet = draw(site, change);
      boolean is = change.packets().contains(packet, 0, 0, VirtualClock.start(site.timeZone()));
      boolean told = said.stream().anyMatch(one -> one.covers(packet));
      members += is ? 1 : 0;
      others += is ? 0 : 1;
      if (is ? whole && !told : told && !sometimes) {
        assertThat(told).as("%s: %s in %s", what, packet.header(), texts).isEqualTo(is);
      }
    }
  }

  /** A packet that somebody could send, often near to those of the change. */
  private Packet draw(Site site, ChangedFate change) {
    Packet sample = Packet.of(change.before().request().get(0).decisions().get(0).before());
    List<Address> known = new ArrayList<>();
    site.hosts().values().forEach(host -> known.addAll(host.addresses()));
    for (Device device : site.devices().values()) {
      known.addAll(device.addresses());
      for (InwardRule rule : device.inward()) {
        Prefix block = rule.block();
        if (block != null) {
          known.add(block.first());
        }
      }
    }
    for (Network network : site.networks().values()) {
      known.addAll(network.carrier());
      for (Prefix prefix : network.prefixes()) {
        known.add(new Address(prefix.family(), prefix.first().high(), prefix.first().low() + 99));
      }
    }
    known.add(Address.ipv4(192, 0, 2, 1));
    known.removeIf(each -> each.family() != sample.family);
    Address from = random.nextBoolean() ? sample.source() : one(known);
    Address to = random.nextInt(3) > 0 ? sample.destination() : one(known);
    int kind = random.nextInt(8);
    int port = one(List.of(22, 25, 443, 444, 2200, 7010, 8443, 10_443, 18_443));
    port = random.nextInt(3) == 0 ? port + 1 - random.nextInt(3) : port;
    if (kind == 0) {
      boolean four = sample.family == Family.IPV4;
      return new Packet(
          from,
          1,
          to,
          0,
          four ? Protocol.ICMP : Protocol.ICMPV6,
          four ? Icmp.ECHO_REQUEST : Icmp.ECHO_REQUEST_V6,
          0);
    }
    if (kind == 1) {
      return new Packet(from, 0, to, 0, one(List.of(0, 2, 47, 50, 132, 255)), Icmp.NO_TYPE, 0);
    }
    if (kind == 2) {
      return new Packet(from, 50_000, to, port, Protocol.UDP, Icmp.NO_TYPE, 0);
    }
    port = kind == 3 && sample.destinationPort > 0 ? sample.destinationPort : port;
    return new Packet(from, 50_000, to, port, Protocol.TCP, Icmp.NO_TYPE, Packet.SYN);
  }

  private <T> T one(List<T> list) {
    return list.get(random.nextInt(list.size()));
  }

  /** Reads a line as a person does, who has the file beside it. */
  private static final class Reader {
    private final Site site;
    private boolean whole = true;

    Reader(Site site) {
      this.site = site;
    }

    Said read(String text) throws BadLiteralException {
      String line = text.replaceFirst(", at some times$", "");
      int to = line.indexOf(" to ");
      List<String> rest = parts(line.substring(to + 4));
      int services = 1;
      while (!SERVICE.matcher(rest.get(services)).matches()) {
        services++;
      }
      AddressSet from = addresses(parts(line.substring("from ".length(), to)), true);
      AddressSet at = addresses(rest.subList(0, services), false);
      return new Said(
          from, at, service(String.join(", ", rest.subList(services, rest.size()))), whole);
    }

    /** What commas part, but for those in brackets. */
    private static List<String> parts(String list) {
      List<String> parts = new ArrayList<>();
      int depth = 0;
      int begin = 0;
      for (int i = 0; i < list.length(); i++) {
        char c = list.charAt(i);
        depth += c == '(' ? 1 : c == ')' ? -1 : 0;
        if (c == ',' && depth == 0) {
          parts.add(list.substring(begin, i));
          begin = i + 2;
        }
      }
      parts.add(list.substring(begin));
      return parts;
    }

    private String cut(String last) {
      Matcher more = Pattern.compile("(.*) and [0-9]+ more").matcher(last);
      whole &= !more.matches();
      return more.matches() ? more.group(1) : last;
    }

    private AddressSet addresses(List<String> names, boolean senders) throws BadLiteralException {
      AddressSet all = AddressSet.NONE;
      for (String name : names) {
        all = all.union(addresses(cut(name), senders));
      }
      return all;
    }

    private AddressSet addresses(String name, boolean senders) throws BadLiteralException {
      Matcher but = Pattern.compile("(.*) \\(but for (.*)\\)").matcher(name);
      if (but.matches()) {
        AddressSet missing = addresses(parts(but.group(2)), senders);
        return addresses(but.group(1), senders).intersection(missing.complement());
      }
      Matcher owner = Pattern.compile(".* \\((.*)\\)").matcher(name);
      if (owner.matches()) {
        return Literals.addresses(owner.group(1));
      }
      AddressSet one = wide(name);
      if (one != null) {
        return one;
      }
      if (name.endsWith(" itself")) {
        String device = name.substring(0, name.length() - " itself".length());
        return AddressSet.ofAddresses(site.devices().get(device).addresses());
      }
      Network network = site.networks().get(name);
      return network == null ? Literals.addresses(name) : members(network);
    }

    private AddressSet wide(String name) {
      Family family = name.endsWith("IPv6") ? Family.IPV6 : Family.IPV4;
      AddressSet outside = Outside.beyondLinks(site);
      return switch (name) {
        case "anywhere" -> AddressSet.ALL;
        case "anywhere over IPv4", "anywhere over IPv6" -> AddressSet.all(family);
        case "the internet", "the internet over IPv6" ->
            outside.intersection(AddressSet.all(family));
        case "private and special addresses of no network here",
            "private and special addresses of no network here over IPv6" ->
            SpecialAddresses.NOT_ON_THE_INTERNET
                .intersection(AddressSet.all(family))
                .intersection(AddressSet.ofPrefixes(prefixes()).complement());
        default -> null;
      };
    }

    private List<Prefix> prefixes() {
      List<Prefix> all = new ArrayList<>();
      site.networks().values().forEach(network -> all.addAll(network.prefixes()));
      return all;
    }

    /** Whoever may be on a network: not its routers, nor addresses that no host has. */
    private AddressSet members(Network network) {
      AddressSet members = AddressSet.ofPrefixes(network.prefixes());
      List<Address> none = new ArrayList<>(network.carrier());
      site.devices().values().forEach(device -> none.addAll(device.addresses()));
      for (Prefix prefix : network.prefixes()) {
        if (prefix.family() == Family.IPV4) {
          none.addAll(List.of(prefix.first(), prefix.last()));
        }
      }
      return members.intersection(AddressSet.ofAddresses(none).complement());
    }

    private static Predicate<Packet> service(String text) {
      if (text.startsWith("every service but ")) {
        return service(text.substring("every service but ".length())).negate();
      }
      Matcher without = Pattern.compile("(.*, )?protocols without ports but (.*)").matcher(text);
      if (without.matches()) {
        Predicate<Packet> but = service(without.group(2));
        String before = without.group(1) == null ? "" : without.group(1);
        return service(before + "protocols without ports")
            .and(packet -> isPorted(packet) || !but.test(packet));
      }
      Predicate<Packet> any = packet -> false;
      for (String part : text.split(", ")) {
        any = any.or(packet -> isFor(packet, part));
      }
      return any;
    }

    private static boolean isPorted(Packet packet) {
      return Protocol.hasPorts(packet.protocol) || Protocol.isIcmp(packet.protocol);
    }

    private static boolean isFor(Packet packet, String part) {
      Matcher ports = Pattern.compile("([0-9]+)(-([0-9]+))?/(tcp|udp)").matcher(part);
      if (ports.matches()) {
        int first = Integer.parseInt(ports.group(1));
        int last = ports.group(3) == null ? first : Integer.parseInt(ports.group(3));
        return Protocol.name(packet.protocol).equals(ports.group(4))
            && first <= packet.destinationPort
            && packet.destinationPort <= last;
      }
      Matcher numbers = Pattern.compile("protocols ([0-9]+)-([0-9]+)").matcher(part);
      if (numbers.matches()) {
        return !isPorted(packet)
            && Integer.parseInt(numbers.group(1)) <= packet.protocol
            && packet.protocol <= Integer.parseInt(numbers.group(2));
      }
      return switch (part) {
        case "every service" -> true;
        case "ping" -> Protocol.isIcmp(packet.protocol);
        case "protocols without ports" -> !isPorted(packet);
        default -> part.equals(Protocol.name(packet.protocol));
      };
    }
  }
}
