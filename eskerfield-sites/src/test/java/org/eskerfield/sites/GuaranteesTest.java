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
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.guarantee.Proof;
import org.eskerfield.guarantee.Prover;
import org.eskerfield.guarantee.Reach;
import org.eskerfield.trace.Tracer;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;

/** Guarantees of a small site of two devices, each answer worked out by hand. */
class GuaranteesTest {
  private static final String SITE =
      """
      eskerfield: 1
      site: A workshop
      time-zone: UTC
      networks:
        link: { prefix: 203.0.113.0/29, zone: internet, carrier: 203.0.113.1 }
        office: { prefix: 10.1.0.0/24, zone: office }
        guests: { prefix: 10.2.0.0/24, zone: guests }
        between: { prefix: 10.9.0.0/30, zone: between }
        plant: { prefix: 10.3.0.0/24, zone: plant }
      hosts:
        clerk: { on: office, at: 10.1.0.10, listens: 445/tcp }
        visitor: { on: guests, at: 10.2.0.5 }
        press: { on: plant, at: 10.3.0.7, listens: 502/tcp }
        lathe: { on: plant, at: 10.3.0.8 }
        maker: { on: internet, at: 192.0.2.40 }
        feed: { on: internet, at: 192.0.2.200, listens: https }
      schedules: { shift: { days: mon-fri, hours: 08:00-16:00 } }
      devices:
        edge:
          stance: { office to any: accept, guests to internet: accept, otherwise: drop }
          verify-source: true
          interfaces:
            uplink: { on: link, at: 203.0.113.2 }
            office: { on: office, at: 10.1.0.1 }
            guests: { on: guests, at: 10.2.0.1 }
            inner: { on: between, at: 10.9.0.1 }
          routes:
            - { to: any, via: 203.0.113.1 }
            - { to: plant, via: 10.9.0.2 }
          services: [{ service: ssh, from: office }]
          translation:
            - destination: the press
              arriving: uplink
              at: uplink 1502/tcp
              becomes: press 502
              admit: maker
            - { shared: everybody, from: [office, guests], leaving: uplink }
        wall:
          stance: drop
          verify-source: true
          interfaces:
            outer: { on: between, at: 10.9.0.2 }
            plant: { on: plant, at: 10.3.0.1 }
          routes: [{ to: any, via: 10.9.0.1 }]
          access:
            to the plant:
              guards: { arriving: outer, leaving: plant }
              rules:
                - { accept: the maker, from: maker, to: press, service: 502/tcp, when: shift }
                - { accept: the office, from: office, to: press, service: 502/tcp }
              otherwise: drop
      """;

  private static Proof prove(String guarantee, String... edits) throws Exception {
    SiteFile file = file(text(guarantee, edits));
    List<Proof> proofs = new Prover(Tracer.of(file.site())).prove(file.guarantees());
    return proofs.get(0);
  }

  /** The site with some edits, by pairs of what is written and what is written instead. */
  static String text(String guarantee, String... edits) {
    String text = SITE + "guarantees:\n  - { " + guarantee + " }\n";
    for (int i = 0; i < edits.length; i += 2) {
      assertThat(text).contains(edits[i]);
      text = text.replace(edits[i], edits[i + 1]);
    }
    return text;
  }

  static SiteFile file(String text) throws Exception {
    return SiteReader.read("x", new ByteArrayInputStream(text.getBytes(StandardCharsets.UTF_8)));
  }

