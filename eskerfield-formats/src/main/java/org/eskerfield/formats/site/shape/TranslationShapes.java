// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.shape;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.formats.site.shape.Shape.Child;
import org.eskerfield.formats.site.shape.Shape.Either;
import org.eskerfield.formats.site.shape.Shape.Text;
import org.eskerfield.formats.site.shape.Shape.Texts;
import org.eskerfield.formats.site.shape.Shape.Truth;
import org.eskerfield.formats.site.shape.Shape.Value;
import org.eskerfield.formats.site.shape.Shape.Whole;
import org.eskerfield.formats.site.shape.Shape.Word;

/** The grammar of translation rules: their kinds, and how state is kept for them. */
public final class TranslationShapes {
  private TranslationShapes() {}

  public static final Shape ADMIT =
      Keys.shape(
          "an admission",
          Keys.must("from", Keys.TERMS, "who is let in", "contractor"),
          Keys.may(
              "when",
              Keys.TITLE_TEXT,
              "the schedule within which they are let in",
              "working hours"),
          Keys.may("log", new Truth(), "whether what is let in is logged", "true"));

  public static final Shape HAIRPIN =
      Keys.shape(
          "a hairpin",
          Keys.must("from", Keys.INTERFACES, "which insiders may use the external address", "pier"),
          Keys.may(
              "source",
              new Word(List.of("device", "external", "kept")),
              "what the source becomes towards the server",
              "device"));

  private static final Shape.Key HAIRPIN_KEY =
      Keys.may(
          "hairpin",
          new Either(Keys.INTERFACES, new Child(HAIRPIN)),
          "which insiders may use the external address",
          "pier");

  private static final Shape.Key ADMIT_KEY =
      Keys.may(
          "admit",
          new Either(Keys.TERMS, new Child(ADMIT)),
          "who is let in with the rule, without an access rule",
          "contractor");

  private static final Value POOL =
      new Texts("an external address, prefix or range, or a list of them");

  private static final Value ENDPOINTS =
      new Word(List.of("endpoint-independent", "address-dependent", "address-and-port-dependent"));

  private static final List<Shape.Key> FLOW_KEYS =
      List.of(
          Keys.may("udp", Keys.IDLE, "after what time of silence a UDP session ends", "5m"),
          Keys.may(
              "tcp-established",
              Keys.IDLE,
              "after what time of silence an open TCP connection ends",
              "2h4m"),
          Keys.may(
              "tcp-transitory",
              Keys.IDLE,
              "after what time of silence a TCP connection ends that opens or closes",
              "4m"),
          Keys.may("icmp", Keys.IDLE, "after what time of silence a ping session ends", "60s"),
          Keys.may(
              "other",
              Keys.IDLE,
              "after what time of silence a session of another protocol ends",
              "5m"),
          Keys.may(
              "filtering",
              ENDPOINTS,
              "from whom a temporary binding accepts packets besides replies",
              "address-dependent"),
          Keys.may(
              "inbound-refreshes",
              new Truth(),
              "whether packets from outside refresh a session too",
              "true"));

  private static final List<Shape.Key> PORT_KEYS =
      List.of(
          Keys.may(
              "mapping",
              ENDPOINTS,
              "for which remote addresses and ports an external port is used again",
              "endpoint-independent"),
          Keys.may(
              "pooling",
              new Word(List.of("paired", "arbitrary")),
              "whether a source stays with one external address of several",
              "paired"),
          Keys.may(
              "port-preservation",
              new Truth(),
              "whether a flow keeps its port where it is free; else it is drawn by lot",
              "true"),
          Keys.may("port-parity", new Truth(), "whether an even UDP port stays even", "true"),
          Keys.may(
              "port-range-fallback",
              new Truth(),
              "whether the other range serves where 0-1023 or 1024-65535 is used up",
              "true"),
          Keys.may(
              "ports-per-source",
              new Whole(0, 65536),
              "how many ports one source may have at once per protocol; 0 for no limit",
              "2000"));

  private static final List<Shape.Key> DEVICE_STATE_KEYS =
      List.of(
          Keys.may("port-hold-down", Keys.IDLE, "how long a freed port is not used again", "120s"),
          Keys.may(
              "mid-stream",
              new Truth(),
              "whether a session may begin with a TCP segment other than a SYN",
              "true"),
          Keys.may(
              "file-transfer",
              new Truth(),
              "whether the gateway for FTP lets data connections pass",
              "true"),
          Keys.may(
              "control-ports",
              new Texts("a port or range such as 2121, or a list of them", true),
              "which ports behind the device the gateway takes for control connections; 21 if left"
                  + " out",
              "[21, 2121]"),
          Keys.may(
              "syn-wait",
              Keys.IDLE,
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
              Keys.must("static", Keys.TITLE_TEXT, "what the rule is called", "name server"),
              Keys.must("facing", Keys.INTERFACE, "where the external side is", "uplink"),
              Keys.must(
                  "external",
                  new Text(
                      null,
                      "an address, a prefix or an interface, and a service if it is for ports"
                          + " only"),
                  "the external address",
                  "192.0.2.66"),
              Keys.must(
                  "internal",
                  new Text(null, "a host, an address or a prefix, and the port if it differs"),
                  "what it is inside",
                  "ramp"),
              Keys.may(
                  "leaving",
                  Keys.INTERFACE,
                  "where the packets go on inside, whatever the routes say",
                  "pier"),
              HAIRPIN_KEY,
              ADMIT_KEY,
              Keys.DISABLED,
              Keys.NOTE),
          List.of("static"));

