// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.io.ByteArrayInputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import java.util.Set;
import java.util.TreeSet;
import java.util.stream.Stream;
import org.eskerfield.cause.Diagnosis;
import org.eskerfield.cause.Obstacle;
import org.eskerfield.change.Change;
import org.eskerfield.change.Changes;
import org.eskerfield.change.Cure;
import org.eskerfield.check.Checker;
import org.eskerfield.check.Policy;
import org.eskerfield.formats.Sites;
import org.eskerfield.formats.site.edit.CuredSite;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.DestinationRule;
import org.eskerfield.model.Device;
import org.eskerfield.model.Network;
import org.eskerfield.model.Place;
import org.eskerfield.model.Route;
import org.eskerfield.model.Service;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.trace.Attempt;
import org.eskerfield.verify.Expectation;
import org.junit.jupiter.api.Test;

/** A change of the model and the same change of the text make the same site. */
class ChangesTest {
  /** The demo, a site for each cause, and the clean site with each mistake that a check finds. */
  private static List<String> sites() throws Exception {
    List<String> texts = new ArrayList<>();
    for (String folder : List.of("../demo", "../demo/mistakes")) {
      try (Stream<Path> files = Files.list(Path.of(folder))) {
        for (Path file : files.sorted().toList()) {
          if (file.toString().endsWith(".site.yaml")) {
            texts.add(Files.readString(file));
          }
        }
      }
    }
    for (CheckerTest.Mistake mistake : CheckerTest.mistakes()) {
      texts.add(CheckerTest.edited(mistake.edits()));
    }
    return texts;
  }

  /** The cures of everything that a check finds, and of each obstacle of each expectation. */
  private static List<Cure> cures(SiteFile file) {
    List<Cure> cures = new ArrayList<>();
    Checker.open(file.site(), Policy.NONE).forEach(finding -> cures.add(finding.cure()));
    for (Expectation expectation : file.expectations()) {
      for (Attempt attempt : expectation.attempts()) {
        for (Obstacle obstacle : Diagnosis.of(file.site(), attempt).obstacles()) {
          cures.add(obstacle.cure());
        }
      }
    }
    return cures;
  }

  private static SiteFile read(String text) throws Exception {
    byte[] bytes = text.getBytes(StandardCharsets.UTF_8);
    return SiteReader.read("x", new ByteArrayInputStream(bytes), Path.of("../demo/mistakes"));
  }

  /**
   * All that a site has, in lines, but for where it stands; a network that is the only one of a
   * zone of its name is read as the zone.
   */
  private static String parts(Site site) {
    return site.toString()
        .replaceAll("place=[^,\\]]*", "place")
        .replace("kind=ZONE", "kind=NETWORK")
        .replace(", ", ",\n");
  }

  private static boolean isOfNetwork(Change change) {
    return change.object() instanceof Network;
  }

  @Test
  void theModelAndTheTextAreChangedAlike() throws Exception {
    Set<String> kinds = new TreeSet<>();
    int compared = 0;
    for (String text : sites()) {
      SiteFile file = read(text);
      for (Cure cure : cures(file)) {
        CuredSite cured = CuredSite.changed(text, Path.of("../demo/mistakes"), "x", cure.changes());
        if (cured == null || cure.changes().stream().anyMatch(ChangesTest::isOfNetwork)) {
          continue;
        }
        Site changed = Changes.on(file.site(), cure.changes());
        String about = file.site().name() + ": " + cure.summary() + "\n" + cured.patch();
        assertThat(parts(changed)).as(about).isEqualTo(parts(cured.file().site()));
        assertThat(parts(changed)).as(about).isNotEqualTo(parts(file.site()));
        assertThat(cured.after()).isNotEqualTo(text);
        for (Change change : cure.changes()) {
          kinds.add(
              change.getClass().getSimpleName()
                  + " "
                  + (change instanceof Change.Add add ? add.added() : change.object())
                      .getClass()
                      .getSimpleName());
        }
        compared++;
      }
    }
    assertThat(compared).isGreaterThan(100);
    assertThat(kinds).hasSizeGreaterThan(12);
  }

