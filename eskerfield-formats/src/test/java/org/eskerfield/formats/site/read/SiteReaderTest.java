// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.read;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.io.ByteArrayInputStream;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.List;
import java.util.Random;
import java.util.function.Supplier;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import org.eskerfield.formats.Problem;
import org.eskerfield.formats.Sites;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.literal.Literals;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.DestinationRule;
import org.eskerfield.model.Device;
import org.eskerfield.model.Hairpin;
import org.eskerfield.model.Host;
import org.eskerfield.model.PrefixRule;
import org.eskerfield.model.Site;
import org.eskerfield.model.StateSettings;
import org.eskerfield.packet.PortSet;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.Arguments;
import org.junit.jupiter.params.provider.MethodSource;
import org.junit.jupiter.params.provider.ValueSource;

class SiteReaderTest {
  private static List<Problem> problems(String text) {
    try {
      SiteReader.read("x.yaml", text);
      return List.of();
    } catch (UnreadableSiteException e) {
      return e.problems();
    }
  }

  /** The line and column, from 1, at which the last mark {@code ¦} of the replacement stands. */
  private static Arguments row(String piece, String byWithMark, String message, String remedy) {
    return Arguments.of(piece, byWithMark, message, remedy);
  }

  /** A rule of one line, before the last one of the file. */
  private static Arguments prefix(String external, String internal, String message, String remedy) {
    String shared = "      - shared: pier to the internet";
    String rule = "      - { prefix: p, facing: uplink, external: %s, internal: %s }%n%s";
    return row(shared, rule.formatted(external, internal, shared), message, remedy);
  }

  private static final String EXPECT =
      "            log: true\n        otherwise: drop\n\nexpect:\n  - { ";

