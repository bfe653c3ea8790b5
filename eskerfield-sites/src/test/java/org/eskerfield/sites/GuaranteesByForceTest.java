// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.ByteArrayInputStream;
import java.nio.charset.StandardCharsets;
import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.EnumMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import org.eskerfield.formats.SiteLot;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.literal.Literals;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.guarantee.Proof;
import org.eskerfield.guarantee.Prover;
import org.eskerfield.model.Device;
import org.eskerfield.model.Guarantee;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Network;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import org.junit.jupiter.api.Test;

/**
 * Guarantees against brute force: packets of a small space are put in at every interface, after
 * others that were drawn, and none may arrive of which it was proved that none does.
 */
class GuaranteesByForceTest {
  private static final List<String> ENDS =
      List.of(
          "10.1.0.1",
          "10.1.0.2",
          "10.1.0.3",
          "10.1.0.5",
          "10.2.0.1",
          "10.2.0.3",
          "10.2.0.5",
          "10.2.0.7",
          "203.0.113.0",
          "203.0.113.1",
          "203.0.113.2",
          "203.0.113.65",
          "198.51.100.131",
          "198.51.100.135",
          "198.51.100.136",
          "198.51.100.137",
          "198.51.100.138",
          "198.51.100.139",
          "198.51.100.140",
          "192.0.2.9");

  private static final String VERIFY = "    verify-source: true\n";

  private static final int[] PORTS = {22, 79, 80, 81, 82, 180, 1080, 1081, 1023, 1024, 1025};

  private static final List<String> GUARANTEES =
      List.of(
          "never: a1, from: middle, to: inside",
          "never: a2, from: inside, to: middle",
          "never: a3, from: internet, to: inside",
          "never: a4, from: internet, to: middle",
          "never: a5, from: internet, to: [inside, middle], service: 22/tcp",
          "never: a6, from: inside, to: internet",
          "never: a7, from: middle, to: internet, service: udp",
          "never: a8, from: internet, to: inside, honest-senders: true",
          "never: a9, from: middle, to: bob, except: { service: [80/tcp, ping] }",
          "never: b1, from: ann, to: middle",
          "never: b2, from: 203.0.113.0/29, to: inside",
          "never: b3, from: internet, to: edge",
          "only: b4, from: internet, to: [inside, middle], may: { to: ann, service: 80/tcp }",
          "never: b5, from: internet, to: middle, except: { from: 203.0.113.1 }",
          "never: b6, from: middle, to: inside, when: early",
          "never: b7, from: internet, to: inside, except: { when: early }");

  @Test
  void noPacketArrivesOfWhichItIsProvedThatNoneDoes() throws Exception {
    int sites = Integer.getInteger("sites", 24);
    int packets = Integer.getInteger("packets", 1500);
    Map<Proof.Status, Integer> met = new EnumMap<>(Proof.Status.class);
    List<String> wrong = new ArrayList<>();
    int done = 0;
    for (int seed = Integer.getInteger("first", 0); done < sites; seed++) {
      SiteLot lot = new SiteLot(seed);
      SiteFile file;
      try {
        file = file(lot.site());
      } catch (UnreadableSiteException e) {
        continue;
      }
      done++;
      List<Proof> proofs = new Prover(Tracer.of(file.site())).prove(file.guarantees());
      proofs.forEach(proof -> met.merge(proof.status(), 1, Integer::sum));
      force(file.site(), proofs, new Random(seed), packets, "seed " + seed, wrong);
    }
    assertThat(wrong).isEmpty();
    assertThat(met.getOrDefault(Proof.Status.HOLDS, 0)).isGreaterThan(2 * sites);
    assertThat(met.getOrDefault(Proof.Status.BROKEN, 0)).isGreaterThan(2 * sites);
    // Two in a hundred may be left open.
    assertThat(met.getOrDefault(Proof.Status.UNDETERMINED, 0))
        .isLessThanOrEqualTo(sites * GUARANTEES.size() / 50);
  }

