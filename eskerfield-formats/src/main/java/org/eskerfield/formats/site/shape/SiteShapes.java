// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.shape;

import java.util.ArrayList;
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

/** The grammar of the site file: every mapping, every key, and what each key is for. */
public final class SiteShapes {
  /** Names that stand where addresses, services and interfaces may stand too. */
  public static final Pattern NAME = Pattern.compile("^[^\\s/:,]+$");

  /** Interface names, which often hold a slash or colon. */
  public static final Pattern INTERFACE_NAME = Pattern.compile("^[^\\s,]+$");

  /** Titles: any words on one line. */
  public static final Pattern TITLE = Pattern.compile("^\\S(.*\\S)?$");

  private static final Value TITLE_TEXT = new Text(TITLE, "a name");
  private static final Value TEXT = new Text(null, "text");
  private static final Value ADDRESS = new Text(null, "an address");
  private static final Value ADDRESSES = new Texts("an address, or a list of them");
  private static final Value TERMS =
      new Texts(
          "any, an address, prefix or range, or the name of a zone, network, host, group or device;"
              + " or a list of them");
  private static final Value SERVICES =
      new Texts("a service such as 443/tcp, ping or https, or a list of them");
  private static final Value INTERFACE =
      new Text(null, "the name of an interface of this device or of a zone, or any");
  private static final Value INTERFACES =
      new Texts("the name of an interface of this device or of a zone, or any; or a list of them");
  private static final Word ACTION = new Word(List.of("accept", "drop", "reject"));
  private static final Word OTHERWISE =
      new Word(
          List.of("accept", "drop", "reject", "accept and log", "drop and log", "reject and log"));

  private static final Shape.Key NOTE =
      may("note", TEXT, "what a colleague should know", "since May");
  private static final Shape.Key DISABLED =
      may("disabled", new Truth(), "whether the rule is kept but does not act", "true");

  private static final Shape.Key RESOLVER =
      may("resolver", new Text(null, "a host or an address"), "who is asked for names", "pilot");

  public static final Shape ROUTED =
      shape(
          "a routed block",
          must("to", new Text(null, "a prefix"), "which block it is", "192.0.2.64/28"),
          must("via", ADDRESS, "the address on this network that gets it", "198.51.100.140"));

  public static final Shape NETWORK =
      shape(
          "a network",
          must(
              "prefix",
              new Texts("a prefix such as 10.77.4.0/24, or a list of them"),
              "which addresses the network has",
              "10.77.4.0/24"),
          must("zone", new Text(NAME, "the name of a zone"), "who trusts the network", "pier"),
          may(
              "realm",
              new Text(NAME, "a name"),
              "the address space, where prefixes overlap those of another network",
              "partner"),
          may(
              "carrier",
              ADDRESSES,
              "the address of the carrier's router on a link to the internet",
              "198.51.100.129"),
          may(
              "routed",
              new Children(List.of(ROUTED), true),
              "which blocks the carrier also routes here",
              "{ to: 192.0.2.64/28, via: 198.51.100.140 }"),
          may(
              "leases",
              new Texts("an address, prefix or range, or a list of them"),
              "which addresses are handed out as leases",
              "10.77.4.100-10.77.4.199"),
          RESOLVER,
          NOTE);

  public static final Shape ACCESS_RULE =
      new Shape(
          "an access rule",
          List.of(
              may("accept", TITLE_TEXT, "what the rule is called, and that it accepts", "the shop"),
              may("drop", TITLE_TEXT, "what the rule is called, and that it drops", "the rest"),
              may("reject", TITLE_TEXT, "what the rule is called, and that it rejects", "old mail"),
              may("from", TERMS, "which sources match", "contractor"),
              may("to", TERMS, "which destinations match", "ramp"),
              may("service", SERVICES, "which services match", "502/tcp"),
              may(
                  "source-port",
                  new Texts("a port or range such as 1024-65535, or a list of them", true),
                  "which source ports match",
                  "1024-65535"),
              may("when", TITLE_TEXT, "the schedule within which the rule acts", "working hours"),
              may("log", new Truth(), "whether a match is logged", "true"),
              DISABLED,
              NOTE),
          List.of("accept", "drop", "reject"));

