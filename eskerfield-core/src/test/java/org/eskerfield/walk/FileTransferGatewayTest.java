// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.walk;

import static org.assertj.core.api.Assertions.assertThat;
import static org.eskerfield.Numbers.a;

import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** What control connections say of data connections, read and rewritten. */
class FileTransferGatewayTest {
  @ParameterizedTest
  @CsvSource(
      delimiter = ';',
      value = {
        "PORT 10,77,4,9,195,80;                               10.77.4.9; 50000; PORT 198,51,100,140,4,1",
        "port 10,77,4,9,0,21;                                 10.77.4.9; 21;    port 198,51,100,140,4,1",
        "227 Entering Passive Mode (10,77,4,9,195,80).;       10.77.4.9; 50000; 227 Entering Passive Mode (198,51,100,140,4,1).",
        "227 =10,77,4,9,195,80;                               10.77.4.9; 50000; 227 =198,51,100,140,4,1",
        "EPRT |1|10.77.4.9|50000|;                            10.77.4.9; 50000; EPRT |1|198.51.100.140|1025|",
        "EPRT !1!10.77.4.9!50000!;                            10.77.4.9; 50000; EPRT !1!198.51.100.140!1025!",
        "229 Entering Extended Passive Mode (|||50000|);      ;          50000; 229 Entering Extended Passive Mode (|||1025|)",
      })
  void announcementsAreReadAndRewritten(String line, String address, int port, String rewritten) {
    FileTransferGateway.Announced announced = FileTransferGateway.read(line);
    assertThat(announced).isNotNull();
    assertThat(announced.address()).isEqualTo(address);
    assertThat(announced.port()).isEqualTo(port);
    assertThat(announced.ipv4()).isEqualTo(address == null ? null : a(address));
    assertThat(FileTransferGateway.rewritten(line, a("198.51.100.140"), 1025)).isEqualTo(rewritten);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = ';',
      value = {
        "USER anonymous",
        "PASV",
        "EPSV",
        "PORT 10,77,4,9,195",
        "PORT 10,77,4,999,195,80",
        "PORT 10,77,4,9,0,0",
        "EPRT |1|10.77.4.9|70000|",
        "EPRT |1|10.77.4.9!50000|",
        "229 (|||0|)",
        "150 PORT 10,77,4,9,195,80",
        "227 nothing here",
        "EPRT |3|10.77.4.9|5|",
      })
  void everythingElseIsLeftAlone(String line) {
    assertThat(FileTransferGateway.read(line)).isNull();
  }

  @ParameterizedTest
  @CsvSource({"EPRT |2|2001:db8::9|50000|, EPRT |2|2001:db8:1::1|1025|"})
  void ipv6HasTheExtendedWordsOnly(String line, String rewritten) {
    Address address = new Address(Family.IPV6, 0x20010db800010000L, 1);
    assertThat(FileTransferGateway.rewritten(line, address, 1025)).isEqualTo(rewritten);
    FileTransferGateway.Announced announced = FileTransferGateway.read(line);
    assertThat(announced).isNotNull();
    assertThat(announced.ipv4()).isNull();
    assertThat(announced.address()).isEqualTo("2001:db8::9");
  }
}