  /** The same on sites of one to three devices, zone by zone. */
  @Test
  void norOnSitesOfSeveralDevices() throws Exception {
    int sites = Integer.getInteger("businesses", 8);
    int packets = Integer.getInteger("packets", 1500);
    List<String> zones = List.of("office", "guests", "shop", "plant", "internet");
    Map<Proof.Status, Integer> met = new EnumMap<>(Proof.Status.class);
    List<String> wrong = new ArrayList<>();
    for (int seed = 0; seed < sites; seed++) {
      String drawn = DrawnBusiness.text(seed);
      boolean verified = seed % 2 == 1; // forged sources break most of the others
      String site = verified ? drawn.replace("    stance:", VERIFY + "    stance:") : drawn;
      StringBuilder text = new StringBuilder(site).append("guarantees:\n");
      for (String from : zones) {
        for (String to : zones) {
          if (!from.equals(to)) {
            String pair = from + " to " + to;
            text.append("  - { never: " + pair + ", from: " + from + ", to: " + to + " }\n");
            text.append("  - { never: " + pair + " but https, from: " + from + ", to: " + to);
            text.append(", except: { service: 443/tcp } }\n");
          }
        }
      }
      SiteFile file = read(text.toString());
      List<Proof> proofs = new Prover(Tracer.of(file.site())).prove(file.guarantees());
      proofs.forEach(proof -> met.merge(proof.status(), 1, Integer::sum));
      forceZones(file.site(), proofs, new Random(seed), packets, "business " + seed, wrong);
    }
    assertThat(wrong).as("%s", met).isEmpty();
    assertThat(met.getOrDefault(Proof.Status.HOLDS, 0)).as("%s", met).isGreaterThan(5 * sites);
    assertThat(met.getOrDefault(Proof.Status.BROKEN, 0)).isGreaterThan(5 * sites);
    assertThat(met.getOrDefault(Proof.Status.UNDETERMINED, 0))
        .as("%s", met)
        .isLessThanOrEqualTo(sites * 40 / 50);
  }

  private static void forceZones(
      Site site, List<Proof> proofs, Random random, int packets, String where, List<String> wrong)
      throws Exception {
    List<Address> ends = new ArrayList<>();
    List<Integer> ports = new ArrayList<>(List.of(22, 80, 50000));
    for (Host host : site.hosts().values()) {
      ends.addAll(host.addresses());
      host.listens().forEach(each -> ports.add(each.service().parts().get(0).ports().first()));
    }
    List<Interface> entries = new ArrayList<>();
    for (Device device : site.devices().values()) {
      ends.addAll(device.addresses());
      entries.addAll(device.interfaces());
      for (InwardRule rule : device.inward()) {
        Prefix external = rule.external().now(Family.IPV4);
        if (external != null) {
          ends.add(external.first());
        }
        rule.services().forEach(each -> ports.add(each.service().parts().get(0).ports().first()));
      }
    }
    ends.removeIf(each -> each.family() == Family.IPV6);
    ends.add(Literals.address("10.20.1.99"));
    ends.add(Literals.address("10.20.2.99"));
    Tracer tracer = Tracer.of(site);
    Run run = null;
    ZonedDateTime at = VirtualClock.start(site.timeZone());
    for (int i = 0; i < packets; i++) {
      if (run == null || i % 10 == 0) {
        at = at.plusDays(random.nextInt(7)).withHour(random.nextInt(24));
        run = tracer.run(at);
        run.carryAll();
      }
      Interface by = entries.get(random.nextInt(entries.size()));
      Address from = ends.get(random.nextInt(ends.size()));
      Address to = ends.get(random.nextInt(ends.size()));
      int protocol = new int[] {6, 6, 6, 17, 1}[random.nextInt(5)];
      boolean hasPorts = Protocol.hasPorts(protocol);
      Packet packet =
          new Packet(
              from,
              ports.get(random.nextInt(ports.size())),
              to,
              hasPorts ? ports.get(random.nextInt(ports.size())) : 0,
              protocol,
              protocol == 1 ? Icmp.ECHO_REQUEST : Icmp.NO_TYPE,
              protocol == 6 ? (random.nextInt(5) == 0 ? Packet.ACK : Packet.SYN) : 0);
      Header sent = packet.header();
      if (from.equals(to)) {
        continue;
      }
      Trace trace = run.arrive(site.deviceOf(by), by, packet);
      for (Proof proof : proofs) {
        if (proof.status() == Proof.Status.HOLDS
            && breaksZone(site, proof.guarantee(), by, trace)) {
          wrong.add(where + " " + proof.guarantee().name() + " " + by.name() + " " + sent);
        }
      }
    }
  }