  public static final Shape FILTER =
      shape(
          "a host's filter",
          may(
              "rules",
              new Children(List.of(ACCESS_RULE), false),
              "the rules in order; the first that matches decides",
              "[{ accept: the insurers, from: 198.51.100.32/28 }]"),
          must("otherwise", OTHERWISE, "what becomes of packets that no rule matches", "drop"),
          NOTE);

  public static final Shape HOST =
      shape(
          "a host",
          must(
              "on",
              new Texts("the name of a network, or a list of them; or internet"),
              "which network the host is on",
              "pier"),
          must("at", ADDRESSES, "the address of the host", "10.77.4.9"),
          may(
              "assigned",
              new Word(List.of("fixed", "reserved", "leased")),
              "how the host comes by its address",
              "reserved"),
          may(
              "gateway",
              ADDRESSES,
              "where the host sends what is not on its own network",
              "10.77.4.1"),
          may("listens", SERVICES, "which services the host runs", "[502/tcp]"),
          may("answers-ping", new Truth(), "whether the host answers pings", "false"),
          may(
              "own-prefix",
              new Texts("a prefix, or a list of them"),
              "what the host takes for its own network, where it is set wrong or on purpose",
              "10.77.0.0/16"),
          RESOLVER,
          may(
              "filter",
              new Child(FILTER),
              "the host's own rule list, for what others open to it",
              "{ rules: [{ accept: the pier, from: pier }], otherwise: drop }"),
          may(
              "network-blocks",
              SERVICES,
              "what the network that the host is on does not let out",
              "25/tcp"),
          may("off", new Truth(), "whether the host is switched off", "true"),
          NOTE);

  public static final Shape WINDOW =
      shape(
          "a time window",
          must(
              "days",
              new Texts("days such as mon-fri, sat or every day, or a list of them"),
              "on which days of the week the window opens",
              "mon-fri"),
          may("hours", new Text(null, "hours such as 07:00-18:00"), "at what time", "07:00-18:00"),
          may(
              "first-day",
              new Text(null, "a date such as 2026-04-01"),
              "from when on",
              "2026-04-01"),
          may("last-day", new Text(null, "a date such as 2026-10-31"), "until when", "2026-10-31"));

  public static final Shape INTERFACE_SHAPE =
      shape(
          "an interface",
          must(
              "on",
              new Text(null, "the name of a network"),
              "which network the interface is on",
              "pier"),
          must(
              "at",
              new Texts("an address, a list of them, or: assigned by the carrier"),
              "the address of the device there",
              "10.77.4.1"),
          may(
              "now",
              ADDRESSES,
              "the address that the carrier has assigned at the moment",
              "198.51.100.140"),
          may(
              "state",
              new Word(List.of("up", "off", "no link")),
              "whether the interface carries packets",
              "up"),
          NOTE);

  public static final Shape ROUTE =
      new Shape(
          "a route",
          List.of(
              must(
                  "to",
                  new Text(null, "a prefix, the name of a network, or any"),
                  "which destinations the route is for",
                  "any"),
              may("via", ADDRESS, "the next router", "198.51.100.129"),
              may("discard", new Truth(), "that packets are thrown away", "true"),
              may(
                  "preference",
                  new Whole(1, 255),
                  "which of two routes to the same prefix counts: the lower",
                  "20"),
              NOTE),
          List.of("via", "discard"));

  public static final Shape OWN_SERVICE =
      shape(
          "an own service",
          must("service", SERVICES, "what the device itself offers", "ssh"),
          must("from", TERMS, "who may reach it", "pier"),
          NOTE);

  public static final Shape ADMIT =
      shape(
          "an admission",
          must("from", TERMS, "who is let in", "contractor"),
          may("when", TITLE_TEXT, "the schedule within which they are let in", "working hours"),
          may("log", new Truth(), "whether what is let in is logged", "true"));

  public static final Shape HAIRPIN =
      shape(
          "a hairpin",
          must("from", INTERFACES, "which insiders may use the external address", "pier"),
          may(
              "source",
              new Word(List.of("device", "external", "kept")),
              "what the source becomes towards the server",
              "device"));

