// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.EnumMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Random;
import java.util.Set;
import org.eskerfield.check.Checker;
import org.eskerfield.check.Code;
import org.eskerfield.check.Finding;
import org.eskerfield.formats.SiteLot;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.site.edit.CuredSite;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Device;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Place;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Site;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Packet;
import org.eskerfield.program.DeviceProgram;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.walk.DeviceMachine;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** Whatever a site says, its check comes to an end, is true, and its cures can be carried out. */
class AnySiteTest {
  private static final int LOTS = 200;
  private static final int PACKETS = 300;

  @TempDir Path folder;

  /** The findings of a text; null if it is no site. */
  private List<Finding> check(String text) throws Exception {
    Path file = folder.resolve("any.site.yaml");
    Files.write(file, text.getBytes(StandardCharsets.UTF_8));
    try {
      SiteFile read = SiteReader.readFile(file);
      return Checker.check(read.site(), read.policy(), (what, done, of) -> {});
    } catch (UnreadableSiteException e) {
      return List.of();
    }
  }

  @Test
  void rulesThatAreSaidNeverToActNeverDo() throws Exception {
    Map<Code, Integer> met = new EnumMap<>(Code.class);
    for (int seed = 0; seed < LOTS; seed++) {
      SiteLot lot = new SiteLot(seed);
      String text = lot.site();
      List<Finding> findings = check(text);
      Set<Place> idle = new HashSet<>();
      Set<Place> shut = new HashSet<>();
      for (Finding finding : findings) {
        met.merge(finding.code(), 1, Integer::sum);
        boolean never =
            finding.code() == Code.RULE_NEVER_ACTS
                || finding.code() == Code.RULE_AFTER_EVERYTHING
                || (finding.code() == Code.UNTOUCHED_FIRST
                    && finding.message().contains("never acts"));
        if (never && finding.message().contains("never acts on packets:")) {
          idle.add(finding.place());
        }
        if (finding.code() == Code.TRANSLATION_WITHOUT_ACCESS) {
          shut.add(finding.place());
        }
      }
      if (!idle.isEmpty() || !shut.isEmpty()) {
        drive(lot, SiteReader.read("any.site.yaml", text), idle, shut);
      }
    }
    assertThat(met.keySet())
        .contains(
            Code.RULE_NEVER_ACTS,
            Code.TRANSLATION_WITHOUT_ACCESS,
            Code.RULE_REDUNDANT,
            Code.RULES_CROSS,
            Code.SOURCES_UNTRANSLATED);
  }

  /**
   * Sends packets drawn by lot: no idle rule decides, and nobody gets in by a rule that is shut.
   */
  private static void drive(SiteLot lot, Site site, Set<Place> idle, Set<Place> shut) {
    Device edge = Objects.requireNonNull(site.devices().get("edge"));
    DeviceProgram program = DeviceProgram.compile(site, edge);
    for (int i = 0; i < PACKETS; i++) {
      Interface arriving = edge.interfaces().get(lot.random.nextInt(3));
      Packet packet = lot.packet();
      VirtualClock clock =
          new VirtualClock(VirtualClock.start(site.timeZone()).withHour(lot.random.nextInt(24)));
      DeviceMachine machine = new DeviceMachine(program, clock);
      List<Placed> deciders = new ArrayList<>();
      String sent = packet.header().toString();
      var last =
          machine.arrive(
              packet,
              arriving,
              (ruling, by, seen) -> {
                if (by != null && ruling != Ruling.SOURCE_TRANSLATED) {
                  deciders.add(by);
                }
              });
      boolean through = last.ends() == null && machine.leaving() != null;
      for (Placed by : deciders) {
        if (by instanceof AccessRule) {
          assertThat(idle).as(sent).doesNotContain(by.place());
        }
        if (by instanceof TranslationRule rule && through && facing(rule, arriving)) {
          assertThat(shut).as("%s by %s", sent, rule.name()).doesNotContain(by.place());
        }
      }
    }
  }

  private static boolean facing(TranslationRule rule, Interface arriving) {
    return rule instanceof org.eskerfield.model.InwardRule inward
        && inward.facing().names(arriving);
  }

  @Test
  void everyCureOfADamagedSiteCanBeCarriedOut() throws Exception {
    List<String> lines = Files.readAllLines(Path.of("../demo/mistakes/working.site.yaml"));
    Random random = new Random(20260105);
    int carried = 0;
    int none = 0;
    for (int round = 0; round < 400; round++) {
      List<String> damaged = new ArrayList<>(lines);
      for (int i = random.nextInt(2); i >= 0; i--) {
        damage(damaged, random);
      }
      List<Finding> findings = check(String.join("\n", damaged) + "\n");
      for (Finding finding : findings) {
        assertThat(finding.message()).isNotBlank();
        assertThat(finding.cure().summary()).isNotBlank();
        if (finding.cure().changes().isEmpty()) {
          continue;
        }
        boolean fits =
            CuredSite.changed(folder.resolve("any.site.yaml"), "any", finding.cure().changes())
                != null;
        carried += fits ? 1 : 0;
        none += fits ? 0 : 1;
      }
    }
    assertThat(carried).isGreaterThan(30);
    assertThat(none).as("edits that do not fit their file").isZero();
  }

  /** A line goes, comes twice, or has another number. */
  static void damage(List<String> lines, Random random) {
    int at = random.nextInt(lines.size());
    switch (random.nextInt(3)) {
      case 0 -> lines.remove(at);
      case 1 -> lines.add(at, lines.get(random.nextInt(lines.size())));
      default ->
          lines.set(
              at, lines.get(at).replaceAll("\\d(?=\\D*$)", Integer.toString(random.nextInt(10))));
    }
  }
}
