// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.literal;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.Duration;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;

class TimesTest {
  @ParameterizedTest
  @CsvSource({
    "0s,        0",
    "90s,       90000",
    "1.5s,      1500",
    "0.001s,    1",
    "5m,        300000",
    "2h4m,      7440000",
    "1d1h1m1s,  90061000",
    "'  7m ',   420000",
  })
  void timesSinceTheStartAreRead(String text, long millis) {
    assertThat(Times.duration(text)).isEqualTo(Duration.ofMillis(millis));
  }

  @ParameterizedTest
  @ValueSource(strings = {"", " ", "5", "-5s", "5 m", "1h30", "s", "1.2345s", "4m2h", "noon"})
  void whatIsNoTimeIsNone(String text) {
    assertThat(Times.duration(text)).isNull();
  }
}
