// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.shape;

import java.util.List;
import java.util.regex.Pattern;
import org.eskerfield.formats.site.shape.Shape.Children;
import org.eskerfield.formats.site.shape.Shape.Text;
import org.eskerfield.formats.site.shape.Shape.Texts;
import org.eskerfield.formats.site.shape.Shape.Truth;
import org.eskerfield.formats.site.shape.Shape.Whole;
import org.eskerfield.formats.site.shape.Shape.Word;
import org.eskerfield.packet.Size;

/** The grammar of expectations. */
public final class ExpectationShapes {
  private ExpectationShapes() {}

  private static final Shape.Key FROM_KEY =
      Keys.must(
          "from",
          new Texts("a host, a device or an address; or a group, network or zone: each host in it"),
          "who tries",
          "contractor");

  private static final Shape.Key TO_KEY =
      Keys.must(
          "to",
          new Text(null, "a host, a device, an address or a name, with :port or without"),
          "where to",
          "198.51.100.140:1502");

  private static final Shape.Key SERVICE_KEY =
      Keys.must(
          "service",
          new Text(null, "a service such as 443/tcp, https or ping"),
          "the service",
          "tcp");

  private static final Shape.Key MODE_KEY =
      Keys.may(
          "mode",
          new Word(List.of("active", "passive", "extended-active", "extended-passive")),
          "who opens the data connection of a file transfer",
          "active");

  private static final Shape.Key DATA_TO_KEY =
      Keys.may(
          "data-to",
          new Word(List.of("answer", "control")),
          "where a passive client opens the data connection to: the address in the answer, or that"
              + " of the control connection",
          "control");

  private static final Shape.Key SOURCE_PORT_KEY =
      Keys.may(
          "source-port",
          new Whole(0, 65535),
          "the port of the sender, or the identifier of its ping",
          "5060");

  private static final Shape.Key SIZE_KEY =
      Keys.may(
          "size",
          new Whole(1, Size.MOST),
          "how large the packet is, in bytes with its IP header; of TCP each full segment",
          "1500");

  private static final Shape.Key MAY_FRAGMENT_KEY =
      Keys.may(
          "may-fragment",
          new Truth(),
          "whether devices may fragment it: IPv4 without the don't-fragment bit",
          "true");

  public static final Shape EARLIER =
      Keys.shape(
          "earlier traffic",
          FROM_KEY,
          TO_KEY,
          SERVICE_KEY,
          MODE_KEY,
          DATA_TO_KEY,
          SOURCE_PORT_KEY,
          SIZE_KEY,
          MAY_FRAGMENT_KEY,
          Keys.may("wait", Keys.IDLE, "how much time passes after it", "10m"));

  public static final Shape EXPECTATION =
      Keys.shape(
          "an expectation",
          FROM_KEY,
          TO_KEY,
          SERVICE_KEY,
          Keys.must(
              "outcome",
              new Text(
                  Pattern.compile(
                      "^(answered|refused|dropped|exhausted|unroutable|unanswered)( by \\S+)?$"),
                  "answered, refused, dropped, exhausted, unroutable or unanswered; by whom may"
                      + " follow"),
              "how it must end",
              "answered by ramp"),
          Keys.may(
              "seen-as",
              Keys.ADDRESS,
              "as whom the receiver must see the sender",
              "198.51.100.140"),
          Keys.may(
              "rule",
              Keys.TITLE_TEXT,
              "which rule or list must have a part in it",
              "ramp controller"),
          Keys.may("at", new Text(null, "a time such as sunday 10:00"), "when", "sunday 10:00"),
          MODE_KEY,
          DATA_TO_KEY,
          SOURCE_PORT_KEY,
          SIZE_KEY,
          MAY_FRAGMENT_KEY,
          Keys.may(
              "after",
              new Children(List.of(EARLIER), true),
              "what happens before, in the same run",
              "{ from: kiosk, to: hydrographic, service: secure-mqtt }"),
          Keys.may(
              "before-change",
              new Text(null, "the path of a site file"),
              "the site as it was while that happened",
              "old.site.yaml"),
          Keys.NOTE);

  static final Shape.Key EXPECT_KEY =
      Keys.may(
          "expect",
          new Children(List.of(EXPECTATION), false),
          "what must happen to sample traffic",
          "[{ from: stranger, to: 198.51.100.140, service: ping, outcome: dropped }]");

  public static final Shape EXPECTATIONS =
      Keys.shape("a file of expectations", EXPECT_KEY, GuaranteeShapes.GUARANTEES_KEY, Keys.NOTE);
}
