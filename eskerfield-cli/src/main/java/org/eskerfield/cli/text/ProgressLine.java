// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.text;

import java.io.PrintWriter;
import java.time.Duration;
import java.time.Instant;
import java.time.InstantSource;
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
public final class ProgressLine implements Checker.Progress, AutoCloseable {
  private static final Duration PATIENCE = Duration.ofSeconds(2);

  /** What fits beside a border of every usual terminal; a line that is broken leaves rubbish. */
  private static final int WIDTH = 78;

  private static final int NARROWEST = 20;

  private final PrintWriter out;
  private final boolean watched;
  private final InstantSource clock;
  private final Instant start;
  private final int width;
  private @Nullable ProgressBar bar;

  public ProgressLine(Terminal terminal) {
    this(terminal, true);
  }

  public ProgressLine(Terminal terminal, boolean wanted) {
    this(terminal, wanted, InstantSource.system(), System.getenv("COLUMNS"));
  }

  /**
   * A line.
   *
   * @param wanted whether anything is to be shown
   * @param columns how wide the terminal says it is; what is no width counts for nothing
   */
  public ProgressLine(
      Terminal terminal, boolean wanted, InstantSource clock, @Nullable String columns) {
    this.out = terminal.err();
    this.clock = clock;
    this.start = clock.instant();
    this.width = width(columns);
    this.watched = wanted && terminal.style().colour() && width >= NARROWEST;
  }

  private static int width(@Nullable String columns) {
    boolean told = columns != null && columns.matches("[1-9][0-9]{0,3}");
    return told ? Math.min(WIDTH, Integer.parseInt(columns) - 1) : WIDTH;
  }

  /**
   * A part begins.
   *
   * @param of how many parts there are; 0 where nobody knows
   */
  @Override
  public void begins(String what, int done, int of) {
    if (!watched || clock.instant().isBefore(start.plus(PATIENCE))) {
      return;
    }
    if (bar == null) {
      bar =
          new ProgressBarBuilder()
              .setStyle(ProgressBarStyle.ASCII)
              .setConsumer(new DelegatingProgressBarConsumer(this::show, width))
              .setUpdateIntervalMillis(250)
              .hideEta()
              .build();
    }
    bar.maxHint(of > 0 ? of : -1);
    bar.stepTo(done);
    bar.setExtraMessage(what);
  }

  private void show(String line) {
    String fitting = line.substring(0, Math.min(line.length(), width)); // else it would wrap
    out.print(Screen.RETURN + "" + Screen.ESCAPE + "[K" + fitting);
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
