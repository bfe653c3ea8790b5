// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.write;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.time.ZoneId;
import org.eskerfield.check.Checker;
import org.eskerfield.formats.Sites;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Action;
import org.eskerfield.model.Assignment;
import org.eskerfield.model.Hairpin;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.trace.Tracer;
import org.eskerfield.verify.Verdict;
import org.eskerfield.verify.Verifier;
import org.junit.jupiter.api.Test;

/** A site built in code, object after object. */
class SiteBuilderTest {
  private static SiteBuilder shop() {
    return SiteBuilder.site("A shop: number 1")
        .timeZone(ZoneId.of("Europe/London"))
        .network("shop", n -> n.prefix("10.1.0.0/24").zone("shop").note("yes, the shop"))
        .network(
            "link",
            n ->
                n.prefix("203.0.113.32/28")
                    .zone("internet")
                    .carrier("203.0.113.46")
                    .routed("192.0.2.64/29", "203.0.113.33"))
        .host(
            "till", h -> h.on("shop").at("10.1.0.7").assigned(Assignment.RESERVED).listens("https"))
        .host("mail", h -> h.on("shop").at("10.1.0.8").assigned(Assignment.FIXED).listens("smtp"))
        .host("partner", h -> h.at("192.0.2.140"))
        .host("stranger", h -> h.at("198.51.100.250"))
        .group("friends", "partner", "198.51.100.32/28")
        .schedule("working hours", "mon-fri", "07:00-18:00")
        .service("web", "443/tcp")
        .device(
            "edge",
            d ->
                d.stance("shop", "internet", Action.ACCEPT)
                    .attach("uplink", "link", "203.0.113.33")
                    .attach("shop", "shop", "10.1.0.1")
                    .route("any", "203.0.113.46")
                    .serves("ssh", "shop")
                    .destination(
                        "the till",
                        r -> r.arriving("uplink").at("uplink 8443/tcp").becomes("till 443"))
                    .fixed("mail", r -> r.facing("uplink").external("192.0.2.66").internal("mail"))
                    .shared("the shop", r -> r.from("shop").leaving("uplink"))
                    .list(
                        "from the internet",
                        l ->
                            l.arriving("uplink")
                                .rule(
                                    Action.ACCEPT,
                                    "friends pay",
                                    r ->
                                        r.from("friends")
                                            .to("till")
                                            .service("web")
                                            .when("working hours")
                                            .log())
                                .rule(
                                    Action.ACCEPT,
                                    "mail",
                                    r -> r.to("mail").service("smtp").log())))
        .expectAnswer("partner", "203.0.113.33:8443", "tcp", "till")
        .expect("stranger", "203.0.113.33:8443", "tcp", Outcome.DROPPED)
        .expectAnswer("stranger", "192.0.2.66", "smtp", "mail");
  }

  @Test
  void whatIsBuiltIsASiteAndAFileThatIsRead() throws Exception {
    SiteFile built = shop().build();
    assertThat(new Verifier(Tracer.of(built.site())).verify(built.expectations()))
        .hasSize(3)
        .allMatch(Verdict::holds);
    assertThat(Checker.check(built.site())).isEmpty();
    Sites.assertSame(SiteReader.read("again", shop().text()), built.site());
  }

  @Test
  void aPrefixIsTranslatedOnTheWayOut() throws Exception {
    SiteFile built =
        SiteBuilder.site("IPv6")
            .network("office", n -> n.prefix("fd01:203:405:1::/64").zone("office"))
            .network(
                "link",
                n ->
                    n.prefix("2001:db8:ffff::/64")
                        .zone("internet")
                        .carrier("2001:db8:ffff::1")
                        .routed("2001:db8:1::/48", "2001:db8:ffff::2"))
            .host("clerk", h -> h.on("office").at("fd01:203:405:1::1234"))
            .host("shop", h -> h.at("2001:db8:77::5").listens("https"))
            .device(
                "edge",
                d ->
                    d.attach("uplink", "link", "2001:db8:ffff::2")
                        .attach("office", "office", "fd01:203:405:1::1")
                        .route("any", "2001:db8:ffff::1")
                        .prefix(
                            "ours",
                            r ->
                                r.facing("uplink")
                                    .external("2001:db8:1::/48")
                                    .internal("fd01:203:405::/48")
                                    .hairpin("office"))
                        .list(
                            "out",
                            l ->
                                l.between("office", "uplink")
                                    .rule(Action.ACCEPT, "web", r -> r.service("https"))))
            .expectAnswer("clerk", "shop", "https", "shop")
            .expect("clerk", "shop", "ssh", Outcome.DROPPED)
            .build();
    assertThat(new Verifier(Tracer.of(built.site())).verify(built.expectations()))
        .hasSize(2)
        .allMatch(Verdict::holds);
    Hairpin hairpin = built.site().devices().get("edge").inward().get(0).hairpin();
    assertThat(hairpin.source()).isEqualTo(Hairpin.Source.EXTERNAL);
  }

  @Test
  void whatCouldNotBeReadIsNotBuilt() {
    assertThatThrownBy(() -> shop().host("nowhere", h -> h.on("attic").at("10.9.0.1")).text())
        .isInstanceOfSatisfying(
            UnreadableSiteException.class,
            e -> assertThat(e.problems().get(0).message()).contains("attic"));
    assertThatThrownBy(() -> shop().host("till", h -> h.at("192.0.2.1")))
        .hasMessageContaining("'till' stands twice");
    assertThatThrownBy(() -> SiteBuilder.site("x").build())
        .isInstanceOf(UnreadableSiteException.class);
  }
}
