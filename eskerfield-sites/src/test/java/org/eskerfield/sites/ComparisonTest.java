// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static java.nio.charset.StandardCharsets.UTF_8;
import static org.assertj.core.api.Assertions.assertThat;

import java.io.ByteArrayInputStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import org.eskerfield.compare.ChangedFate;
import org.eskerfield.compare.Comparison;
import org.eskerfield.compare.Difference;
import org.eskerfield.compare.MovedEnds;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.set.PacketWords;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** What a change of a file means, told by meaning and not by line. */
class ComparisonTest {
  private static final Path DEMO = Path.of("../demo/marrowby.site.yaml");

  private static Comparison compared(SiteFile old, SiteFile now) {
    return Comparison.of(side(old), side(now), (who, done, of) -> {});
  }

  private static Comparison.Side side(SiteFile file) {
    return new Comparison.Side(file.site(), file.wanted(), file.policy());
  }

  private static SiteFile changed(String from, String to) throws Exception {
    String text = Files.readString(DEMO);
    assertThat(text).contains(from);
    return SiteReader.read("x", new ByteArrayInputStream(text.replace(from, to).getBytes(UTF_8)));
  }

  /** One change of the demo a row: what is said of it, and a packet that it concerns. */
  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '"',
      nullValues = "-",
      value = {
        "note: the edge router | note: an edge router | ALTERED device 'breakwater': note the edge router → an edge router | - | -",
        "# The web shop | # A web shop | - | - | -",
        "from: contractor | from: [contractor, stranger] | ALTERED access rule 'the contractor works on the ramp' of list 'from the internet' of skerry: from contractor → contractor, stranger | OPENED | from stranger (198.51.100.250) to skerry (198.51.100.140), 1502/tcp, at some times",
        "mon-fri, hours: 07:00-18:00 | mon-fri, hours: 08:00-18:00 | ALTERED schedule 'working hours': windows mon-fri 07:00-18:00 → mon-fri 08:00-18:00 | SHUT | from contractor (192.0.2.140) to skerry (198.51.100.140), 1502/tcp, at some times",
        "listens: 8443/tcp | listens: 8444/tcp | ALTERED host 'booking': listens 8443/tcp → 8444/tcp | SHUT | 203.0.113.35, 443/tcp",
        "becomes: 10.44.0.2 8443 | becomes: 10.44.0.2 8444 | ALTERED destination rule 'booking' of breakwater: internal-ports 8443 → 8444 | SHUT | 203.0.113.35, 443/tcp",
        "pool: 192.0.2.68-192.0.2.71 | pool: 192.0.2.68-192.0.2.70 | ALTERED dynamic rule 'gauges borrow an address' of breakwater: pool 192.0.2.68-192.0.2.71 → 192.0.2.68-192.0.2.70 | OTHER_WAY | from plant to",
        "passenger:     { on: internet, at: 198.51.100.77 | passenger:     { on: internet, network-blocks: https, at: 198.51.100.77 | ALTERED host 'passenger': blocked (nothing) → https | SHUT | from passenger (198.51.100.77) to",
      })
  void aChangeIsToldByMeaning(String from, String to, String said, String kind, String line)
      throws Exception {
    SiteFile old = SiteReader.readFile(DEMO);
    SiteFile now = changed(from, to);
    Comparison comparison = compared(old, now);
    List<String> differences = new ArrayList<>();
    for (Difference each : comparison.differences()) {
      for (Difference.Field field : each.fields()) {
        differences.add(
            each.kind().name()
                + " "
                + each.what()
                + ": "
                + field.name()
                + " "
                + (field.before().isEmpty() ? "(nothing)" : field.before())
                + " → "
                + field.after());
      }
    }
    if (said == null) {
      assertThat(differences).isEmpty();
    } else {
      assertThat(differences).contains(said);
    }
    assertThat(comparison.changedFates().complete()).isTrue();
    List<ChangedFate> changes = comparison.changedFates().changes();
    if (kind == null) {
      assertThat(changes).isEmpty();
      assertThat(comparison.changesNothing()).isTrue();
      return;
    }
    List<String> lines = new ArrayList<>();
    changes.forEach(
        each -> {
          for (String text : new PacketWords(now.site()).of(each.packets())) {
            lines.add(each.kind() + " " + text);
          }
        });
    assertThat(lines).anyMatch(text -> text.startsWith(kind) && text.contains(line));
  }

  /** The quay gets other addresses; each name follows but for one literal address in a rule. */
  @Test
  void aNetworkThatIsRenumberedIsComparedByNames() throws Exception {
    Path working = Path.of("../demo/mistakes/working.site.yaml");
    String text = Files.readString(working);
    String literal = "            to: 10.44.20.117\n";
    String becomes = "        becomes: 10.44.20.117\n";
    String all = text.replace("10.44.20.", "10.44.21.");
    SiteFile old = SiteReader.readFile(working);
    MovedEnds same = compared(old, read(all)).moved();
    assertThat(same.changes()).isEmpty();
    // Six hosts to the internet, their resolver and more; nobody of other networks stays untried.
    assertThat(same.tried()).isGreaterThan(6 * 2);
    SiteFile forgotten =
        read(
            all.replace(literal.replace(".20.", ".21."), literal)
                .replace(becomes.replace(".20.", ".21."), becomes));
    Comparison comparison = compared(old, forgotten);
    assertThat(comparison.changesNothing()).isFalse();
    assertThat(comparison.moved().changes())
        .extracting(
            each ->
                each.from()
                    + " to "
                    + each.to()
                    + " "
                    + each.before().outcome()
                    + " "
                    + each.after().outcome())
        .contains(
            "clerk to booking answered dropped", "till to 'booking' of breakwater answered dropped")
        .allMatch(each -> each.contains("booking"));
    // What manages devices has another address, which their services do not name.
    SiteFile managed =
        read(
            text.replace("10.44.8.", "10.44.9.")
                .replace("from: [office, contractor]", "from: [10.44.8.31, contractor]"));
    SiteFile literally =
        read(text.replace("from: [office, contractor]", "from: [10.44.8.31, contractor]"));
    assertThat(compared(literally, managed).moved().changes())
        .singleElement()
        .satisfies(
            each -> {
              assertThat(each.from() + " to " + each.to()).isEqualTo("clerk to breakwater");
              assertThat(each.before().outcome()).isEqualTo(Outcome.ANSWERED);
              assertThat(each.after().outcome()).isEqualTo(Outcome.REFUSED);
            });
  }

  private static SiteFile read(String text) throws Exception {
    return SiteReader.read("x", new ByteArrayInputStream(text.getBytes(UTF_8)));
  }

  @Test
  void whatMovesIsToldApartFromWhatIsNew() throws Exception {
    SiteFile old = SiteReader.readFile(DEMO);
    String rule =
        "          - accept: names\n            to: lantern\n            service: domain\n";
    SiteFile now = changed(rule, "");
    String text = Files.readString(DEMO).replace(rule, "");
    String moved =
        text.replace(
            "          - accept: the web shop\n", rule + "          - accept: the web shop\n");
    SiteFile after = SiteReader.read("y", new ByteArrayInputStream(moved.getBytes(UTF_8)));
    assertThat(compared(old, after).differences())
        .singleElement()
        .satisfies(
            each -> {
              assertThat(each.kind()).isEqualTo(Difference.Kind.MOVED);
              assertThat(each.what())
                  .isEqualTo("access rule 'names' of list 'to the quay' of lockhouse");
              assertThat(each.where()).isEqualTo("to the top");
            });
    assertThat(compared(old, after).changedFates().changes()).isEmpty();
    Comparison without = compared(old, now);
    assertThat(without.differences().get(0).kind()).isEqualTo(Difference.Kind.REMOVED);
    assertThat(without.expectations()).isNotEmpty().allMatch(each -> each.held() && !each.holds());
    assertThat(without.appeared()).isNotEmpty();
    assertThat(compared(now, old).resolved()).hasSameSizeAs(without.appeared());
  }

  /** Expectations that differ in nothing but one key are two, and each is compared. */
  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "at: monday 10:00, outcome: answered | at: sunday 10:00, outcome: dropped",
        "source-port: 5000, outcome: answered | source-port: 5001, outcome: answered",
        "size: 1000, outcome: answered | outcome: answered",
        "outcome: answered, seen-as: 192.0.2.140 | outcome: answered, seen-as: 192.0.2.141",
        "outcome: answered, rule: ramp controller | outcome: answered, rule: pier and office",
        "outcome: answered | outcome: answered, after: { from: kiosk, to: ramp, service: ping }",
      })
  void expectationsThatDifferInOneKeyAreTwo(String one, String other) throws Exception {
    String asked = "  - { from: contractor, to: 198.51.100.140, service: 1502/tcp, ";
    String text = Files.readString(DEMO);
    int start = text.indexOf("expect:\n");
    String two =
        text.substring(0, start) + "expect:\n" + asked + one + " }\n" + asked + other + " }\n";
    SiteFile old = SiteReader.read("x", new ByteArrayInputStream(two.getBytes(UTF_8)));
    String without = two.replace("from: contractor\n", "from: passenger\n");
    assertThat(without).isNotEqualTo(two);
    SiteFile now = SiteReader.read("x", new ByteArrayInputStream(without.getBytes(UTF_8)));
    assertThat(old.expectations().get(0).text()).isNotEqualTo(old.expectations().get(1).text());
    List<String> changed =
        compared(old, now).expectations().stream().map(each -> each.expectation().text()).toList();
    // What was dropped on a Sunday is so still; all else has changed.
    assertThat(changed).hasSize(one.contains("monday") ? 1 : 2).doesNotHaveDuplicates();
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "becomes: radio\\n | becomes: spare\\n | OTHER_RECEIVER | radio 10.44.20.140:5060"
            + " | spare 10.44.20.141:5060",
        "radio:   { on: quay, | radio:   { off: true, on: quay, | SHUT | radio 10.44.20.140:5060 |",
        "external: 192.0.2.67 | external: 192.0.2.77 | OTHER_LOOK | |",
        "listens: 502/tcp } | listens: 503/tcp } | SHUT | ramp 10.44.20.9:502 | ramp 10.44.20.9:502",
        "service: [ftp, 5060/udp] | service: [ftp, 5060/udp, 8000/tcp] | REACHED | |",
      })
  void whatHurtsMostComesFirst(String from, String to, String kind, String was, String is)
      throws Exception {
    Path working = Path.of("../demo/mistakes/working.site.yaml");
    String text = Files.readString(working);
    String piece = from.replace("\\n", "\n");
    assertThat(text).contains(piece);
    String changed = text.replace(piece, to.replace("\\n", "\n"));
    SiteFile now = SiteReader.read("x", new ByteArrayInputStream(changed.getBytes(UTF_8)));
    List<ChangedFate> changes =
        compared(SiteReader.readFile(working), now).changedFates().changes();
    assertThat(changes).isSortedAccordingTo(Comparator.comparing(ChangedFate::kind));
    assertThat(changes)
        .anySatisfy(
            each -> {
              assertThat(each.kind()).hasToString(kind);
              if (was != null) {
                assertThat(each.before().deliveredTo()).hasToString(was);
              }
              if (is != null) {
                assertThat(each.after().deliveredTo()).hasToString(is);
              }
            });
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "plant:   { prefix: 10.44.60.0/24 | plant:   { prefix: 10.44.60.0/25"
            + " | what is sent from network 'plant' but for addresses that it has on both: 10.44.60.0/24, now"
            + " 10.44.60.0/25",
        "mast:    { prefix: | attic: { prefix: 10.9.9.0/24, zone: attic }\\n  mast:    { prefix:"
            + " | what is sent from network 'attic', which is new",
      })
  void whoWasNotComparedIsTold(String from, String to, String told) throws Exception {
    Path working = Path.of("../demo/mistakes/working.site.yaml");
    String text = Files.readString(working);
    assertThat(text).contains(from);
    String changed = text.replace(from, to.replace("\\n", "\n"));
    SiteFile now = SiteReader.read("x", new ByteArrayInputStream(changed.getBytes(UTF_8)));
    Comparison comparison = compared(SiteReader.readFile(working), now);
    assertThat(comparison.changedFates().uncovered()).containsExactly(told);
    assertThat(comparison.changesNothing()).isFalse();
  }

  /**
   * What a first packet does not show: data connections, what names resolve to, what pools give
   * out; and what is nobody's harm: a rule of another name.
   */
  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "state: { file-transfer: true } | state: { file-transfer: false }"
            + " | out to 198.51.100.130 passive answered unroutable",
        "files.example: { dns: 10.1.0.9 } | files.example: { dns: 10.1.0.20 }"
            + " | files.example 10.1.0.9 10.1.0.20 [files, dns, pc]",
        "files.example: { dns: 10.1.0.9 } | files.example: { dns: none }"
            + " | files.example 10.1.0.9 nothing [files, dns, pc]",
        "pool: 203.0.113.64/30 | pool: 203.0.113.64/31 | 'gauges' of edge 3 1",
        "internal: pc | internal: dns | ",
        "shared: out | shared: web for all | same",
        "file-transfer: true | file-transfer: true, udp: 4m"
            + " | later packets of sessions of edge: state udp 5m, now 4m",
      })
  void whatFirstPacketsDoNotShowIsCompared(String from, String to, String told) throws Exception {
    String text =
        """
        eskerfield: 1
        site: lab
        time-zone: Europe/London
        networks:
          lan:    { prefix: 10.1.0.0/24, zone: inside, resolver: 10.1.0.5 }
          gauges: { prefix: 10.2.0.0/24, zone: inside }
          link:
            prefix: 198.51.100.128/26
            zone: internet
            carrier: 198.51.100.129
            routed: { to: 203.0.113.64/30, via: 198.51.100.130 }
        hosts:
          files: { on: lan, at: 10.1.0.9, listens: ftp }
          dns:   { on: lan, at: 10.1.0.5, listens: domain }
          pc:    { on: lan, at: 10.1.0.20, listens: ssh }
          out:   { on: internet, at: 192.0.2.9 }
        names:
          files.example: { dns: 10.1.0.9 }
        devices:
          edge:
            stance: { inside to internet: accept, otherwise: drop }
            state: { file-transfer: true }
            interfaces:
              up:   { on: link, at: 198.51.100.130 }
              in:   { on: lan, at: 10.1.0.1 }
              well: { on: gauges, at: 10.2.0.1 }
            routes:
              - { to: any, via: 198.51.100.129 }
            translation:
              - { destination: transfers, arriving: up, at: up 21/tcp, becomes: files, admit: any }
              - { static: console, facing: up, external: 203.0.113.65, internal: pc }
              - { dynamic: gauges, from: gauges, leaving: up, pool: 203.0.113.64/30 }
              - { shared: out, from: lan, leaving: up }
        """;
    assertThat(text).contains(from);
    SiteFile old = SiteReader.read("x", new ByteArrayInputStream(text.getBytes(UTF_8)));
    String changed = text.replace(from, to);
    SiteFile now = SiteReader.read("y", new ByteArrayInputStream(changed.getBytes(UTF_8)));
    Comparison comparison = compared(old, now);
    List<String> all = new ArrayList<>();
    comparison
        .transfers()
        .changes()
        .forEach(
            each ->
                all.add(
                    String.join(
                        " ",
                        each.attempt().sender().name(),
                        "to",
                        each.attempt().to(),
                        each.attempt().manner().mode().toString(),
                        each.before().outcome().toString(),
                        each.after().outcome().toString())));
    comparison
        .names()
        .forEach(
            each ->
                all.add(
                    each.name() + " " + each.before() + " " + each.after() + " " + each.hosts()));
    comparison
        .pools()
        .forEach(each -> all.add(each.rule() + " " + each.before() + " " + each.after()));
    all.addAll(comparison.changedFates().uncovered());
    assertThat(comparison.changesNothing()).isEqualTo("same".equals(told));
    if (told != null && !told.equals("same")) {
      assertThat(all).contains(told);
    } else {
      assertThat(all).isEmpty();
    }
  }
}