  static List<Arguments> mistakes() {
    return List.of(
        // Hosts on several networks, their filters and resolvers; names; expectations.
        row(
            "  pier:         { prefix: 10.77.4.0/24, zone: pier }",
            "  pier:         ¦[a, b]",
            "a list stands where a network belongs",
            "write its keys: prefix, zone"),
        row(
            "{ on: pier, at: 10.77.4.20",
            "{ on: [pier, ¦piers], at: 10.77.4.20",
            "no network is called 'piers'",
            "did you mean 'pier'?"),
        row(
            "{ on: internet, at: 198.51.100.77 }",
            "{ on: [¦internet, pier], at: 198.51.100.77 }",
            "host 'passenger' is on the internet and on networks of the site at once",
            "describe two hosts"),
        row(
            "{ on: pier, at: 10.77.4.20",
            "{ on: [pier, carrier-link], gateway: 10.77.4.1, at: [10.77.4.20, ¦10.9.9.9, 198.51.100.141]",
            "the address 10.9.9.9 of host 'kiosk' is in none of its networks pier, carrier-link",
            "correct the address"),
        row(
            "{ on: pier, at: 10.77.4.20",
            "{ on: [pier, carrier-link], gateway: 10.77.4.1, ¦at: 10.77.4.20",
            "host 'kiosk' is on network 'carrier-link', but has no address there",
            "add one of 198.51.100.128/26"),
        row(
            "  kiosk: { on: pier, at: 10.77.4.20",
            "  ¦kiosk: { on: [pier, carrier-link], at: [10.77.4.20, 198.51.100.141]",
            "host 'kiosk' is on several networks and needs a 'gateway'",
            "add gateway: and the address of a router"),
        row(
            "{ on: pier, at: 10.77.4.20",
            "{ own-prefix: ¦10.77.4.1/16, on: pier, at: 10.77.4.20",
            "'10.77.4.1/16' has host bits set",
            "the prefix is 10.77.0.0/16"),
        row(
            "{ on: pier, at: 10.77.4.20",
            "{ resolver: ¦pier, on: pier, at: 10.77.4.20",
            "'pier' cannot answer for names",
            "name one host or one address"),
        row(
            "{ on: pier, at: 10.77.4.20",
            "{ resolver: ¦198.51.100.0/24, on: pier, at: 10.77.4.20",
            "'198.51.100.0/24' cannot answer for names",
            "name one host or one address"),
        row(
            "{ on: pier, at: 10.77.4.20",
            "{ filter: { otherwise: ¦allow }, on: pier, at: 10.77.4.20",
            "'allow' is no value for 'otherwise'",
            "the word for it is 'accept'"),
        row(
            "{ on: pier, at: 10.77.4.20",
            "{ network-blocks: ¦htps, on: pier, at: 10.77.4.20",
            "no service is called 'htps'",
            "did you mean 'https'?"),
        row(
            "services:\n  ramp-control",
            "names:\n  x.example: ¦nobody\n\nservices:\n  ramp-control",
            "'nobody' is no address, and no host is called so",
            "write an address, a host"),
        row(
            "services:\n  ramp-control",
            "names:\n  x.example: { ¦kisk: 192.0.2.1 }\n\nservices:\n  ramp-control",
            "no host is called 'kisk'",
            "did you mean 'kiosk'?"),
        row(
            "services:\n  ramp-control",
            "names:\n  ¦kiosk: ramp\n\nservices:\n  ramp-control",
            "the name 'kiosk' is taken by something else of the site",
            "need one of their own"),
        row(
            "            log: true\n        otherwise: drop",
            EXPECT + "from: ¦nobody, to: ramp, service: ping, outcome: dropped }",
            "no host or device is called 'nobody'",
            "there is: kiosk"),
        row(
            "            log: true\n        otherwise: drop",
            EXPECT + "from: kiosk, ¦to: rump, service: ping, outcome: dropped }",
            "no host or device is called 'rump'",
            "did you mean 'ramp'?"),
        row(
            "            log: true\n        otherwise: drop",
            EXPECT + "from: kiosk, to: ramp, service: ping, ¦outcome: answered by rump }",
            "no host or device is called 'rump'",
            "did you mean 'ramp'?"),
        row(
            "            log: true\n        otherwise: drop",
            EXPECT + "from: kiosk, to: ramp, service: ping, outcome: answered, seen-as: ¦me }",
            "'me' is not an address",
            "four numbers"),
        row(
            "            log: true\n        otherwise: drop",
            EXPECT
                + "from: kiosk, to: ramp, service: ping, outcome: answered, rule: ¦ramp controler }",
            "no rule or list is called 'ramp controler'",
            "did you mean 'ramp controller'?"),
        row(
            "            log: true\n        otherwise: drop",
            EXPECT + "from: kiosk, to: ramp, service: ping, outcome: answered, ¦at: someday }",
            "'someday' is no time",
            "sunday 10:00"),
        row(
            "            log: true\n        otherwise: drop",
            EXPECT
                + "from: kiosk, to: ramp, service: ping, outcome: answered,"
                + " after: { from: kiosk, to: ramp, service: ping, wait: ¦soon } }",
            "'soon' is no time",
            "write 90s"),
        row(
            "            log: true\n        otherwise: drop",
            EXPECT
                + "from: kiosk, to: ramp, service: ping, outcome: answered, ¦before-change: x.yaml }",
            "without earlier traffic it makes no difference",
            "add after:"),
        row(
            "            log: true\n        otherwise: drop",
            EXPECT
                + "from: kiosk, to: ramp, service: ping, outcome: answered,"
                + " after: { from: kiosk, to: ramp, service: ping }, before-change: ¦nowhere.yaml }",
            "the site before the change cannot be read",
            "name a site file"),

        // Structure.
        row(
            "    stance:",
            "    ¦stanse: drop\n    stance:",
            "unknown key 'stanse' in a device",
            "did you mean 'stance'?"),
        row(
            "at: 10.77.4.20, assigned",
            "at: 10.77.4.20, listens: 80/tcp,¦443/tcp, assigned",
            "unknown key '443/tcp' in a host",
            "a comma within { } ends the value before it; where several are meant, write a list"),
        row(
            "    routes:",
            "    verify-source: true\n    ¦verify-source: true\n    routes:",
            "duplicate key 'verify-source'; the first is in line 31",
            "keep one"),
        row(
            "  kiosk:",
            "  kiosk: { on: pier, at: 10.77.4.21 }\n  ¦kiosk:",
            "duplicate key 'kiosk'",
            "keep one"),
        row(
            "{ on: pier, at: 10.77.4.20, assigned",
            "{ on: pier, assigned",
            "a host needs 'at': it says the address of the host",
            "add at: and then an address",
            "  ¦kiosk"),
        row(
            "    stance: { pier to internet: accept, otherwise: drop }\n",
            "",
            "a device needs 'stance'",
            "add stance: drop",
            "  ¦skerry:\n"),
        row(
            "otherwise: drop }",
            "other: drop }",
            "'stance' needs 'otherwise'",
            "add otherwise: drop",
            "    ¦stance"),
        row(
            "            log: true",
            "            log: ¦yes",
            "'yes' is no value for 'log'",
            "write true or false"),
        row(
            "eskerfield: 1",
            "eskerfield: ¦2",
            "'2' is no value for 'eskerfield'",
            "write the number 1"),
        row(
            "        leaving: uplink",
            "        leaving: ¦[uplink]",
            "a list is no value for 'leaving'",
            "name of an interface"),
        row(
            "    routes:\n      - { to: any, via: 198.51.100.129 }",
            "    routes: ¦any",
            "'any' is no value for 'routes'",
            "a list, each item a route"),
        row(
            "      - shared: pier",
            "      - ¦share: pier",
            "none of the kinds of rules",
            "'share' is called 'shared' here"),
        row(
            "          - accept: the",
            "          - drop: x\n            ¦accept: the",
            "an access rule has drop and accept",
            "exactly one of: accept, drop, reject"),
        row(
            "site: Marrowby Ferries, Skerry terminal",
            "¦site:",
            "'site' has no value",
            "write a name"),
        row(
            "assigned: reserved, note: sells",
            "assigned: ¦reserve, note: sells",
            "'reserve' is no value for 'assigned'",
            "did you mean 'reserved'?"),
        row("note: moves the ramp", "note: ¦12", "'12' is no value for 'note'", "in quotes"),
        row(
            "listens: secure-mqtt",
            "listens: ¦[]",
            "the list of 'listens' is empty",
            "leave the key out"),
        row(
            "  kiosk:",
            "  ¦ki/osk: { on: pier, at: 10.77.4.21 }\n  kiosk:",
            "'ki/osk' cannot be a name",
            "none of / : ,"),
        // Names.
        row(
            "from: contractor\n",
            "from: ¦contractr\n",
            "no zone, network, host, group or device is called 'contractr'",
            "did you mean 'contractor'?"),
        row(
            "from: contractor\n",
            "from: ¦contractor, stranger\n",
            "is no name",
            "write a list: [contractor, stranger]"),
        row(
            "service: ramp-control\n",
            "service: ¦ramp-controll\n",
            "no service is called 'ramp-controll'",
            "did you mean 'ramp-control'?"),
        row(
            "when: working hours",
            "when: ¦office hours",
            "no schedule is called 'office hours'",
            "there is: working hours"),
        row(
            "{ on: pier, at: 10.77.4.20,",
            "{ on: ¦peer, at: 10.77.4.20,",
            "no network is called 'peer'",
            "did you mean 'pier'?"),
        row(
            "        arriving: uplink\n        at",
            "        arriving: ¦uplnk\n        at",
            "no interface of skerry and no zone is called 'uplnk'",
            "did you mean 'uplink'?"),
        row(
            "becomes: ramp 502",
            "becomes: ¦pier 502",
            "'pier' is an interface of skerry, and 'becomes' takes a host inside",
            "write the host or its address here, and at: pier"),
        row(
            "pier to internet: accept",
            "¦pier to moon: accept",
            "no zone is called 'moon'",
            "there is: internet, pier"),
        row(
            "  kiosk:",
            "  ¦pier: { on: pier, at: 10.77.4.21 }\n  kiosk:",
            "the name 'pier' is taken: a network in line 7 has it",
            "a name of their own"),
        row(
            "  kiosk:",
            "  ¦any: { on: pier, at: 10.77.4.21 }\n  kiosk:",
            "'any' is a word of the site file itself",
            "another name"),
        row(
            "Europe/London",
            "¦Europe/Londn",
            "no time zone is called 'Europe/Londn'",
            "did you mean 'Europe/London'?"),
        row(
            "time-zone: Europe/London\n",
            "",
            "schedules need a 'time-zone'",
            "Europe/London",
            "¦schedules"),
        row(
            "hosts:\n",
            "groups:\n  ¦one: [two]\n  two: [one]\nhosts:\n",
            "group 'one' contains itself",
            "take it out"),
        row(
            "  pier:         { prefix",
            "  ¦pier: { prefix: 10.1.0.0/24, zone: docks }\n  docks: { prefix: 10.2.0.0/24, zone: pier }\n  x: { prefix",
            "network 'pier' has the name of a zone that is not just this network",
            "rename"),
        // Addresses.
        row(
            "prefix: 10.77.4.0/24",
            "prefix: ¦10.77.4.1/24",
            "'10.77.4.1/24' has host bits set",
            "the prefix is 10.77.4.0/24"),
        row(
            "prefix: 10.77.4.0/24",
            "prefix: ¦10.77.4.0/33",
            "'33' is no prefix length of IPv4",
            "from 0 to 32"),
        row(
            "prefix: 10.77.4.0/24",
            "prefix: ¦10.77.4.0",
            "'10.77.4.0' has no prefix length",
            "192.0.2.0/24"),
        row(
            "at: 10.77.4.20,",
            "at: ¦10.77.4.300,",
            "'10.77.4.300' is not an address",
            "four numbers from 0 to 255"),
        row(
            "at: 10.77.4.20,",
            "at: ¦10.77.04.20,",
            "'10.77.04.20' has a number with a leading zero",
            "write 10.77.4.20 if that is meant"),
        // As it is written elsewhere, or comes out of a text program.
        row("at: 10.77.4.20,", "at: ¦DHCP,", "'DHCP' is not an address", "write assigned: leased"),
        row(
            "pier, at: 10.77.4.1 }",
            "pier, at: ¦dhcp }",
            "'dhcp' is not an address",
            "assigned by the carrier"),
        row(
            "prefix: 10.77.4.0/24",
            "prefix: ¦10.77.4.0 255.255.255.0",
            "gives the prefix length as a mask",
            "write 10.77.4.0/24"),
        row(
            "prefix: 10.77.4.0/24",
            "prefix: ¦10.77.4.9/255.255.255.0",
            "gives the prefix length as a mask",
            "write 10.77.4.0/24"),
        row(
            "prefix: 10.77.4.0/24",
            "prefix: ¦10.77.4.0/255.0.255.0",
            "'255.0.255.0' is no mask",
            "as in 10.77.4.0/24"),
        rule(
            "shared: a\n        from: ¦10.77.4.0 0.0.0.255\n        leaving: uplink",
            "gives the prefix length as a mask",
            "write 10.77.4.0/24"),
        rule(
            "shared: a\n        from: ¦10.77.4.1-20\n        leaving: uplink",
            "the range '10.77.4.1-20' ends with a number",
            "write both ends in full: 10.77.4.1-10.77.4.20"),
        rule(
            "shared: a\n        from: ¦10.77.4.1–10.77.4.20\n        leaving: uplink",
            "has a long dash",
            "write 10.77.4.1-10.77.4.20"),
        rule(
            "shared: a\n        from: ¦10.77.4.*\n        leaving: uplink",
            "'10.77.4.*' is not an address",
            "a prefix is written 10.77.4.0/24"),
        rule(
            "shared: a\n        from: ¦10.77.4.1 to 10.77.4.9\n        leaving: uplink",
            "is not an address",
            "a range is written 10.77.4.1-10.77.4.9"),
        rule(
            "shared: a\n        from: ¦all\n        leaving: uplink",
            "'all' is no name",
            "every address is called 'any'"),
        row("{ to: any, via", "{ to: ¦default, via", "'default'", "is written to: any"),
        row(
            "pier to internet: accept, otherwise: drop",
            "pier to internet: accept, otherwise: ¦deny",
            "'deny' is no value for 'otherwise'",
            "the word for it is 'drop'"),
        row(
            "            log: true\n        otherwise: drop",
            EXPECT + "from: kiosk, to: ramp, service: ping, outcome: ¦allowed }",
            "'allowed' is no value for 'outcome'",
            "the word for it is 'answered'"),
        row(
            "becomes: ramp 502",
            "becomes: ¦ramp, kiosk",
            "'ramp, kiosk' names several",
            "write a rule for each of them"),
        row(
            "becomes: ramp 502",
            "becomes: ¦ramp:502",
            "a colon joins 'ramp' and its port",
            "a blank separates the two: ramp 502"),
        row(
            "at: uplink 1502/tcp",
            "at: ¦198.51.100.140:1502",
            "a colon joins '198.51.100.140' and its port",
            "198.51.100.140 1502/tcp"),
        row(
            "at: uplink 1502/tcp",
            "at: ¦ramp 1502/tcp",
            "'ramp' is a host inside, and 'at' takes the external address",
            "and becomes: ramp"),
        row(
            "at: uplink 1502/tcp",
            "¦comment: new\n        at: uplink 1502/tcp",
            "unknown key 'comment'",
            "the key for it is 'note'"),
        row(
            "at: uplink 1502/tcp",
            "¦enabled: false\n        at: uplink 1502/tcp",
            "unknown key 'enabled'",
            "only what shall not act is marked: disabled: true"),
        row(
            "note: sells tickets",
            "note: sells tickets,¦and tea",
            "unknown key 'and tea'",
            "put the whole of it in quotes: note: 'sells tickets, and tea'"),
        row(
            "at: 10.77.4.20,",
            "at: ¦10.77.5.20,",
            "the address 10.77.5.20 of host 'kiosk' is outside network 'pier', which is 10.77.4.0/24",
            "correct"),
        row(
            "at: 10.77.4.20,",
            "at: ¦10.77.4.255,",
            "is the broadcast address of 10.77.4.0/24",
            "between"),
        row(
            "{ on: pier, at: 10.77.4.9,",
            "{ on: pier, at: ¦10.77.4.20,",
            "the address 10.77.4.20 of host 'ramp' is also that of host 'kiosk'",
            "its own"),
        row(
            "now: 198.51.100.140",
            "now: ¦198.51.100.1",
            "of interface 'uplink' of skerry is outside network 'carrier-link'",
            "correct"),
        row(
            ", now: 198.51.100.140",
            "",
            "needs 'now'",
            "add now:",
            "      uplink: { on: carrier-link, ¦at"),
        row(
            "at: 192.0.2.140",
            "at: ¦10.9.9.9",
            "is private, and the internet carries none",
            "public"),
        row(
            "at: 192.0.2.140",
            "at: ¦198.51.100.150",
            "belongs to network 'carrier-link'",
            "write on: carrier-link"),
        row(
            "via: 198.51.100.129",
            "via: ¦203.0.113.1",
            "the next router 203.0.113.1 is on no network of 'skerry'",
            "carrier-link"),
        row(
            "via: 198.51.100.129",
            "via: ¦198.51.100.140",
            "is 'skerry' itself",
            "the other router"),
        row(
            "via: 198.51.100.129 }",
            "via: 198.51.100.129, ¦discard: true }",
            "a route has via and discard",
            "exactly one"),
        row(
            "zone: internet, carrier",
            "zone: ¦pier, carrier",
            "network 'carrier-link' has a carrier, but is in zone 'pier'",
            "write zone: internet"),
        row(
            "  carrier-link:",
            "  ¦quay: { prefix: 10.77.0.0/16, zone: quay }\n  carrier-link:",
            "the prefix 10.77.0.0/16 of network 'quay' overlaps 10.77.4.0/24 of network 'pier'",
            "addresses of its own"),
        row(
            "from: contractor\n",
            "from: ¦10.0.0.9-10.0.0.5\n",
            "the range '10.0.0.9-10.0.0.5' is backwards",
            "10.0.0.5-10.0.0.9"),
        row(
            "carrier: 198.51.100.129 }",
            "carrier: 198.51.100.129, routed: { to: 192.0.2.64/28, via: ¦203.0.113.1 } }",
            "of a routed block is outside network 'carrier-link'",
            "correct"),
        row(
            "    interfaces:",
            "    state: { udp: ¦forever }\n    interfaces:",
            "'forever' is no time for 'udp'",
            "90s, 5m or 2h4m"),
        // Services, ports, rules.
        row(
            "ramp-control: 502/tcp",
            "ramp-control: ¦70000/tcp",
            "port 70000 is over 65535",
            "0 to 65535"),
        row(
            "ramp-control: 502/tcp",
            "ramp-control: ¦510-502/tcp",
            "the port range '510-502' is backwards",
            "502-510"),
        row(
            "ramp-control: 502/tcp",
            "ramp-control: ¦502/tpc",
            "'tpc' is no protocol with ports",
            "tcp, udp"),
        row(
            "service: ramp-control\n",
            "service: ¦\"502\"\n",
            "'502' is no service",
            "502/tcp or 502/udp"),
        row(
            "service: ramp-control\n",
            "service: ¦tcp/502\n",
            "the wrong way round",
            "write 502/tcp"),
        row(
            "at: uplink 1502/tcp",
            "at: ¦uplnk 1502/tcp",
            "no interface of skerry is called 'uplnk'",
            "did you mean 'uplink'?"),
        row(
            "becomes: ramp 502",
            "becomes: ¦ramp 502/tcp",
            "'502/tcp' is no port",
            "write the port alone"),
        row(
            "becomes: ramp 502",
            "becomes: ¦ramp 502-504",
            "the 3 ports 502-504 cannot take 1 ports 1502",
            "as long as the external one"),
        row(
            "at: uplink 1502/tcp",
            "at: uplink",
            "the internal side names port 502, but the external side names none",
            "name the external port",
            "        becomes: ¦ramp 502"),
        row(
            "service: ramp-control\n",
            "service: ¦icmp 3/400\n",
            "'400' is no ICMP code",
            "0 to 255"),
        row(
            "service: ramp-control\n",
            "service: ¦icmpv6 packet-to-big\n",
            "no message of icmpv6 is called 'packet-to-big'",
            "packet-too-big"),
        row(
            "service: ramp-control\n",
            "service: tcp\n            flags: { any: [¦rts] }\n",
            "'rts' is no value for 'any'",
            "did you mean 'rst'?"),
        row(
            "service: ramp-control\n",
            "service: udp\n            ¦flags: { any: ack }\n",
            "only TCP has flags, and udp is none of it",
            "leave 'flags' out"),
        row(
            "service: ramp-control\n",
            "service: tcp\n            ¦flags: { any: syn, none: [syn, fin] }\n",
            "no segment matches any of syn; none of fin, syn",
            "one of 'any', 'all' and 'none'"),
        row(
            "service: ramp-control\n",
            "service: tcp\n            ¦flags: {}\n",
            "'flags' asks for none",
            "{ any: [ack, rst] }"),
        row(
            "service: ramp-control\n",
            "service: tcp\n            flags: ¦established\n",
            "'established' stands where",
            "any, all, none"),
        row(
            "at: uplink 1502/tcp",
            "at: ¦2001:db8::1 1502/tcp",
            "the external address 2001:db8::1 is an IPv6 address",
            "by a 'prefix' rule"),
        prefix("¦uplink", "fd01::/48", "interface 'uplink' has addresses", "the prefix that is"),
        prefix("¦2001:db8:1::1", "fd01::/48", "'2001:db8:1::1' is no prefix", "with its length"),
        prefix("¦192.0.2.0/24", "fd01::/48", "192.0.2.0/24 is an IPv4 prefix", "static, dynamic"),
        prefix("¦2001:db8:1::/65", "fd01::/48", "leaves no 16 bits", "/64 or shorter"),
        prefix("2001:db8:1::/48", "¦fd01::/20", "wider than /32", "one rule for each /32"),
        prefix("2001:db8:1::/48", "¦fd01::/xx", "'xx' is no prefix length", "0 to 128"),
        prefix("2001:db8:1::/48", "¦peer", "no network is called 'peer'", "did you mean 'pier'?"),
        prefix("2001:db8:1::/48", "¦pier", "'pier' has no IPv6 prefix", "give it one"),
        prefix(
            "2001:db8:1::/48",
            "fd01::/48, hairpin: { from: pier, source: ¦device }",
            "a prefix rule keeps every port",
            "source: external"),
        prefix(
            "2001:db8:1::/48",
            "fd01::/48, ¦admit: any",
            "unknown key 'admit'",
            "it has: prefix, facing"),
        row(
            "        becomes: ramp 502",
            "        becomes: ramp 502\n        admit: ¦device",
            "'device' cannot stand here",
            "packets that the device itself sends"),
        row(
            "        guards: { arriving: uplink }",
            "        guards: ¦{ }",
            "this names no way",
            "arriving, leaving or both"),
        // Rules of other kinds, put above the first.
        rule(
            "static: a\n        facing: uplink\n        external: 192.0.2.64/28\n        internal: ¦10.77.4.0/29",
            "the internal prefix 10.77.4.0/29 and the external 192.0.2.64/28 differ in length",
            "same length"),
        rule(
            "static: a\n        facing: uplink\n        external: 192.0.2.66 8000-8009/tcp\n        internal: ¦ramp 9000-9004",
            "the 5 ports 9000-9004 cannot take 10 ports 8000-8009",
            "as many ports on both sides"),
        rule(
            "static: a\n        facing: uplink\n        external: ¦192.0.2.64/28 80/tcp\n        internal: 10.77.4.0/28",
            "a static rule for a whole prefix names no ports",
            "leave the service out"),
        rule(
            "destination: a\n        arriving: uplink\n        at: 192.0.2.66 80/tcp\n        becomes: ramp\n        leaving: ¦any",
            "'leaving: any' names 2 interfaces",
            "name the one"),
        rule(
            "destination: a\n        arriving: uplink\n        at: 192.0.2.66 80/tcp\n        becomes: ramp\n        sources-become: ¦pier",
            "'pier' is not an address",
            "four numbers"),
        row(
            "from: pier\n        leaving: uplink",
            "from: pier\n        leaving: uplink\n        state: { udp: ¦soon }",
            "'soon' is no time for 'udp'",
            "write 90s"),
        row(
            "from: pier\n        leaving: uplink",
            "from: pier\n        leaving: uplink\n        state: { ¦mid-stream: true }",
            "mid-stream",
            ""),
        row(
            "    interfaces:",
            "    state: { ¦mappings: paired }\n    interfaces:",
            "mappings",
            "did you mean 'mapping'"),
        row("    interfaces:", "    state: { pooling: ¦pair }\n    interfaces:", "pair", "paired"),
        row("hours: 07:00-18:00", "hours: ¦7 to 18", "'7 to 18' are no hours", "07:00-18:00"),
        row("days: mon-fri", "days: ¦weekdays", "are no days of the week", "mon-fri"));
  }

