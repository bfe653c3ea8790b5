// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.plain;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.Duration;
import java.util.ArrayList;
import java.util.EnumMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Named;
import org.eskerfield.model.Network;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Protocol;
import org.eskerfield.packet.Size;
import org.eskerfield.program.DeviceProgram;
import org.eskerfield.trace.Endpoint;
import org.eskerfield.trace.Probe;
import org.eskerfield.trace.Question;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import org.jspecify.annotations.Nullable;
import org.junit.jupiter.api.Test;

/** The tracer and the plain site, question by question, on 1,000 drawn sites. */
class SiteAgreementTest {
  private static final int SITES = 1_000;
  private static final int QUESTIONS = 40;

  private static String text(Trace trace) {
    Endpoint to = trace.deliveredTo();
    Endpoint as = trace.seenAs();
    return trace.outcome()
        + (to == null || as == null
            ? ""
            : " "
                + (to.name() == null ? to.address() : to.name())
                + " "
                + to.address()
                + ":"
                + to.port()
                + " from "
                + as.address()
                + ":"
                + as.port());
  }

  private static @Nullable Address source(Site site, Named who, Address to) {
    if (who instanceof Host host) {
      return site.source(host, to);
    }
    Device device = (Device) who;
    Address towards = DeviceProgram.compile(site, device).sourceTowards(to);
    return towards != null ? towards : device.address(to.family());
  }

  private static List<Address> targets(Site site, DrawnSite drawn) {
    List<Address> all = new ArrayList<>();
    site.hosts().values().forEach(host -> all.addAll(host.addresses()));
    for (Device device : site.devices().values()) {
      device.interfaces().forEach(own -> all.addAll(own.addresses()));
    }
    for (Network network : site.networks().values()) {
      all.addAll(network.carrier());
      all.add(Objects.requireNonNull(network.prefixes().get(0).last().previous()));
    }
    for (int i = 0; i < 12; i++) {
      all.add(drawn.someAddress());
    }
    return all;
  }

  @Test
  void theyAgreeOnEveryQuestion() {
    Map<Outcome, Integer> met = new EnumMap<>(Outcome.class);
    int smaller = 0;
    for (int seed = 0; seed < SITES; seed++) {
      DrawnSite drawn = new DrawnSite(500_000 + seed);
      Site site =
          seed % 20 == 1
              ? drawn.oneDevice(DrawnSite.Kind.PREFIX)
              : seed % 4 == 0
                  ? drawn.oneDevice(drawn.one(DrawnSite.OF_IPV4))
                  : drawn.row(1 + seed % 3);
      Run run = Tracer.of(site).run(org.eskerfield.state.VirtualClock.start(site.timeZone()));
      PlainSite plain = new PlainSite(site, run.now());
      List<Address> targets = targets(site, drawn);
      List<String> story = new ArrayList<>();
      for (int i = 0; i < QUESTIONS; i++) {
        Named who = drawn.one(plain.askers());
        Address to = drawn.one(targets);
        Address from = source(site, who, to);
        if (from == null || from.equals(to) || (who instanceof Device own && owns(own, to))) {
          continue;
        }
        int icmp = drawn.isSix() ? Protocol.ICMPV6 : Protocol.ICMP;
        int protocol = drawn.one(Protocol.TCP, Protocol.TCP, Protocol.UDP, icmp, 47);
        int port = Protocol.hasPorts(protocol) ? 1499 + drawn.random.nextInt(5) : 0;
        int fromPort = 1500 + drawn.random.nextInt(3);
        Probe probe = protocol == icmp ? Probe.ping(to.family()) : Probe.of(protocol, port);
        Size size = null;
        if (protocol != Protocol.TCP && drawn.sizes.nextInt(3) == 0) {
          boolean mayFragment = to.family() == Family.IPV4 && drawn.sizes.nextBoolean();
          size = Size.of(1250 + drawn.sizes.nextInt(260), mayFragment);
        }
        probe = size == null ? probe : probe.of(size.length(), size.mayFragment());
        Trace trace = run.open(new Question(who, from, to, probe, fromPort, run.now()));
        PlainSite.Fate fate = plain.ask(who, from, fromPort, to, protocol, port, size);
        Size sent = trace.request().get(0).decisions().get(0).before().size();
        smaller += sent != null && size != null && sent.length() < size.length() ? 1 : 0;
        String wanted = fate.outcome() + (fate.receiver().isEmpty() ? "" : " " + fate.receiver());
        story.add(
            who.name()
                + " "
                + from
                + ":"
                + fromPort
                + " → "
                + to
                + " "
                + probe
                + ": "
                + trace.reason());
        met.merge(trace.outcome(), 1, Integer::sum);
        String found = text(trace);
        for (String device : site.devices().keySet()) {
          found += "; " + device + " " + run.sessionCount(device);
          wanted += "; " + device + " " + plain.device(device).flowCount();
        }
        if (!found.equals(wanted)) {
          assertThat(found)
              .as("seed %s, question %s\n%s\n%s", seed, i, String.join("\n", story), trace)
              .isEqualTo(wanted);
        }
        long step = drawn.random.nextInt(3_000) + (drawn.chance(4) ? 300_000 : 0);
        run.advance(Duration.ofMillis(step));
        plain.pass(step);
      }
    }
    assertThat(smaller).isGreaterThan(100); // whoever heard that it was too much
    assertThat(met).containsOnlyKeys(Outcome.values());
    assertThat(met.values()).allMatch(count -> count > 50);
  }

  private static boolean owns(Device device, Address address) {
    return device.interfaces().stream().anyMatch(own -> own.addresses().contains(address));
  }
}
