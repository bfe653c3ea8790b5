// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.traffic;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.io.ByteArrayInputStream;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import org.eskerfield.formats.Sites;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.model.Site;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;

class TrafficReaderTest {
  private static TrafficReader open(Site site, byte[] text) throws Exception {
    return TrafficReader.open(site, "t.csv", new ByteArrayInputStream(text));
  }

  @Test
  void columnsMayStandInAnyOrderAndCommentsCountForNothing() throws Exception {
    String text =
        """
        service,to,from,at,source-port
        # a comment

        8883/tcp, hydrographic ,kiosk,1s,
        "ping","ramp","kiosk",2s,77
        """;
    try (TrafficReader reader = open(Sites.skerry(), text.getBytes(StandardCharsets.UTF_8))) {
      TrafficReader.Flow first = (TrafficReader.Flow) reader.next();
      assertThat(first).isNotNull();
      assertThat(first.at()).isEqualTo(Duration.ofSeconds(1));
      assertThat(first.closes()).isFalse();
      assertThat(first.question().sourcePort()).isEqualTo(50000);
      TrafficReader.Flow second = (TrafficReader.Flow) reader.next();
      assertThat(second).isNotNull();
      assertThat(second.question().probe().echo()).isTrue();
      assertThat(second.question().sourcePort()).isEqualTo(77);
      assertThat(reader.next()).isNull();
    }
  }

  /** A file without end: if more than a piece of it were read at a time, this would not end. */
  @Test
  void linesAreReadOneByOne() throws Exception {
    byte[] header = "at,from,to,service\n".getBytes(StandardCharsets.UTF_8);
    byte[] line = "1s,kiosk,ramp,ping\n".getBytes(StandardCharsets.UTF_8);
    InputStream endless =
        new InputStream() {
          private long position;

          @Override
          public int read() {
            long at = position++;
            return at < header.length
                ? header[(int) at]
                : line[(int) ((at - header.length) % line.length)];
          }
        };
    try (TrafficReader reader = TrafficReader.open(Sites.skerry(), "t.csv", endless)) {
      for (int i = 0; i < 2000; i++) {
        assertThat(reader.next()).isNotNull();
      }
    }
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "at,from,to,service\n0s,\"kiosk,ramp,ping\n",
        "at,from,to,service\n0s,caf\u00e9,ramp,ping\n",
        "at,from,to,servic\u00e9\n0s,kiosk,ramp,ping\n",
      })
  void brokenTextIsExplained(String text) throws Exception {
    Site site = Sites.skerry();
    assertThatThrownBy(
            () -> {
              // In this encoding an accented letter is no UTF-8.
              try (TrafficReader reader = open(site, text.getBytes(StandardCharsets.ISO_8859_1))) {
                reader.next();
              }
            })
        .isInstanceOf(UnreadableSiteException.class);
  }

  /** Files that never end: what is read of them before the message takes no memory to speak of. */
  @ParameterizedTest
  @CsvSource(
      delimiter = ';',
      quoteCharacter = '~',
      value = {
        "t.csv;  ~~; x; 1",
        "t.csv;  ~~; #; 1",
        "t.csv;  at,from,to,service|0s,kiosk,ramp,ping|1s,kiosk,ramp,; x; 3",
        "t.csv;  at,from,to,service|0s,kiosk,ramp,\"; x|; 2",
        "t.csv;  at,from,to,service|; ~,~; 2",
        "t.yaml; - { at: 0s, from: kiosk, to: ramp, service: ping }|- { at: 1s, from: ; x; 1",
        "t.yaml; - { at: 0s, from: kiosk, to: ramp, service: ping }|- { at: '; x|; 1",
        "t.yaml; ~~; #; 1",
        "t.yaml; ~- ~; [; 1",
      })
  void rowsWithoutEndAreRefused(String name, String begin, String more, int line) {
    byte[] first = begin.replace('|', '\n').getBytes(StandardCharsets.UTF_8);
    byte[] rest = more.replace('|', '\n').getBytes(StandardCharsets.UTF_8);
    InputStream endless =
        new InputStream() {
          private long at;

          @Override
          public int read() {
            long now = at++;
            return now < first.length
                ? first[(int) now]
                : rest[(int) ((now - first.length) % rest.length)];
          }
        };
    assertThatThrownBy(
            () -> {
              try (TrafficReader reader = TrafficReader.open(Sites.skerry(), name, endless)) {
                while (reader.next() != null) {
                  assertThat(reader.ahead()).isNotNull();
                }
              }
            })
        .isInstanceOfSatisfying(
            UnreadableSiteException.class,
            e -> {
              assertThat(e.problems().get(0).message().length()).isLessThan(100);
              assertThat(e.problems().get(0).place().line()).isGreaterThanOrEqualTo(line);
            });
  }
}