  private static Arguments row(
      String piece, String by, String message, String remedy, String lineOfProblem) {
    return Arguments.of(piece, by + "§" + lineOfProblem, message, remedy);
  }

  private static Arguments rule(String withMark, String message, String remedy) {
    String first = "      - destination: ramp controller";
    return row(first, "      - " + withMark + "\n" + first, message, remedy);
  }

  /** A key that is called otherwise is told once, and what it holds is read all the same. */
  @ParameterizedTest
  @ValueSource(strings = {"hosts", "networks", "devices", "interfaces", "arriving", "becomes"})
  void aMisspeltKeyBringsNoOtherProblems(String key) throws Exception {
    String text = Sites.skerryText().replaceFirst("(?m)^( *)" + key + ":", "$1" + key + "s:");
    assertThat(problems(text))
        .singleElement()
        .satisfies(problem -> assertThat(problem.message()).startsWith("unknown key '" + key));
  }

  @ParameterizedTest(name = "{2}")
  @MethodSource("mistakes")
  void aMistakeIsReportedAtItsPlaceWithItsRemedy(
      String piece, String by, String message, String remedy) throws Exception {
    String text = Sites.skerryText();
    assertThat(text).contains(piece);
    String[] parts = by.split("§");
    String broken = text.replace(piece, parts[0].replace("¦", ""));
    // The mark stands in the replacement, or in a piece of the file that is given beside it.
    String marked =
        parts[0].contains("¦")
            ? text.replace(piece, parts[0])
            : broken.replace(parts[1].replace("¦", ""), parts[1]);
    assertThat(problems(broken))
        .anySatisfy(
            problem -> {
              assertThat(problem.message()).contains(message);
              assertThat(problem.remedy()).contains(remedy);
              if (marked.contains("¦")) {
                String before = marked.substring(0, marked.indexOf('¦'));
                int line = 1 + (int) before.chars().filter(c -> c == '\n').count();
                assertThat(problem.place().line()).isEqualTo(line);
                assertThat(problem.place().column())
                    .isEqualTo(before.length() - before.lastIndexOf('\n'));
                assertThat(problem.excerpt()).isEqualTo(broken.split("\n", -1)[line - 1]);
              }
            });
  }

