// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.shape;

import java.util.Arrays;
import java.util.List;
import java.util.regex.Pattern;
import org.eskerfield.check.Code;
import org.eskerfield.check.Severity;
import org.eskerfield.formats.site.shape.Shape.Child;
import org.eskerfield.formats.site.shape.Shape.Children;
import org.eskerfield.formats.site.shape.Shape.Either;
import org.eskerfield.formats.site.shape.Shape.Named;
import org.eskerfield.formats.site.shape.Shape.Text;
import org.eskerfield.formats.site.shape.Shape.Texts;
import org.eskerfield.formats.site.shape.Shape.Truth;
import org.eskerfield.formats.site.shape.Shape.Value;
import org.eskerfield.formats.site.shape.Shape.Whole;
import org.eskerfield.formats.site.shape.Shape.Word;
import org.eskerfield.formats.site.shape.Shape.Words;
import org.eskerfield.model.Flags;
import org.eskerfield.packet.Size;

/** The grammar of the site file: every mapping, every key, and what each key is for. */
public final class SiteShapes {
  /** Names that stand where addresses, services and interfaces may stand too. */
  public static final Pattern NAME = Pattern.compile("^[^\\s/:,]+$");

  /**
   * What to write in place of a name that cannot stand for an address, service or interface.
   *
   * @param pattern {@link #NAME} or {@link #INTERFACE_NAME}, which it does not fit
   */
  public static String nameInstead(Pattern pattern, String name) {
    boolean ofInterface = pattern == INTERFACE_NAME;
    String cannot = ofInterface ? "[\\s,]+" : "[\\s/:,]+";
    String would = name.strip().replaceAll(cannot, "-").replaceAll("^-|-$", "");
    return (ofInterface
            ? "names of interfaces hold no blanks and no comma"
            : "names hold no blanks and none of / : ,")
        + (would.isEmpty() ? "" : "; write " + would + ", everywhere");
  }

  /** Interface names, which often hold a slash or colon. */
  public static final Pattern INTERFACE_NAME = Pattern.compile("^[^\\s,]+$");

  /** Addresses of Ethernet (IEEE EUI-48), in the ways in which devices show them. */
  static final Pattern HARDWARE =
      Pattern.compile(
          "^([0-9A-Fa-f]{2}[:-]){5}[0-9A-Fa-f]{2}$|^([0-9A-Fa-f]{4}[.]){2}[0-9A-Fa-f]{4}$");

  /** Titles: any words on one line. */
  public static final Pattern TITLE = Pattern.compile("^\\S(.*\\S)?$");

  private static final Word ACTION = new Word(List.of("accept", "drop", "reject"));
  private static final Word OTHERWISE =
      new Word(
          List.of("accept", "drop", "reject", "accept and log", "drop and log", "reject and log"));

  private static final Shape.Key RESOLVER =
      Keys.may(
          "resolver", new Text(null, "a host or an address"), "who is asked for names", "pilot");

  private static final Shape.Key MTU =
      Keys.may(
          "mtu",
          new Whole(Size.LEAST_MTU, Size.MOST),
          "the largest packet that gets through, in bytes with its IP header; 1500 if left out",
          "1400");

  public static final Shape ROUTED =
      Keys.shape(
          "a routed block",
          Keys.must("to", new Text(null, "a prefix"), "which block it is", "192.0.2.64/28"),
          Keys.must(
              "via", Keys.ADDRESS, "the address on this network that gets it", "198.51.100.140"));

  public static final Shape LEASE =
      Keys.shape(
          "what comes with a lease",
          Keys.must(
              "device", new Text(NAME, "the name of a device"), "who hands it out", "breakwater"),
          Keys.may(
              "gateway",
              Keys.ADDRESSES,
              "where hosts send what is not on their own network; the device of the network if left"
                  + " out",
              "10.77.4.1"),
          RESOLVER,
          Keys.may(
              "time",
              Keys.IDLE,
              "how long a lease lasts; it is renewed after half of that; 24h if left out",
              "8h"));

