// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli;

import java.io.IOException;
import java.time.Duration;
import java.time.ZonedDateTime;
import java.util.Map;
import org.eskerfield.model.Site;
import org.eskerfield.trace.Run;
import org.eskerfield.walk.Outcome;
import org.jspecify.annotations.Nullable;

/** What a replay sends, in the order of time. */
interface Traffic extends AutoCloseable {
  /** Something that happens. */
  interface Event {
    /** When, since the start. */
    Duration at();

    /**
     * Lets it happen.
     *
     * @param outcomes where its outcome is counted, if it has one
     * @return what there is to tell of it, with a line break at the end; null if nobody wants to
     *     know
     */
    @Nullable String happen(Run run, Map<Outcome, Long> outcomes);
  }

  /** When it starts, by the clock of the site. */
  ZonedDateTime start();

  /** When the next thing happens, since the start; null at the end. */
  @Nullable Duration ahead() throws Exception;

  /** What happens next; null at the end. */
  @Nullable Event next() throws Exception;

  /** From now on names, hosts and addresses are those of another description of the site. */
  default void goOnWith(Site changed) {}

  @Override
  void close() throws IOException;

  /** What there is to say at the end, as a line; empty for nothing. */
  default String afterwards() {
    return "";
  }
}