  private static void assertSays(Proof proof, String status, String says) {
    assertThat(proof.status()).as(proof.reason()).hasToString(status);
    assertThat(proof.reason()).contains(says);
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "never: x, from: guests, to: office",
        "never: x, from: guests, to: plant",
        "never: x, from: internet, to: [office, guests]",
        "only: x, from: internet, to: plant, may: { from: maker, to: press, service: 502/tcp }",
        "never: x, from: internet, to: plant, except: { when: shift }",
        "never: x, from: internet, to: [edge, wall]",
        "never: x, to: lathe, except: { from: plant }",
        "never: x, to: press, except: [{ from: plant }, { service: 502/tcp }]",
        "always: x, from: office, to: internet, service: https, source: 203.0.113.2",
        "always: x, from: office, to: press, service: 502/tcp",
        "always: x, from: maker, to: press, service: 502/tcp, when: shift",
        "always: x, from: clerk, to: edge, service: ssh",
        "passes: x, from: any, to: plant, except: { from: plant }, through: wall",
        "never: x, from: internet, to: plant, through: wall, except: { from: maker }",
        "seen-as: x, leaving: edge uplink, source: 203.0.113.2",
        "never: x, from: guests, to: internet, source: guests",
      })
  void whatHolds(String guarantee) throws Exception {
    Proof proof = prove(guarantee);
    assertThat(proof.status()).as(proof.reason()).isEqualTo(Proof.Status.HOLDS);
    assertThat(proof.example()).isNull();
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        // By what the rules say.
        "never: x, from: office, to: plant | broken | clerk 10.1.0.10 → 10.3.0.7:502/tcp is delivered to press",
        "never: x, from: internet, to: plant | broken | maker 192.0.2.40 → 203.0.113.2:1502/tcp is delivered to press",
        "only: x, from: any, to: plant, may: { from: maker } | broken | access rule 'the office'",
        "always: x, from: maker, to: press, service: 502/tcp | broken | dropped",
        "always: x, from: guests, to: press, service: 502/tcp | broken | visitor 10.2.0.5",
        "always: x, from: office, to: feed, service: 80/tcp | broken | refused",
        "seen-as: x, leaving: edge uplink, source: 203.0.113.3 | broken | edge itself sends as 203.0.113.2",
        "logged: x, from: office, to: plant | broken | access rule 'the office'",
        // Nobody, and nobody between.
        "never: x, from: 198.51.100.0/24, to: 198.51.100.9 | holds | every packet",
        "never: x, from: office, to: clerk | not decided by any device | both on network office",
        "always: x, from: office, to: guests, service: 80/tcp | holds for nothing | listens for 80/tcp",
      })
  void whatDoesNot(String guarantee, String status, String says) throws Exception {
    Proof proof = prove(guarantee);
    assertSays(proof, status, says);
  }

  /** Isolation that is broken by some edits, each by a packet that was sent. */
  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        // A hairpin, by which guests look like the device itself.
        "never: x, from: guests, to: plant | admit: maker => admit: any\\n        hairpin: guests ;; from: office, to: press => from: [office, between], to: press | broken | → 203.0.113.2:1502/tcp is delivered to press",
        // A second device, which alone lets them pass, and does not.
        "never: x, from: guests, to: plant | guests to internet => guests to any | holds | followed",
        "never: x, from: guests, to: press | from: office, to: press => from: [office, guests], to: press | holds | followed",
        "never: x, from: guests, to: press | guests to internet => guests to any ;; from: office, to: press => from: [office, guests], to: press | broken | visitor",
        // A schedule.
        "never: x, from: internet, to: press, except: { when: shift } | , when: shift } => } | broken | maker",
        // A route.
        "never: x, from: guests, to: clerk | guests to internet => guests to office | broken | visitor",
        // A forged source.
        "never: x, from: internet, to: edge | verify-source: true => verify-source: false | broken | a forged source that comes in by uplink of edge",
        // A live binding of an insider.
        "never: x, from: internet, to: office | guests to internet => internet to office: accept, guests to internet ;; from: [office, guests], leaving => from: [office, guests], leaving | broken | 10.1.0.10",
      })
  void whatEditsBreak(String guarantee, String edits, String status, String says) throws Exception {
    String[] each = edits.replace("\\n", "\n").split(" => | ;; ", -1);
    Proof proof = prove(guarantee, each);
    assertSays(proof, status, says);
    assertThat(proof.example() == null).isEqualTo(status.equals("holds"));
  }

  /** A list that sees destinations as they were sent lets in whoever an insider has spoken to. */
  @ParameterizedTest
  @CsvSource({
    "service: ssh, holds until",
    "from: maker, holds until",
    "from: 198.51.100.9, holds until",
    "service: icmp, holds"
  })
  void whatHoldsUntilAnInsiderSpeaks(String more, String status) throws Exception {
    String from = more.startsWith("from") ? more : "from: internet, " + more;
    Proof proof =
        prove(
            "never: x, to: clerk, " + from,
            "stance: { office to any: accept, guests to internet: accept, otherwise: drop }",
            "stance: { office to any: accept, otherwise: drop }\n    access-sees: original\n"
                + "    access: { in: { guards: { arriving: uplink, leaving: office }, rules: ["
                + "{ accept: our address, to: 203.0.113.2 }], otherwise: drop } }");
    assertThat(proof.status()).as(proof.reason()).hasToString(status);
    if (proof.example() != null) {
      assertThat(proof.example().before()).hasSize(1);
      assertThat(proof.reason()).contains("after clerk 10.1.0.10:", " → ", "is delivered to clerk");
      assertThat(proof.reason()).contains("access rule 'our address'"); // it is no answer
    }
  }

  /** Headers within notices are restored, and a gateway writes the address that is seen anyway. */
  @Test
  void whatIsWithinAPacketIsSeenToo() throws Exception {
    Proof proof =
        prove(
            "seen-as: x, leaving: edge uplink, source: 203.0.113.2",
            "listens: 502/tcp",
            "off: true",
            "listens: https",
            "listens: [https, ftp]",
            "  edge:\n",
            "  edge:\n    state: { file-transfer: true }\n");
    assertThat(proof.status()).as(proof.reason()).isEqualTo(Proof.Status.HOLDS);
  }

  /** A device that reads control connections lets data connections in, whatever its lists say. */
  @ParameterizedTest
  @CsvSource({
    "service: 40000-40010/tcp, true, holds until",
    "service: 40000-40010/tcp, false, holds",
    "service: 40000-40010/udp, true, holds",
  })
  void whatHoldsUntilAFileIsFetched(String service, boolean gateway, String status)
      throws Exception {
    Proof proof =
        prove(
            "never: x, from: office, to: press, " + service,
            "listens: 502/tcp",
            "listens: [502/tcp, ftp]",
            "from: office, to: press, service: 502/tcp",
            "from: office, to: press, service: [502/tcp, ftp]",
            "  wall:\n    stance: drop\n",
            "  wall:\n    stance: drop\n    state: { file-transfer: " + gateway + " }\n");
    assertThat(proof.status()).as(proof.reason()).hasToString(status);
    if (proof.example() != null) {
      assertThat(proof.reason())
          .contains("after clerk 10.1.0.10 → 10.3.0.7:21/tcp, ", "10.3.0.7:40010/tcp is delivered");
    }
  }

  /**
   * Each sender takes an address of a pool that lends; more than are tried are not called enough.
   */
  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "10.4.0.0/30 | 10.8.0.1 | holds | followed",
        "10.4.0.0/29 | 10.8.0.1-10.8.0.3 | broken | is used up by 3 senders",
        "10.4.0.0/29 | 10.8.0.1-10.8.0.5 | holds | followed",
        "10.4.0.0/18 | 10.8.0.0/18 | undetermined | a limit was reached",
      })
  void everySenderTakesAnAddress(String prefix, String pool, String status, String says)
      throws Exception {
    Proof proof =
        prove(
            "always: x, from: lab, to: press, service: 502/tcp",
            "  plant: { prefix",
            "  lab: { prefix: " + prefix + ", zone: lab }\n  plant: { prefix",
            "guests to internet",
            "lab to any: accept, guests to internet",
            "      guests: { on: guests, at: 10.2.0.1 }",
            "      guests: { on: guests, at: 10.2.0.1 }\n      lab: { on: lab, at: 10.4.0.1 }",
            "      - { shared: everybody",
            "      - { dynamic: y, from: lab, leaving: inner, pool: "
                + pool
                + " }\n      - { shared: everybody",
            "from: office, to: press",
            "to: press");
    assertSays(proof, status, says);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "internet | plant | press (10.3.0.7): 502/tcp, at some times",
        "office | plant | press (10.3.0.7): 502/tcp",
        "guests | plant | ''",
        "office | internet | the internet: ping, tcp, udp",
        "office | office | edge (10.1.0.1): 22/tcp",
      })
  void whoReachesWhom(String from, String to, String received) throws Exception {
    Tracer tracer = Tracer.of(file(SITE).site());
    List<Reach.Cell> cells = Reach.of(tracer, Reach.Asked.EVERYTHING);
    Reach.Cell cell =
        cells.stream()
            .filter(each -> each.from().equals(from) && each.to().equals(to))
            .findFirst()
            .orElseThrow();
    assertThat(cell.complete()).isTrue();
    assertThat(String.join("; ", cell.received())).isEqualTo(received);
    assertThat(cell.sample() == null).isEqualTo(received.isEmpty());
  }

  /** Two partners with one block, each in a realm of its own: whoever gets it is named. */
  @Test
  void ofTwoWithOneAddressTheReceiverIsNamed() throws Exception {
    SiteFile file =
        file(
            Files.readString(
                Path.of("src/test/resources/org/eskerfield/sites/whole/partners.site.yaml")));
    List<String> received = new ArrayList<>();
    for (Reach.Cell each : Reach.of(Tracer.of(file.site()), Reach.Asked.EVERYTHING)) {
      each.received().forEach(line -> received.add(each.from() + " " + line));
    }
    assertThat(received)
        .containsExactly(
            "ours printer-one (10.8.0.7): every service",
            "ours printer-two (10.8.0.7), scanner-two (10.8.0.101): 631/tcp",
            "one server (10.1.0.5): 443/tcp");
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "edge | plant | press (10.3.0.7): 502/tcp, at some times",
        "wall | plant | press (10.3.0.7): 502/tcp, at some times",
        "the maker | plant | press (10.3.0.7): 502/tcp, at some times",
        "to the plant | plant | press (10.3.0.7): 502/tcp, at some times",
        "wall | office | ''",
        "edge | office | clerk (10.1.0.10): every service",
      })
  void whatIsBehindAnOpenOne(String failing, String to, String besides) throws Exception {
    Tracer tracer = Tracer.of(file(SITE).site());
    List<Reach.Cell> cells = Reach.ifOpen(tracer, Reach.Asked.EVERYTHING, failing);
    Reach.Cell cell =
        cells.stream()
            .filter(each -> each.from().equals("internet") && each.to().equals(to))
            .findFirst()
            .orElseThrow();
    assertThat(String.join("; ", cell.received())).isEqualTo(besides);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "never: x | 'never' needs 'from' or 'to'; say who must not reach whom",
        "never: x, from: gusts | no zone, network, host, group or device is called 'gusts'; did you mean 'guests'?",
        "never: x, from: [guests, edge] | 'edge' is a device, and 'never' speaks of what others send; name networks, hosts or addresses",
        "never: x, from: guests, may: { to: press } | 'never' has no 'may'; write except:",
        "never: x, from: guests, except: {} | this exempts every packet; say from whom, to whom or for what",
        "never: x, from: guests, service: htps | no service is called 'htps'; did you mean 'https'?",
        "never: x, from: guests, when: shft | no schedule is called 'shft'; did you mean 'shift'?",
        "never: x, from: guests, through: wal | no device is called 'wal'; did you mean 'wall'?",
        "never: x, from: guests, also: any device down | any link down, any carrier address",
        "never: x, only: y, from: guests | never, only, always, seen-as, passes, logged",
        "only: x, from: internet, to: plant | 'only' needs 'may'; add may: { to: booking, service: 443/tcp }",
        "always: x, from: office, to: internet | 'always' needs 'service'; add service: https",
        "seen-as: x, leaving: edge, source: office | 'edge' names no interface of edge; write edge uplink, say",
        "seen-as: x, leaving: edge uplnk, source: office | no interface of edge is called 'uplnk'; did you mean 'uplink'?",
        "passes: x, to: plant | 'passes' needs 'through'; add through: the name of a device",
      })
  void whatCannotBeRead(String guarantee, String says) {
    assertThatThrownBy(() -> prove(guarantee))
        .isInstanceOfSatisfying(
            UnreadableSiteException.class,
            e ->
                assertThat(
                        e.problems().stream()
                            .map(each -> each.message() + "; " + each.remedy())
                            .toList())
                    .as("%s", e.problems())
                    .anyMatch(each -> each.contains(says)));
  }
}