  private static final Shape.Key HAIRPIN_KEY =
      may(
          "hairpin",
          new Either(INTERFACES, new Child(HAIRPIN)),
          "which insiders may use the external address",
          "pier");

  private static final Shape.Key ADMIT_KEY =
      may(
          "admit",
          new Either(TERMS, new Child(ADMIT)),
          "who is let in with the rule, without an access rule",
          "contractor");

  private static final Value POOL =
      new Texts("an external address, prefix or range, or a list of them");

  private static final Value ANSWER =
      new Texts("an address, a host, a device with one of its interfaces, or none; or a list");

  private static final Value IDLE = new Text(null, "a time such as 90s, 5m or 2h4m");

  private static final Value ENDPOINTS =
      new Word(List.of("endpoint-independent", "address-dependent", "address-and-port-dependent"));

  private static final List<Shape.Key> FLOW_KEYS =
      List.of(
          may("udp", IDLE, "after what time of silence a UDP session ends", "5m"),
          may("tcp-established", IDLE, "the same for an open TCP connection", "2h4m"),
          may("tcp-transitory", IDLE, "the same for one that opens or closes", "4m"),
          may("icmp", IDLE, "the same for a ping", "60s"),
          may("other", IDLE, "the same for other protocols", "5m"),
          may(
              "filtering",
              ENDPOINTS,
              "whom a temporary binding lets in besides replies",
              "address-dependent"),
          may(
              "inbound-refreshes",
              new Truth(),
              "whether packets from outside refresh a session too",
              "true"));

  private static final List<Shape.Key> PORT_KEYS =
      List.of(
          may(
              "mapping",
              ENDPOINTS,
              "for which remote ends an external port serves again",
              "endpoint-independent"),
          may(
              "pooling",
              new Word(List.of("paired", "arbitrary")),
              "whether a source stays with one external address of several",
              "paired"),
          may(
              "port-preservation",
              new Truth(),
              "whether a flow keeps its port where it is free; else it is drawn by lot",
              "true"),
          may("port-parity", new Truth(), "whether an even UDP port stays even", "true"),
          may(
              "port-range-fallback",
              new Truth(),
              "whether the other range serves where 0-1023 or 1024-65535 is used up",
              "true"),
          may(
              "ports-per-source",
              new Whole(0, 65536),
              "how many ports one source may have at once per protocol; 0 for no limit",
              "2000"));

  private static final List<Shape.Key> DEVICE_STATE_KEYS =
      List.of(
          may("port-hold-down", IDLE, "how long a freed port rests", "120s"),
          may(
              "mid-stream",
              new Truth(),
              "whether a TCP connection may be met without its opening",
              "true"),
          may(
              "file-transfer",
              new Truth(),
              "whether the gateway for FTP lets data connections pass",
              "true"),
          may(
              "control-ports",
              new Texts("a port or range such as 2121, or a list of them", true),
              "which ports behind the device the gateway takes for control connections; 21 if left"
                  + " out",
              "[21, 2121]"),
          may(
              "syn-wait",
              IDLE,
              "how long a SYN that nobody asked for waits for its refusal, on an address that a"
                  + " shared rule uses; RFC 5382 asks for 6s, and it does not wait if left out",
              "6s"));

  private static Shape stateOf(String whose, List<List<Shape.Key>> keys) {
    List<Shape.Key> all = new ArrayList<>();
    keys.forEach(all::addAll);
    return new Shape("the keeping of state of " + whose, all, List.of());
  }

  public static final Shape STATE =
      stateOf("a device", List.of(FLOW_KEYS, PORT_KEYS, DEVICE_STATE_KEYS));

  public static final Shape SHARED_STATE = stateOf("a shared rule", List.of(FLOW_KEYS, PORT_KEYS));

  public static final Shape DYNAMIC_STATE = stateOf("a dynamic rule", List.of(FLOW_KEYS));

