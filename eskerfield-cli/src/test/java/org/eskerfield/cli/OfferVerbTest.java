// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.stream.Collectors;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.reach.Reachable;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** {@code offer} and {@code withdraw} on routers and firewalls of different kinds. */
class OfferVerbTest {
  private static final String SITE =
      """
      eskerfield: 1
      site: A base
      time-zone: Europe/London
      networks:
        lan:  { prefix: 10.1.0.0/24, zone: lan }
        dmz:  { prefix: 10.2.0.0/24, zone: dmz }
        link: { prefix: 203.0.113.32/28, zone: internet, carrier: 203.0.113.46 }
      hosts:
        desk: { on: lan, at: 10.1.0.5 }
        web:
          on: dmz
          at: 10.2.0.7
          assigned: reserved
          listens: [https, 8080/tcp, 5060/tcp+udp, 10000-10009/udp, ping, gre]
        mail: { on: dmz, at: 10.2.0.8, assigned: reserved, listens: smtp }
        partner: { on: internet, at: 192.0.2.140 }
        other:   { on: internet, at: 198.51.100.9 }
      groups:
        partners: 192.0.2.128/25
      schedules:
        hours: { days: mon-fri, hours: 07:00-18:00 }
      devices:
        edge:
          stance: { lan to internet: accept, lan to dmz: accept, otherwise: drop }
          interfaces:
            uplink: { on: link, at: 203.0.113.33 }
            lan:    { on: lan, at: 10.1.0.1 }
            dmz:    { on: dmz, at: 10.2.0.1 }
          routes:
            - { to: any, via: 203.0.113.46 }
          services:
            - { service: ssh, from: lan }
          translation:
            - shared: all
              from: [lan, dmz]
              leaving: uplink
          access:
            inward:
              guards: { arriving: uplink, leaving: dmz }
              rules:
                - drop: noise
                  from: 198.51.100.0/25
                  service: 23/tcp
                - drop: not by day
                  from: partners
                  service: 69/udp
                  when: hours
              otherwise: drop
      """;

  @TempDir Path folder;

  /** The site with changes such as {@code a => b & c => d}, where {@code ;} ends a line. */
  private Path site(String changes) throws Exception {
    String text = SITE;
    for (String change : changes.isEmpty() ? new String[0] : changes.split(" & ")) {
      String[] parts = change.split(" => ", -1);
      assertThat(text).contains(parts[0]);
      text = text.replace(parts[0], parts[1].replace(";", "\n"));
    }
    return Files.writeString(folder.resolve("o.site.yaml"), text);
  }

  private static MainTest.Result run(String line) {
    return MainTest.run(MainTest.words(line));
  }

