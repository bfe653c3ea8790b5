// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli;

import static org.assertj.core.api.Assertions.assertThat;

import com.fasterxml.jackson.databind.ObjectMapper;
import java.io.BufferedReader;
import java.io.PrintWriter;
import java.io.StringReader;
import java.io.StringWriter;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.eskerfield.cli.text.Style;
import org.eskerfield.cli.text.Terminal;
import org.eskerfield.formats.schema.Schemas;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** The verbs that read a policy aloud, and those that change it. */
class ChangeVerbsTest {
  private static final Path PAGE = Path.of("../docs/first-hour.md");
  private static final Path DEMO = Path.of("../demo/marrowby.site.yaml");
  private static final ObjectMapper JSON = new ObjectMapper();

  @TempDir Path folder;

  private Path copy(Path site) throws Exception {
    Path copy = folder.resolve(site.getFileName());
    Files.copy(site, copy);
    return copy;
  }

  /** Every command of the page, one after the other, answers what the page says. */
  @Test
  void theFirstHourRunsAsItIsWritten() throws Exception {
    String page = Files.readString(PAGE);
    Matcher blocks = Pattern.compile("```\n\\$ eskerfield (.*)\n((?s:.*?))```\n").matcher(page);
    StringBuilder made = new StringBuilder();
    int commands = 0;
    while (blocks.find()) {
      String[] words = MainTest.words(blocks.group(1));
      for (int i = 0; i < words.length; i++) {
        words[i] = words[i].replaceAll("^shop\\.", folder + "/shop.");
      }
      MainTest.Result result = MainTest.run(words);
      String said =
          (result.out() + result.err())
              .replaceAll("(?m)^(  (?:---|[+]{3}) [ab])" + folder + "/", "$1/")
              .replace(folder + "/", "");
      commands++;
      blocks.appendReplacement(
          made,
          Matcher.quoteReplacement("```\n$ eskerfield " + blocks.group(1) + "\n" + said + "```\n"));
    }
    blocks.appendTail(made);
    if (Boolean.getBoolean("regenerate")) {
      Files.writeString(PAGE, made.toString());
    }
    assertThat(made.toString()).isEqualTo(Files.readString(PAGE));
    assertThat(commands).isLessThan(15);
    assertThat(made.toString())
        .contains("nothing found in shop.site.yaml: 1 device, 3 translation rules, 1 access rule")
        .contains("8 of 8 expectations hold")
        .contains("refused: 8443/tcp of 203.0.113.33 is taken: destination 'till https' of edge");
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "radio 5060/tcp --from insurers --at 5061",
        "manifests --from contractor --at 203.0.113.37:2022",
        "booking --from any --at 203.0.113.40 --hairpin office,boats",
        "kiosk --from any --when 'working hours'",
        "lantern 53/udp --from insurers --at 203.0.113.41:53",
      })
  void whatIsOfferedIsSafeAndTakenAwayLeavesNothing(String call) throws Exception {
    Path site = copy(DEMO);
    String before = Files.readString(site);
    String[] words = MainTest.words("offer " + site + " " + call + " --yes");
    MainTest.Result offered = MainTest.run(words);
    assertThat(offered.status()).as(offered.out() + offered.err()).isZero();
    assertThat(offered.out()).contains("no new findings").doesNotContain("✗");
    assertThat(MainTest.run("verify", site.toString()).status()).isZero();
    String after = Files.readString(site);
    before.lines().forEach(line -> assertThat(after).contains(line));
    if (!call.startsWith("kiosk")) {
      assertThat(after.substring(after.indexOf("  breakwater:"), after.indexOf("  lockhouse:")))
          .isNotEqualTo(
              before.substring(before.indexOf("  breakwater:"), before.indexOf("  lockhouse:")));
    }
    assertThat(MainTest.run("diff", DEMO.toString(), site.toString()).out())
        .contains("newly answered")
        .doesNotContain("no longer answered");
  }

  /** Of packets that nobody answers, before or after, a few are shown and the others counted. */
  @Test
  void aRenumberedNetworkIsToldInShort() throws Exception {
    Path skerry = Path.of("../demo/skerry.site.yaml");
    Path site = folder.resolve("renumbered.site.yaml");
    Files.writeString(site, Files.readString(skerry).replace("10.77.4.", "10.99.7."));
    String few = MainTest.run("diff", skerry.toString(), site.toString()).out();
    String all = MainTest.run("diff", skerry.toString(), site.toString(), "--all").out();
    assertThat(few).contains("  and 5 more of the kind 'ends otherwise'; --all shows them\n");
    assertThat(all).doesNotContain("more of the kind");
    Pattern kind = Pattern.compile("(?m)^  \\d+  (?!ends otherwise)");
    assertThat(kind.matcher(few).results().count()).isPositive();
    assertThat(kind.matcher(few).results().count()).isEqualTo(kind.matcher(all).results().count());
  }

  /** On a site where nothing else offers it, a withdrawal gives back the very text. */
  @ParameterizedTest
  @CsvSource({"till --from any,till", "door --from partner,door", "mail smtp --from any,mail smtp"})
  void aWithdrawalUndoesAnOffer(String offer, String withdraw) throws Exception {
    Path site = folder.resolve("shop.site.yaml");
    String hosts =
        "--host till=10.1.0.7,https --host door=10.1.0.9,8443/tcp"
            + " --host mail=10.1.0.8,smtp,submissions --host partner=192.0.2.140";
    String begin =
        "new %s --link 203.0.113.32/28 --carrier 203.0.113.46 --own 203.0.113.33 --zone in=10.1.0.0/24 ";
    assertThat(MainTest.run((begin.formatted(site) + hosts).split(" ")).status()).isZero();
    String before = Files.readString(site);
    assertThat(MainTest.run(("offer " + site + " " + offer + " --yes").split(" ")).status())
        .isZero();
    assertThat(Files.readString(site)).isNotEqualTo(before);
    assertThat(MainTest.run(("withdraw " + site + " " + withdraw + " --yes").split(" ")).status())
        .isZero();
    assertThat(Files.readString(site).replace("        rules: []\n", ""))
        .isEqualTo(before.replace("        rules: []\n", ""));
  }

  /** A file without expectations gets some, and loses them with everything that they told of. */
  @Test
  void theLastOfAListTakesTheListWithIt() throws Exception {
    Path site = copy(Path.of("../demo/skerry.site.yaml"));
    String offer = "offer %s ramp 502/tcp --from stranger --at 1503 --when 'working hours' --yes";
    assertThat(MainTest.run(MainTest.words(offer.formatted(site))).status()).isZero();
    assertThat(Files.readString(site)).contains("\n\nexpect:\n  - from: stranger\n");
    MainTest.Result gone = MainTest.run("withdraw", site.toString(), "ramp", "502/tcp", "--yes");
    assertThat(gone.status()).as(gone.out() + gone.err()).isZero();
    assertThat(Files.readString(site))
        .doesNotContain("expect:", "destination:", "accept: the contractor", "schedules:")
        .contains("- shared: pier to the internet", "otherwise: drop");
    assertThat(MainTest.run("check", site.toString()).out()).startsWith("nothing found");
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "offer %s nobody https --from any | 2 | no host is called 'nobody'",
        "offer %s gauge ssh --from any | 2 | several hosts are called so: gauge-1, gauge-2",
        "offer %s bookin --from any --at 203.0.113.36:2222 | 1 | 2222/tcp of 203.0.113.36 is taken: destination 'manifests'",
        "offer %s booking 443/tcp --from any | 1 | it listens on 8443/tcp: offer that",
        "offer %s booking --from nobodie | 2 | nobody is called 'nobodie'",
        "offer %s booking | 2 | --from: say who may use it",
        "offer %s kiosk --from any --at 198.51.100.141 | 1 | does not lead to uplink of skerry",
        "offer %s booking --from any --at 203.0.113.46 | 1 | is taken: the carrier",
        "offer %s booking --from any --at 70000 | 2 | port 70000 is over 65535",
        "offer %s booking --from any --hairpin attic | 1 | no interface or zone of breakwater is called 'attic'",
        "offer %s booking --from any --when never | 2 | no schedule is called 'never'",
        "offer %s radio radio-traffic --from any --at 9000 | 1 | cannot be moved to port 9000",
        "offer %s manifests --from any --at 2022 --yes | 1 | not safe, so nothing was written",
        "offer %s hydrographic --from any | 1 | is on the internet already",
        "offer %s booking --from 10.99.0.0/16 | 1 | none of those who may use it can send to booking",
        "withdraw %s kiosk https | 1 | nothing of kiosk is offered",
        "withdraw %s radio 5060/udp | 1 | offers more than that at once",
        "withdraw %s stranger | 2 | no rule for a service of stranger is known",
      })
  void whatCannotBeIsRefusedWithWhatWouldWork(String call, int status, String why)
      throws Exception {
    Path site = copy(DEMO);
    String before = Files.readString(site);
    MainTest.Result result = MainTest.run(MainTest.words(call.formatted(site)));
    assertThat((result.out() + result.err()).replaceAll("\\s+", " ")).contains(why);
    assertThat(result.status()).isEqualTo(status);
    assertThat(Files.readString(site)).isEqualTo(before);
  }

  /** Each answer is tried at once and asked for again; without the last, none of them is lost. */
  @Test
  void whoBeginsASiteIsAskedUntilEachAnswerFits() throws Exception {
    Path site = folder.resolve("n.site.yaml");
    String begin =
        "203.0.113.32\n203.0.113.32/28\n203.0.113.99\n203.0.113.46\n203.0.113.46\n\nmaybe\nn\n";
    String zones = "10.1.0.0/24\nin=10.1.0.0 255.255.255.0\nin=10.2.0.0/24\nb c=10.3.0.0/24\n\n";
    String hosts = "till=10.1.0.7,httsp\ntill=10.1.0.7,https\ntill=10.1.0.8\n\n";
    StringWriter out = new StringWriter();
    PrintWriter to = new PrintWriter(out, true);
    BufferedReader some = new BufferedReader(new StringReader(begin));
    int status = Main.run(new Terminal(to, to, Style.PLAIN, some), "new", site.toString());
    assertThat(status).isEqualTo(2);
    assertThat(site).doesNotExist();
    assertThat(out.toString())
        .contains("203.0.113.32/32 has no room", "203.0.113.99 is no usable one of")
        .contains("203.0.113.46 is the carrier's own address", "answer yes or no")
        .contains("answers so far, as options: --link 203.0.113.32/28 --carrier 203.0.113.46");
    BufferedReader all = new BufferedReader(new StringReader(begin + zones + hosts));
    status = Main.run(new Terminal(to, to, Style.PLAIN, all), "new", site.toString());
    assertThat(status).as(out.toString()).isZero();
    assertThat(out.toString())
        .contains("'10.1.0.0/24' has no name before a '='", "zone 'in' is there already")
        .contains("write b-c", "no service is called 'httsp'", "host 'till' is there already");
    assertThat(Files.readString(site)).contains("till: { on: in, at: 10.1.0.7, assigned: fixed");
    assertThat(MainTest.run("verify", site.toString()).status()).isZero();
  }

  @Test
  void atATerminalOnlyWhatIsNotSaidIsAsked() throws Exception {
    Path site = copy(DEMO);
    StringWriter out = new StringWriter();
    PrintWriter to = new PrintWriter(out, true);
    BufferedReader answers =
        new BufferedReader(new StringReader("contractor\n\nworking hours\ny\n"));
    int status =
        Main.run(new Terminal(to, to, Style.PLAIN, answers), "offer", site.toString(), "kiosk");
    assertThat(out.toString())
        .contains("Who may use https of kiosk?")
        .contains("Which insiders use the external address, too (pier, tunnel)? [none]")
        .contains("Only within a schedule (working hours)? [always]")
        .contains("Write it? [no]");
    assertThat(status).isZero();
    assertThat(Files.readString(site)).contains("destination: kiosk https");
    assertThat(MainTest.run("verify", site.toString()).out()).contains("hold");
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "LEDGER | ledger ../demo/marrowby.site.yaml --json",
        "LEDGER | ledger ../demo/ipv6.site.yaml --json",
        "MATCHES | matches ../demo/harbour.site.yaml ../demo/harbour.csv --json",
        "LEDGER | ledger ../demo/marrowby.site.yaml --uses insurers --json",
        "LEDGER | ledger ../demo/marrowby.site.yaml --route 10.44.20.1 --json",
        "LEDGER | ledger ../demo/marrowby.site.yaml --ports 203.0.113.33 --json",
        "SUBNET | subnet 203.0.113.32/28 2001:db8::/64 10.0.0.1/32 --json",
        "SERVICES | services mail --json",
        "EXPLAIN | explain ../demo/ipv6.site.yaml --json",
        "EXPLAIN | explain ../demo/marrowby.site.yaml --json",
        "EXPLAIN | explain ../demo/marrowby.site.yaml 'the web shop' --json",
        "EXPLAIN | explain ../demo/marrowby.site.yaml 'whoever is inside' --json",
        "OFFER | offer ../demo/marrowby.site.yaml radio 5060/tcp --from insurers --at 5061 --dry-run --json",
        "OFFER | withdraw ../demo/marrowby.site.yaml archive --dry-run --json",
        "DIFF | diff ../demo/mistakes/working.site.yaml ../demo/mistakes/order.site.yaml --json",
        "DIFF | diff ../demo/mistakes/working.site.yaml ../demo/mistakes/notice-lost.site.yaml --json",
        "TRACE | trace ../demo/mistakes/notice-lost.site.yaml --from passenger --to booking.example"
            + " --service https --json",
        "TRACE | trace ../demo/marrowby.site.yaml --from clerk --to kiosk --service ping --size 9000"
            + " --may-fragment --json",
      })
  void everyAnswerIsAlsoDataOfADescribedShape(Schemas schema, String call) throws Exception {
    MainTest.Result result = MainTest.run(MainTest.words(call));
    assertThat(result.err()).isEmpty();
    MainTest.valid(schema, result);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "203.0.113.40/28 --holds 203.0.113.47 | 0 | usable 203.0.113.33-203.0.113.46, broadcast 203.0.113.47, 14 usable of 16, 255.255.255.240, host bits 0.0.0.15, halves 203.0.113.32/29 and 203.0.113.40/29, yes, but it is the broadcast address",
        "10.0.0.0/31 | 0 | 2 addresses, all of them usable (RFC 3021)",
        "10.0.0.7/32 --holds 10.0.0.8 | 1 | count 1 address, holds 10.0.0.8 no",
        "10.1.2.3/255.255.254.0 | 0 | 10.1.2.0/23, 510 usable of 512",
        "10.1.2.3/0.0.0.255 | 0 | 10.1.2.0/24",
        "10.0.0.5-10.0.0.9 | 0 | 10.0.0.5/32, 10.0.0.6/31, 10.0.0.8/31",
        "2001:db8::/64 --holds 2001:db8:: | 0 | 18446744073709551615 usable, the anycast address of its routers",
        "0.0.0.0/0 | 0 | 4294967294 usable of 4294967296",
        "10.0.0.0/33 | 2 | '33' is no prefix length of IPv4; write a number from 0 to 32",
        "10.0.0.0/255.0.255.0 | 2 | is no mask of IPv4",
        "10.0.0 | 2 | is not an address",
      })
  void blocksAreWorkedOut(String call, int status, String says) {
    MainTest.Result result = MainTest.run(MainTest.words("subnet " + call));
    String flat = (result.out() + result.err()).replaceAll("\\s+", " ");
    for (String part : says.split(", (?=[0-9a-z'])")) {
      assertThat(flat).contains(part);
    }
    assertThat(result.status()).isEqualTo(status);
  }

  /** Who gets a port that two claim is tried; who is for insiders only loses nothing. */
  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        // The own service of skerry for its insiders, at the address that outsiders use, too.
        "service: [ssh, ping], from: [pier, office] => service: 1502/tcp, from: pier | ''",
        "service: [ssh, ping], from: [pier, office] => service: 1502/tcp, from: any"
            + " | 1502/tcp of skerry itself, for any; receives nothing from outside, since it comes after"
            + " destination 'ramp controller' of skerry, leads to ramp",
      })
  void whoIsAskedFirstForAPortThatTwoClaimIsSaid(String change, String says) throws Exception {
    String text = Files.readString(Path.of("../demo/marrowby.site.yaml"));
    String[] parts = change.split(" => ");
    assertThat(text).contains(parts[0]);
    Path site =
        Files.writeString(folder.resolve("two.site.yaml"), text.replace(parts[0], parts[1]));
    for (String call : new String[] {"", " --ports 198.51.100.140"}) {
      String out = MainTest.run(MainTest.words("ledger " + site + call)).out();
      String flat = out.replaceAll("\\s+", " ");
      assertThat(flat.contains("receives nothing")).isEqualTo(!says.isEmpty());
      assertThat(flat).contains(says).doesNotContain("…");
    }
    String json = MainTest.run(MainTest.words("ledger --json " + site)).out();
    assertThat(json.replaceAll("\\s+", "").contains("\"behind\":[\"")).isEqualTo(!says.isEmpty());
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "ledger %1$s | 0 | 203.0.113.40-203.0.113.45 free 6",
        "ledger %1$s | 0 | 192.0.2.68-192.0.2.71 pool of 'gauges borrow an address' of breakwater: 4 addresses for 7 hosts",
        "ledger %1$s | 0 | 198.51.100.130-198.51.100.139 not ours",
        "ledger %1$s --network quay | 0 | 10.44.20.117 booking",
        "ledger %1$s --uses 'working hours' | 0 | access rule 'the contractor works on the ramp' in list 'from the internet' of skerry when",
        "ledger %1$s --uses contractor | 0 | expectation 'contractor to 198.51.100.140:1502, tcp: answered by ramp' from",
        "ledger %1$s --uses insurer | 2 | did you mean 'insurers'?",
        "ledger %1$s --uses tender | 0 | expectation 'office, boats to 192.0.2.200, 8883/tcp: answered, seen as 203.0.113.33'",
        "ledger %1$s --ports 203.0.113.44 | 0 | Nothing in this file has 203.0.113.44",
        "ledger %1$s --network quai | 2 | no network is called 'quai'; did you mean 'quay'?",
        "ledger %1$s --route 2001:db8::1 | 0 | skerry no route leads to 2001:db8::1",
        "ledger %1$s --route 10.44.20.1 | 0 | breakwater route to 10.44.20.0/24 via 10.44.0.2, leaves by transit",
        "ledger %1$s --ports 203.0.113.200 | 0 | all open-resolver",
        "ledger %1$s --ports 1.2.3 | 2 | is not an address",
        "services 3389/tcp | 0 | 3389/tcp",
        "services nonsense | 1 | No service is known by 'nonsense'",
        "services ramp --site %1$s | 0 | ramp-control 502/tcp",
        "explain %1$s --device skerry --csv | 0 | skerry,access,from the internet,1,the contractor works on the ramp,accept,false,contractor,192.0.2.140,ramp,10.77.4.9,502/tcp",
        "explain %1$s --device skerry --markdown | 0 | ### 6. Address translation",
        "explain %1$s 114 | 0 | destination rule 'manifests' of breakwater, 3 of 8",
        "explain %1$s 48 | 0 | access rule 'the insurers' of archive, 1 of 2",
        "explain %1$s --device skery | 2 | no device is called 'skery'; did you mean 'skerry'?",
        "explain %1$s 'the webshop' | 2 | did you mean 'the web shop'?",
        "explain %1$s 1 | 2 | no rule, list, route or own service begins in line 1",
        "explain %1$s --csv --json | 2 | choose one",
        "explain %1$s --template nowhere.txt | 2 | cannot be read as text",
        "diff %1$s %1$s | 0 | none: each first packet ends as before",
        "diff HEAD:no/such.yaml %1$s | 2 | has no file 'no/such.yaml'",
        "diff no-such-revision:x.yaml %1$s | 2 | there is no revision 'no-such-revision'",
        "reach %1$s --from internet --to quay | 0 | manifests (10.44.20.121): 22/tcp",
        "reach %1$s --from internet --to ramp --at 'sunday 10:00' | 0 | nothing to ramp",
        "reach %1$s --to archive --samples --from insurers | 0 | lockhouse: access rule 'the insurers read the archive'",
        "reach %1$s --from internet --to pier --csv | 0 | from,to,received,rules of a sample,complete internet,pier,",
        "reach %1$s --from internet --if-open breakwater | 0 | Only what gets through besides if 'breakwater' accepts everything",
        "reach %1$s --from interent | 2 | nobody is called 'interent'; did you mean 'internet'?",
        "reach %1$s --to lockhose | 2 | did you mean 'lockhouse'?",
        "reach %1$s --service htps | 2 | no service is called 'htps'; did you mean 'https'?",
        "reach %1$s --at someday | 2 | someday",
        "reach %1$s --if-open lockhose | 2 | is called 'lockhose'; did you mean 'lockhouse'?",
        "reach %1$s --ways-in | 0 | 8 of 8 are meant by an expectation or guarantee",
        "reach %1$s --ways-in --to quay | 2 | --ways-in shows all of them; leave out --to",
        "verify %1$s ../demo/outside.guarantees.yaml | 1 | 10 of 12 guarantees hold",
        "verify %1$s ../demo/outside.guarantees.yaml | 1 | is used up by 4 senders",
        "verify %1$s ../demo/outside.guarantees.yaml --all | 1 | holds only: from outside, what is offered and no more",
        "new %1$s --link 203.0.113.32/28 | 2 | is there already, and is not overwritten",
        "new %2$s/no/a.yaml --link 203.0.113.32/28 --carrier 203.0.113.46 --zone a=10.0.0.0/24 | 2 | is there such a folder",
        "new %2$s/a.yaml --link 203.0.113.32/28 --carrier 203.0.113.46 | 2 | as in --zone shop=10.1.0.0/24",
        "new %2$s/a.yaml --link 203.0.113.32/28 --carrier 203.0.113.46 --zone 10.0.0.0/24 | 2 | has no name before a '='",
        "offer - web --from any | 2 | standard input cannot be changed; name a file",
        "check ../demo/mistakes/order.site.yaml --write | 2 | name the one finding to cure, as in --cure CODE@LINE",
        "check ../demo/mistakes/order.site.yaml --cure nothing@3 | 2 | there is no finding nothing@3; there are",
        "replay ../demo/gauges.site.yaml ../demo/gauges.csv --change 1m=%1$s | 2 | the devices are breakwater and cannot become breakwater, lockhouse, skerry",
        "replay ../demo/gauges.site.yaml ../demo --retry | 2 | ../demo is a folder",
        "verify ../demo/skerry.site.yaml ../demo/skerry.site.yaml | 2 | unknown key 'eskerfield' in a file of expectations",
        "new %2$s/a.yaml --carrier 203.0.113.46 | 2 | --link is missing",
        "new %2$s/a.yaml --link 203.0.113.32/28 --carrier 203.0.113.50 --zone a=10.0.0.0/24 | 2 | is no usable one of 203.0.113.32/28",
        "new %2$s/a.yaml --link 203.0.113.32/28 --carrier 203.0.113.46 --zone a=10.0.0.0/24 --zone b=10.0.0.0/25 | 2 | --zone: the prefix 10.0.0.0/25 of network 'b' overlaps",
        "new %2$s/a.yaml --link 203.0.113.32/28 --carrier 203.0.113.46 --zone a=10.0.0.0/24 --time-zone Europe/Lundon | 2 | did you mean 'Europe/London'?",
      })
  void everyQuestionHasItsAnswer(String call, int status, String says) {
    MainTest.Result result = MainTest.run(MainTest.words(call.formatted(DEMO, folder)));
    assertThat((result.out() + result.err()).replaceAll("\\s+", " ")).contains(says);
    assertThat(result.status()).isEqualTo(status);
  }

  /** Also of sites that have next to nothing in common. */
  @ParameterizedTest
  @CsvSource({
    "skerry, marrowby",
    "marrowby, gauges",
    "harbour, skerry",
    "gauges, mistakes/working"
  })
  void anyTwoSitesCanBeCompared(String before, String after) throws Exception {
    String[] call = {"diff", "../demo/" + before + ".site.yaml", "../demo/" + after + ".site.yaml"};
    MainTest.Result there = MainTest.run(call);
    assertThat(there.status()).as(there.err()).isEqualTo(1); // no, they are not the same
    assertThat(there.err()).isEmpty();
    MainTest.Result back = MainTest.run(call[0], call[2], call[1]);
    assertThat(back.status()).as(back.err()).isEqualTo(1);
    // What comes in the one direction goes in the other.
    for (String way : List.of("network", "host", "device")) {
      assertThat(count(there.out(), "(?m)^  added +" + way + " "))
          .isEqualTo(count(back.out(), "(?m)^  removed +" + way + " "));
    }
  }

  private static long count(String text, String pattern) {
    return Pattern.compile(pattern).matcher(text).results().count();
  }

  @Test
  void aTemplateOfOnesOwnRendersThePolicy() throws Exception {
    Path template = folder.resolve("mine.txt");
    Files.writeString(
        template, "{{#devices}}{{name}}:{{#translation}} {{kind}}{{/translation}};{{/devices}}");
    MainTest.Result result =
        MainTest.run("explain", "../demo/skerry.site.yaml", "--template", template.toString());
    assertThat(result.out()).isEqualTo("skerry: destination shared;");
    List<String> wrong = new ArrayList<>(List.of("{{#devices}}", "{{nothing}}", "{{> other}}"));
    for (String text : wrong) {
      Files.writeString(template, text);
      result =
          MainTest.run("explain", "../demo/skerry.site.yaml", "--template", template.toString());
      assertThat(result.status()).as(text).isEqualTo(2);
      assertThat(result.err()).contains("docs/templates.md");
    }
  }
}
