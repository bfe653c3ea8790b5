// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.shape;

import java.util.Arrays;
import java.util.List;
import org.eskerfield.formats.site.shape.Shape.Children;
import org.eskerfield.formats.site.shape.Shape.Text;
import org.eskerfield.formats.site.shape.Shape.Truth;
import org.eskerfield.formats.site.shape.Shape.Words;
import org.eskerfield.model.Guarantee;

/** The grammar of guarantees. */
public final class GuaranteeShapes {
  private GuaranteeShapes() {}

  private static final Shape.Key FROM_KEY =
      Keys.may(
          "from",
          Keys.TERMS,
          "who sends; everybody if left out. A network or zone is everybody who is on it, whatever"
              + " source he writes",
          "boats");

  private static final Shape.Key TO_KEY =
      Keys.may("to", Keys.TERMS, "who receives; everybody if left out", "office");

  private static final Shape.Key SERVICE_KEY =
      Keys.may(
          "service",
          Keys.SERVICES,
          "the service, with the port that the receiver gets; every service if left out",
          "ssh");

  private static final Shape.Key WHEN_KEY =
      Keys.may("when", Keys.TEXT, "the only schedule in which it counts", "working hours");

  public static final Shape EXEMPT =
      Keys.shape("packets that are exempt", FROM_KEY, TO_KEY, SERVICE_KEY, WHEN_KEY);

  public static final Shape GUARANTEE =
      new Shape(
          "a guarantee",
          List.of(
              kind(Guarantee.Kind.NEVER, "no packet arrives", "boats reach the office"),
              kind(
                  Guarantee.Kind.ONLY,
                  "no packet arrives but those under 'may'",
                  "from outside, the web shop only"),
              kind(
                  Guarantee.Kind.ALWAYS,
                  "every sender is answered, at every time",
                  "the office has the web"),
              kind(
                  Guarantee.Kind.SEEN_AS,
                  "whatever leaves by an interface has one of the sources under 'source'",
                  "no inner address outside"),
              kind(
                  Guarantee.Kind.PASSES,
                  "no packet arrives that has not passed the device under 'through'",
                  "the quay is behind lockhouse"),
              kind(
                  Guarantee.Kind.LOGGED,
                  "no packet arrives that no rule logs",
                  "every way in is logged"),
              FROM_KEY,
              TO_KEY,
              SERVICE_KEY,
              Keys.may(
                  "may",
                  new Children(List.of(EXEMPT), true),
                  "of 'only': which packets may arrive",
                  "{ to: booking, service: 8443/tcp }"),
              Keys.may(
                  "except",
                  new Children(List.of(EXEMPT), true),
                  "which packets it does not speak of",
                  "{ from: admin }"),
              WHEN_KEY,
              Keys.may(
                  "source",
                  Keys.TERMS,
                  "the sources as the receiver sees them: those that 'seen-as' and 'always' allow,"
                      + " and of others the only ones that count",
                  "203.0.113.33"),
              Keys.may(
                  "leaving",
                  new Text(null, "a device and its interface"),
                  "of 'seen-as': the interface",
                  "breakwater uplink"),
              Keys.may(
                  "through",
                  new Text(SiteShapes.NAME, "the name of a device"),
                  "the device that packets must pass; for others than 'passes' only those count that"
                      + " pass it",
                  "lockhouse"),
              Keys.may(
                  "honest-senders", new Truth(), "whether nobody forges source addresses", "true"),
              Keys.may(
                  "also",
                  new Words(
                      Arrays.stream(Guarantee.Also.values())
                          .map(Guarantee.Also::toString)
                          .toList()),
                  "what it must hold with as well",
                  "any link down"),
              Keys.NOTE),
          Arrays.stream(Guarantee.Kind.values()).map(Guarantee.Kind::toString).toList());

  private static Shape.Key kind(Guarantee.Kind kind, String purpose, String example) {
    return Keys.may(kind.toString(), Keys.TITLE_TEXT, purpose, example);
  }

  static final Shape.Key GUARANTEES_KEY =
      Keys.may(
          "guarantees",
          new Children(List.of(GUARANTEE), false),
          "what must hold for all packets",
          "[{ never: boats reach the office, from: boats, to: office }]");
}
