// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import static org.assertj.core.api.Assertions.assertThat;
import static org.eskerfield.Numbers.a;
import static org.eskerfield.Numbers.p;

import java.util.List;
import java.util.Map;
import org.eskerfield.Draft;
import org.eskerfield.packet.AddressSet;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** Who counts as somebody on the internet. */
class OutsideTest {
  private static final Site SITE =
      new Draft()
          .network("inside", "203.0.113.0/26", null)
          .network("outside", "198.51.100.128/25", "198.51.100.129")
          .host("desk", "inside", "203.0.113.7")
          .host("far", null, "192.0.2.77", 443)
          .device("edge", Action.DROP)
          .on("inside", "203.0.113.1")
          .on("outside", "198.51.100.130")
          .done()
          .site();

  @ParameterizedTest
  @CsvSource({
    "192.0.2.77, true, true", // a described host
    "192.0.2.1, true, true",
    "203.0.113.200, true, true", // beside the inner network
    "203.0.113.7, false, false", // inside, though the address is public
    "203.0.113.60, false, false",
    "198.51.100.130, false, false", // the device's own
    "198.51.100.200, true, false", // somebody on the carrier's link
    "10.0.0.1, false, false", // not carried by the internet
    "224.0.0.1, false, false", // never a source
    "2001:db8::1, true, true",
    "fd00::1, false, false",
  })
  void outsideIsWhatNothingOfTheSiteStandsFor(String address, boolean sends, boolean beyond) {
    assertThat(Outside.senders(SITE).contains(a(address))).isEqualTo(sends);
    assertThat(Outside.beyondLinks(SITE).contains(a(address))).isEqualTo(beyond);
  }

  @Test
  void blocksThatACarrierSendsHereAreNotOutside() {
    Network link = SITE.networks().get("outside");
    Network routed =
        link.withRouted(
            List.of(new Network.Routed(p("192.0.2.64/28"), a("198.51.100.130"), Place.IN_CODE)));
    Site site = Draft.site("site", Map.of("outside", routed), SITE.hosts(), SITE.devices());
    assertThat(Outside.routedHere(site)).hasToString("192.0.2.64-192.0.2.79");
    assertThat(Outside.senders(site).contains(a("192.0.2.77"))).isFalse();
    assertThat(Outside.senders(site).contains(a("192.0.2.80"))).isTrue();
  }

  @Test
  void somebodyIsADescribedHostIfThereIsOne() {
    AddressSet outside = Outside.senders(SITE);
    assertThat(Outside.somebody(SITE, outside)).isEqualTo(a("192.0.2.77"));
    Site off = SITE.with(SITE.hosts().get("far").withOff(true));
    assertThat(Outside.described(off).isEmpty()).isTrue();
    assertThat(Outside.somebody(off, outside)).isEqualTo(a("192.0.2.1"));
    AddressSet few = AddressSet.of(a("203.0.113.201"), a("203.0.113.200"));
    assertThat(Outside.somebody(SITE, few)).isEqualTo(a("203.0.113.200"));
    assertThat(Outside.somebody(SITE, AddressSet.NONE)).isNull();
  }
}
