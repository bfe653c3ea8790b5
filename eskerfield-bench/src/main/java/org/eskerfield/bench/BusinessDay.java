// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.bench;

import java.io.PrintStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.time.Instant;
import java.time.LocalDate;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Locale;
import java.util.PriorityQueue;
import java.util.Random;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Assignment;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Network;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;

/**
 * Writes a business day of flows over IPv4 as a log: hosts of every network that go out and look
 * names up, some with keep-alives for hours, some at each other; customers of what is offered;
 * scans of the external addresses from outside; a power failure at six. As exporters do, it writes
 * a flow at its end. The same numbers make the same file.
 *
 * <p>Most flows begin between 8 and 18, two thirds of them TCP: 100,000 flows are at most 4 a
 * second. An external address that is shared lasts for 64,512 ports, so for 269 TCP flows a second
 * at four minutes each.
 *
 * <p>Call: {@code java -cp bench.jar org.eskerfield.bench.BusinessDay SITE FLOWS SEED}.
 */
public final class BusinessDay {
  private static final LocalDate DAY = LocalDate.of(2026, 3, 2);
  private static final int FINISHED = Packet.SYN | Packet.ACK | Packet.FIN;
  private static final int[] WELL_KNOWN = {22, 23, 25, 80, 443, 445, 3389, 5060, 8080, 8443};

  private static final int POWER_FAILED = 5;

  /** Share of a day's flows that begin in each hour, in thousandths. */
  private static final int[] HOURS = {
    8, 6, 6, 6, 8, 14, 24, 50, 82, 94, 92, 82, 70, 76, 86, 84, 72, 52, 34, 20, 14, 8, 6, 6
  };

  private record Flow(
      double start,
      double end,
      String from,
      int fromPort,
      String to,
      int toPort,
      int protocol,
      int flags,
      int packets,
      int back) {}

  private record Offer(Address external, int protocol, int port) {}

  private final Site site;
  private final Random random;
  private final List<String> insiders = new ArrayList<>();
  private final List<Address> externals = new ArrayList<>();
  private final List<Offer> offers = new ArrayList<>();
  private final PriorityQueue<Flow> running = new PriorityQueue<>(Comparator.comparing(Flow::end));
  private final PrintStream out = new PrintStream(System.out, false, StandardCharsets.UTF_8);
  private int port = 40_000;

  private BusinessDay(Site site, long seed) {
    this.site = site;
    this.random = new Random(seed);
    for (Network network : site.networks().values()) {
      if (!network.isOutside()) {
        addInsiders(network);
      }
    }
    for (Device device : site.devices().values()) {
      device.interfaces().stream()
          .filter(each -> each.network().isOutside())
          .forEach(each -> externals.addAll(each.addresses()));
      device.translation().stream()
          .filter(InwardRule.class::isInstance)
          .map(InwardRule.class::cast)
          .filter(rule -> rule.facing().interfaces().get(0).network().isOutside())
          .forEach(this::addOffer);
    }
  }

  private void addInsiders(Network network) {
    boolean leased = false;
    for (Host host : site.hosts().values()) {
      if (host.isOn(network)) {
        leased |= host.assigned() == Assignment.LEASED;
        host.addresses().stream()
            .filter(each -> each.family() == Family.IPV4)
            .forEach(each -> insiders.add(each.toString()));
      }
    }
    // Leased ones are more than those with a name.
    for (Prefix prefix : network.prefixes()) {
      if (leased && prefix.family() == Family.IPV4 && prefix.length() <= 24) {
        Address first = prefix.first();
        for (int i = 201; i <= 220; i++) {
          insiders.add(new Address(Family.IPV4, first.high(), first.low() + i).toString());
        }
      }
    }
  }

  private void addOffer(InwardRule rule) {
    Prefix block = rule.block();
    if (block == null || block.family() != Family.IPV4) {
      return;
    }
    Address external = block.first();
    externals.add(external);
    Host host = site.hostLedTo(rule);
    List<ServiceTerm> asked =
        rule.services().isEmpty() && host != null ? host.listens() : rule.services();
    for (ServiceTerm term : asked) {
      for (ServicePart part : term.service().parts()) {
        if (Protocol.hasPorts(part.protocol()) && !part.ports().contains(PortSet.HIGHEST)) {
          offers.add(new Offer(external, part.protocol(), part.ports().first()));
        }
      }
    }
  }

