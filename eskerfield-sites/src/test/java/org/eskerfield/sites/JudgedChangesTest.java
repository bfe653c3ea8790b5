// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Random;
import java.util.Set;
import org.eskerfield.check.Checker;
import org.eskerfield.check.Finding;
import org.eskerfield.compare.ChangedFate;
import org.eskerfield.compare.ChangedFate.Kind;
import org.eskerfield.compare.ChangedFates;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.ask.WishReader;
import org.eskerfield.formats.site.edit.JudgedCure;
import org.eskerfield.formats.site.edit.PlannedChange;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.offer.Offer;
import org.eskerfield.offer.Plan;
import org.eskerfield.offer.RefusedChangeException;
import org.eskerfield.offer.Withdrawal;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Probe;
import org.eskerfield.trace.Question;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/**
 * What a cure or an offer is said to change, held to packets that are led one by one: from every
 * host, to every address that somebody has or a rule names, for every port that the file knows.
 */
class JudgedChangesTest {
  private static final Path WORKING = Path.of("../demo/mistakes/working.site.yaml");
  private static final Path WHOLE = Path.of("src/test/resources/org/eskerfield/sites/whole");

  private static final List<Path> WRITTEN =
      List.of(WHOLE.resolve("lab.site.yaml"), WORKING, WHOLE.resolve("routed.site.yaml"));

  @TempDir Path folder;

  /**
   * A packet that was led.
   *
   * @param sent as it was sent
   * @param end who got it, and what became of it
   */
  private record Led(Packet sent, Outcome outcome, String end) {}

  /** What becomes of each packet, by who sends it and what he asks for. */
  private static Map<String, Led> ends(Site site, Site known) {
    Tracer tracer = Tracer.of(site);
    Map<String, Led> ends = new LinkedHashMap<>();
    for (String name : known.hosts().keySet()) {
      Host sender = site.hosts().get(name);
      if (sender == null || sender.off()) {
        continue;
      }
      for (Address to : addresses(known)) {
        Address source = sender.address(to.family());
        if (source == null) {
          continue;
        }
        for (int port : ports(known)) {
          Trace trace =
              tracer.trace(
                  new Question(
                      sender,
                      source,
                      to,
                      Probe.of(Protocol.TCP, port),
                      Question.DEFAULT_SOURCE_PORT,
                      VirtualClock.start(site.timeZone())));
          Packet sent = Packet.of(trace.request().get(0).decisions().get(0).before());
          String end = trace.outcome() + " " + trace.deliveredTo();
          ends.put(name + " to " + to + " " + port, new Led(sent, trace.outcome(), end));
        }
      }
    }
    return ends;
  }

  private static Set<Address> addresses(Site site) {
    Set<Address> all = new LinkedHashSet<>();
    for (Host host : site.hosts().values()) {
      all.addAll(host.addresses());
    }
    for (Device device : site.devices().values()) {
      all.addAll(device.addresses());
      for (InwardRule rule : device.inward()) {
        Prefix block = rule.block(Family.IPV4);
        if (block != null) {
          all.add(block.first());
        }
      }
    }
    return all;
  }

  private static Set<Integer> ports(Site site) {
    Set<Integer> all = new LinkedHashSet<>(List.of(22, 2022));
    List<ServiceTerm> terms = new ArrayList<>();
    site.hosts().values().forEach(host -> terms.addAll(host.listens()));
    for (Device device : site.devices().values()) {
      device.inward().forEach(rule -> terms.addAll(rule.services()));
    }
    for (ServiceTerm term : terms) {
      for (ServicePart part : term.service().parts()) {
        if (part.protocol() == Protocol.TCP) {
          all.add(part.ports().first());
        }
      }
    }
    return all;
  }

  /**
   * Each packet that ends otherwise is told, or it is said that not all were compared; and no other
   * is said to be answered from now on or no more.
   *
   * @return how many end otherwise
   */
  private static int assertTold(Site before, Site after, ChangedFates all) {
    List<ChangedFate> told = all.changes();
    Map<String, Led> then = ends(before, before);
    Map<String, Led> now = ends(after, before);
    int changed = 0;
    for (Map.Entry<String, Led> each : then.entrySet()) {
      Led was = each.getValue();
      Led is = now.get(each.getKey());
      if (is == null || !was.sent.header().equals(is.sent.header())) {
        continue; // its sender is another one now
      }
      boolean ends = !was.end.equals(is.end);
      boolean turns = (was.outcome == Outcome.ANSWERED) != (is.outcome == Outcome.ANSWERED);
      boolean said = false;
      boolean turned = false;
      for (ChangedFate fate : told) {
        if (fate.packets().contains(was.sent, 0, 0, fate.after().question().at())) {
          said = true;
          turned |= fate.kind() == Kind.OPENED || fate.kind() == Kind.SHUT;
        }
      }
      if (all.complete()) {
        assertThat(said || !ends).as("%s: %s, now %s", each.getKey(), was.end, is.end).isTrue();
      }
      if (all.complete() || said) {
        assertThat(turned).as("%s: %s, now %s", each.getKey(), was.end, is.end).isEqualTo(turns);
      }
      changed += ends ? 1 : 0;
    }
    return changed;
  }

