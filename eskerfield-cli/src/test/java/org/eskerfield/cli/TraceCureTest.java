// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli;

import static org.assertj.core.api.Assertions.assertThat;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.networknt.schema.JsonSchemaFactory;
import com.networknt.schema.SpecVersion;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.stream.Collectors;
import org.eskerfield.formats.schema.Schemas;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** {@code trace --cure}: the smallest edit that lets a packet through, on a site with a mistake. */
class TraceCureTest {
  private static final Path WORKING = Path.of("../demo/mistakes/working.site.yaml");

  @TempDir Path folder;

  /** The working site with changes such as {@code a => b & c => d}; {@code ;} ends a line. */
  private Path site(String changes) throws Exception {
    String text = Files.readString(WORKING);
    for (String change : changes.split(" & ")) {
      String[] parts = change.split(" =>", -1);
      String old = parts[0].replace(";", "\n").stripTrailing();
      assertThat(text).contains(old);
      text = text.replace(old, parts[1].strip().replace(";", "\n"));
    }
    return Files.writeString(folder.resolve("c.site.yaml"), text);
  }

  /** Traces what is asked in three words, and how it could be let through. */
  private static MainTest.Result traced(Path site, String question, String... more) {
    String[] asked = question.split(" ");
    List<String> call =
        new ArrayList<>(List.of("trace", site.toString(), "--cure", "--from", asked[0]));
    call.addAll(List.of("--to", asked[1], "--service", asked[2]));
    call.addAll(List.of(more));
    return MainTest.run(call.toArray(new String[0]));
  }

  private static String flat(String text) {
    return text.replaceAll("\\s+", " ").strip();
  }

  /** The lines that a patch takes away and adds, each with its sign. */
  private static String edits(String said) {
    return said.lines()
        .filter(line -> line.matches(" {2}[-+] .*"))
        .map(line -> line.charAt(2) + " " + flat(line.substring(3)))
        .collect(Collectors.joining(" "));
  }