  /** Worked out by hand: what is added to the device, and what is expected of it afterwards. */
  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '"',
      value = {
        // By the list that guards the way, on the address that there is; logged unless told not to.
        "'' | web https --from any"
            + " | destination: web https arriving: uplink at: uplink https becomes: web"
            + " - accept: web https to: web service: https log: true"
            + " expect: - from: partner to: 203.0.113.33:443 service: tcp outcome: answered by web",
        "'' | web https --from any --no-log --name shop"
            + " | destination: shop arriving: uplink at: uplink https becomes: web"
            + " - accept: shop to: web service: https expect:",
        "'' | web https --from lan,any | - accept: web https to: web service: https log: true",
        // For some, at some time: who may not, and when not, is expected, too.
        "'' | web https --from partners --when hours"
            + " | - accept: web https from: partners to: web service: https when: hours log: true"
            + " expect: - from: partner to: 203.0.113.33:443 service: tcp outcome: answered by web"
            + " - from: other to: 203.0.113.33:443 service: tcp outcome: dropped"
            + " - from: partner to: 203.0.113.33:443 service: tcp at: 'sunday 10:00' outcome: dropped",
        // What somebody wrote down before, that one other may not, is his, and stays.
        "schedules: => expect:;  - { from: other, to: 203.0.113.33, service: https, outcome: dropped };schedules:"
            + " | web https --from partners | - { from: partner, to: 203.0.113.33:443,"
            + " service: tcp, outcome: answered by web } - destination: web https",
        // Insiders by an interface that is not called as its network: the list names the network.
        "lan:    { on: lan => eth1: { on: lan | web https --from partners --hairpin eth1"
            + " | hairpin: eth1 admit: { from: [partners, lan], log: true }",
        // Insiders beside outsiders: they reach it at its own address, and no rule names them.
        "'' | web https --from partners,lan | - accept: web https from: partners to: web service:"
            + " https log: true expect:",
        // Moved, in ranges, of both protocols, of none with ports.
        "'' | web 8080/tcp --from any --at 80 | at: uplink 80/tcp becomes: web 8080 - accept: web"
            + " 8080/tcp to: web service: 8080/tcp log: true",
        "'' | web 10000-10009/udp --from 192.0.2.140,198.51.100.9 --at 20000-20009"
            + " | at: uplink 20000-20009/udp becomes: web 10000-10009"
            + " - accept: web 10000-10009/udp from: [192.0.2.140, 198.51.100.9] to: web"
            + " service: 10000-10009/udp log: true expect: - from: partner to: 203.0.113.33:20000"
            + " service: udp outcome: answered by web"
            + " - from: 192.0.2.1 to: 203.0.113.33:20000 service: udp outcome: dropped",
        "'' | web 5060/tcp+udp --from any | at: uplink 5060/tcp+udp becomes: web - accept:"
            + " web 5060/tcp+udp to: web service: 5060/tcp+udp log: true expect:"
            + " - from: partner to: 203.0.113.33:5060 service: tcp outcome: answered by web"
            + " - from: partner to: 203.0.113.33:5060 service: udp outcome: answered by web",
        "'' | web ping --from any | at: uplink ping becomes: web - accept: web ping to: web service:"
            + " ping log: true expect: - from: partner to: 203.0.113.33 service: ping outcome:"
            + " answered by web",
        "'' | web gre --from any --at 203.0.113.40 | at: 203.0.113.40 gre becomes: web",
        // An address of its own: the lowest that is free.
        "'' | web https --from any --static | static: web https facing: uplink external:"
            + " 203.0.113.34 internal: web - accept: web https to: web service: https log: true",
        // Insiders, too: by the rule's own admission, since no list guards their way.
        "'' | web https --from partners --hairpin lan"
            + " | becomes: web hairpin: lan admit: { from: [partners, lan], log: true }"
            + " expect: - from: partner to: 203.0.113.33:443 service: tcp outcome: answered by web"
            + " - from: other to: 203.0.113.33:443 service: tcp outcome: dropped"
            + " - from: desk to: 203.0.113.33:443 service: tcp outcome: answered by web",
        // A device that filters on what arrived.
        "stance: { => access-sees: original;    stance: { | web 8080/tcp --from any --at 203.0.113.41:80"
            + " | at: 203.0.113.41 80/tcp becomes: web 8080 - accept: web 8080/tcp to:"
            + " 203.0.113.41 service: 80/tcp log: true",
        // No list guards the way: the rule admits; a static rule cannot, so a list is begun.
        "leaving: dmz => leaving: lan | web https --from partners"
            + " | becomes: web admit: { from: partners, log: true } expect:",
        "leaving: dmz => leaving: lan | web https --from partners --static"
            + " | uplink to dmz: guards: { arriving: uplink, leaving: dmz } rules:"
            + " - accept: web https from: partners to: web service: https log: true otherwise: drop",
        "leaving: dmz => leaving: lan & lan to dmz => internet to dmz: accept, lan to dmz"
            + " | web https --from any | at: uplink https becomes: web expect:",
        // A rule that lets it in already, one that would drop it all, one that drops some.
        "drop: noise => accept: noise & 198.51.100.0/25 => any & 23/tcp => 20-5000/tcp"
            + " | web https --from any | at: uplink https becomes: web expect:",
        "from: 198.51.100.0/25 => to: web & service: 23/tcp => log: true | web https --from any"
            + " | - accept: web https to: web service: https log: true expect:",
        // The host is known outside by an address already; an own service has the port.
        "- shared: all => - { destination: m, arriving: uplink, at: 203.0.113.36 smtp, becomes: web"
            + " 5060, admit: any };      - shared: all | web https --from any | at: 203.0.113.36 https",
        "service: ssh => service: [ssh, https] | web https --from any | at: 203.0.113.34 https",
        "at: 203.0.113.33 => at: assigned by the carrier, now: 203.0.113.33"
            + " | web https --from any | at: uplink https becomes: web",
      })
  void anOfferFitsTheDeviceAndIsTakenBackWithoutATrace(String changes, String call, String added)
      throws Exception {
    Path site = site(changes.replace("''", ""));
    String before = Files.readString(site);
    MainTest.Result planned = run("offer " + site + " " + call + " --dry-run");
    assertThat(Files.readString(site)).isEqualTo(before);
    String plus =
        planned
            .out()
            .lines()
            .filter(line -> line.startsWith("  +") && !line.startsWith("  +++"))
            .map(line -> line.substring(3).strip())
            .filter(line -> !line.isEmpty())
            .collect(Collectors.joining(" "));
    assertThat(plus).contains(added);
    MainTest.Result done = run("offer " + site + " " + call + " --yes");
    assertThat(done.status()).as(done.out() + done.err()).isZero();
    assertThat(run("verify " + site).status()).isZero();
    String what = call.substring(0, call.indexOf(" --"));
    MainTest.Result gone = run("withdraw " + site + " " + what + " --yes");
    if (gone.status() != 0) {
      // What is left would be a rule that lets in without a translation.
      assertThat(gone.out()).contains("access-without-translation");
      assertThat(changes).contains("accept: noise");
      gone = run("withdraw " + site + " " + what + " --yes --even-so");
    }
    assertThat(gone.status()).as(gone.out() + gone.err()).isZero();
    assertThat(Files.readString(site)).isEqualTo(before);
  }

  /** The same site over both families. */
  private static final String BOTH =
      "10.2.0.0/24 => [10.2.0.0/24, '2001:db8:2::/64']"
          + " & at: 10.2.0.7 => at: [10.2.0.7, '2001:db8:2::7']"
          + " & on: dmz, at: 10.2.0.1 => on: dmz, at: [10.2.0.1, '2001:db8:2::1']"
          + " & 203.0.113.32/28 => [203.0.113.32/28, '2001:db8:1::/64']"
          + " & carrier: 203.0.113.46 => carrier: [203.0.113.46, '2001:db8:1::1'],"
          + " routed: { to: '2001:db8:2::/64', via: '2001:db8:1::2' }"
          + " & on: link, at: 203.0.113.33 => on: link, at: [203.0.113.33, '2001:db8:1::2']"
          + " & - { to: any, via: 203.0.113.46 } => - { to: any, via: 203.0.113.46 };"
          + "      - { to: any, via: '2001:db8:1::1' }";

  /** Of a host of both families, one is opened, and shut again: the one that was asked for. */
  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '"',
      value = {
        "web https --from any | - accept: web https to: 10.2.0.7 service: https log: true expect:"
            + " - from: partner to: 203.0.113.33:443 service: tcp outcome: answered by web",
        "2001:db8:2::7 https --from any | - accept: web https to: '2001:db8:2::7' service: https"
            + " log: true expect: - from: '2001:db8::1' to: '2001:db8:2::7' service: 443/tcp"
            + " outcome: answered by web",
        "2001:db8:2::7 https,8080/tcp --from 2001:db8:9::/48 | - accept: web https"
            + " from: '2001:db8:9::/48' to: '2001:db8:2::7' service: https log: true"
            + " - accept: web 8080/tcp from: '2001:db8:9::/48' to: '2001:db8:2::7' service: 8080/tcp"
            + " log: true expect: - from: '2001:db8:9::1' to: '2001:db8:2::7' service: 443/tcp",
      })
  void oneFamilyOfTwoIsOfferedAndWithdrawn(String call, String added) throws Exception {
    anOfferFitsTheDeviceAndIsTakenBackWithoutATrace(BOTH, call, added);
  }

  /** What a prefix rule does for everybody stays, and what insiders still reach is expected. */
  @Test
  void aHostUnderAPrefixRuleIsWithdrawnAlone() throws Exception {
    Path site = Files.copy(Path.of("../demo/ipv6.site.yaml"), folder.resolve("p.site.yaml"));
    MainTest.Result gone = run("withdraw " + site + " booking --yes");
    assertThat(gone.status()).as(gone.out() + gone.err()).isZero();
    assertThat(Files.readString(site))
        .contains("prefix: ours are the carrier's outside", "note: by the address that passengers")
        .doesNotContain("passengers book");
    assertThat(run("verify " + site).out()).isEqualTo("7 of 7 expectations hold\n");
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "--at 8443 | over IPv6 no port is translated",
        "--at 2001:db8:2::8 | web is reached at 2001:db8:2::7 over IPv6, not at 2001:db8:2::8",
        "--static | over IPv6 web has an address of its own already",
        "--hairpin lan | over IPv6 insiders use the address that everybody uses",
      })
  void whatOnlyTranslationCouldDoIsRefusedOverIPv6(String option, String why) throws Exception {
    whatAKindOfDeviceCannotDoIsRefused(BOTH, "2001:db8:2::7 https --from any " + option, why);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '"',
      value = {
        "when: hours => when: hours;        stateless: true | web https --from any"
            + " | list 'inward' of edge keeps no state; by hand",
        "at: 10.2.0.7 => at: 10.2.0.7;    off: true | web https --from any | web is switched off; take 'off' away",
        "203.0.113.33 => 100.64.1.33 & 203.0.113.32/28 => 100.64.1.32/28 & 203.0.113.46 =>"
            + " 100.64.1.46 | web https --from any"
            + " | carriers share among their customers (RFC 6598); ask the carrier for a public address",
        "- { to: any, via: 203.0.113.46 } => - { to: 10.9.0.0/16, via: 10.1.0.5 }"
            + " | web https --from any | edge has no route from web to the outside; add a route",
        "at: 10.2.0.7 => at: '2001:db8::7' & 10.2.0.0/24 => [10.2.0.0/24, '2001:db8::/64']"
            + " | web https --from any | web has no gateway, so its replies would go nowhere; name one",
        "at: 10.2.0.7 => at: 10.2.0.7;    gateway: 10.2.0.99 | web https --from any"
            + " | there is no device of the site at 10.2.0.99; correct the gateway",
        "203.0.113.32/28 => 203.0.113.32/30 & 203.0.113.46 => 203.0.113.34"
            + " | web https --from any --static | no external address of edge is free; a single port",
        "'' | web https --from 10.9.0.0/16 | none of those who may use it can send to web; somebody outside, 'any'",
        "{ service: ssh, from: lan } => { service: ssh, from: [lan, partner] }"
            + " | web https --from any --at 203.0.113.33:22"
            + " | would cut whoever manages; 203.0.113.34 is free",
        "'' | web https --from any --at 192.0.2.9 | does not lead to uplink of edge; 203.0.113",
        "'' | web https --from any --static --at 8443 | translates no ports; leave the port out",
        "'' | web https --from any --at 443-444 | cannot be moved to port 443-444; as many others",
        "lan to dmz: accept, => '' | web https --from partner,desk"
            + " | desk does not reach web from inside, and no rule for those outside would let it;"
            + " leave desk out here, and then offer it apart: --from desk",
        "'' | web smtp --from any | nothing on web listens on 25/tcp; it listens on https",
        "'' | desk ssh --from any | nothing on desk listens on 22/tcp; say what it runs",
        "'' | web https --from any --hairpin cellar | is called 'cellar'; there is lan, dmz",
      })
  void whatAKindOfDeviceCannotDoIsRefused(String changes, String call, String why)
      throws Exception {
    Path site = site(changes.replace("''", ""));
    String before = Files.readString(site);
    MainTest.Result result = run("offer " + site + " " + call + " --yes");
    String said = (result.out() + result.err()).replaceAll("\\s+", " ");
    assertThat(said).startsWith("refused: ").contains(why.split("; "));
    assertThat(result.status()).isEqualTo(1);
    assertThat(Files.readString(site)).isEqualTo(before);
  }

  private Path whole(String name) throws Exception {
    Path whole = Path.of("../eskerfield-sites/src/test/resources/org/eskerfield/sites/whole");
    return Files.copy(whole.resolve(name + ".site.yaml"), folder.resolve("x.site.yaml"));
  }

  /** Where other routers are the outside, or the carrier routes a block here, or insiders ask. */
  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "lab | meter https --from pc | becomes: 10.1.0.2 / becomes: meter / admit: { from: pc",
        "lab | meter ssh --from any --at 203.0.113.3 | at: 203.0.113.3 ssh / at: rack ssh",
        "lab | meter https --from files --at 8443 | at: rack 8443/tcp / becomes: meter 443",
        "lab | files 873/tcp --from far | at: link 873/tcp / - from: pc",
        "routed | tickets https --from any | accept: tickets https / to: 198.51.100.20:443",
        "routed | tickets ssh --from buyer --at 198.51.100.20 | accept: tickets ssh / from: buyer",
        "routed | ledger 5432/tcp --from stage | stage to office: / from: stage / from: tickets",
      })
  void anOfferGoesTheWayOfThoseWhoUseIt(String name, String call, String added) throws Exception {
    Path site = whole(name);
    String before = Files.readString(site);
    MainTest.Result offered = run("offer " + site + " " + call + " --yes");
    assertThat(offered.status()).as(offered.out() + offered.err()).isZero();
    assertThat(Files.readString(site)).contains(added.split(" / "));
    String[] words = call.split(" ");
    run("withdraw " + site + " " + words[0] + " " + words[1] + " --yes");
    assertThat(Files.readString(site)).isEqualTo(before);
  }

  /** Only what an offer says of one whom it keeps out goes with it, not what others wrote there. */
  @Test
  void aDenialThatIsNotTheOffersStays() throws Exception {
    Path working = Path.of("../demo/mistakes/working.site.yaml");
    Path site = Files.copy(working, folder.resolve("m.site.yaml"));
    run("offer " + site + " spare 5060/udp --from contractor --at 5070 --yes");
    String own = "  - { from: passenger, to: 203.0.113.33:5070, service: udp, outcome: dropped }\n";
    String other = own.replace("passenger", "hydrographic");
    String offered = Files.readString(site);
    assertThat(offered).containsOnlyOnce(own);
    Files.writeString(site, offered.replace(own, own + other));
    assertThat(run("withdraw " + site + " spare 5060/udp --yes").status()).isZero();
    String left = Files.readString(site);
    assertThat(left).containsOnlyOnce(other);
    assertThat(left.replace(other, "")).isEqualTo(Files.readString(working));
  }

  /** What stands open already is not written down, and who keeps others from it is asked. */
  @Test
  void whatIsOpenNeedsNoOffer() throws Exception {
    Path site = whole("routed");
    String before = Files.readString(site);
    MainTest.Result all = run("offer " + site + " tickets https --from office --yes");
    assertThat(all.status()).isZero();
    assertThat(all.out()).contains("its stance accepts it already", "nothing has to be changed");
    MainTest.Result one = run("offer " + site + " tickets https --from clerk --yes");
    assertThat(one.status()).isEqualTo(1);
    assertThat(one.out()).contains("✗ others do not", "no rule to add that would change that");
    assertThat(Files.readString(site)).isEqualTo(before);
  }

  /** Expectations go with what they ask for, or name; all others hold as before. */
  @ParameterizedTest
  @CsvSource({
    "booking, 44",
    "manifests, 46",
    "lantern domain, 44",
    "radio, 45",
    "archive, 46",
    "ramp, 46",
  })
  void whateverTheDemoOffersCanBeTakenAway(String what, int left) throws Exception {
    Path site = Files.copy(Path.of("../demo/marrowby.site.yaml"), folder.resolve("m.site.yaml"));
    MainTest.Result gone = run("withdraw " + site + " " + what + " --yes");
    assertThat(gone.status()).as(gone.out() + gone.err()).isZero();
    assertThat(run("verify " + site).out())
        .endsWith(left + " of " + left + " expectations hold\n7 of 7 guarantees hold\n");
    assertThat(run("check " + site).out()).contains("nothing found");
  }

  @Test
  void whenAllIsTakenAwayNothingIsReachedFromOutside() throws Exception {
    Path site = Files.copy(Path.of("../demo/marrowby.site.yaml"), folder.resolve("m.site.yaml"));
    assertThat(Reachable.fromOutside(SiteReader.read(site)).entries()).hasSizeGreaterThan(5);
    for (String what :
        List.of("radio", "lantern domain", "booking", "ramp", "manifests", "archive")) {
      MainTest.Result gone = run("withdraw " + site + " " + what + " --yes");
      assertThat(gone.status()).as(what + gone.out() + gone.err()).isZero();
    }
    assertThat(Reachable.fromOutside(SiteReader.read(site)).entries()).isEmpty();
    assertThat(run("verify " + site).status()).isZero();
    // What is left is what was there but for the offers: the way out, the tunnel, management.
    assertThat(Files.readString(site))
        .contains("shared: everybody else", "untouched: office and pier", "# Management stays")
        .doesNotContain("destination:", "static:");
  }

  /**
   * Asked again, it is narrowed or widened, completed, or left as it is; what was expected of it is
   * replaced, and a withdrawal leaves nothing of all that.
   */
  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "web https --from any | web https --from any | nothing has to be changed |",
        "web https --from any | web https --from partner | lets in these, and nobody else"
            + " | no longer answered: from the internet (but for",
        "web https --from partner | web https --from any | lets in these, and nobody else"
            + " | newly answered: from the internet (but for",
        "web https --from any --hairpin lan | web https --from partner --hairpin lan"
            + " | admits these, and nobody else | no longer answered: from the internet (but for",
        "web https --from any | web https --from any --hairpin lan"
            + " | leads there already, and now insiders as well | newly answered: from lan to",
        "web https --from any --static | web 8080/tcp --from partner"
            + " | static rule 'web https' of edge leads there already | 203.0.113.34, 8080/tcp",
        "web https,8080/tcp --from any | web 8080/tcp,https --from any"
            + " | nothing has to be changed |",
        // Management by insiders stays what it is, and the port is free for those outside.
        "web https --from any --at 203.0.113.33:22 | web https --from any"
            + " | nothing has to be changed |",
      })
  void whatIsOfferedIsAskedForAgain(String first, String again, String step, String changes)
      throws Exception {
    Path site = site("");
    String before = Files.readString(site);
    MainTest.Result made = run("offer " + site + " " + first + " --yes");
    assertThat(made.status()).as(made.out() + made.err()).isZero();
    MainTest.Result result = run("offer " + site + " " + again + " --yes");
    String said = result.out().replaceAll("\\s+", " ");
    assertThat(result.status()).as(said + result.err()).isZero();
    assertThat(said).contains(step.replace(" of edge", ""));
    assertThat(said).contains(changes == null ? "Packets affected none" : changes);
    assertThat(run("verify " + site).status()).isZero();
    for (String service : again.split(" ")[1].split(",")) {
      run("withdraw " + site + " web " + service + " --yes");
    }
    if (changes == null) {
      assertThat(Files.readString(site)).isEqualTo(before);
    }
  }
}