  public static final Shape NETWORK =
      Keys.shape(
          "a network",
          Keys.must(
              "prefix",
              new Texts("a prefix such as 10.77.4.0/24, or a list of them"),
              "which addresses the network has",
              "10.77.4.0/24"),
          Keys.must("zone", new Text(NAME, "the name of a zone"), "who trusts the network", "pier"),
          Keys.may(
              "realm",
              new Text(NAME, "a name"),
              "the address space, where prefixes overlap those of another network",
              "partner"),
          Keys.may(
              "carrier",
              Keys.ADDRESSES,
              "the address of the carrier's router on a link to the internet",
              "198.51.100.129"),
          Keys.may(
              "routed",
              new Children(List.of(ROUTED), true),
              "which blocks the carrier also routes here",
              "{ to: 192.0.2.64/28, via: 198.51.100.140 }"),
          Keys.may(
              "leases",
              new Texts("an address, prefix or range, or a list of them"),
              "which addresses are handed out as leases",
              "10.77.4.100-10.77.4.199"),
          Keys.may(
              "leases-from",
              new Either(new Text(NAME, "the name of a device"), new Child(LEASE)),
              "which device hands them out, and what it tells with them",
              "breakwater"),
          Keys.may(
              "vlan", new Whole(1, 4094), "the number of its virtual network (IEEE 802.1Q)", "44"),
          MTU,
          RESOLVER,
          Keys.NOTE);

  private static final Words FLAG_WORDS =
      new Words(Arrays.stream(Flags.Flag.values()).map(Flags.Flag::toString).toList());

  public static final Shape FLAGS =
      Keys.shape(
          "the flags of a rule",
          Keys.may("any", FLAG_WORDS, "flags of which one is set, at least", "[ack, rst]"),
          Keys.may("all", FLAG_WORDS, "flags that are all set", "[syn, ack]"),
          Keys.may("none", FLAG_WORDS, "flags of which none is set", "[fin, syn, rst]"));

  public static final Shape ACCESS_RULE =
      new Shape(
          "an access rule",
          List.of(
              Keys.may(
                  "accept",
                  Keys.TITLE_TEXT,
                  "what the rule is called, and that it accepts",
                  "the shop"),
              Keys.may(
                  "drop",
                  Keys.TITLE_TEXT,
                  "what the rule is called, and that it drops",
                  "the rest"),
              Keys.may(
                  "reject",
                  Keys.TITLE_TEXT,
                  "what the rule is called, and that it rejects",
                  "old mail"),
              Keys.may("from", Keys.TERMS, "which sources match", "contractor"),
              Keys.may("to", Keys.TERMS, "which destinations match", "ramp"),
              Keys.may("service", Keys.SERVICES, "which services match", "502/tcp"),
              Keys.may(
                  "source-port",
                  new Texts("a port or range such as 1024-65535, or a list of them", true),
                  "which source ports match",
                  "1024-65535"),
              Keys.may(
                  "flags",
                  new Child(FLAGS),
                  "which TCP segments match, by their flags",
                  "{ any: [ack, rst] }"),
              Keys.may(
                  "when",
                  Keys.TITLE_TEXT,
                  "the schedule within which the rule acts",
                  "working hours"),
              Keys.may("log", new Truth(), "whether a match is logged", "true"),
              Keys.DISABLED,
              Keys.NOTE),
          List.of("accept", "drop", "reject"));

  public static final Shape FILTER =
      Keys.shape(
          "a host's filter",
          Keys.may(
              "rules",
              new Children(List.of(ACCESS_RULE), false),
              "the rules in order; the first that matches decides",
              "[{ accept: the insurers, from: 198.51.100.32/28 }]"),
          Keys.must("otherwise", OTHERWISE, "what becomes of packets that no rule matches", "drop"),
          Keys.NOTE);

  public static final Shape HOST =
      Keys.shape(
          "a host",
          Keys.must(
              "on",
              new Texts("the name of a network, or a list of them; or internet"),
              "which network the host is on",
              "pier"),
          Keys.must("at", Keys.ADDRESSES, "the address of the host", "10.77.4.9"),
          Keys.may(
              "assigned",
              new Word(List.of("fixed", "reserved", "leased")),
              "how the host comes by its address",
              "reserved"),
          Keys.may(
              "hardware",
              new Text(HARDWARE, "an address of Ethernet such as 02:00:5e:10:00:09"),
              "the host's address of Ethernet, which a reservation is made for",
              "02:00:5e:10:00:09"),
          Keys.may(
              "gateway",
              Keys.ADDRESSES,
              "where the host sends what is not on its own network",
              "10.77.4.1"),
          Keys.may("listens", Keys.SERVICES, "which services the host runs", "[502/tcp]"),
          Keys.may("answers-ping", new Truth(), "whether the host answers pings", "false"),
          Keys.may(
              "own-prefix",
              new Texts("a prefix, or a list of them"),
              "the prefix that is set on the host, where it differs from that of its network",
              "10.77.0.0/16"),
          RESOLVER,
          Keys.may(
              "filter",
              new Child(FILTER),
              "the host's own rule list, for what others open to it",
              "{ rules: [{ accept: the pier, from: pier }], otherwise: drop }"),
          Keys.may(
              "network-blocks",
              Keys.SERVICES,
              "what the network that the host is on does not let out",
              "25/tcp"),
          Keys.may("off", new Truth(), "whether the host is switched off", "true"),
          Keys.NOTE);