  private static boolean breaksZone(Site site, Guarantee guarantee, Interface by, Trace trace) {
    List<Leg> legs = trace.request();
    String where = legs.get(legs.size() - 1).where();
    boolean known =
        legs.stream()
            .anyMatch(
                leg -> leg.decisions().stream().anyMatch(d -> d.ruling() == Ruling.SESSION_KNOWN));
    if (known || !arrived(legs) || !by.network().zone().equals(guarantee.from().get(0).text())) {
      return false;
    }
    Header got = Leg.last(legs).after();
    Network network = site.networkOf(got.destination());
    boolean outside = network == null || network.isOutside();
    String to = guarantee.to().get(0).text();
    boolean own = site.devices().containsKey(where);
    boolean gets = outside ? to.equals(Site.INTERNET) && !own : to.equals(network.zone());
    boolean unnamed = !own && !site.hosts().containsKey(where);
    boolean https = got.protocol() == Protocol.TCP && got.destinationPort() == 443;
    return gets
        && !(unnamed && !outside)
        && !(https && !guarantee.except().isEmpty())
        && !by.network().equals(network);
  }

  private static boolean arrived(List<Leg> legs) {
    return switch (Leg.last(legs).ruling()) {
      case HOST_ANSWERS,
          HOST_REFUSES,
          HOST_SILENT,
          TAKEN_TO_ANSWER,
          DEVICE_ANSWERS,
          DEVICE_RECEIVES ->
          true;
      default -> false;
    };
  }

  private static SiteFile file(String text) throws Exception {
    return read(text(text));
  }

  /** A drawn site with guarantees. */
  static String text(String text) {
    StringBuilder all =
        new StringBuilder(text.replace("groups:", ChangedFatesTest.HOSTS + "groups:"));
    all.append("guarantees:\n");
    GUARANTEES.forEach(each -> all.append("  - { ").append(each).append(" }\n"));
    return all.toString();
  }

  private static SiteFile read(String all) throws Exception {
    return SiteReader.read("x", new ByteArrayInputStream(all.getBytes(StandardCharsets.UTF_8)));
  }

  private static void force(
      Site site, List<Proof> proofs, Random random, int packets, String where, List<String> wrong)
      throws Exception {
    Tracer tracer = Tracer.of(site);
    Device device = site.devices().values().iterator().next();
    Run run = null;
    List<String> story = new ArrayList<>();
    ZonedDateTime at = VirtualClock.start(site.timeZone());
    for (int i = 0; i < packets; i++) {
      if (i % 12 == 0) {
        at =
            VirtualClock.start(site.timeZone())
                .plusDays(random.nextInt(7))
                .withHour(random.nextInt(24));
        run = tracer.run(at);
        run.carryAll();
        story.clear();
      }
      Interface by = device.interfaces().get(random.nextInt(device.interfaces().size()));
      Packet packet = packet(random);
      Header sent = packet.header();
      if (sent.source().equals(sent.destination())) {
        continue;
      }
      Trace trace = run.arrive(device, by, packet);
      story.add(by.name() + " " + sent);
      for (Proof proof : proofs) {
        if (proof.status() == Proof.Status.HOLDS
            && breaks(site, proof.guarantee(), by, sent, trace, at)) {
          wrong.add(where + " " + proof.guarantee().name() + " " + at + " " + story);
        }
      }
      if (random.nextInt(3) == 0 && !trace.request().isEmpty()) {
        // Somebody answers what was sent, or what another one opened.
        Header left = Leg.last(trace.request()).after();
        Packet back = Packet.of(left).mirrored();
        if (back.source().equals(back.destination())) {
          continue;
        }
        back.tcpFlags = left.protocol() == Protocol.TCP ? Packet.SYN : 0;
        for (Interface own : device.interfaces()) {
          Header again = back.header();
          Trace other = run.arrive(device, own, back.copy());
          story.add(own.name() + " " + again);
          for (Proof proof : proofs) {
            if (proof.status() == Proof.Status.HOLDS
                && breaks(site, proof.guarantee(), own, again, other, at)) {
              wrong.add(where + " " + proof.guarantee().name() + " " + at + " " + story);
            }
          }
        }
      }
    }
  }

