// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.Collections;
import java.util.EnumSet;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.Set;
import java.util.TreeSet;
import org.eskerfield.check.Checker;
import org.eskerfield.check.Code;
import org.eskerfield.check.Finding;
import org.eskerfield.check.Severity;
import org.eskerfield.compare.ChangedFate;
import org.eskerfield.compare.ChangedFates;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Outside;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Endpoint;
import org.eskerfield.trace.Probe;
import org.eskerfield.trace.Tracer;
import org.junit.jupiter.api.Test;

/**
 * Every slip of a hand in healthy sites: what it breaks or opens, the check says.
 *
 * <p>What changes is what the comparison finds, so the two are held to each other. Each site is one
 * of an engineer who has written down what works and what must not, from what the site does. The
 * build tries some slips of each site; {@code -Dmutations=1000} tries all of them, some thousands.
 */
class MutationTest {
  static final List<Path> HEALTHY =
      List.of(
          Path.of("../demo/skerry.site.yaml"),
          Path.of("../demo/gauges.site.yaml"),
          Path.of("../demo/ipv6.site.yaml"),
          Path.of("../demo/harbour.site.yaml"),
          Path.of("../demo/marrowby.site.yaml"),
          Path.of("../demo/mistakes/working.site.yaml"),
          resource("clean"),
          resource("whole/partners"),
          resource("whole/two-networks"),
          resource("whole/asymmetric"),
          resource("whole/carriers"),
          resource("whole/lab"),
          resource("whole/realms"),
          resource("whole/routed"));

  /** Of what is broken, so much in a hundred may go unsaid: no file shows that it was not meant. */
  private static final int UNSAID = 3;

  private static final Set<ChangedFate.Kind> BREAKING =
      EnumSet.of(ChangedFate.Kind.SHUT, ChangedFate.Kind.OPENED, ChangedFate.Kind.REACHED);

  /** About names and what comes after the first packet, which the comparison of packets is not. */
  private static final Set<Code> OTHERWISE =
      EnumSet.of(
          Code.NAME_UNKNOWN,
          Code.NAME_WRONG_SIDE,
          Code.RESOLVER_FAILS,
          Code.HAIRPIN_MISSING,
          Code.TRANSFER_NOT_HELPED,
          Code.EXPECTATION_FAILS);

  private int broken;
  private int said;
  private int bySome;
  private final Set<String> unsaid = new TreeSet<>();
  private final Set<String> noise = new TreeSet<>();

  /** The healthy sites by name: written ones, and some that are drawn. */
  static Map<String, String> healthy() throws IOException {
    Map<String, String> all = new LinkedHashMap<>();
    int drawn = Integer.getInteger("drawn", 3);
    for (int i = 0; i < drawn; i++) {
      all.put("drawn " + i, DrawnBusiness.text(Integer.getInteger("drawn.first", 0) + i));
    }
    for (Path path : Boolean.getBoolean("drawn.only") ? List.<Path>of() : HEALTHY) {
      all.put(path.getFileName().toString(), Files.readString(path));
    }
    return all;
  }

  private static Path resource(String name) {
    return Path.of("src/test/resources/org/eskerfield/sites/" + name + ".site.yaml");
  }

  @Test
  void whatASlipBreaksIsSaid() throws Exception {
    int most = Integer.getInteger("mutations", 2);
    for (Map.Entry<String, String> site : healthy().entrySet()) {
      String text = site.getValue();
      String promised = "expect:\n" + Promises.of(read(text).site());
      text = Mutations.without(text, "expect");
      SiteFile healthy = read(text + promised);
      List<Finding> known = findings(healthy);
      assertThat(known).as("%s", site.getKey()).noneMatch(f -> f.code() == Code.EXPECTATION_FAILS);
      List<Mutations.Mutation> slips = new ArrayList<>(Mutations.of(text));
      Collections.shuffle(slips, new Random(21));
      for (Mutations.Mutation slip : slips.subList(0, Math.min(most, slips.size()))) {
        judge(site.getKey() + ": " + slip.what(), slip.text() + promised, healthy, known);
      }
    }
    System.out.printf(
        "broken %d, said %d, by more than an expectation %d, unsaid %s, noise %s%n",
        broken, said, bySome, unsaid, noise);
    assertThat(noise).isEmpty();
    assertThat(unsaid.size() * 100).as("%s", unsaid).isLessThanOrEqualTo(broken * UNSAID);
    assertThat(bySome * 2).as("said by a finding of the rules").isGreaterThan(broken);
  }

  private void judge(String what, String text, SiteFile healthy, List<Finding> known)
      throws IOException {
    SiteFile now;
    try {
      now = read(text);
    } catch (UnreadableSiteException e) {
      return; // it is said at once
    }
    ChangedFates fates = ChangedFates.between(healthy.site(), now.site(), (who, done, of) -> {});
    List<Finding> fresh = Checker.without(findings(now), known);
    if (fates.changes().stream().anyMatch(MutationTest::isBreaking)) {
      broken++;
      said += fresh.isEmpty() ? 0 : 1;
      bySome += fresh.stream().anyMatch(f -> f.code() != Code.EXPECTATION_FAILS) ? 1 : 0;
      if (fresh.isEmpty()) {
        unsaid.add(what);
      }
    } else if (fates.changes().isEmpty() && fates.complete() && fates.uncovered().isEmpty()) {
      for (Finding each : fresh) {
        if (each.severity() != Severity.ADVICE && !OTHERWISE.contains(each.code())) {
          noise.add(what + " " + each.handle());
        }
      }
    }
  }