  public static final Shape STATIC =
      new Shape(
          "a static rule",
          List.of(
              must("static", TITLE_TEXT, "what the rule is called", "name server"),
              must("facing", INTERFACE, "where the external side is", "uplink"),
              must(
                  "external",
                  new Text(
                      null,
                      "an address, a prefix or an interface, and a service if it is for ports"
                          + " only"),
                  "the external address",
                  "192.0.2.66"),
              must(
                  "internal",
                  new Text(null, "a host, an address or a prefix, and the port if it differs"),
                  "what it is inside",
                  "ramp"),
              may(
                  "leaving",
                  INTERFACE,
                  "where the packets go on inside, whatever the routes say",
                  "pier"),
              HAIRPIN_KEY,
              ADMIT_KEY,
              DISABLED,
              NOTE),
          List.of("static"));

  public static final Shape DYNAMIC =
      new Shape(
          "a dynamic rule",
          List.of(
              must("dynamic", TITLE_TEXT, "what the rule is called", "gauges borrow an address"),
              must("from", TERMS, "which sources borrow an address each", "pier"),
              may("to", TERMS, "for which destinations", "internet"),
              must("leaving", INTERFACE, "where the packets leave", "uplink"),
              must("pool", POOL, "which addresses are lent", "192.0.2.68-192.0.2.71"),
              may("state", new Child(DYNAMIC_STATE), "how its flows are kept", "{ udp: 2m }"),
              DISABLED,
              NOTE),
          List.of("dynamic"));

  public static final Shape UNTOUCHED =
      new Shape(
          "an untouched rule",
          List.of(
              must("untouched", TITLE_TEXT, "what the rule is called", "office and pier"),
              must("from", TERMS, "the one side", "pier"),
              must("to", TERMS, "the other side", "store"),
              DISABLED,
              NOTE),
          List.of("untouched"));

  public static final Shape DESTINATION =
      new Shape(
          "a destination rule",
          List.of(
              must("destination", TITLE_TEXT, "what the rule is called", "ramp controller"),
              must("arriving", INTERFACE, "where the packets arrive", "uplink"),
              may("from", TERMS, "whose packets the rule takes", "contractor"),
              must(
                  "at",
                  new Text(
                      null, "an external address or an interface, and a service: uplink 1502/tcp"),
                  "the external address and service",
                  "uplink 1502/tcp"),
              must(
                  "becomes",
                  new Text(null, "a host or address, and a port if it changes: ramp 502"),
                  "who gets the packets instead",
                  "ramp 502"),
              may(
                  "leaving",
                  INTERFACE,
                  "where the packets go on inside, whatever the routes say",
                  "pier"),
              may(
                  "sources-become",
                  new Texts("an external address, prefix or range, or a list of them; or device"),
                  "what the sources share instead, told apart by port",
                  "device"),
              HAIRPIN_KEY,
              ADMIT_KEY,
              DISABLED,
              NOTE),
          List.of("destination"));

  public static final Shape SHARED =
      new Shape(
          "a shared rule",
          List.of(
              must("shared", TITLE_TEXT, "what the rule is called", "pier to the internet"),
              must("from", TERMS, "which sources share an address", "pier"),
              may("to", TERMS, "for which destinations", "internet"),
              must(
                  "leaving",
                  INTERFACE,
                  "where the packets leave; its own address is the shared one without a pool",
                  "uplink"),
              may("pool", POOL, "which addresses are shared", "192.0.2.72-192.0.2.73"),
              may("state", new Child(SHARED_STATE), "how its flows are kept", "{ udp: 2m }"),
              DISABLED,
              NOTE),
          List.of("shared"));

  public static final Shape GUARD =
      shape(
          "a way to guard",
          may("arriving", INTERFACE, "where packets arrive", "uplink"),
          may("leaving", INTERFACE, "where packets leave", "pier"),
          may(
              "to",
              new Word(List.of("device")),
              "that the way ends at the device itself",
              "device"));

  public static final Shape ACCESS_LIST =
      shape(
          "a rule list",
          may(
              "guards",
              new Children(List.of(GUARD), true),
              "which ways through the device the list guards",
              "{ arriving: uplink }"),
          may("stateless", new Truth(), "whether every packet is judged, replies too", "true"),
          may(
              "rules",
              new Children(List.of(ACCESS_RULE), false),
              "the rules in order; the first that matches decides",
              "[{ accept: the shop, to: ramp }]"),
          must("otherwise", OTHERWISE, "what becomes of packets that no rule matches", "drop"),
          NOTE);

