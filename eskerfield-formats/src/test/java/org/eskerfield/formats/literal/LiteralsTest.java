// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.literal;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.util.HashSet;
import java.util.List;
import java.util.Set;
import net.jqwik.api.Arbitraries;
import net.jqwik.api.Arbitrary;
import net.jqwik.api.ForAll;
import net.jqwik.api.From;
import net.jqwik.api.Property;
import net.jqwik.api.Provide;
import net.jqwik.api.Tuple;
import net.jqwik.api.constraints.IntRange;
import net.jqwik.api.constraints.Size;
import org.eskerfield.model.Service;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Protocol;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;

class LiteralsTest {
  @Property(seed = "20260105")
  void whatAnAddressPrintsIsReadAsTheSame(@ForAll boolean v6, @ForAll long high, @ForAll long low)
      throws Exception {
    Address address =
        v6 ? new Address(Family.IPV6, high, low) : new Address(Family.IPV4, 0, low & 0xffff_ffffL);
    assertThat(Literals.address(address.toString())).isEqualTo(address);
    assertThat(Literals.looksLikeAddress(address.toString())).isTrue();
  }

  /** Four numbers from 0 to 255 without leading zeros, and dots between them; nothing else. */
  @Property(seed = "20260105", tries = 2000)
  void dottedTextsAreAddressesIfTheyAreFourNumbers(
      @ForAll @Size(min = 1, max = 6) List<@From("pieces") String> pieces) {
    String text = String.join("", pieces);
    String number = "(0|[1-9][0-9]?|1[0-9][0-9]|2[0-4][0-9]|25[0-5])";
    boolean is = text.matches("(" + number + "\\.){3}" + number);
    try {
      assertThat(Literals.address(text)).hasToString(text);
      assertThat(is).as(text).isTrue();
    } catch (BadLiteralException e) {
      assertThat(is).as(text).isFalse();
    }
  }

  @Provide
  Arbitrary<String> pieces() {
    return Arbitraries.frequencyOf(
        Tuple.of(6, Arbitraries.integers().between(0, 300).map(n -> n + ".")),
        Tuple.of(3, Arbitraries.integers().between(0, 256).map(n -> "" + n)),
        Tuple.of(1, Arbitraries.of("0", ".", "00", "1.1.", "255.255.")));
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "",
        " ",
        "1",
        "1.2.3",
        "192.0.2.1.5",
        "1.2.3.-4",
        "0x7f.1.1.1",
        "010.1.1.1",
        "1.2.3.*",
        "192-192.0.2.1",
        "::1%eth0",
        "1::2::3",
        "12345::",
        ":::",
        "192.0.2.1 5",
        "localhost",
        "①.1.1.1",
      })
  void looseFormsOfAddressesAreRefused(String text) {
    assertThatThrownBy(() -> Literals.address(text)).isInstanceOf(BadLiteralException.class);
  }

  @Property(seed = "20260105")
  void portsAreThoseBetweenTheEnds(
      @ForAll @IntRange(min = 0, max = 65535) int first,
      @ForAll @IntRange(min = 0, max = 65535) int last)
      throws Exception {
    String text = first + "-" + last;
    if (first <= last) {
      assertThat(Literals.ports(text).size()).isEqualTo(last - first + 1);
    } else {
      assertThatThrownBy(() -> Literals.ports(text)).hasMessageContaining("backwards");
    }
  }

  @ParameterizedTest
  @CsvSource({
    "https, 443, 6",
    "dns, 53, 17",
    "domain, 53, 6",
    "ssh, 22, 6",
    "rdp, 3389, 6",
    "ms-wbt-server, 3389, 6",
    "smb, 445, 6",
    "ntp, 123, 17",
    "snmp, 161, 17",
    "sip, 5060, 17",
    "modbus, 502, 6",
    "secure-mqtt, 8883, 6",
    "imaps, 993, 6",
    "ldaps, 636, 6",
    "postgresql, 5432, 6",
    "HTTP, 80, 6",
  })
  void wellKnownNamesAreKnown(String name, int port, int protocol) {
    Service service = WellKnownServices.find(name);
    assertThat(service).isNotNull();
    assertThat(service.covers(protocol, port, Icmp.NO_TYPE, Icmp.NO_CODE)).isTrue();
    assertThat(service.covers(protocol, port + 1, Icmp.NO_TYPE, Icmp.NO_CODE)).isFalse();
    assertThat(service.covers(Protocol.ICMP, 0, 8, 0)).isFalse();
  }

  @Test
  void thereAreAtLeast120WellKnownServices() {
    Set<Service> services = new HashSet<>();
    WellKnownServices.names().forEach(name -> services.add(WellKnownServices.find(name)));
    long withPorts =
        services.stream()
            .filter(s -> s.parts().stream().allMatch(p -> Protocol.hasPorts(p.protocol())))
            .filter(s -> s.parts().get(0).ports().size() < 65536)
            .count();
    assertThat(withPorts).isGreaterThanOrEqualTo(120);
  }
}