  /** Each mistake, what is asked, and the edit that an engineer would make, worked out by hand. */
  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '"',
      value = {
        // Access: a rule for this packet, where it is judged and as it is seen there.
        "accept: the web shop;            to: 10.44.20.117; => accept: the web shop;            to: till;"
            + " | passenger 192.0.2.66 https"
            + " | + - accept: passenger to booking + from: passenger + to: booking"
            + " + service: 8443/tcp + log: true",
        "service: [8443/tcp, ftp, => service: [ftp, | passenger 192.0.2.66 https"
            + " | + - accept: passenger to 10.44.0.2 + from: passenger + to: 10.44.0.2",
        "guards: { arriving: transit, leaving: quay } => guards: { arriving: quay, to: device }"
            + " | passenger 192.0.2.66 https"
            + " | - guards: { arriving: quay, to: device } + guards: { arriving: transit, leaving: quay }",
        "plant to internet: accept => plant to internet: reject | gauge-1 hydrographic 8883/tcp"
            + " | + - accept: gauge-1 to hydrographic + from: gauge-1 + to: hydrographic"
            + " + service: 8883/tcp + log: true + otherwise: reject",
        "lockhouse:;    stance: drop => lockhouse:;    access-sees: original;    stance: drop"
            + " | passenger 192.0.2.66 https | - to: 10.44.20.117 + to: 10.44.0.2",
        "lockhouse:;    stance: drop => lockhouse:;    access-sees: original;    stance: drop"
            + " & to: 10.44.20.117;            service: 8443/tcp => to: radio;            service: 8443/tcp"
            + " | passenger 192.0.2.66 https"
            + " | + - accept: passenger to 10.44.0.2 + from: passenger + to: 10.44.0.2",
        "accept: the web shop => accept: the web shop;            disabled: true"
            + " | passenger 192.0.2.66 https | - disabled: true",
        "- accept: shop, archive => - drop: noise;            to: 10.44.0.2;          - accept: shop, archive"
            + " | passenger 192.0.2.66 https"
            + " | - - drop: noise - to: 10.44.0.2 + - drop: noise + to: 10.44.0.2",
        "becomes: 10.44.0.2 8443 => becomes: 10.44.0.2 8443;        admit: contractor"
            + " | passenger 192.0.2.66 https"
            + " | - admit: contractor + admit: [contractor, passenger]",
        "becomes: 10.44.0.2 8443 => becomes: 10.44.0.2 8443;        admit: { from: contractor, log: true }"
            + " | passenger 192.0.2.66 https"
            + " | - admit: { from: contractor, log: true }"
            + " + admit: { from: [contractor, passenger], log: true }",
        "note: replies need no rule of their own;        rules:;          - accept: everything;            from: quay"
            + " => stateless: true;        rules:;          - accept: everything;            from: till"
            + " | passenger 192.0.2.66 https | - stateless: true",
        "{ service: ssh, from: [office, contractor] } => { service: ssh, from: office }"
            + " | contractor 203.0.113.33 ssh"
            + " | - - { service: ssh, from: office } + - { service: ssh, from: [office, contractor] }",
        // Translation: the rule that is there is mended before another one is written.
        "becomes: 10.44.0.2 8443 => becomes: 10.44.0.2 8443;        disabled: true"
            + " | passenger 192.0.2.66 https | - disabled: true",
        "- destination: booking;        arriving: uplink => - destination: shop;        arriving: mast"
            + " | passenger 192.0.2.66 https | - arriving: mast + arriving: uplink",
        "at: 192.0.2.66 https => at: 192.0.2.66 443/udp | passenger 192.0.2.66 https"
            + " | - at: 192.0.2.66 443/udp + at: 192.0.2.66 443/tcp",
        "at: uplink 1502/tcp => at: 203.0.113.40 1502/tcp | contractor 203.0.113.33:1502 tcp"
            + " | - at: 203.0.113.40 1502/tcp + at: uplink 1502/tcp",
        "hairpin: [office, transit] => note: none | clerk 192.0.2.66 https | + hairpin: office",
        "hairpin: [office, transit] => hairpin: office | till 192.0.2.66 https"
            + " | - hairpin: office + hairpin: [office, transit]",
        "hairpin: [office, transit] => hairpin: { from: [office, transit], source: kept }"
            + " | till 192.0.2.66 https"
            + " | - hairpin: { from: [office, transit], source: kept } + hairpin: [office, transit]",
        "from: office;        to: quay => from: office;        to: any | clerk hydrographic 8883/tcp"
            + " | - to: any + to: [plant, mast, transit, quay]",
        "from: [office, mast, transit, quay] => from: [mast, transit, quay]"
            + " | clerk hydrographic 8883/tcp"
            + " | + - shared: office to the internet + from: office + leaving: uplink",
        "    state: { file-transfer: true };    interfaces:;      uplink =>interfaces:;      uplink"
            + " | passenger 192.0.2.66 ftp | + state: { file-transfer: true }",
        // Ways: interfaces, routes, gateways.
        "{ on: transit, at: 10.44.0.2 } => { on: transit, at: 10.44.0.2, state: off }"
            + " | passenger 192.0.2.66 https"
            + " | - transit: { on: transit, at: 10.44.0.2, state: off } + transit: { on: transit, at: 10.44.0.2 }",
        "- { to: any, via: 10.44.0.1 } => - { to: 10.44.8.0/24, via: 10.44.0.1 }"
            + " | passenger 192.0.2.66 https | + - { to: any, via: 10.44.0.1 }",
        "- { to: any, via: 203.0.113.46 } => | clerk hydrographic 8883/tcp"
            + " | + - { to: any, via: 203.0.113.46 }",
        "- { to: quay, via: 10.44.0.2 } => - { to: quay, via: 10.44.0.2 };      - { to: 198.51.100.64/26, via: 10.44.0.2 }"
            + " | passenger 192.0.2.66 https | - - { to: 198.51.100.64/26, via: 10.44.0.2 }",
        "at: 10.44.8.31 } => at: 10.44.8.31, gateway: 10.44.8.53 } | clerk hydrographic 8883/tcp"
            + " | + clerk: { on: office, at: 10.44.8.31, gateway: 10.44.8.1 }",
        "listens: 8443/tcp => listens: 8443/tcp;    gateway: 10.44.20.20"
            + " | passenger 192.0.2.66 https | - gateway: 10.44.20.20 + gateway: 10.44.20.1",
        "- { to: quay, via: 10.44.0.2 } => - { to: quay, via: 10.44.8.53 } | clerk 10.44.20.117 8443/tcp"
            + " | - - { to: quay, via: 10.44.8.53 } + - { to: quay, via: 10.44.0.2 }",
        "10.44.0.0/30 => 10.44.0.0/29 & { to: quay, via: 10.44.0.2 } => { to: quay, via: 10.44.0.3 }"
            + " | till 192.0.2.66 https"
            + " | - - { to: quay, via: 10.44.0.3 } + - { to: quay, via: 10.44.0.2 }",
        "any, via: 203.0.113.46 => any, via: 203.0.113.45 | clerk hydrographic 8883/tcp"
            + " | - - { to: any, via: 203.0.113.45 } + - { to: any, via: 203.0.113.46 }",
        // Hosts.
        "listens: 8443/tcp => listens: 8443/tcp;    off: true | passenger 192.0.2.66 https"
            + " | - off: true",
        "listens: 8443/tcp => listens: 8443/tcp;    filter: { rules: [{ accept: some, from: office }], otherwise: drop }"
            + " | passenger 192.0.2.66 https"
            + " | + filter: { rules: [{ accept: some, from: office }, { accept: what it offers,"
            + " service: 8443/tcp }], otherwise: drop }",
        "at: 10.44.20.117; => at: 10.44.20.118; | passenger 192.0.2.66 https"
            + " | - becomes: 10.44.20.117 + becomes: booking - to: 10.44.20.117 + to: booking",
        "198.51.100.77, => 198.51.100.77, network-blocks: 443/tcp, | passenger 192.0.2.66 https"
            + " | + passenger: { on: internet, at: 198.51.100.77, resolver: open-resolver }",
        "10.44.8.53, => 10.44.8.53, off: true, | clerk booking.example:8443 tcp"
            + " | + pilot: { on: office, at: 10.44.8.53, listens: domain }",
        "10.44.8.53, => 10.44.8.53, answers-ping: false, | clerk pilot ping"
            + " | + pilot: { on: office, at: 10.44.8.53, listens: domain }",
      })
  void theEditIsWhatAnEngineerWouldMake(String changes, String question, String edits)
      throws Exception {
    Path site = site(changes);
    MainTest.Result result = traced(site, question);
    String said = result.out().substring(result.out().indexOf("Change that lets it through"));
    assertThat(edits(said)).contains(edits);
    assertThat(flat(said)).contains(" with that: ").contains(" answers");
    // It does what it says: the patched file answers.
    assertThat(result.status()).isZero();
    assertThat(MainTest.run("check", site.toString()).status()).isLessThan(2);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        // Who asks for another port than the rule has takes it away from those who use it.
        "at: 192.0.2.66 https => at: 192.0.2.66 http | passenger 192.0.2.66 https"
            + " | Packets affected, this packet included no longer answered: from office to"
            + " 192.0.2.66, 80/tcp from quay",
        // Two obstacles: both are mended, and all that both let in is told.
        "becomes: ramp => becomes: booking 8444 | contractor 203.0.113.33:1502 tcp"
            + " | let destination rule 'ramp controller' lead to port 8443 of booking",
        // What runs on a host no edit changes, and rules that agree are not bent to it.
        "listens: 8443/tcp => listens: 443/tcp | passenger 192.0.2.66 https"
            + " | Change that lets it through, outside this file let booking listen on"
            + " 8443/tcp, then add it to 'listens'",
        // Of two ways the one that takes nothing away; the other one is told.
        "becomes: 10.44.0.2 8443 => becomes: 10.44.0.2 8444"
            + " & service: [8443/tcp, ftp, 5060/udp] => note: all of it"
            + " | passenger 192.0.2.66 https"
            + " | let destination rule 'booking' lead to port 8443 of 10.44.0.2",
        "198.51.100.77, resolver: open-resolver => 198.51.100.77 | passenger booking.example https"
            + " | no change of the file is known that lets it through then: ",
        "site: A harbour => site: Mine | passenger 10.44.20.117 8443/tcp"
            + " | no change of the file is known that lets it through then: ",
      })
  void whatItTakesAwayOrCannotMendIsSaid(String changes, String question, String says)
      throws Exception {
    Path site = site(changes);
    MainTest.Result result = traced(site, question);
    assertThat(flat(result.out())).contains(says);
  }

  /** What a program gets: whether it succeeds, how many steps, what is left, and what changes. */
  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "site: A harbour => site: Mine | passenger 192.0.2.66 https | null",
        "becomes: ramp => becomes: booking 8444 | contractor 203.0.113.33:1502 tcp"
            + " | true 1 null opened",
        "site: A harbour => site: Mine | passenger 10.44.20.117 8443/tcp"
            + " | false 0 wrong-address null",
      })
  void theChangeIsDataAsWell(String changes, String question, String wanted) throws Exception {
    String json = traced(site(changes), question, "--json").out();
    JsonNode trace = new ObjectMapper().readTree(json);
    assertThat(
            JsonSchemaFactory.getInstance(SpecVersion.VersionFlag.V202012)
                .getSchema(Schemas.TRACE.text())
                .validate(trace))
        .isEmpty();
    JsonNode change = trace.get("change");
    String said =
        change == null
            ? "null"
            : String.join(
                " ",
                change.get("succeeds").asText(),
                Integer.toString(change.get("steps").size()),
                change.path("left").path("code").asText("null"),
                change.path("effects").path(0).path("kind").asText("null"));
    assertThat(said).isEqualTo(wanted);
    assertThat(change == null || change.get("patch").asText().isEmpty() != said.startsWith("true"))
        .isTrue();
  }

  @Test
  void aGatewayThatIsAHostIsFoundWithoutAPacket() throws Exception {
    Path site = site("at: 10.44.8.31 } => at: 10.44.8.31, gateway: 10.44.8.53 }");
    MainTest.Result check = MainTest.run("check", site.toString(), "--cure");
    assertThat(flat(check.out()))
        .contains("gateway of clerk, 10.44.8.53, is that of pilot, a host, which forwards nothing")
        .contains("gateway: 10.44.8.1 }");
    assertThat(check.status()).isEqualTo(1);
  }
}