  @Test
  void networksMayOverlapBetweenRealmsOnlyAndRealmsAreFew() {
    StringBuilder networks = new StringBuilder();
    for (int i = 0; i < 16; i++) {
      networks.append(
          "  n" + i + ": { prefix: 10.0.0.0/24, zone: z" + i + ", realm: r" + i + " }\n");
    }
    String head = "eskerfield: 1\nsite: x\nnetworks:\n";
    String tail = "devices:\n  d: { stance: drop, interfaces: { i: { on: n0, at: 10.0.0.1 } } }\n";
    assertThat(problems(head + networks + tail))
        .singleElement()
        .satisfies(
            problem -> {
              assertThat(problem.message()).contains("realm 'r15' is one too many");
              assertThat(problem.place().line()).isEqualTo(19);
            });
    String fewer = networks.substring(0, networks.indexOf("  n15"));
    assertThat(problems(head + fewer + tail)).isEmpty();
    assertThat(problems(head + fewer.replace(", realm: r3", ", realm: r4") + tail))
        .singleElement()
        .satisfies(problem -> assertThat(problem.remedy()).contains("name the realm"));
  }

  @Test
  void everyMistakeOfAFileIsReportedAtOnce() {
    List<Problem> problems =
        problems(
            """
            eskerfield: 1
            site: Twelve mistakes
            networks:
              pier: { prefix: 10.77.4.1/24, zone: pier }
              link: { prefix: 198.51.100.128/26, zone: internet, carrier: 198.51.100.129 }
            hosts:
              kiosk: { on: peir, at: 10.77.4.20 }
              ramp: { on: link, at: 10.77.9.9, listen: 502/tcp }
              till: { at: 10.77.4.21 }
            services:
              ramp-control: 70000/tcp
              radio: 10039-10000/udp
            devices:
              skerry:
                stance: dorp
                interfaces:
                  uplink: { on: link, at: 198.51.100.140 }
                  uplink: { on: link, at: 198.51.100.141 }
                translation:
                  - { destination: a, arriving: uplnk, at: uplink 1502/tcp, becomes: rampe 502 }
                access:
                  inbound: { guards: [], otherwise: drop, rules: [{ accept: x, service: [radio, htps] }] }
            """);
    assertThat(problems)
        .extracting(p -> p.place().line())
        .containsExactly(4, 7, 8, 8, 9, 11, 12, 15, 18, 20, 20, 22);
  }