  /** Somebody whom the file knows is not reached by a host any more, or is from now on. */
  private static boolean isBreaking(ChangedFate change) {
    Endpoint to =
        change.kind() == ChangedFate.Kind.SHUT
            ? change.before().deliveredTo()
            : change.after().deliveredTo();
    return BREAKING.contains(change.kind())
        && change.before().question().sender() instanceof Host
        && to != null
        && to.name() != null;
  }

  private static List<Finding> findings(SiteFile file) {
    return Checker.check(file.site(), file.policy(), file.wanted(), (what, done, of) -> {}).stream()
        .filter(each -> each.accepted() == null)
        .toList();
  }

  static SiteFile read(String text) throws UnreadableSiteException, IOException {
    return SiteReader.read("x", new ByteArrayInputStream(text.getBytes(StandardCharsets.UTF_8)));
  }

  /** What a site does, written down as expectations of its file. */
  static final class Promises {
    private static final Probe SSH = Probe.of(Protocol.TCP, 22);

    private final Site site;
    private final Tracer tracer;
    private final Set<String> lines = new TreeSet<>();

    /** One of each network, who manages devices, and everybody outside. */
    private final List<Host> senders = new ArrayList<>();

    /** What others offer, which must not be had where it is not. */
    private final List<Probe> others;

    private Promises(Site site) {
      this.site = site;
      this.tracer = Tracer.of(site);
      Set<Probe> offered = new LinkedHashSet<>();
      Set<Object> seen = new HashSet<>();
      for (Host host : site.hosts().values()) {
        offered.addAll(probes(host.listens()));
        if (host.isOutside() || isManager(host) || seen.add(host.networks())) {
          senders.add(host);
        }
      }
      this.others = offered.stream().limit(1).toList();
    }

    /** Whether a device serves the host by name. */
    private boolean isManager(Host host) {
      return site.devices().values().stream()
          .flatMap(device -> device.services().stream())
          .flatMap(own -> own.from().stream())
          .anyMatch(term -> term.text().equals(host.name()));
    }

    static String of(Site site) {
      Promises promises = new Promises(site);
      for (Host host : site.hosts().values()) {
        for (Address to : host.addresses()) {
          promises.to(to, host.listens());
        }
      }
      for (Device device : site.devices().values()) {
        List<ServiceTerm> own = device.services().stream().map(OwnService::service).toList();
        device.addresses().forEach(to -> promises.to(to, own));
        for (InwardRule rule : device.inward()) {
          promises.to(rule);
        }
      }
      site.networks().values().stream()
          .flatMap(network -> network.carrier().stream())
          .forEach(carrier -> promises.to(carrier, List.of()));
      for (Family family : Family.values()) {
        Address stranger = Outside.stranger(site, family);
        if (stranger != null) {
          promises.to(stranger, List.of());
        }
      }
      return String.join("", promises.lines);
    }

    private void to(InwardRule rule) {
      Prefix block = rule.block();
      if (block == null || !rule.isStateless()) {
        if (block != null) {
          Host inside = site.hostAt(rule.internalBlock().first());
          boolean named = !rule.services().isEmpty() || inside == null;
          to(block.first(), named ? rule.services() : inside.listens());
        }
        return;
      }
      for (Host host : site.hosts().values()) {
        Address own = host.address(rule.family());
        Address outside =
            own != null && rule.internalBlock().contains(own)
                ? rule.externalAddress(own, block)
                : null;
        if (outside != null) {
          to(outside, host.listens());
        }
      }
    }

    private void to(Address to, List<ServiceTerm> services) {
      Set<Probe> probes = new LinkedHashSet<>(List.of(SSH, Probe.ping(to.family())));
      probes.addAll(probes(services));
      probes.addAll(others);
      for (Host sender : senders) {
        if (sender.address(to.family()) != null && !sender.addresses().contains(to)) {
          probes.forEach(probe -> expect(sender, to, probe));
        }
      }
    }

    private static List<Probe> probes(List<ServiceTerm> services) {
      List<Probe> probes = new ArrayList<>();
      for (ServiceTerm term : services) {
        ServicePart part = term.service().parts().get(0);
        if (Protocol.hasPorts(part.protocol())) {
          probes.add(Probe.of(part.protocol(), part.ports().first()));
        }
      }
      return probes;
    }

    private void expect(Host sender, Address to, Probe probe) {
      ZonedDateTime monday = VirtualClock.start(site.timeZone());
      expect(sender, to, probe, monday, "");
      if (!site.schedules().isEmpty()) {
        expect(sender, to, probe, monday.plusDays(6), ", at: sunday 09:00");
        expect(sender, to, probe, monday.plusHours(14), ", at: 'monday 23:00'");
      }
    }

    private void expect(Host sender, Address to, Probe probe, ZonedDateTime at, String when) {
      Conversation conversation = tracer.converse(Attempt.at(sender, to, probe, at));
      lines.add(
          String.format(
              "  - { from: %s, to: '%s', service: %s, outcome: %s%s }%n",
              sender.name(), to, probe, conversation.outcome(), when));
    }
  }
}
