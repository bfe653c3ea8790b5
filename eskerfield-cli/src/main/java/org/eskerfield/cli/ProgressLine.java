package org.eskerfield.cli;

import java.io.PrintWriter;
import java.time.Duration;
import me.tongfei.progressbar.DelegatingProgressBarConsumer;
import me.tongfei.progressbar.ProgressBar;
import me.tongfei.progressbar.ProgressBarBuilder;
import me.tongfei.progressbar.ProgressBarStyle;
import org.eskerfield.check.Checker;
import org.jspecify.annotations.Nullable;

/**
 * Shows on the last line of a terminal how far something has come, once that takes longer than two
 * seconds, and takes the line away at the end. Shows nothing where nobody looks on.
 */
final class ProgressLine implements Checker.Progress, AutoCloseable {
  private static final Duration PATIENCE = Duration.ofSeconds(2);

  private final PrintWriter out;
  private final boolean watched;
  private final Duration patience;
  private final long start = System.nanoTime();
  private @Nullable ProgressBar bar;

  ProgressLine(Terminal terminal) {
    this(terminal, true);
  }

  ProgressLine(Terminal terminal, boolean wanted) {
    this(terminal, wanted, PATIENCE);
  }

  /**
   * A line.
   *
   * @param wanted whether anything is to be shown
   * @param patience how long a person waits without a word
   */
  ProgressLine(Terminal terminal, boolean wanted, Duration patience) {
    this.patience = patience;
    this.out = terminal.err();
    this.watched = wanted && terminal.style().colour();
  }

  /**
   * A part begins.
   *
   * @param of how many parts there are; 0 where nobody knows
   */
  @Override
  public void begins(String what, int done, int of) {
    if (!watched || System.nanoTime() - start < patience.toNanos()) {
      return;
    }
    if (bar == null) {
      bar =
          new ProgressBarBuilder()
              .setStyle(ProgressBarStyle.ASCII)
              .setConsumer(new DelegatingProgressBarConsumer(this::show, Style.WIDTH - 2))
              .setUpdateIntervalMillis(250)
              .hideEta()
              .build();
    }
    bar.maxHint(of > 0 ? of : -1);
    bar.stepTo(done);
    bar.setExtraMessage(what);
  }

  private void show(String line) {
    out.print(Screen.RETURN + "" + Screen.ESCAPE + "[K" + line);
    out.flush();
  }

  @Override
  public void close() {
    if (bar != null) {
      bar.close();
      show("");
    }
  }
}
