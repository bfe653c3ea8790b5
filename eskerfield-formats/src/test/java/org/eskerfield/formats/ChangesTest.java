package org.eskerfield.formats;

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
import org.eskerfield.cause.Cures;
import org.eskerfield.cause.Diagnosis;
import org.eskerfield.cause.Obstacle;
import org.eskerfield.change.Change;
import org.eskerfield.change.Changes;
import org.eskerfield.change.Cure;
import org.eskerfield.check.Checker;
import org.eskerfield.check.Policy;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Device;
import org.eskerfield.model.Network;
import org.eskerfield.model.Route;
import org.eskerfield.model.Site;
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
          cures.add(Cures.of(file.site(), obstacle));
        }
      }
    }
    return cures;
  }

  private static SiteFile read(String text) throws Exception {
    byte[] bytes = text.getBytes(StandardCharsets.UTF_8);
    return SiteReader.read("x", new ByteArrayInputStream(bytes), Path.of("../demo/mistakes"));
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
        assertThat(SiteWriter.write(changed))
            .as("%s: %s\n%s", file.site().name(), cure.summary(), cured.patch())
            .isEqualTo(SiteWriter.write(cured.file().site()))
            .isNotEqualTo(SiteWriter.write(file.site()));
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
}
