// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.read;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.io.ByteArrayInputStream;
import java.nio.charset.StandardCharsets;
import org.eskerfield.check.Code;
import org.eskerfield.check.Policy;
import org.eskerfield.check.Severity;
import org.eskerfield.formats.Sites;
import org.eskerfield.formats.UnreadableSiteException;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** What a file says of findings, and what it cannot say. */
class PolicyReaderTest {
  private static Policy policy(String findings) throws Exception {
    String text = Sites.skerryText() + "findings:\n" + findings;
    return SiteReader.read("x", new ByteArrayInputStream(text.getBytes(StandardCharsets.UTF_8)))
        .policy();
  }

  @Test
  void everyPartIsRead() throws Exception {
    Policy policy =
        policy(
            "  - { accept: unused, at: spare, because: soon }\n"
                + "  - { accept: loop, because: to show }\n"
                + "  - { count: rules-cross, as: error }\n");
    assertThat(policy.severities())
        .containsOnlyKeys(Code.RULES_CROSS)
        .containsValue(Severity.ERROR);
    assertThat(policy.accepted())
        .extracting(each -> each.code() + " " + each.at() + " " + each.because())
        .containsExactly("unused spare soon", "loop null to show");
    assertThat(policy.accepted().get(0).place().line()).isEqualTo(58);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "- { accept: unsued, because: x } | 'unsued' is no value for 'accept'",
        "- { accept: unused } | needs 'because'",
        "- { count: unused, as: fatal } | 'fatal' is no value for 'as'",
        "- { count: unused } | needs 'as'",
        "- { because: x } | this is none of the kinds",
        "- { accept: unused, because: x, when: now } | unknown key 'when'",
        "[{ count: unused, as: error }, { count: unused, as: advice }] | counted twice, as error",
      })
  void whatCannotBeIsAProblem(String findings, String message) {
    assertThatThrownBy(() -> policy("  " + findings + "\n"))
        .isInstanceOfSatisfying(
            UnreadableSiteException.class,
            e ->
                assertThat(e.problems())
                    .singleElement()
                    .satisfies(
                        problem -> {
                          assertThat(problem.message()).contains(message);
                          assertThat(problem.remedy()).isNotBlank();
                          assertThat(problem.place().line()).isEqualTo(58);
                        }));
  }
}