  public static final Shape WINDOW =
      Keys.shape(
          "a time window",
          Keys.must(
              "days",
              new Texts("days such as mon-fri, sat or every day, or a list of them"),
              "on which days of the week the window opens",
              "mon-fri"),
          Keys.may(
              "hours",
              new Text(null, "hours such as 07:00-18:00"),
              "between which times of day",
              "07:00-18:00"),
          Keys.may(
              "first-day",
              new Text(null, "a date such as 2026-04-01"),
              "from when on",
              "2026-04-01"),
          Keys.may(
              "last-day", new Text(null, "a date such as 2026-10-31"), "until when", "2026-10-31"));

  public static final Shape INTERFACE_SHAPE =
      Keys.shape(
          "an interface",
          Keys.must(
              "on",
              new Text(null, "the name of a network"),
              "which network the interface is on",
              "pier"),
          Keys.must(
              "at",
              new Texts("an address, a list of them, or: assigned by the carrier"),
              "the address of the device there",
              "10.77.4.1"),
          Keys.may(
              "now",
              Keys.ADDRESSES,
              "the address that the carrier has assigned at the moment",
              "198.51.100.140"),
          Keys.may(
              "state",
              new Word(List.of("up", "off", "no link")),
              "whether the interface carries packets",
              "up"),
          Keys.may(
              "port",
              new Texts("what the device calls its socket, or a list of them", true),
              "the physical port of the device, or several",
              "3"),
          MTU,
          Keys.may(
              "largest-segment",
              new Whole(1, Size.MOST),
              "the largest TCP segment that SYNs may ask for when they pass, in bytes without"
                  + " headers; larger ones are rewritten",
              "1360"),
          Keys.NOTE);

  public static final Shape ROUTE =
      new Shape(
          "a route",
          List.of(
              Keys.must(
                  "to",
                  new Text(null, "a prefix, the name of a network, or any"),
                  "which destinations the route is for",
                  "any"),
              Keys.may("via", Keys.ADDRESS, "the next router", "198.51.100.129"),
              Keys.may("discard", new Truth(), "whether packets are discarded", "true"),
              Keys.may(
                  "preference",
                  new Whole(1, 255),
                  "which of two routes to the same prefix counts: the lower",
                  "20"),
              Keys.NOTE),
          List.of("via", "discard"));

  public static final Shape OWN_SERVICE =
      Keys.shape(
          "an own service",
          Keys.must("service", Keys.SERVICES, "what the device itself offers", "ssh"),
          Keys.must("from", Keys.TERMS, "who may reach it", "pier"),
          Keys.NOTE);

  private static final Value ANSWER =
      new Texts("an address, a host, a device with one of its interfaces, or none; or a list");

  public static final Shape GUARD =
      Keys.shape(
          "a way to guard",
          Keys.may("arriving", Keys.INTERFACE, "where packets arrive", "uplink"),
          Keys.may("leaving", Keys.INTERFACE, "where packets leave", "pier"),
          Keys.may(
              "to",
              new Word(List.of("device")),
              "whether the traffic is for the device itself",
              "device"));

  public static final Shape ACCESS_LIST =
      Keys.shape(
          "a rule list",
          Keys.may(
              "guards",
              new Children(List.of(GUARD), true),
              "which traffic through the device the list guards",
              "{ arriving: uplink }"),
          Keys.may(
              "stateless",
              new Truth(),
              "whether every packet is filtered, replies included",
              "true"),
          Keys.may(
              "rules",
              new Children(List.of(ACCESS_RULE), false),
              "the rules in order; the first that matches decides",
              "[{ accept: the shop, to: ramp }]"),
          Keys.must("otherwise", OTHERWISE, "what becomes of packets that no rule matches", "drop"),
          Keys.NOTE);

