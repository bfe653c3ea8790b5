// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.flow;

import java.time.Instant;
import org.jspecify.annotations.Nullable;

/**
 * What was recorded of a flow: of one direction of it, or of both.
 *
 * @param start when its first packet was seen
 * @param end when its last packet was seen; not before the start
 * @param key the header of its packets, from whoever opened it if that is known
 * @param tcpFlags all TCP flags that were seen in that direction, joined; -1 if unknown
 * @param there the size in the direction of the key
 * @param back the size in the other direction; unknown where the record is of one direction
 * @param number its number in the file, from 1
 * @param translated what became of its packets at a translating device; null where that is not
 *     recorded
 */
public record FlowRecord(
    Instant start,
    Instant end,
    FlowHeader key,
    int tcpFlags,
    Volume there,
    Volume back,
    long number,
    @Nullable Translated translated) {
  /** The same record, with another end, and something else said of its translation. */
  public FlowRecord until(Instant last, @Nullable Translated said) {
    return new FlowRecord(start, last, key, tcpFlags, there, back, number, said);
  }
}