  @Test
  void namesWithProblemsOfTheirOwnCauseNoOthers() throws Exception {
    // The host, the service and the schedule are broken, and all of them are used below.
    String text =
        Sites.skerryText()
            .replace("at: 10.77.4.9,", "at: 10.77.4.999,")
            .replace("502/tcp\n\n", "99999/tcp\n\n")
            .replace("hours: 07:00-18:00", "hours: always")
            .replace("prefix: 198.51.100.128/26", "prefix: 198.51.100.129/26");
    assertThat(problems(text)).hasSize(4);
  }

  @Test
  void everyKeyIsReadIntoTheModel() throws Exception {
    Site site = SiteReader.read("x", Sites.everything());
    Device skerry = site.devices().get("skerry");
    assertThat(skerry).isNotNull();
    assertThat(skerry.seesOriginal()).isTrue();
    assertThat(skerry.verifySource()).isTrue();
    assertThat(skerry.state())
        .isEqualTo(
            new StateSettings(
                new StateSettings.Timers(
                    Duration.ofMinutes(2),
                    Duration.ofHours(3),
                    Duration.ofMinutes(5),
                    Duration.ofSeconds(90),
                    Duration.ofMinutes(10)),
                StateSettings.Endpoints.ADDRESS_DEPENDENT,
                StateSettings.Endpoints.ENDPOINT_INDEPENDENT,
                StateSettings.Pooling.ARBITRARY,
                new StateSettings.Ports(false, false, false, 2000, Duration.ofMinutes(2)),
                true,
                true,
                true,
                PortSet.of(21).union(PortSet.of(2121)),
                Duration.ofSeconds(6)));
    assertThat(skerry.routes()).hasSize(3);
    assertThat(skerry.routes().get(0).preference()).isEqualTo(20);
    assertThat(skerry.services()).hasSize(2);
    assertThat(skerry.stance().pairs()).hasSize(2);
    DestinationRule ramp = (DestinationRule) skerry.translation().get(1);
    assertThat(ramp.internalBlock()).hasToString("10.77.4.9/32");
    assertThat(ramp.admit()).isNotNull();
    assertThat(ramp.admit().log()).isTrue();
    DestinationRule radio = (DestinationRule) skerry.translation().get(2);
    assertThat(radio.internalPort(10039)).isEqualTo(20039);
    PrefixRule prefix = (PrefixRule) skerry.translation().get(4);
    assertThat(prefix.internalBlock()).hasToString("2001:db8:77:4::/64");
    assertThat(prefix.block()).hasToString("2001:db8:78::/64");
    assertThat(prefix.hairpin().source()).isEqualTo(Hairpin.Source.KEPT);
    assertThat(skerry.translation().get(6).disabled()).isTrue();
    AccessRule rule = skerry.access().get(0).rules().get(0);
    assertThat(rule.place().line()).isEqualTo(151);
    AccessRule noise = skerry.access().get(0).rules().get(1);
    assertThat(noise.flags()).hasToString("any of syn, urg; all of fin; none of psh, ack");
    assertThat(noise.services())
        .extracting(s -> s.service().parts().get(0).toString())
        .containsExactly("tcp", "icmp 3/4", "icmpv6 2");
    Host host = site.hosts().get("ramp");
    assertThat(host.filter().rules()).hasSize(1);
    assertThat(host.ownPrefixes()).hasToString("[10.77.0.0/16]");
    assertThat(site.resolver(host)).hasToString("10.77.6.7");
    assertThat(site.hosts().get("till").networks()).hasSize(2);
    assertThat(site.resolver(site.hosts().get("till"))).hasToString("10.77.4.7");
    assertThat(site.names().get("ramp.example").by("till").addresses()).hasSize(3);
    assertThat(site.names().get("moving.example").by("ramp").follows()).isNotNull();
    assertThat(rule.sourcePorts()).hasToString("500,1024-65535");
    assertThat(rule.services())
        .extracting(s -> s.text())
        .containsExactly("ramp-control", "https", "protocol 47");
    assertThat(site.addresses(rule.from()).contains(Literals.address("203.0.113.5"))).isTrue();
    assertThat(site.addresses(rule.from()).contains(Literals.address("2001:db8:77:4::5"))).isTrue();
  }

