// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.report.page;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Path;
import java.time.Duration;
import java.util.List;
import org.eskerfield.formats.ask.QuestionReader;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Site;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Question;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Tracer;
import org.junit.jupiter.api.Test;

/** What a history shows of a long replay is true, however few moments it keeps. */
class HistoryTest {
  private static final String ADDRESSES = "breakwater: gauges borrow an address each, addresses";

  @Test
  void aPeakStaysHoweverLongTheReplayIs() throws Exception {
    Site site = SiteReader.read(Path.of("../demo/gauges.site.yaml"));
    Run run = Tracer.of(site).run(VirtualClock.start(site.timeZone()));
    run.logTo(entry -> {});
    History history = new History(run.now());
    // Gauge 1 opens and closes each ten minutes; all seven do in the night after day 10.
    for (int round = 0; round < 5_000; round++) {
      int gauges = round == 1_500 ? 7 : 1;
      for (int gauge = 1; gauge <= gauges; gauge++) {
        Question question =
            QuestionReader.on(site)
                .from("gauge-" + gauge)
                .to("hydrographic")
                .service("8883/tcp")
                .read();
        run.open(question);
        history.look(run);
        run.close(question);
      }
      run.advance(Duration.ofMinutes(10)); // a closed session is forgotten after four
      history.look(run);
    }
    history.lookNow(run);
    List<Double> seconds = history.seconds();
    List<Double> addresses = history.series().get(ADDRESSES);
    assertThat(seconds).hasSizeBetween(400, 1_001).isSorted().hasSameSizeAs(addresses);
    assertThat(seconds.get(0)).isZero();
    assertThat(seconds.get(seconds.size() - 1)).isEqualTo(5_000 * 600.0);
    assertThat(history.isThinned()).isTrue();
    // Four addresses for seven gauges: the peak is on the plot and in the table, at its time.
    assertThat(history.most(ADDRESSES)).isEqualTo(4);
    assertThat(history.sizes()).containsEntry(ADDRESSES, 4L);
    assertThat(history.most("breakwater: sessions")).isEqualTo(4);
    int peak = addresses.indexOf(4.0);
    assertThat(seconds.get(peak)).isBetween(1_480 * 600.0, 1_510 * 600.0);
    assertThat(addresses.stream().filter(value -> value > 1)).hasSizeLessThan(3);
  }

  @Test
  void aShortReplayIsKeptMomentForMoment() throws Exception {
    Site site = SiteReader.read(Path.of("../demo/gauges.site.yaml"));
    Run run = Tracer.of(site).run(VirtualClock.start(site.timeZone()));
    History history = new History(run.now());
    for (int gauge = 1; gauge <= 3; gauge++) {
      run.open(
          QuestionReader.on(site).from("gauge-" + gauge).to("hydrographic").service("ping").read());
      history.look(run);
      run.advance(Duration.ofSeconds(40)); // a ping is forgotten after 60
    }
    run.advance(Duration.ofMinutes(1));
    history.lookNow(run);
    assertThat(history.isThinned()).isFalse();
    assertThat(history.seconds()).containsExactly(0.0, 40.0, 80.0, 180.0);
    assertThat(history.series().get(ADDRESSES)).containsExactly(1.0, 2.0, 2.0, 0.0);
    assertThat(history.most(ADDRESSES)).isEqualTo(2);
  }
}