  public static final Shape DEVICE =
      shape(
          "a device",
          must(
              "stance",
              new Either(
                  ACTION,
                  new Named(
                      Pattern.compile("^(otherwise|[^\\s/:,]+ to [^\\s/:,]+)$"),
                      ACTION,
                      "otherwise")),
              "what becomes of a way that no list guards",
              "drop"),
          may(
              "access-sees",
              new Word(List.of("translated", "original")),
              "which destination access rules see",
              "original"),
          may(
              "verify-source",
              new Truth(),
              "whether a packet must come by the way that leads to its source",
              "true"),
          may("state", new Child(STATE), "how sessions and bindings are kept", "{ udp: 2m }"),
          must(
              "interfaces",
              new Named(INTERFACE_NAME, new Child(INTERFACE_SHAPE)),
              "where the device meets networks",
              "{ pier: { on: pier, at: 10.77.4.1 } }"),
          may(
              "routes",
              new Children(List.of(ROUTE), false),
              "the ways to networks that the device is not on",
              "[{ to: any, via: 198.51.100.129 }]"),
          may(
              "services",
              new Children(List.of(OWN_SERVICE), false),
              "what the device itself offers",
              "[{ service: ssh, from: pier }]"),
          may(
              "translation",
              new Children(List.of(STATIC, DESTINATION, DYNAMIC, SHARED, UNTOUCHED), false),
              "the translation rules in order",
              "[{ shared: all, from: pier, leaving: uplink }]"),
          may(
              "access",
              new Named(TITLE, new Child(ACCESS_LIST)),
              "the rule lists",
              "{ inbound: { guards: { arriving: uplink }, otherwise: drop } }"),
          NOTE);

  private static final Shape.Key FROM_KEY =
      must(
          "from",
          new Texts("a host, a device or an address; or a group, network or zone: each host in it"),
          "who tries",
          "contractor");

  private static final Shape.Key TO_KEY =
      must(
          "to",
          new Text(null, "a host, a device, an address or a name, with :port or without"),
          "where to",
          "198.51.100.140:1502");

  private static final Shape.Key SERVICE_KEY =
      must("service", new Text(null, "a service such as 443/tcp, https or ping"), "what", "tcp");

  private static final Shape.Key MODE_KEY =
      may(
          "mode",
          new Word(List.of("active", "passive", "extended-active", "extended-passive")),
          "who opens the data connection of a file transfer",
          "active");

  private static final Shape.Key DATA_TO_KEY =
      may(
          "data-to",
          new Word(List.of("answer", "control")),
          "where a passive client opens the data connection to: the address in the answer, or that"
              + " of the control connection",
          "control");

  private static final Shape.Key SOURCE_PORT_KEY =
      may(
          "source-port",
          new Whole(0, 65535),
          "the port of the sender, or the identifier of its ping",
          "5060");

  public static final Shape EARLIER =
      shape(
          "earlier traffic",
          FROM_KEY,
          TO_KEY,
          SERVICE_KEY,
          MODE_KEY,
          DATA_TO_KEY,
          SOURCE_PORT_KEY,
          may("wait", IDLE, "how much time passes after it", "10m"));

  public static final Shape EXPECTATION =
      shape(
          "an expectation",
          FROM_KEY,
          TO_KEY,
          SERVICE_KEY,
          must(
              "outcome",
              new Text(
                  Pattern.compile(
                      "^(answered|refused|dropped|exhausted|unroutable|unanswered)( by \\S+)?$"),
                  "answered, refused, dropped, exhausted, unroutable or unanswered; by whom may"
                      + " follow"),
              "how it must end",
              "answered by ramp"),
          may("seen-as", ADDRESS, "as whom the receiver must see the sender", "198.51.100.140"),
          may("rule", TITLE_TEXT, "which rule or list must have a part in it", "ramp controller"),
          may("at", new Text(null, "a time such as sunday 10:00"), "when", "sunday 10:00"),
          MODE_KEY,
          DATA_TO_KEY,
          SOURCE_PORT_KEY,
          may(
              "after",
              new Children(List.of(EARLIER), true),
              "what happens before, in the same run",
              "{ from: kiosk, to: hydrographic, service: secure-mqtt }"),
          may(
              "before-change",
              new Text(null, "the path of a site file"),
              "the site as it was while that happened",
              "old.site.yaml"),
          NOTE);