  @Test
  void whatACureIsSaidToChangeChanges() throws Exception {
    List<String> lines = Files.readAllLines(WORKING);
    Random random = new Random(20261130);
    int clean = 0;
    int changed = 0;
    for (int judged = 0; judged < Integer.getInteger("cures", 4); ) {
      List<String> damaged = new ArrayList<>(lines);
      AnySiteTest.damage(damaged, random);
      Path file = folder.resolve("d.site.yaml");
      Files.writeString(file, String.join("\n", damaged) + "\n");
      SiteFile site;
      try {
        site = SiteReader.readFile(file);
      } catch (UnreadableSiteException e) {
        continue;
      }
      List<Finding> all =
          Checker.check(site.site(), site.policy(), site.wanted(), (what, done, of) -> {});
      for (Finding finding : all) {
        for (JudgedCure cure : JudgedCure.of(file, "d", site, finding, all)) {
          if (!cure.effect().changedFates().complete()) {
            continue;
          }
          judged++;
          changed +=
              assertTold(site.site(), cure.cured().file().site(), cure.effect().changedFates());
          clean += cure.isClean() ? 1 : 0;
          boolean loses = !cure.closes() && !cure.effect().losses().isEmpty();
          assertThat(cure.isClean() && loses).isFalse();
        }
      }
    }
    assertThat(clean).isPositive();
    assertThat(changed).isPositive();
  }

  /**
   * After an offer that is safe its wish holds, what else changes is told, and a withdrawal gives
   * back the file to the byte.
   */
  @Test
  void anOfferDoesWhatItSaysAndIsTakenBackToTheByte() throws Exception {
    Random random = new Random(20261130);
    int offered = 0;
    int first = Integer.getInteger("drawn.first", 40);
    for (int round = 0; round < Integer.getInteger("offers", 8); round++) {
      Path file = folder.resolve("o.site.yaml");
      boolean drawn = round % 3 > 0;
      Path written = WRITTEN.get(round / 3 % WRITTEN.size());
      String text = drawn ? DrawnBusiness.text(first + round) : Files.readString(written);
      Files.writeString(file, text);
      SiteFile site = SiteReader.readFile(file);
      List<Host> hosts =
          site.site().hosts().values().stream()
              .filter(host -> !host.isOutside() && !host.listens().isEmpty())
              .toList();
      Host host = hosts.get(random.nextInt(hosts.size()));
      ServiceTerm service = host.listens().get(random.nextInt(host.listens().size()));
      boolean six = host.address(Family.IPV6) != null && random.nextInt(3) == 0;
      Family family = six ? Family.IPV6 : Family.IPV4;
      // Take away what there is first, so that all that is withdrawn is of the offer.
      text = Files.readString(withdrawn(file, host.name(), family, service));
      site = SiteReader.readFile(file);
      if (!six && isLedTo(site.site(), host)) {
        continue;
      }
      boolean whole = !six && random.nextInt(4) == 0;
      WishReader wish =
          WishReader.on(site.site(), String.valueOf(host.address(family)), service.text())
              .from(senders(site.site(), host, random))
              .whole(whole)
              .log(true);
      if (!six && !whole && random.nextInt(2) == 0) {
        wish.at(Integer.toString(2000 + random.nextInt(9000)));
      }
      PlannedChange change;
      try {
        Plan plan = Offer.plan(site.site(), wish.read());
        change = Objects.requireNonNull(PlannedChange.offer(file, "o", site, plan));
      } catch (RefusedChangeException e) {
        assertThat(e.remedy()).isNotBlank();
        continue;
      }
      Site after = change.changed().file().site();
      assertTold(site.site(), after, change.effect().changedFates());
      if (!change.isSafe()) {
        continue;
      }
      offered++;
      assertThat(change.proofs()).isNotEmpty().allMatch(PlannedChange.Proved::holds);
      Files.writeString(file, change.changed().after());
      assertThat(Files.readString(withdrawn(file, host.name(), family, service))).isEqualTo(text);
    }
    assertThat(offered).isPositive();
  }

  /** Everybody, somebody or two of them, anywhere; or a network inside. */
  private static String senders(Site site, Host but, Random random) {
    List<String> names = new ArrayList<>();
    site.hosts().values().stream()
        .filter(host -> !host.name().equals(but.name()) && !host.off())
        .forEach(host -> names.add(host.name()));
    List<String> networks = new ArrayList<>();
    site.networks().values().stream()
        .filter(network -> !network.isOutside() && !but.isOn(network))
        .forEach(network -> networks.add(network.name()));
    String one = names.get(random.nextInt(names.size()));
    return switch (random.nextInt(6)) {
      case 0, 1 -> "any";
      case 2 -> "198.51.100.250";
      case 3 -> networks.isEmpty() ? one : networks.get(random.nextInt(networks.size()));
      case 4 -> names.get(random.nextInt(names.size())) + "," + one;
      default -> one;
    };
  }

  private static boolean isLedTo(Site site, Host host) {
    return site.devices().values().stream()
        .flatMap(device -> device.inward().stream())
        .anyMatch(rule -> host.addresses().stream().anyMatch(rule.internalBlock()::contains));
  }

  private static Path withdrawn(Path file, String host, Family family, ServiceTerm service)
      throws Exception {
    SiteFile site = SiteReader.readFile(file);
    try {
      Plan plan =
          Withdrawal.plan(
              site.site(),
              Objects.requireNonNull(site.site().hosts().get(host)),
              family,
              service.service());
      PlannedChange change =
          Objects.requireNonNull(PlannedChange.withdrawal(file, "o", site, plan));
      Files.writeString(file, change.changed().after());
    } catch (RefusedChangeException e) {
      assertThat(e.remedy()).isNotBlank();
    }
    return file;
  }
}
