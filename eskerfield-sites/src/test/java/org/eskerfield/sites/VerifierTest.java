// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.ByteArrayInputStream;
import java.nio.charset.StandardCharsets;
import java.util.List;
import javax.xml.parsers.DocumentBuilderFactory;
import org.eskerfield.formats.Sites;
import org.eskerfield.formats.answer.JUnitXml;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.trace.Tracer;
import org.eskerfield.verify.Verdict;
import org.eskerfield.verify.Verifier;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.w3c.dom.Element;

/** What an expectation holds against what happened, and how that is written down. */
class VerifierTest {
  private static List<Verdict> verify(String expectation) throws Exception {
    String text = Sites.skerryText() + "\nexpect:\n  - { " + expectation + " }\n";
    SiteFile file =
        SiteReader.read(
            "x.site.yaml", new ByteArrayInputStream(text.getBytes(StandardCharsets.UTF_8)));
    return new Verifier(Tracer.of(file.site())).verify(file.expectations());
  }

  private static final String INBOUND =
      "from: contractor, to: 198.51.100.140, service: 1502/tcp, outcome: ";

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "answered |",
        "answered by ramp |",
        "answered by 10.77.4.9, seen-as: 192.0.2.140, rule: ramp controller |",
        "answered, rule: the contractor works on the ramp |",
        "answered, rule: from the internet | expected a part of rule 'from the internet', but it has none",
        "answered by kiosk | expected to reach kiosk, but it reaches ramp 10.77.4.9:502",
        "answered, seen-as: 192.0.2.9 | expected to be seen as 192.0.2.9, but it is seen as 192.0.2.140",
        "dropped | expected dropped, but it is answered",
        "answered by ramp, at: sunday | expected answered, but it is dropped",
        "dropped, at: sunday |",
      })
  void everyPartOfAnExpectationIsHeldAgainstWhatHappened(String rest, String difference)
      throws Exception {
    Verdict verdict = verify(INBOUND + rest).get(0);
    Verdict.Result result = verdict.results().get(0);
    if (difference == null) {
      assertThat(result.differences()).isEmpty();
    } else {
      assertThat(result.differences()).containsExactly(difference);
    }
    assertThat(verdict.holds()).isEqualTo(difference == null);
  }

  /** A zone stands for each host in it, and one that fails is enough. */
  @Test
  void aGroupHoldsOnlyIfAllOfItDoes() throws Exception {
    Verdict pier =
        verify("from: pier, to: hydrographic, service: 8883/tcp, outcome: answered").get(0);
    assertThat(pier.results()).hasSize(2);
    assertThat(pier.holds()).isTrue();
    Verdict all =
        verify("from: internet, to: 198.51.100.140, service: 1502/tcp, outcome: dropped").get(0);
    assertThat(all.results()).hasSize(4);
    assertThat(all.results().stream().filter(result -> !result.holds()))
        .singleElement()
        .satisfies(
            r -> assertThat(r.conversation().attempt().sender().name()).isEqualTo("contractor"));
  }

  /** What happened before counts, under the site as it was then. */
  @Test
  void earlierTrafficLeavesItsState() throws Exception {
    String after = "after: { from: contractor, to: 198.51.100.140, service: 1502/tcp";
    assertThat(verify(INBOUND + "answered, at: 'monday 17:59', " + after + " }").get(0).holds())
        .isTrue();
    // The session opened within the schedule carries on after it.
    assertThat(
            verify(INBOUND + "answered, at: 'monday 17:59', " + after + ", wait: 2m }")
                .get(0)
                .holds())
        .isTrue();
    assertThat(verify(INBOUND + "dropped, at: 'monday 18:01'").get(0).holds()).isTrue();
  }

  @Test
  void whatUsersWriteDoesNotBreakTheXml() throws Exception {
    String text =
        Sites.skerryText().replace(": ramp controller", ": \"]]> <ramp & 'controller'\"")
            + "\nexpect:\n  - { from: stranger, to: 198.51.100.140, service: 1502/tcp,"
            + " outcome: answered }\n";
    SiteFile file =
        SiteReader.read(
            "x.site.yaml", new ByteArrayInputStream(text.getBytes(StandardCharsets.UTF_8)));
    String xml =
        JUnitXml.of(
            "<site> & \u0007 'one'",
            new Verifier(Tracer.of(file.site())).verify(file.expectations()),
            List.of());
    Element suite =
        DocumentBuilderFactory.newInstance()
            .newDocumentBuilder()
            .parse(new ByteArrayInputStream(xml.getBytes(StandardCharsets.UTF_8)))
            .getDocumentElement();
    assertThat(suite.getAttribute("name")).isEqualTo("<site> & \\u0007 'one'");
    assertThat(suite.getElementsByTagName("failure").getLength()).isEqualTo(1);
  }
}
