// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Path;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Objects;
import java.util.Set;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Network;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.program.SiteProgram;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Tracer;
import org.eskerfield.verify.Expectation;
import org.junit.jupiter.api.Test;

/** What is taken over from the program of a site for another that differs little. */
class SiteProgramTest {
  private static final Path MARROWBY = Path.of("../demo/marrowby.site.yaml");

  private static List<String> told(Tracer tracer, List<Expectation> expectations) {
    List<String> told = new ArrayList<>();
    for (Expectation expectation : expectations) {
      for (Attempt attempt : expectation.attempts()) {
        if (attempt.isOn(tracer.site())) {
          Conversation conversation = tracer.converse(attempt.on(tracer.site()));
          told.add(attempt + " " + conversation.outcome() + " " + conversation.reason());
        }
      }
    }
    return told;
  }

  @Test
  void aHostThatMovedIsFoundByRulesThatNameIt() throws Exception {
    SiteFile file = SiteReader.readFile(MARROWBY);
    Tracer before = Tracer.of(file.site());
    List<String> usual = told(before, file.expectations());
    Set<String> mattered = new HashSet<>();
    for (Host host : file.site().hosts().values()) {
      List<Address> moved = new ArrayList<>();
      host.addresses().forEach(address -> moved.add(Objects.requireNonNull(address.next())));
      Site changed = file.site().with(host.withAddresses(moved));
      List<String> now = told(before.on(changed), file.expectations());
      assertThat(now).as(host.name()).isEqualTo(told(Tracer.of(changed), file.expectations()));
      if (!now.equals(usual)) {
        mattered.add(host.name());
      }
    }
    assertThat(mattered).hasSizeGreaterThan(3);
  }

  @Test
  void onlyTheDeviceThatDiffersIsCompiledAgain() throws Exception {
    Site site = SiteReader.readFile(MARROWBY).site();
    SiteProgram before = SiteProgram.compile(site);
    Device first = site.devices().values().iterator().next();
    SiteProgram after = before.on(site.with(first.withNote("what is new")));
    for (Device device : site.devices().values()) {
      boolean same = before.device(device.name()) == after.device(device.name());
      assertThat(same).as(device.name()).isEqualTo(device != first);
    }
    assertThat(before.on(site)).isSameAs(before);
    assertThat(site.devices()).hasSizeGreaterThan(1);
  }

  /** Receivers that are not like all others are told apart, each for its own reason. */
  @Test
  void hostsThatDifferAreToldApart() throws Exception {
    Site site = SiteReader.readFile(MARROWBY).site();
    Host booking = Objects.requireNonNull(site.hosts().get("booking"));
    Host radio = Objects.requireNonNull(site.hosts().get("radio"));
    assertThat(tellsApart(site, booking)).isFalse();
    assertThat(tellsApart(site.with(booking.withOff(true)), booking)).isTrue();
    assertThat(tellsApart(site.with(radio.withAddresses(booking.addresses())), booking)).isTrue();
  }

  private static boolean tellsApart(Site site, Host host) {
    Network network = host.networks().get(0);
    Address to = host.addresses().get(0);
    Packet packet = new Packet(to, 1, to, 1, Protocol.UDP, Icmp.NO_TYPE, 0);
    return SiteProgram.compile(site)
        .peculiar(network)
        .holds(packet, false, VirtualClock.start(site.timeZone()));
  }
}
