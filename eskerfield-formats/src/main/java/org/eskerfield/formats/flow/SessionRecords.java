// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.flow;

import java.io.IOException;
import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Deque;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.eskerfield.formats.capture.UnreadableCaptureException;
import org.jspecify.annotations.Nullable;

/**
 * The sessions of a translating device, whole: what tells of a begin and what tells of the end are
 * joined. A session whose end is not told ends at its start. Memory: the sessions that have begun
 * and not ended.
 */
public final class SessionRecords implements FlowRecords {
  private record Key(FlowHeader before, String device) {}

  private final FlowRecords from;
  private final Map<Key, FlowRecord> open = new LinkedHashMap<>();
  private final Deque<FlowRecord> left = new ArrayDeque<>();
  private boolean over;
  private long endless;
  private long beginless;

  /**
   * Joins records.
   *
   * @param from records that say what became of their flows, in the order of their start
   */
  public SessionRecords(FlowRecords from) {
    this.from = from;
  }

  @Override
  public @Nullable FlowRecord next() throws IOException, UnreadableCaptureException {
    while (!over) {
      FlowRecord record = from.next();
      if (record == null) {
        over = true;
        endless = open.size();
        left.addAll(open.values());
        open.clear();
        break;
      }
      Translated translated = record.translated();
      if (translated == null
          || translated.event() == Translated.Event.SESSION
          || translated.event() == Translated.Event.PACKETS) {
        return record;
      }
      Key key = new Key(record.key(), translated.device());
      FlowRecord began =
          translated.event() == Translated.Event.BEGINS ? open.put(key, record) : open.remove(key);
      if (translated.event() == Translated.Event.ENDS && began == null) {
        beginless++;
      } else if (began != null) {
        boolean ends = translated.event() == Translated.Event.ENDS;
        endless += ends ? 0 : 1;
        return ends ? ended(began, record) : began;
      }
    }
    return left.poll();
  }

  private static FlowRecord ended(FlowRecord began, FlowRecord end) {
    Translated said = began.translated();
    if (said == null) {
      return began;
    }
    return began.until(
        end.start(), new Translated(said.after(), Translated.Event.SESSION, said.device()));
  }

  @Override
  public List<String> remarks() {
    List<String> remarks = new ArrayList<>(from.remarks());
    if (endless > 0) {
      remarks.add(String.format("sessions whose end is not told: %,d", endless));
    }
    if (beginless > 0) {
      remarks.add(String.format("ends of sessions whose begin is not told: %,d", beginless));
    }
    return remarks;
  }

  @Override
  public void close() throws IOException {
    from.close();
  }
}