  public static final Shape PREFIX =
      new Shape(
          "a prefix rule",
          List.of(
              Keys.must(
                  "prefix", Keys.TITLE_TEXT, "what the rule is called", "office to the carrier"),
              Keys.must("facing", Keys.INTERFACE, "where the external side is", "uplink"),
              Keys.must(
                  "external",
                  new Text(null, "an IPv6 prefix of /32 to /64"),
                  "the external prefix",
                  "2001:db8:1::/48"),
              Keys.must(
                  "internal",
                  new Text(null, "an IPv6 prefix of /32 to /64, or a network that has one"),
                  "the internal prefix; the shorter of the two counts as long as the other",
                  "fd01:203:405::/48"),
              HAIRPIN_KEY,
              Keys.DISABLED,
              Keys.NOTE),
          List.of("prefix"));

  public static final Shape DYNAMIC =
      new Shape(
          "a dynamic rule",
          List.of(
              Keys.must(
                  "dynamic",
                  Keys.TITLE_TEXT,
                  "what the rule is called",
                  "gauges borrow an address"),
              Keys.must("from", Keys.TERMS, "which sources get an external address each", "pier"),
              Keys.may("to", Keys.TERMS, "for which destinations", "internet"),
              Keys.must("leaving", Keys.INTERFACE, "where the packets leave", "uplink"),
              Keys.must(
                  "pool",
                  POOL,
                  "which external addresses are in the pool",
                  "192.0.2.68-192.0.2.71"),
              Keys.may("state", new Child(DYNAMIC_STATE), "how its flows are kept", "{ udp: 2m }"),
              Keys.DISABLED,
              Keys.NOTE),
          List.of("dynamic"));

  public static final Shape UNTOUCHED =
      new Shape(
          "an untouched rule",
          List.of(
              Keys.must("untouched", Keys.TITLE_TEXT, "what the rule is called", "office and pier"),
              Keys.must("from", Keys.TERMS, "the addresses on one side", "pier"),
              Keys.must("to", Keys.TERMS, "the addresses on the other side", "store"),
              Keys.DISABLED,
              Keys.NOTE),
          List.of("untouched"));

  public static final Shape DESTINATION =
      new Shape(
          "a destination rule",
          List.of(
              Keys.must(
                  "destination", Keys.TITLE_TEXT, "what the rule is called", "ramp controller"),
              Keys.must("arriving", Keys.INTERFACE, "where the packets arrive", "uplink"),
              Keys.may("from", Keys.TERMS, "whose packets the rule takes", "contractor"),
              Keys.must(
                  "at",
                  new Text(
                      null, "an external address or an interface, and a service: uplink 1502/tcp"),
                  "the external address and service",
                  "uplink 1502/tcp"),
              Keys.must(
                  "becomes",
                  new Text(null, "a host or address, and a port if it changes: ramp 502"),
                  "who gets the packets instead",
                  "ramp 502"),
              Keys.may(
                  "leaving",
                  Keys.INTERFACE,
                  "where the packets go on inside, whatever the routes say",
                  "pier"),
              Keys.may(
                  "sources-become",
                  new Texts("an external address, prefix or range, or a list of them; or device"),
                  "what the sources share instead; ports tell them apart",
                  "device"),
              HAIRPIN_KEY,
              ADMIT_KEY,
              Keys.DISABLED,
              Keys.NOTE),
          List.of("destination"));

  public static final Shape SHARED =
      new Shape(
          "a shared rule",
          List.of(
              Keys.must(
                  "shared", Keys.TITLE_TEXT, "what the rule is called", "pier to the internet"),
              Keys.must("from", Keys.TERMS, "which sources share an address", "pier"),
              Keys.may("to", Keys.TERMS, "for which destinations", "internet"),
              Keys.must(
                  "leaving",
                  Keys.INTERFACE,
                  "where the packets leave; its own address is the shared one without a pool",
                  "uplink"),
              Keys.may("pool", POOL, "which addresses are shared", "192.0.2.72-192.0.2.73"),
              Keys.may("state", new Child(SHARED_STATE), "how its flows are kept", "{ udp: 2m }"),
              Keys.DISABLED,
              Keys.NOTE),
          List.of("shared"));
}