  // Hostile files: each ends in one message, soon, and nothing else.

  static List<Arguments> hostile() {
    return List.of(
        file("deep", () -> "a: " + "[".repeat(200_000), "more than 24"),
        file("deep blocks", SiteReaderTest::stairs, "more than 24"),
        file("alias bomb", SiteReaderTest::bomb, "the alias *a repeats"),
        file("alias to itself", () -> "a: &a\n  b: *a\n", "the alias *a repeats"),
        file("many values", () -> "a:\n" + "- b\n".repeat(400_000), "more than 300000 values"),
        file("long line", () -> "x".repeat(2_000_000) + ": 1", "more than 1048576 characters"),
        file("large", () -> "site: x\n".repeat(2_000_000), "larger than 8 MiB"),
        file("empty", () -> "", "the file is empty"),
        file("comments only", () -> "# nothing\n", "the file is empty"),
        file("binary", () -> "\u0000\u0001\u0002", "control character 0x0"),
        file("two documents", () -> "a: 1\n---\nb: 1\n", "a second document"),
        file("a tag", () -> "a: !!java/object x\n", "the tag"),
        file("a list as a key", () -> "? [a]\n: b\n", "a list or mapping stands where a key"));
  }

  private static Arguments file(String name, Supplier<String> text, String message) {
    return Arguments.of(name, text, message);
  }