  public static final Shape DEVICE =
      Keys.shape(
          "a device",
          Keys.must(
              "stance",
              new Either(
                  ACTION,
                  new Named(
                      Pattern.compile("^(otherwise|[^\\s/:,]+ to [^\\s/:,]+)$"),
                      ACTION,
                      "otherwise")),
              "the default for traffic that no list guards",
              "drop"),
          Keys.may(
              "access-sees",
              new Word(List.of("translated", "original")),
              "which destination access rules see",
              "original"),
          Keys.may(
              "saves",
              new Word(List.of("at once", "when told")),
              "when the device keeps a change for its next start; what it was not told to save is"
                  + " gone then",
              "when told"),
          Keys.may(
              "verify-source",
              new Truth(),
              "whether a packet must arrive on the interface that leads back to its source",
              "true"),
          Keys.may(
              "state",
              new Child(TranslationShapes.STATE),
              "how sessions and bindings are kept",
              "{ udp: 2m }"),
          Keys.must(
              "interfaces",
              new Named(INTERFACE_NAME, new Child(INTERFACE_SHAPE)),
              "where the device meets networks",
              "{ pier: { on: pier, at: 10.77.4.1 } }"),
          Keys.may(
              "routes",
              new Children(List.of(ROUTE), false),
              "the ways to networks that the device is not on",
              "[{ to: any, via: 198.51.100.129 }]"),
          Keys.may(
              "services",
              new Children(List.of(OWN_SERVICE), false),
              "what the device itself offers",
              "[{ service: ssh, from: pier }]"),
          Keys.may(
              "translation",
              new Children(
                  List.of(
                      TranslationShapes.STATIC,
                      TranslationShapes.DESTINATION,
                      TranslationShapes.DYNAMIC,
                      TranslationShapes.SHARED,
                      TranslationShapes.PREFIX,
                      TranslationShapes.UNTOUCHED),
                  false),
              "the translation rules in order",
              "[{ shared: all, from: pier, leaving: uplink }]"),
          Keys.may(
              "access",
              new Named(TITLE, new Child(ACCESS_LIST)),
              "the rule lists",
              "{ inbound: { guards: { arriving: uplink }, otherwise: drop } }"),
          Keys.NOTE);

  private static final Word CODES =
      new Word(Arrays.stream(Code.values()).map(Code::toString).toList());

  public static final Shape ACCEPTED =
      new Shape(
          "an accepted finding",
          List.of(
              Keys.must("accept", CODES, "which kind of finding may stay", "pool-too-small"),
              Keys.may(
                  "at",
                  Keys.TITLE_TEXT,
                  "at what: the name of the rule, host, network or other thing that it is found at",
                  "gauges borrow an address"),
              Keys.must("because", Keys.TITLE_TEXT, "why it may stay", "the gauges take turns")),
          List.of("accept"));

  public static final Shape COUNTED =
      new Shape(
          "a changed severity",
          List.of(
              Keys.must(
                  "count", CODES, "which kind of finding counts otherwise here", "rules-cross"),
              Keys.must(
                  "as",
                  new Word(Arrays.stream(Severity.values()).map(Severity::toString).toList()),
                  "how bad it is here",
                  "warning"),
              Keys.NOTE),
          List.of("count"));

  public static final Shape SITE =
      Keys.shape(
          "a site file",
          Keys.must("eskerfield", new Whole(1, 1), "which version of the format this is", "1"),
          Keys.must(
              "site",
              Keys.TITLE_TEXT,
              "what the site is called",
              "Marrowby Ferries, Skerry terminal"),
          Keys.may(
              "time-zone",
              new Text(null, "a zone of the IANA time zone database"),
              "the time zone of the schedules",
              "Europe/London"),
          Keys.must(
              "networks",
              new Named(NAME, new Child(NETWORK)),
              "what the devices connect",
              "{ pier: { prefix: 10.77.4.0/24, zone: pier } }"),
          Keys.may(
              "hosts",
              new Named(NAME, new Child(HOST)),
              "who sends and who listens, here and on the internet",
              "{ ramp: { on: pier, at: 10.77.4.9 } }"),
          Keys.may(
              "services",
              new Named(NAME, Keys.SERVICES),
              "names of your own for protocols and ports",
              "{ ramp-control: 502/tcp }"),
          Keys.may(
              "groups",
              new Named(NAME, Keys.TERMS),
              "names for several addresses",
              "{ staff: [pier] }"),
          Keys.may(
              "schedules",
              new Named(TITLE, new Children(List.of(WINDOW), true)),
              "names for times of the week",
              "{ working hours: { days: mon-fri, hours: 07:00-18:00 } }"),
          Keys.may(
              "names",
              new Named(NAME, new Either(ANSWER, new Named(NAME, ANSWER))),
              "names of the DNS and their addresses, by resolver where they differ",
              "{ shop.example: { internet: 203.0.113.35, pilot: booking } }"),
          Keys.must(
              "devices",
              new Named(NAME, new Child(DEVICE)),
              "the routers and firewalls with their rules",
              "{ skerry: { stance: drop, interfaces: { pier: { on: pier, at: 10.77.4.1 } } } }"),
          ExpectationShapes.EXPECT_KEY,
          GuaranteeShapes.GUARANTEES_KEY,
          Keys.may(
              "findings",
              new Children(List.of(ACCEPTED, COUNTED), false),
              "which findings of a check may stay, or count otherwise",
              "[{ accept: pool-too-small, because: the gauges take turns }]"),
          Keys.NOTE);

  private SiteShapes() {}
}
