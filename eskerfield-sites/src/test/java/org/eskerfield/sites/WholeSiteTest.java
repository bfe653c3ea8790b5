// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.stream.Stream;
import org.eskerfield.cause.Diagnosis;
import org.eskerfield.formats.ask.QuestionReader;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.packet.Header;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Segment;
import org.eskerfield.trace.Tracer;
import org.eskerfield.verify.Expectation;
import org.eskerfield.verify.Verdict;
import org.eskerfield.verify.Verifier;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.MethodSource;

/** Whole sites: each holds what its file expects, and fails for the causes that it notes. */
class WholeSiteTest {
  private static final Path DEMO = Path.of("../demo");
  private static final Path MISTAKES = DEMO.resolve("mistakes");

  private static Stream<Path> filesIn(Path folder) throws Exception {
    try (Stream<Path> files = Files.list(folder)) {
      return files
          .filter(file -> file.toString().endsWith(".site.yaml"))
          .sorted()
          .toList()
          .stream();
    }
  }

  static Stream<Path> sites() throws Exception {
    return Stream.concat(
        filesIn(Path.of("src/test/resources/org/eskerfield/sites/whole")),
        Stream.of(DEMO.resolve("marrowby.site.yaml"), MISTAKES.resolve("working.site.yaml")));
  }

  static Stream<Path> mistakes() throws Exception {
    return filesIn(MISTAKES).filter(file -> !file.endsWith("working.site.yaml"));
  }

  @ParameterizedTest
  @MethodSource("sites")
  void everyExpectationHolds(Path file) throws Exception {
    SiteFile read = SiteReader.readFile(file);
    for (Verdict verdict : new Verifier(Tracer.of(read.site())).verify(read.expectations())) {
      for (Verdict.Result result : verdict.results()) {
        assertThat(result.differences())
            .as("%s: %s", verdict.expectation().place(), result.conversation().reason())
            .isEmpty();
        headersFollow(result.conversation());
      }
    }
  }

  @ParameterizedTest
  @MethodSource("sites")
  void everyFailureHasTheCausesThatAreNoted(Path file) throws Exception {
    SiteFile read = SiteReader.readFile(file);
    for (Expectation expectation : read.expectations()) {
      if (expectation.outcome() == Outcome.ANSWERED || !file.toString().contains("whole")) {
        continue;
      }
      Diagnosis found = Diagnosis.of(read.site(), expectation.attempts().get(0));
      assertThat(codes(found)).as(expectation.place().toString()).isEqualTo(expectation.note());
    }
  }

  private static String codes(Diagnosis diagnosis) {
    return String.join(
        " ", diagnosis.obstacles().stream().map(each -> each.cause().toString()).toList());
  }

  /**
   * Each header is the one before it with the change of its decision, from the first to the last.
   */
  private static void headersFollow(Conversation conversation) {
    for (Segment segment : conversation.segments()) {
      Header last = null;
      for (Leg leg : segment.legs()) {
        for (Decision decision : leg.decisions()) {
          if (last != null) {
            Header before = decision.before();
            assertThat(before.sourceText()).isEqualTo(last.sourceText());
            assertThat(before.destinationText()).isEqualTo(last.destinationText());
          }
          last = decision.after();
        }
      }
    }
  }

  /** The name of the file is the cause: of the first expectation that fails, and alone. */
  @ParameterizedTest
  @MethodSource("mistakes")
  void everyMistakeIsNamed(Path file) throws Exception {
    String cause = file.getFileName().toString().replaceAll("(--.*)?\\.site\\.yaml$", "");
    SiteFile read = SiteReader.readFile(file);
    List<Verdict> failed = new ArrayList<>();
    for (Verdict verdict : new Verifier(Tracer.of(read.site())).verify(read.expectations())) {
      if (!verdict.holds()) {
        failed.add(verdict);
      }
    }
    assertThat(failed).isNotEmpty();
    Diagnosis diagnosis = failed.get(0).results().get(0).diagnosis();
    assertThat(diagnosis).isNotNull();
    assertThat(codes(diagnosis)).isEqualTo(cause);
  }

  @Test
  void everyCauseThatPractitionersKnowHasAMistake() throws Exception {
    List<String> files =
        mistakes()
            .map(file -> file.getFileName().toString().replaceAll("(--.*)?\\.site\\.yaml$", ""))
            .toList();
    assertThat(files)
        .contains(
            "access-missing",
            "translation-missing",
            "list-guards-nothing",
            "wrong-interface",
            "wrong-service",
            "interface-down",
            "order",
            "reply-by-other-way",
            "replies-not-let-in",
            "name-wrong-side",
            "exhausted",
            "sharing-left-out",
            "cannot-share",
            "nothing-listens",
            "host-moved",
            "gateway-or-prefix-wrong",
            "address-changed",
            "address-private",
            "own-service-taken",
            "carrier-discards-private",
            "outer-rule-missing",
            "host-filter",
            "sender-network-blocks",
            "outside-schedule",
            "old-session",
            "return-route-missing",
            "untouched-first",
            "wrong-address");
  }

  @Test
  void aSiteIsTheSameAfterItWasAsked() throws Exception {
    Site site = SiteReader.read(DEMO.resolve("marrowby.site.yaml"));
    Conversation first = converse(site, "clerk", "203.0.113.35:443", "tcp");
    assertThat(converse(site, "clerk", "203.0.113.35:443", "tcp")).isEqualTo(first);
  }

  private static Conversation converse(Site site, String from, String to, String service)
      throws Exception {
    return Tracer.of(site)
        .converse(QuestionReader.on(site).from(from).to(to).service(service).attempt());
  }
}
