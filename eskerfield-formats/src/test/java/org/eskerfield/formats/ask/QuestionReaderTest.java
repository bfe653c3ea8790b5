// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.ask;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.catchThrowableOfType;

import org.eskerfield.formats.Sites;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.model.Site;
import org.eskerfield.trace.Question;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class QuestionReaderTest {
  private static Question read(Site site, String from, String to, String service, String at)
      throws UnusableQuestionException {
    return QuestionReader.on(site).from(from).to(to).service(service).at(at).read();
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "kiosk          | hydrographic        | https          | 10.77.4.20 → 192.0.2.200 443/tcp",
        "10.77.4.20     | 192.0.2.200:8883    | tcp            | 10.77.4.20 → 192.0.2.200 8883/tcp",
        "10.77.4.66     | ramp:502            | 502/tcp        | 10.77.4.66 → 10.77.4.9 502/tcp",
        "203.0.113.5    | 198.51.100.140      | ramp-control   | 203.0.113.5 → 198.51.100.140 502/tcp",
        "kiosk          | skerry              | ping           | 10.77.4.20 → 10.77.4.1 ping",
        "skerry         | ramp                | ICMP           | 10.77.4.1 → 10.77.4.9 ping",
        "skerry         | hydrographic        | NTP            | 198.51.100.140 → 192.0.2.200 123/udp",
        "198.51.100.140 | 192.0.2.9           | protocol 50    | 198.51.100.140 → 192.0.2.9 esp",
        "kiosk          | 192.0.2.200:53      | dns            | 10.77.4.20 → 192.0.2.200 53/udp",
        "2001:db8::5    | 2001:db8::9         | 80/tcp         | 2001:db8::5 → 2001:db8::9 80/tcp",
        "2001:db8::5    | [2001:db8::9]:80    | tcp            | 2001:db8::5 → 2001:db8::9 80/tcp",
      })
  void questionsAreReadAsPeopleAskThem(String from, String to, String service, String expected)
      throws Exception {
    Site site = Sites.skerry();
    Question question = read(site, from, to, service, null);
    assertThat(question.source() + " → " + question.to() + " " + question.probe())
        .isEqualTo(expected);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "                            | 2026-01-05T09:00Z[Europe/London]",
        "2026-07-01T10:00            | 2026-07-01T10:00+01:00[Europe/London]",
        "2026-07-01 10:00            | 2026-07-01T10:00+01:00[Europe/London]",
        "2026-07-01T10:00Z           | 2026-07-01T11:00+01:00[Europe/London]",
        "2026-07-01T10:00+05:00      | 2026-07-01T06:00+01:00[Europe/London]",
        "2026-07-01                  | 2026-07-01T09:00+01:00[Europe/London]",
        "sunday 10:30                | 2026-01-11T10:30Z[Europe/London]",
        "Mon                         | 2026-01-05T09:00Z[Europe/London]",
        "7:05                        | 2026-01-05T07:05Z[Europe/London]",
      })
  void timesAreReadByTheClockOfTheSite(String at, String expected) throws Exception {
    assertThat(read(Sites.skerry(), "kiosk", "ramp", "ping", at).at()).hasToString(expected);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "kisok   | ramp          | 80/tcp    |            | from    | no host or device is called 'kisok' | did you mean 'kiosk'?",
        "pier    | ramp          | 80/tcp    |            | from    | 'pier' is a network, and a trace goes from one sender | kiosk, ramp",
        "internet| ramp          | 80/tcp    |            | from    | 'internet' is a zone | stranger",
        "10.1.2  | ramp          | 80/tcp    |            | from    | '10.1.2' is not an address | four numbers",
        "kiosk   | rmap          | 80/tcp    |            | to      | no host or device is called 'rmap' | did you mean 'ramp'?",
        "kiosk   | ramp:99999    | tcp       |            | to      | port 99999 is over 65535 | 0 to 65535",
        "kiosk   | ramp:80       | 81/tcp    |            | service | '81/tcp' is port 81, but 'to' says port 80 | name the port once",
        "kiosk   | ramp:80       | ping      |            | to      | a ping goes to an address | leave the port out",
        "kiosk   | 10.77.4.0/24  | ping      |            | to      | '10.77.4.0/24' is a prefix, not an address | one address",
        "kiosk   | 2001:db8::1   | ping      |            | to      | 'kiosk' has no IPv6 address | another address",
        "stranger| skerry        | ping      |            | to      | 'skerry' has several addresses | 198.51.100.140, 10.77.4.1",
        "kiosk   | 127.0.0.1     | ping      |            | to      | 127.0.0.1 is a loopback or unspecified address | name the host",
        "10.77.4.255 | ramp      | ping      |            | from    | no host can have the address 10.77.4.255 | broadcast address of 10.77.4.0/24",
        "224.0.0.5   | ramp      | ping      |            | from    | no host can have the address 224.0.0.5 | a multicast or broadcast address",
        "kiosk   | ramp          | tcp       |            | service | 'tcp' is more than one port | choose one",
        "kiosk   | ramp          | any       |            | service | 'any' is more than one port | choose one",
        "kiosk   | ramp          | htps      |            | service | no service is called 'htps' | did you mean 'https'?",
        "kiosk   | ramp          | 80        |            | service | '80' is no service | 80/tcp or 80/udp",
        "kiosk   | ramp          | ''        |            | service | it is missing | 443/tcp",
        "kiosk   | ramp:80       | ''        |            | service | it is missing | 80/tcp or 80/udp",
        "kiosk   | ''            | ping      |            | to      | it is empty | name a host",
        "kiosk   | ramp          | ping      | tomorrow   | at      | 'tomorrow' is no time | sunday 10:00",
        "kiosk   | ramp          | ping      | 2026-13-01 | at      | '2026-13-01' is no time | 2026-11-23T10:00",
      })
  void whatMakesNoSenseIsExplained(
      String from, String to, String service, String at, String part, String message, String remedy)
      throws Exception {
    Site site = Sites.skerry();
    UnusableQuestionException e =
        catchThrowableOfType(
            UnusableQuestionException.class, () -> read(site, from, to, service, at));
    assertThat(e).isNotNull();
    assertThat(e.part()).isEqualTo(part);
    assertThat(e).hasMessageContaining(message);
    assertThat(e.remedy()).contains(remedy);
  }
}