  @Test
  void whatTheSiteDoesNotHaveIsRefused() throws Exception {
    Site site = Sites.skerry();
    Device device = site.devices().values().iterator().next();
    AccessRule rule = device.access().get(0).rules().get(0);
    Site without = Changes.on(site, List.of(new Change.Remove(rule)));
    assertThat(without.devices().get(device.name()).access().get(0).rules()).doesNotContain(rule);
    assertThatThrownBy(() -> Changes.on(without, List.of(new Change.Remove(rule))))
        .isInstanceOf(IllegalArgumentException.class)
        .hasMessageContaining("nothing to change there");
  }

  /** A network of two prefixes is two routes, of one place. */
  @Test
  void whatIsOneEntryOfTheFileChangesTogether() throws Exception {
    Site site =
        SiteReader.read(
            "x",
            """
            eskerfield: 1
            site: x
            networks:
              a: { prefix: 10.0.0.0/24, zone: a }
              b: { prefix: [10.1.0.0/24, 10.2.0.0/24], zone: b }
            devices:
              r:
                stance: accept
                interfaces: { a: { on: a, at: 10.0.0.1 } }
                routes: [{ to: b, via: 10.0.0.2 }]
            """);
    List<Route> routes = Objects.requireNonNull(site.devices().get("r")).routes();
    Change change = new Change.Alter(routes.get(1), routes.get(1).withPreference(3));
    Site changed = Changes.on(site, List.of(change));
    assertThat(Objects.requireNonNull(changed.devices().get("r")).routes())
        .extracting(route -> route.to() + " " + route.preference())
        .containsExactly("10.1.0.0/24 3", "10.2.0.0/24 3");
  }

  /** The first pair that covers a way counts, so that a new one may not come last. */
  @Test
  void aNewPairOfAStanceComesBeforeTheOthers() throws Exception {
    String text =
        """
        eskerfield: 1
        site: x
        networks:
          a: { prefix: 10.0.0.0/24, zone: a }
          b: { prefix: 10.1.0.0/24, zone: b }
        devices:
          r:
            stance: { any to b: accept, otherwise: drop }
            interfaces: { a: { on: a, at: 10.0.0.1 }, b: { on: b, at: 10.1.0.1 } }
        """;
    Device device = Objects.requireNonNull(read(text).site().devices().get("r"));
    Change change =
        new Change.Alter(
            device, device.withStance(device.stance().but("a", Site.ANY, Action.DROP)));
    CuredSite changed = Objects.requireNonNull(CuredSite.changed(text, null, "x", List.of(change)));
    assertThat(changed.after())
        .contains("stance: { a to any: drop, any to b: accept, otherwise: drop }");
    Site after = changed.file().site();
    assertThat(parts(Changes.on(read(text).site(), List.of(change)))).isEqualTo(parts(after));
    assertThat(Objects.requireNonNull(after.devices().get("r")).stance().actionFor("a", "b"))
        .isEqualTo(Action.DROP);
  }

  /** A rule that is to take a ping instead of a port leads it to no port. */
  @Test
  void aRuleForAnotherServiceLeadsToThePortThatItLedTo() throws Exception {
    Site site = Sites.skerry();
    DestinationRule rule =
        Objects.requireNonNull(site.devices().get("skerry")).inward().stream()
            .map(each -> each.<DestinationRule>by(fixed -> null, to -> to, prefix -> null))
            .filter(Objects::nonNull)
            .findFirst()
            .orElseThrow();
    assertThat(rule.internalPorts()).hasToString("502");
    assertThat(rule.serving(new ServiceTerm(Service.PING, Place.IN_CODE), 502).internalPorts())
        .isNull();
    ServiceTerm same = ServiceTerm.of(new ServicePart(Protocol.TCP, PortSet.of(502), Icmp.NO_TYPE));
    assertThat(rule.serving(same, 502).internalPorts()).isNull();
    ServiceTerm other =
        ServiceTerm.of(new ServicePart(Protocol.TCP, PortSet.of(1503), Icmp.NO_TYPE));
    assertThat(rule.serving(other, 1).internalPorts()).hasToString("502");
  }
}
