// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.eskerfield.Numbers.a;

import java.util.Objects;
import org.eskerfield.Draft;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** Who has an address, and on which network it lies. */
class WhereaboutsTest {
  private static final Site SITE =
      new Draft()
          .network("pier", "10.77.4.0/24", null)
          .network("slip", "10.77.4.128/25", null, "other")
          .network("mast", "2001:db8:4::/64", null)
          .network("link", "198.51.100.128/26", "198.51.100.129")
          .host("kiosk", "pier", "10.77.4.20")
          .host("ramp", "pier", "10.77.4.200")
          .host("twin", "slip", "10.77.4.200")
          .host("far", null, "192.0.2.200")
          .device("skerry", Action.ACCEPT)
          .on("pier", "10.77.4.1")
          .on("link", "198.51.100.140")
          .done()
          .site();

  @ParameterizedTest
  @CsvSource({
    // address, host, device, the only owner, network
    "10.77.4.20, kiosk, , kiosk, pier",
    "10.77.4.200, ramp, , , pier", // two have it; the first in the file counts
    "10.77.4.1, , skerry, skerry, pier",
    "10.77.4.9, , , , pier",
    "192.0.2.200, far, , far, ",
    "198.51.100.140, , skerry, skerry, link",
    "198.51.100.191, , , , link",
    "198.51.100.192, , , , ",
    "2001:db8:4::9, , , , mast",
    "2001:db8:5::9, , , , ",
    "0.0.0.0, , , , ",
  })
  void eachIsFoundByItsAddress(
      String address, String host, String device, String owner, String network) {
    assertThat(name(SITE.hostAt(a(address)))).isEqualTo(host);
    assertThat(name(SITE.deviceAt(a(address)))).isEqualTo(device);
    assertThat(name(SITE.ownerOf(a(address)))).isEqualTo(owner);
    assertThat(name(SITE.networkOf(a(address)))).isEqualTo(network);
  }

  private static String name(Named named) {
    return named == null ? null : named.name();
  }

  @Test
  void aSiteWithAnotherHostFindsThatOne() {
    Host kiosk = Objects.requireNonNull(SITE.hosts().get("kiosk"));
    Site moved = SITE.with(Host.unnamed(a("10.77.4.21"), SITE.networks().get("pier")));
    assertThat(SITE.hostAt(a("10.77.4.21"))).isNull();
    assertThat(moved.hostAt(a("10.77.4.21"))).isNotNull();
    assertThat(moved.hostAt(a("10.77.4.20"))).isSameAs(kiosk);
    assertThat(moved.networks()).isSameAs(SITE.networks());
  }

  @Test
  void nobodyChangesWhatIsGivenOut() {
    assertThatThrownBy(() -> SITE.hosts().clear())
        .isInstanceOf(UnsupportedOperationException.class);
    assertThatThrownBy(() -> SITE.hosts().remove("kiosk"))
        .isInstanceOf(UnsupportedOperationException.class);
    assertThatThrownBy(() -> SITE.devices().put("skerry", SITE.devices().get("skerry")))
        .isInstanceOf(UnsupportedOperationException.class);
    assertThatThrownBy(() -> SITE.networks().values().remove(SITE.networks().get("pier")))
        .isInstanceOf(UnsupportedOperationException.class);
  }
}