  /** Prints a day. */
  public static void main(String[] args) throws Exception {
    Site site = SiteReader.read(Path.of(args[0]));
    int flows = args.length > 1 ? Integer.parseInt(args[1]) : 10_000;
    long seed = args.length > 2 ? Long.parseLong(args[2]) : 1;
    new BusinessDay(site, seed).write(flows);
  }

  private void write(int flows) {
    out.println(
        "start,end,from,from-port,to,to-port,protocol,flags,packets,bytes,back-packets,back-bytes");
    for (int hour = 0; hour < 24; hour++) {
      int count = (int) ((long) flows * HOURS[hour] / 1000);
      for (int i = 0; i < count; i++) {
        double at = hour * 3600 + 3600.0 * (i + random.nextDouble()) / count;
        while (!running.isEmpty() && running.peek().end() < at) {
          print(running.remove());
        }
        begin(at);
      }
      if (hour == POWER_FAILED) {
        reconnect((hour + 0.99) * 3600);
      }
    }
    while (!running.isEmpty()) {
      print(running.remove());
    }
    out.flush();
  }

  /** The power is back: within half a minute everybody has opened what he keeps open. */
  private void reconnect(double at) {
    insiders.forEach(
        each -> flow(at + random.nextInt(30), each, "192.0.2.200", 8883, Protocol.TCP, 600));
  }

  private void begin(double at) {
    int kind = random.nextInt(100);
    if (kind < 12 && !externals.isEmpty()) {
      scan(at);
    } else if (kind < 30 && !offers.isEmpty()) {
      Offer offer = any(offers);
      flow(at, outsider(), offer.external().toString(), offer.port(), offer.protocol(), 20);
    } else if (kind < 55) {
      flow(at, any(insiders), "203.0.113.200", 53, Protocol.UDP, 1);
    } else if (kind < 60) {
      flow(at, any(insiders), any(insiders), any(WELL_KNOWN), Protocol.TCP, 10);
    } else if (kind < 64) {
      flow(at, any(insiders), "192.0.2.200", 8883, Protocol.TCP, 600); // keep-alives
    } else {
      int port = random.nextInt(10) == 0 ? 80 : 443;
      flow(at, any(insiders), server(), port, Protocol.TCP, 30);
    }
  }

  private void scan(double at) {
    String who = outsider();
    int tried = any(WELL_KNOWN);
    for (Address external : externals) {
      add(
          new Flow(
              at, at, who, port(), external.toString(), tried, Protocol.TCP, Packet.SYN, 1, 0));
    }
  }

  private void flow(
      double at, String from, String to, int toPort, int protocol, double usualSeconds) {
    double lasts = -Math.log(1 - random.nextDouble()) * usualSeconds;
    boolean tcp = protocol == Protocol.TCP;
    int packets = tcp ? 6 + (int) lasts : 1 + (int) (lasts / 5);
    add(
        new Flow(
            at,
            at + lasts,
            from,
            port(),
            to,
            toPort,
            protocol,
            tcp ? FINISHED : 0,
            packets,
            tcp ? packets * 2 : packets));
  }

  private void add(Flow flow) {
    running.add(flow);
  }

  private void print(Flow flow) {
    out.print(time(flow.start()) + ',' + time(flow.end()) + ',' + flow.from() + ',');
    out.print(flow.fromPort() + "," + flow.to() + ',' + flow.toPort() + ',');
    out.print(Protocol.name(flow.protocol()).toLowerCase(Locale.ROOT) + ',');
    out.print(flow.protocol() == Protocol.TCP ? flow.flags() + "," : ",");
    out.print(flow.packets() + "," + flow.packets() * 90 + ',');
    out.println(flow.back() + "," + flow.back() * 900);
  }

  private String time(double seconds) {
    Instant midnight = DAY.atStartOfDay(site.timeZone()).toInstant();
    return midnight.plusMillis(Math.round(seconds * 1000)).toString();
  }

  /** Anybody on the internet, out of the blocks for documentation, but no address of the site. */
  private String outsider() {
    return "198.51.100." + (random.nextInt(100) + 1);
  }

  private String server() {
    return "192.0.2." + (random.nextInt(60) + 130);
  }

  private int port() {
    port = port == 60_999 ? 40_000 : port + 1;
    return port;
  }

  private <T> T any(List<T> all) {
    return all.get(random.nextInt(all.size()));
  }

  private int any(int[] all) {
    return all[random.nextInt(all.length)];
  }
}