  private static final Shape.Key EXPECT_KEY =
      may(
          "expect",
          new Children(List.of(EXPECTATION), false),
          "what must happen to sample traffic",
          "[{ from: stranger, to: 198.51.100.140, service: ping, outcome: dropped }]");

  public static final Shape EXPECTATIONS = shape("a file of expectations", EXPECT_KEY, NOTE);

  private static final Word CODES =
      new Word(Arrays.stream(Code.values()).map(Code::toString).toList());

  public static final Shape ACCEPTED =
      new Shape(
          "an accepted finding",
          List.of(
              must("accept", CODES, "which kind of finding may stay", "pool-too-small"),
              may(
                  "at",
                  TITLE_TEXT,
                  "at what: the name of the rule, host, network or other thing that it is found at",
                  "gauges borrow an address"),
              must("because", TITLE_TEXT, "why it may stay", "the gauges take turns")),
          List.of("accept"));

  public static final Shape COUNTED =
      new Shape(
          "a changed severity",
          List.of(
              must("count", CODES, "which kind of finding counts otherwise here", "rules-cross"),
              must(
                  "as",
                  new Word(Arrays.stream(Severity.values()).map(Severity::toString).toList()),
                  "how bad it is here",
                  "warning"),
              NOTE),
          List.of("count"));

  public static final Shape SITE =
      shape(
          "a site file",
          must("eskerfield", new Whole(1, 1), "which version of the format this is", "1"),
          must("site", TITLE_TEXT, "what the site is called", "Marrowby Ferries, Skerry terminal"),
          may(
              "time-zone",
              new Text(null, "a zone of the IANA time zone database"),
              "the time zone of the schedules",
              "Europe/London"),
          must(
              "networks",
              new Named(NAME, new Child(NETWORK)),
              "what the devices connect",
              "{ pier: { prefix: 10.77.4.0/24, zone: pier } }"),
          may(
              "hosts",
              new Named(NAME, new Child(HOST)),
              "who sends and who listens, here and on the internet",
              "{ ramp: { on: pier, at: 10.77.4.9 } }"),
          may(
              "services",
              new Named(NAME, SERVICES),
              "names of your own for protocols and ports",
              "{ ramp-control: 502/tcp }"),
          may("groups", new Named(NAME, TERMS), "names for several addresses", "{ staff: [pier] }"),
          may(
              "schedules",
              new Named(TITLE, new Children(List.of(WINDOW), true)),
              "names for times of the week",
              "{ working hours: { days: mon-fri, hours: 07:00-18:00 } }"),
          may(
              "names",
              new Named(NAME, new Either(ANSWER, new Named(NAME, ANSWER))),
              "names of the DNS and their addresses, by resolver where they differ",
              "{ shop.example: { internet: 203.0.113.35, pilot: booking } }"),
          must(
              "devices",
              new Named(NAME, new Child(DEVICE)),
              "the routers and firewalls with their rules",
              "{ skerry: { stance: drop, interfaces: { pier: { on: pier, at: 10.77.4.1 } } } }"),
          EXPECT_KEY,
          may(
              "findings",
              new Children(List.of(ACCEPTED, COUNTED), false),
              "which findings of a check may stay, or count otherwise",
              "[{ accept: pool-too-small, because: the gauges take turns }]"),
          NOTE);

  private SiteShapes() {}

  private static Shape shape(String name, Shape.Key... keys) {
    return new Shape(name, List.of(keys), List.of());
  }

  private static Shape.Key must(String name, Value value, String purpose, String example) {
    return new Shape.Key(name, value, true, purpose, example);
  }

  private static Shape.Key may(String name, Value value, String purpose, String example) {
    return new Shape.Key(name, value, false, purpose, example);
  }
}