  private static String stairs() {
    StringBuilder text = new StringBuilder();
    for (int i = 0; i < 2000; i++) {
      text.append(" ".repeat(i)).append("a:\n");
    }
    return text.toString();
  }

  private static String bomb() {
    StringBuilder text = new StringBuilder("a: &a [x, x]\n");
    for (char c = 'b'; c < 'z'; c++) {
      String alias = "*" + (char) (c - 1);
      text.append(c + ": &" + c + " [" + alias + ", " + alias + "]\n");
    }
    return text.toString();
  }

  @ParameterizedTest(name = "{0}")
  @MethodSource("hostile")
  void hostileFilesEndInOneMessage(String name, Supplier<String> text, String message) {
    // Generous against what is promised, so that it fails for a bomb and not for a slow machine.
    List<Problem> problems =
        org.junit.jupiter.api.Assertions.assertTimeoutPreemptively(
            Duration.ofSeconds(30), () -> problems(text.get()));
    assertThat(problems).hasSize(1);
    assertThat(problems.get(0).message()).contains(message);
  }

  @Test
  void whatIsNoUtf8IsSaidToBeSo() {
    for (byte[] bytes :
        List.of(
            "site: x".getBytes(StandardCharsets.UTF_16),
            "a: caf\u00e9".getBytes(StandardCharsets.ISO_8859_1))) {
      assertThatThrownBy(() -> SiteReader.read("x", new ByteArrayInputStream(bytes)))
          .isInstanceOf(UnreadableSiteException.class)
          .hasMessageContaining("UTF-");
    }
  }

