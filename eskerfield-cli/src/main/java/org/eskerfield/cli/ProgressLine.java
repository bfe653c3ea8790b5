package org.eskerfield.cli;

import java.io.PrintWriter;
import org.eskerfield.check.Checker;

/**
 * Says on the last line of a terminal how far something has come, once that takes longer than two
 * seconds, and takes the line away at the end. Says nothing where nobody looks on.
 */
final class ProgressLine implements Checker.Progress, AutoCloseable {
  private static final long PATIENCE = 2_000_000_000L;

  private final PrintWriter out;
  private final boolean watched;
  private final long start = System.nanoTime();
  private boolean shown;

  ProgressLine(Terminal terminal) {
    this.out = terminal.err();
    this.watched = terminal.style().colour();
  }

  @Override
  public void begins(String what, int done, int of) {
    if (watched && System.nanoTime() - start > PATIENCE) {
      out.print("\r\033[K" + what + " (" + (done + 1) + " of " + of + ")");
      out.flush();
      shown = true;
    }
  }

  @Override
  public void close() {
    if (shown) {
      out.print("\r\033[K");
      out.flush();
    }
  }
}
