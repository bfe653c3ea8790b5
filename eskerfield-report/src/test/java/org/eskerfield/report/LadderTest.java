// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.report;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import org.eskerfield.formats.ask.QuestionReader;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.report.draw.Theme;
import org.eskerfield.report.page.ConversationPicture;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Tracer;
import org.eskerfield.trace.Transit;
import org.eskerfield.verify.Verdict;
import org.eskerfield.verify.Verifier;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.MethodSource;

/** A ladder tells the story of a conversation to who sees nothing else. */
class LadderTest {
  static List<Path> mistakes() throws Exception {
    return DrawnSites.all().stream()
        .filter(file -> file.getParent().endsWith("mistakes"))
        .filter(file -> !file.toString().contains("working"))
        .toList();
  }

  /** What the pieces of a text, which may stand on several lines, say together. */
  private static String said(String svg) {
    return svg.replaceAll("<title>[^<]*</title>", "")
        .replaceAll("(?s)<style>.*?</style>", "")
        .replaceAll("<[^>]*>", " ")
        .replaceAll("\\s+", " ")
        .replace("&gt;", ">")
        .replace("&amp;", "&");
  }

  @ParameterizedTest
  @MethodSource("mistakes")
  void eachMistakeShowsByItsLadderAlone(Path file) throws Exception {
    SiteFile read = SiteReader.readFile(file);
    Verifier verifier = new Verifier(Tracer.of(read.site()));
    int shown = 0;
    for (Verdict verdict : verifier.verify(read.expectations())) {
      for (Verdict.Result result : verdict.results()) {
        Conversation talk = result.conversation();
        List<Transit> packets = new ArrayList<>();
        verifier.watch(verdict.expectation(), talk.attempt(), packets::add);
        ConversationPicture way = new ConversationPicture(read.site(), talk, packets);
        SiteMapTest.assertNothingIsCovered(talk.reason(), way.map().svg(Theme.LIGHT));
        String ladder = way.ladder().svg(Theme.LIGHT);
        assertThat(said(ladder)).contains(talk.reason());
        assertNoTextCoversAnother(ladder);
        Transit lost = packets.stream().filter(each -> !each.arrived()).findFirst().orElse(null);
        if (lost != null) {
          assertThat(ladder).as(verdict.expectation().text()).contains("class=\"cross\"");
          assertThat(said(ladder)).contains(lost.end().text().split(";")[0]);
        }
        shown += result.holds() ? 0 : 1;
      }
    }
    assertThat(shown).isPositive();
  }

  private static void assertNoTextCoversAnother(String ladder) throws Exception {
    List<SiteMapTest.Area> texts = SiteMapTest.texts(SiteMapTest.parsed(ladder), false);
    for (int i = 0; i < texts.size(); i++) {
      assertThat(texts.get(i).left()).as(texts.get(i).what()).isNotNegative();
      for (int k = 0; k < i; k++) {
        assertThat(texts.get(i).meets(texts.get(k)))
            .as("%s and %s", texts.get(i), texts.get(k))
            .isFalse();
      }
    }
  }

  private static ConversationPicture way(Site site, String from, String to, String service)
      throws Exception {
    return ConversationPicture.of(
        Tracer.of(site), QuestionReader.on(site).from(from).to(to).service(service).attempt());
  }

  @Test
  void aReplyThatPassesDevicesByArchesOverThem() throws Exception {
    Site site = SiteReader.read(DrawnSites.MISTAKES.resolve("reply-by-other-way.site.yaml"));
    ConversationPicture way = way(site, "till", "192.0.2.66", "https");
    assertThat(way.packets().stream().map(Transit::what))
        .containsExactly("SYN", "SYN ACK", "RST", "SYN", "SYN ACK", "RST", "SYN", "SYN ACK", "RST");
    String ladder = way.ladder().svg(Theme.LIGHT);
    // An arch has four points more than a straight line of two.
    assertThat(ladder)
        .containsPattern("class=\"reply\" d=\"M[\\d. ]+(L[\\d. ]+){9}\"")
        .contains("7 to 9")
        .doesNotContain("10 to")
        .doesNotContain("after 0 s");
    assertThat(said(ladder))
        .contains("after 1 s sent again, with the same result: SYN, SYN ACK, RST")
        .contains("breakwater changes the destination to 10.44.0.2:8443 by destination rule");
    assertThat(way.svg(Theme.SYSTEM)).contains("prefers-color-scheme").contains("lockhouse");
  }

  /** Who asks a resolver on the internet from inside: what is outside stands at one side. */
  @Test
  void theInternetStandsOutsideAndNoLineRunsThroughWords() throws Exception {
    Site site = SiteReader.read(DrawnSites.DEMO);
    ConversationPicture way = way(site, "ferry", "booking.marrowby.example", "https");
    String ladder = way.ladder().svg(Theme.LIGHT);
    List<SiteMapTest.Area> texts = SiteMapTest.texts(SiteMapTest.parsed(ladder), false);
    List<String> order =
        texts.stream()
            .filter(each -> each.bottom() < 72 && each.top() > 40)
            .map(SiteMapTest.Area::what)
            .toList();
    assertThat(order)
        .containsExactly(
            "open-resolver", "the internet", "ferry", "breakwater", "lockhouse", "booking");
    double last =
        texts.stream()
            .filter(each -> each.what().equals("booking"))
            .mapToDouble(SiteMapTest.Area::right)
            .findFirst()
            .orElseThrow();
    assertThat(texts)
        .filteredOn(each -> each.what().contains("changes"))
        .isNotEmpty()
        .allMatch(each -> each.left() > last);
  }

  @Test
  void aFileTransferShowsBothConnectionsAndWhatIsAnnounced() throws Exception {
    Site site = SiteReader.read(DrawnSites.DEMO);
    ConversationPicture way = way(site, "auditor", "203.0.113.37", "ftp");
    assertThat(way.packets().stream().map(each -> each.what() + (each.isReply() ? " back" : "")))
        .containsExactly(
            "SYN",
            "SYN ACK back",
            "ACK",
            "announcement",
            "announcement back",
            "SYN",
            "SYN ACK back",
            "ACK",
            "request",
            "response back",
            "FIN",
            "FIN back",
            "ACK",
            "FIN",
            "FIN back",
            "ACK");
    assertThat(way.conversation().outcome()).isEqualTo(Outcome.ANSWERED);
  }
}
