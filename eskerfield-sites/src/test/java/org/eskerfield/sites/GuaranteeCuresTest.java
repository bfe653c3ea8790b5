// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.change.Cure;
import org.eskerfield.compare.Comparison;
import org.eskerfield.compare.ExplainedProof;
import org.eskerfield.formats.SiteLot;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.site.edit.CuredSite;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.guarantee.Evidence;
import org.eskerfield.guarantee.Proof;
import org.eskerfield.guarantee.Prover;
import org.eskerfield.trace.Tracer;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** What mends a guarantee that does not hold, and what one rests on that does. */
class GuaranteeCuresTest {
  private static ExplainedProof explained(String guarantee, String edits) throws Exception {
    String[] each = edits.isEmpty() ? new String[0] : edits.split(" => | ;; ", -1);
    SiteFile file = GuaranteesTest.file(GuaranteesTest.text(guarantee, each));
    Prover prover = new Prover(Tracer.of(file.site()));
    Comparison.Side side = new Comparison.Side(file.site(), file.wanted(), file.policy());
    return ExplainedProof.of(
            side, prover, prover.prove(file.guarantees()), true, (what, done, of) -> {})
        .get(0);
  }

  private static final String FACT =
      "guarantees:\n => expect:\n  - { from: clerk, to: press, service: 502/tcp, outcome: answered }\nguarantees:\n";

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "never: x, from: office, to: plant | '' | add a list to edge that guards traffic from office to inner and drops it",
        "never: x, from: internet, to: plant | '' | add an access rule to list 'to the plant', before access rule 'the maker', that drops it",
        "never: x, from: internet, to: press, except: { when: shift } | , when: shift } => } | admit by destination rule 'the press' only in shift",
        "never: x, from: internet, to: edge | verify-source: true => verify-source: false | let edge verify sources",
        "never: x, from: office, to: internet, except: { service: https } | '' | add a list to edge that guards traffic from office to uplink and drops it, but for exempt traffic",
        "logged: x, from: office, to: plant | '' | add a list to edge that guards traffic from office to inner, accepts and logs it",
        "always: x, from: guests, to: press, service: 502/tcp | '' | accept it: add a list that guards traffic from guests to inner; accept it: add an access rule to list 'to the plant'; accept it: add an access rule to list 'guests to inner'",
        // A hairpin that looks like the device itself, and a rule for more than is needed.
        "never: x, from: guests, to: plant | admit: maker => admit: any\\n        hairpin: guests ;; from: office, to: press => from: [office, between], to: press | take guests out of the hairpin of destination rule 'the press'",
        "never: x, from: guests, to: press | guests to internet => guests to any ;; from: office, to: press => from: [office, guests], to: press | add a list to edge that guards traffic from guests to inner and drops it",
      })
  void whatMendsIt(String guarantee, String edits, String cure) throws Exception {
    ExplainedProof it = explained(guarantee, edits.replace("\\n", "\n"));
    assertThat(it.proof().holds()).isFalse();
    assertThat(it.cures())
        .singleElement()
        .satisfies(each -> assertThat(each.objections()).isEmpty())
        .satisfies(each -> assertThat(each.cure().summary()).isEqualTo(cure));
  }

  /** What is wanted besides is told, and so is that nothing is known. */
  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "never: x, from: office, to: plant | the expectation 'clerk to press, 502/tcp: answered' fails",
        "never: x, from: maker, to: press, except: { when: shift }, also: any link down | ''",
        "always: x, from: office, to: feed, service: 80/tcp | ''",
      })
  void whatCannotBeMendedAlone(String guarantee, String objection) throws Exception {
    String fact =
        "guarantees: => expect:\n  - { from: clerk, to: press, service: 502/tcp, outcome: answered }\n"
            + "guarantees:";
    ExplainedProof it = explained(guarantee, fact);
    if (it.proof().holds()) {
      assertThat(it.cures()).isNull();
    } else if (objection.isEmpty()) {
      assertThat(it.cures()).isEmpty();
    } else {
      assertThat(it.cures())
          .singleElement()
          .satisfies(each -> assertThat(each.objections()).containsExactly(objection));
    }
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "never: x, from: guests, to: office | edge: stance, line 20; edge: interface guests, line 25",
        "only: x, from: internet, to: plant, may: { from: maker, to: press, service: 502/tcp } | edge: destination rule 'the press', line 32; edge: stance, line 20; edge: interface uplink, line 23",
        "never: x, from: internet, to: [edge, wall] | edge: interface uplink, line 23",
        "always: x, from: office, to: press, service: 502/tcp | edge: stance from office to any, line 20; wall: access rule 'the office', line 50",
        "passes: x, from: any, to: plant, except: { from: plant }, through: wall | ''",
        "never: x, from: office, to: plant | edge: stance from office to any, line 20; wall: access rule 'the office', line 50",
      })
  void whatItRestsOn(String guarantee, String lines) throws Exception {
    Evidence evidence = explained(guarantee, "").evidence();
    assertThat(evidence).isNotNull();
    assertThat(evidence.complete()).isTrue();
    assertThat(evidence.lines().stream().map(Evidence.Line::text))
        .containsExactlyElementsOf(lines.isEmpty() ? List.of() : List.of(lines.split("; ")));
  }

  /** What is found on drawn sites does the same once it is written into the file. */
  @Test
  void aCureHoldsInTheFileToo() throws Exception {
    int cured = 0;
    for (int seed = 0; seed < Integer.getInteger("cured", 12); seed++) {
      String text = GuaranteesByForceTest.text(new SiteLot(seed).site());
      SiteFile file;
      try {
        file = GuaranteesTest.file(text);
      } catch (UnreadableSiteException e) {
        continue;
      }
      Prover prover = new Prover(Tracer.of(file.site()));
      Proof proof = prover.prove(file.guarantees().get(seed % file.guarantees().size()));
      List<Cure> cures = new ArrayList<>();
      prover.cures(proof, (cure, site) -> cures.add(cure) && cures.size() < 2);
      for (Cure cure : cures) {
        CuredSite written = CuredSite.changed(text, null, "x", cure.changes());
        assertThat(written).as("seed %s: %s", seed, cure.summary()).isNotNull();
        Proof then = new Prover(Tracer.of(written.file().site())).prove(proof.guarantee());
        assertThat(then.holds()).as("seed %s: %s", seed, cure.summary()).isTrue();
        cured++;
      }
    }
    assertThat(cured).isGreaterThan(4);
  }
}