  @Test
  void aByteOrderMarkAndWindowsLineEndsAreFine() throws Exception {
    String text = "\ufeff" + Sites.skerryText().replace("\n", "\r\n");
    assertThat(SiteReader.read("x", text).hosts()).hasSize(6);
  }

  @Test
  void aStreamWithoutEndIsNotReadToItsEnd() {
    InputStream endless =
        new InputStream() {
          @Override
          public int read() {
            return 'x';
          }
        };
    assertThatThrownBy(() -> SiteReader.read("x", endless)).hasMessageContaining("larger than");
  }

  @Test
  void severalSlipsOfYamlAreReportedTogether() {
    List<Problem> problems =
        problems("eskerfield: 1\nnetworks:\n\tpier: { }\nsite: a: b\nhosts: { x: [ }\n");
    assertThat(problems).extracting(p -> p.place().line()).containsExactly(3, 4, 5);
    assertThat(problems.get(0).remedy()).isEqualTo("indent with blanks only");
  }

  @Test
  void whatIsNoFileIsSaidToBeSo(@TempDir Path folder) throws Exception {
    assertThatThrownBy(() -> SiteReader.read(folder)).hasMessageContaining("is a folder");
    assertThatThrownBy(() -> SiteReader.read(folder.resolve("none")))
        .hasMessageContaining("there is no file");
    Path file = Files.writeString(folder.resolve("a.yaml"), Sites.skerryText());
    assertThat(SiteReader.read(file).devices().get("skerry").place()).hasToString("a.yaml:26");
  }

  /**
   * Cut, doubled or scrambled anywhere, a file is read or refused, but never with another error.
   */
  @Property(tries = 400, seed = "20260105")
  void brokenFilesNeverBreakTheReader(@ForAll long seed) throws Exception {
    Random random = new Random(seed);
    StringBuilder text = new StringBuilder(Sites.everything());
    for (int times = 1 + random.nextInt(4); times > 0 && text.length() > 1; times--) {
      int from = random.nextInt(text.length());
      int to = Math.min(text.length(), from + random.nextInt(30));
      switch (random.nextInt(4)) {
        case 0 -> text.delete(from, to);
        case 1 -> text.insert(from, text.substring(from, to));
        case 2 -> text.insert(from, "{}[]:,&*!|>'\"%@`#-? \n\t9zé".charAt(random.nextInt(25)));
        default -> text.setLength(Math.max(1, from));
      }
    }
    for (Problem problem : problems(text.toString())) {
      assertThat(problem.message()).isNotBlank();
      assertThat(problem.place().line())
          .isBetween(1, 1 + (int) text.chars().filter(c -> c == '\n').count() + 1);
    }
  }
}
