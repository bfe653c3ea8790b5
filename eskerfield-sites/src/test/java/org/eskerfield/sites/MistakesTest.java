// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.stream.Stream;
import org.eskerfield.change.Changes;
import org.eskerfield.check.Checker;
import org.eskerfield.check.Code;
import org.eskerfield.check.Finding;
import org.eskerfield.check.Severity;
import org.eskerfield.formats.site.edit.CuredSite;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Site;
import org.eskerfield.trace.Tracer;
import org.eskerfield.verify.Verdict;
import org.eskerfield.verify.Verifier;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** The sites of one classic mistake each, checked without any packet, and cured. */
class MistakesTest {
  private static final Path FOLDER = Path.of("../demo/mistakes");

  @TempDir Path folder;

  private static List<Finding> check(Path file) throws Exception {
    SiteFile read = SiteReader.readFile(file);
    return Checker.check(read.site(), read.policy(), (what, done, of) -> {}).stream()
        .filter(finding -> finding.accepted() == null)
        .toList();
  }

  /** Which finding of each is the mistake itself. */
  @ParameterizedTest
  @CsvSource({
    "access-missing, translation-without-access",
    "address-changed, address-changed",
    "cannot-share, access-without-translation",
    "carrier-discards-private, disabled-rule-needed",
    "exhausted, pool-too-small",
    "gateway-or-prefix-wrong, gateway-or-prefix-wrong",
    "gateway-or-prefix-wrong--prefix, gateway-or-prefix-wrong",
    "hairpin-missing, hairpin-missing",
    "host-filter, host-filter",
    "host-moved, host-moved",
    "interface-down, interface-down",
    "list-guards-nothing, list-guards-nothing",
    "name-unknown, name-unknown",
    "name-wrong-side, name-wrong-side",
    "notice-lost, notice-lost",
    "order, translation-without-access",
    "order--translation, rule-never-acts",
    "other-side-named, other-side-named",
    "outer-rule-missing, access-without-translation",
    "own-service-taken, own-service-taken",
    "replies-not-let-in, replies-not-let-in",
    "reply-by-other-way, reply-by-other-way",
    "reply-by-other-way--two-gateways, reply-by-other-way",
    "return-route-missing, return-route-missing",
    "route-missing, route-missing",
    "sender-network-blocks, sender-network-blocks",
    "sharing-left-out, sharing-left-out",
    "transfer-not-helped, transfer-not-helped",
    "translation-missing, nothing-listens",
    "untouched-first, untouched-first",
    "wrong-interface, wrong-interface",
    "wrong-service, nothing-listens",
    "wrong-service--protocol, access-without-translation",
  })
  void theCheckFindsItAndTheCureMakesTheExpectationsHold(String mistake, String code)
      throws Exception {
    Path file = FOLDER.resolve(mistake + ".site.yaml");
    List<Finding> findings = check(file);
    List<String> failures = new ArrayList<>();
    for (Finding finding : findings) {
      if (!finding.code().toString().equals(code)) {
        continue;
      }
      CuredSite cured = CuredSite.of(file, mistake, finding, findings);
      if (cured == null) {
        failures.add(finding.handle() + " is not cured: " + finding.cure().summary());
        continue;
      }
      List<String> broken = new ArrayList<>();
      for (Verdict verdict :
          new Verifier(Tracer.of(cured.file().site())).verify(cured.file().expectations())) {
        if (!verdict.holds()) {
          broken.add(verdict.expectation().text() + verdict.results().get(0).differences());
        }
      }
      if (broken.isEmpty()) {
        return;
      }
      failures.add(finding.handle() + "\n" + cured.patch() + "\nbut " + broken);
    }
    String found = findings.stream().map(Finding::handle).toList().toString();
    assertThat(failures).as("%s has %s", mistake, found).isNull();
  }

  /** Whatever stops because of it, the list is what is wrong, and its guard what is edited. */
  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "arriving: uplink, leaving: transit | arriving: uplink, leaving: office",
        "arriving: uplink, leaving: transit | arriving: transit, leaving: uplink",
        "arriving: transit, leaving: quay | arriving: quay, leaving: transit",
        "arriving: quay, leaving: transit | arriving: transit, leaving: quay",
        "arriving: uplink, leaving: mast | arriving: uplink, leaving: plant",
      })
  void aListThatGuardsElsewhereIsSaidOnceAndPutRight(String right, String wrong) throws Exception {
    String working = Files.readString(FOLDER.resolve("working.site.yaml"));
    String text = working.replace("guards: { " + right + " }", "guards: { " + wrong + " }");
    Path file = Files.writeString(folder.resolve("x.site.yaml"), text);
    List<Finding> findings = check(file);
    assertThat(findings).extracting(Finding::code).containsExactly(Code.WRONG_INTERFACE);
    CuredSite cured = CuredSite.of(file, "x", findings.get(0), findings);
    assertThat(cured).isNotNull();
    assertThat(cured.patch()).contains("+        guards: { " + right + " }");
  }

  /** A list of one end that names another: offers are shut, what goes out is shut, and more. */
  @Test
  void oneSlipBehindManyFindingsIsSaidInTheirPlace() throws Exception {
    String healthy = Mutations.without(DrawnBusiness.text(7200), "expect");
    String slip = "edge / access / from the internet / guards / arriving: uplink becomes office";
    String text =
        Mutations.of(healthy).stream()
            .filter(each -> each.what().equals(slip))
            .findFirst()
            .orElseThrow()
            .text();
    List<Finding> known = Checker.check(MutationTest.read(healthy).site());
    Site site = MutationTest.read(text).site();
    List<Finding> fresh = serious(Checker.without(Checker.check(site), known));
    assertThat(fresh).extracting(Finding::code).containsExactly(Code.WRONG_INTERFACE);
    assertThat(fresh.get(0).message())
        .startsWith("list 'from the internet' of edge guards what arrives on office:");
    Site cured = Changes.on(site, fresh.get(0).cure().changes());
    assertThat(serious(Checker.without(Checker.check(cured), known))).isEmpty();
    // Without that finding, all of them would have to be said.
    assertThat(serious(Checker.without(Checker.withConsequences(site), known)).size())
        .isGreaterThan(3);
  }

  private static List<Finding> serious(List<Finding> findings) {
    return findings.stream().filter(each -> each.severity() != Severity.ADVICE).toList();
  }

  @Test
  void whatCannotBeSeenInTheFileIsNotFound() throws Exception {
    for (String quiet : List.of("working", "old-session", "outside-schedule", "wrong-address")) {
      assertThat(check(FOLDER.resolve(quiet + ".site.yaml"))).as(quiet).isEmpty();
    }
    try (Stream<Path> all = Files.list(FOLDER)) {
      // 33 above, four here, one that only the carrier can mend, and one that no file can.
      assertThat(all.filter(file -> file.toString().endsWith(".yaml"))).hasSize(39);
    }
    assertThat(check(FOLDER.resolve("address-private.site.yaml")))
        .extracting(finding -> finding.code().toString())
        .containsExactly("address-private");
    // What runs on a host is no policy: that it listens elsewhere is not mended by an edit.
    assertThat(check(FOLDER.resolve("nothing-listens.site.yaml")))
        .filteredOn(finding -> finding.code() == Code.NOTHING_LISTENS)
        .singleElement()
        .satisfies(finding -> assertThat(finding.cure().changes()).isEmpty());
  }
}
