// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.read;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.catchThrowableOfType;

import org.eskerfield.formats.Problem;
import org.eskerfield.formats.UnreadableSiteException;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** Names with blanks, as other systems have them: refused with the name that would do. */
class NamesTest {
  private static Problem first(String yaml) {
    String text = "eskerfield: 1\nsite: X\n" + yaml + "\n";
    UnreadableSiteException problems =
        catchThrowableOfType(
            UnreadableSiteException.class, () -> SiteReader.read("x.site.yaml", text));
    return problems.problems().stream()
        .filter(each -> each.message().contains("front") || each.message().contains("up link"))
        .findFirst()
        .orElseThrow();
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "hosts: { front desk: { on: internet, at: 192.0.2.1 } } | front-desk",
        "hosts: { ' front  desk ': { on: internet, at: 192.0.2.1 } } | front-desk",
        "hosts: { 'front/desk': { on: internet, at: 192.0.2.1 } } | front-desk",
        "groups: { front desk: [192.0.2.1] } | front-desk",
        "services: { front desk: 80/tcp } | front-desk",
        "names: { front desk: 192.0.2.1 } | front-desk",
        "networks: { front desk: { prefix: 10.0.0.0/24, zone: a } } | front-desk",
        "networks: { a: { prefix: 10.0.0.0/24, zone: front desk } } | front-desk",
        "networks: { a: { prefix: 10.0.0.0/24, zone: a, realm: front desk } } | front-desk",
        "devices: { front desk: { interfaces: { } } } | front-desk",
      })
  void aNameWithABlankIsRefusedWithTheNameThatWouldDo(String yaml, String would) {
    assertThat(first(yaml).remedy())
        .isEqualTo("names hold no blanks and none of / : ,; write " + would + ", everywhere");
  }

  @ParameterizedTest
  @CsvSource({"up link, up-link", "'up link/2:1', up-link/2:1"})
  void interfacesMayHaveASlashOrColon(String name, String would) {
    String device =
        "networks: { a: { prefix: 10.0.0.0/24, zone: a } }\n"
            + "devices: { edge: { interfaces: { '%s': { on: a, at: 10.0.0.1 } } } }";
    assertThat(first(device.formatted(name)).remedy())
        .isEqualTo(
            "names of interfaces hold no blanks and no comma; write " + would + ", everywhere");
  }

  /** Where it is asked for, the name that the file has is near enough to be meant. */
  @ParameterizedTest
  @CsvSource({"to: front desk", "to: [front desk]", "from: front desk"})
  void whoeverWritesTheBlankIsToldTheName(String key) {
    String rules =
        "networks: { a: { prefix: 10.0.0.0/24, zone: a } }\n"
            + "hosts: { front-desk: { on: a, at: 10.0.0.9 } }\n"
            + "devices: { edge: { interfaces: { a: { on: a, at: 10.0.0.1 } },\n"
            + "  access: { in: { guards: { arriving: a }, otherwise: drop, rules:"
            + " [{ accept: all, %s }] } } } }";
    assertThat(first(rules.formatted(key)).remedy()).contains("front-desk");
  }
}