  private static Packet packet(Random random) throws Exception {
    int protocol = new int[] {6, 6, 6, 17, 17, 1, 47}[random.nextInt(7)];
    boolean ports = Protocol.hasPorts(protocol);
    int type = random.nextInt(4) == 0 ? Icmp.ECHO_REPLY : Icmp.ECHO_REQUEST;
    int flags = random.nextInt(4) == 0 ? Packet.ACK : Packet.SYN;
    return new Packet(
        address(random),
        ports || protocol == 1 ? PORTS[random.nextInt(PORTS.length)] : 0,
        address(random),
        ports ? PORTS[random.nextInt(PORTS.length)] : 0,
        protocol,
        protocol == 1 ? type : Icmp.NO_TYPE,
        protocol == 6 ? flags : 0);
  }

  private static Address address(Random random) throws Exception {
    return Literals.address(ENDS.get(random.nextInt(ENDS.size())));
  }

  /** Whether a packet that came in is against a guarantee, found without any set. */
  private static boolean breaks(
      Site site, Guarantee guarantee, Interface by, Header sent, Trace trace, ZonedDateTime at) {
    List<Leg> legs = trace.request();
    Leg last = legs.get(legs.size() - 1);
    boolean known =
        legs.stream()
            .anyMatch(
                leg -> leg.decisions().stream().anyMatch(d -> d.ruling() == Ruling.SESSION_KNOWN));
    if (!arrived(legs) || known) {
      return false;
    }
    Header arrived = Leg.last(legs).after();
    String where = last.where();
    if (!sends(guarantee, by, sent.source()) || !gets(guarantee, where, arrived)) {
      return false;
    }
    if (guarantee.when() != null && !guarantee.when().covers(at)) {
      return false;
    }
    for (Guarantee.Exempt each : guarantee.except()) {
      boolean from =
          each.from().isEmpty()
              || (site.addresses(each.from()).contains(sent.source())
                  && by.name().equals("uplink"));
      boolean to = each.to().isEmpty() || each.to().stream().anyMatch(t -> t.text().equals(where));
      boolean service = each.services().isEmpty() || covers(each.services(), arrived);
      boolean when = each.when() == null || each.when().covers(at);
      if (from && to && service && when) {
        return false;
      }
    }
    return guarantee.services().isEmpty() || covers(guarantee.services(), arrived);
  }

  private static boolean covers(List<ServiceTerm> terms, Header arrived) {
    return ServiceTerm.anyCovers(
        terms,
        arrived.protocol(),
        arrived.destinationPort(),
        arrived.icmpType(),
        arrived.icmpCode());
  }

  private static boolean sends(Guarantee guarantee, Interface by, Address source) {
    String from = guarantee.from().get(0).text();
    String at = by.network().zone();
    if (from.equals("ann")) {
      return source.toString().equals("10.1.0.2") && at.equals("inside");
    }
    if (from.startsWith("203")) {
      return at.equals("internet")
          && source.toString().startsWith("203.0.113.")
          && !source.toString().endsWith("65");
    }
    return at.equals(from)
        && (!guarantee.honest()
            || source.toString().startsWith("203.0.113.")
            || source.toString().equals("192.0.2.9")
            || source.toString().equals("198.51.100.131"));
  }

  private static boolean gets(Guarantee guarantee, String where, Header arrived) {
    return guarantee.to().stream()
        .anyMatch(
            term ->
                switch (term.text()) {
                  case "inside" ->
                      List.of("ann", "bob").contains(where)
                          || (where.equals("edge")
                              && arrived.destination().toString().equals("10.1.0.1"));
                  case "middle" ->
                      List.of("cyd", "dee").contains(where)
                          || (where.equals("edge")
                              && arrived.destination().toString().equals("10.2.0.1"));
                  case "internet" ->
                      List.of("eve", "fay").contains(where) || where.matches("(192|198|203)[.].*");
                  default -> where.equals(term.text());
                });
  }
}
