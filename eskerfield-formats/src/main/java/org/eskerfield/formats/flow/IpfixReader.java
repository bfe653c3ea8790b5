// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.flow;

import java.io.BufferedInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeSet;
import org.eskerfield.formats.capture.UnreadableCaptureException;
import org.jspecify.annotations.Nullable;

/**
 * Reads flow records from a file of IPFIX messages (RFC 5655, RFC 7011): templates, options
 * templates, withdrawals, variable lengths, reduced sizes, and records of both directions (RFC
 * 5103).
 *
 * <p>Records come from anywhere: no length is believed before it is checked. What is damaged within
 * a set is counted with its place and skipped with the rest of the set; where the next message
 * begins is known from the length of this one. Memory: the templates, and one message of at most 64
 * KiB.
 */
public final class IpfixReader implements FlowRecords {
  private static final int VERSION = 10;
  private static final int HEADER = 16;
  private static final int TEMPLATES = 2;
  private static final int OPTIONS_TEMPLATES = 3;
  private static final int FIRST_DATA = 256;

  private static final int MOST_TEMPLATES = 100_000;
  private static final int MOST_FIELDS_KEPT = 2_000_000;
  private static final int MOST_PLACES = 5;
  private static final String WHOLE = "export the records again, or send on the part that is whole";

  private final String file;
  private final InputStream in;
  private final boolean events;
  private final Map<Long, String> domains = new HashMap<>();
  private final Map<Long, IpfixTemplate> templates = new HashMap<>();
  private final TreeSet<String> unread = new TreeSet<>();
  private final Map<String, Long> skipped = new LinkedHashMap<>();
  private final List<String> places = new ArrayList<>();
  private ByteBuffer message = ByteBuffer.allocate(0);
  private long position;
  private long began;
  private long domain;
  private Instant exported = Instant.EPOCH;
  private int setEnd;
  private @Nullable IpfixTemplate current;
  private long number;
  private int fieldsKept;
  private boolean wholeSeconds = true;
  private boolean sampled;

  /**
   * Begins to read.
   *
   * @param file the name that messages call it by
   */
  public IpfixReader(String file, InputStream in) {
    this(file, in, false);
  }

  /**
   * Begins to read.
   *
   * @param file the name that messages call it by
   * @param events whether what is wanted is how sessions of a translating device begin and end (RFC
   *     8158), and not flows without a translation
   */
  public IpfixReader(String file, InputStream in, boolean events) {
    this.file = file;
    this.events = events;
    this.in = new BufferedInputStream(in, 1 << 16);
  }

  /** Whether a stream's first four bytes are those of an IPFIX message. */
  public static boolean begins(byte[] start) {
    return start.length >= 4 && start[0] == 0 && start[1] == VERSION;
  }

  @Override
  public @Nullable FlowRecord next() throws IOException, UnreadableCaptureException {
    while (true) {
      IpfixTemplate template = current;
      if (template != null && message.position() + template.least() <= setEnd) {
        FlowRecord record = record(template);
        if (record != null) {
          return record;
        }
        continue;
      }
      current = null;
      message.position(Math.max(message.position(), setEnd));
      if (message.remaining() >= 4) {
        set();
      } else if (!message()) {
        return null;
      }
    }
  }

  @Override
  public List<String> remarks() {
    List<String> remarks = new ArrayList<>();
    skipped.forEach((why, count) -> remarks.add(String.format("%s: %,d", why, count)));
    if (!places.isEmpty()) {
      remarks.add("damaged, first at " + String.join("; ", places));
    }
    if (sampled) {
      remarks.add("the exporter says that it samples packets: flows are missing, and counts are");
    }
    if (wholeSeconds && number > 0) {
      remarks.add("times are in whole seconds: what happened within one has no order");
    }
    if (!unread.isEmpty()) {
      remarks.add("information elements that are not used: " + String.join(", ", unread));
    }
    return remarks;
  }

  @Override
  public void close() throws IOException {
    in.close();
  }

  // Messages and sets.

  private boolean message() throws IOException, UnreadableCaptureException {
    byte[] header = in.readNBytes(HEADER);
    if (header.length == 0) {
      return false;
    }
    began = position;
    ByteBuffer read = ByteBuffer.wrap(header).order(ByteOrder.BIG_ENDIAN);
    if (header.length < HEADER) {
      throw ends(header.length);
    }
    int version = read.getShort(0) & 0xffff;
    int length = read.getShort(2) & 0xffff;
    if (version != VERSION || length < HEADER) {
      throw new UnreadableCaptureException(
          file
              + " is damaged at byte "
              + position
              + ": "
              + (version != VERSION
                  ? "a message of IPFIX begins with version 10, and this says " + version
                  : "a message claims to have " + length + " bytes, less than its header"),
          WHOLE);
    }
    exported = Instant.ofEpochSecond(read.getInt(4) & 0xffffffffL);
    domain = read.getInt(12) & 0xffffffffL;
    byte[] body = in.readNBytes(length - HEADER);
    if (body.length < length - HEADER) {
      throw ends(HEADER + body.length);
    }
    position += length;
    message = ByteBuffer.wrap(body).order(ByteOrder.BIG_ENDIAN);
    setEnd = 0;
    return true;
  }

  private UnreadableCaptureException ends(int read) {
    return new UnreadableCaptureException(
        file + " ends at byte " + (position + read) + ", in the middle of a message", WHOLE);
  }

  private void set() {
    int start = message.position();
    int id = message.getShort() & 0xffff;
    int length = message.getShort() & 0xffff;
    if (length < 4 || start + length > message.limit()) {
      damaged(start, "a set claims to have " + length + " bytes");
      message.position(message.limit());
      setEnd = message.limit();
      return;
    }
    setEnd = start + length;
    if (id == TEMPLATES || id == OPTIONS_TEMPLATES) {
      templates(id == OPTIONS_TEMPLATES);
    } else if (id >= FIRST_DATA) {
      current = templates.get(key(id));
      if (current == null) {
        skip("sets of records without a template before them");
      }
    } else {
      skip("sets of a kind that no RFC describes");
    }
  }

  private long key(int id) {
    return domain << 16 | id;
  }

  private void templates(boolean options) {
    while (setEnd - message.position() >= 4) {
      int start = message.position();
      int id = message.getShort() & 0xffff;
      int count = message.getShort() & 0xffff;
      if (count == 0) {
        withdraw(id);
        continue;
      }
      if (id < FIRST_DATA) {
        // Padding, or nonsense: neither has a record behind it.
        if (id != 0) {
          damaged(start, "a template has the number " + id);
        }
        return;
      }
      IpfixTemplate template = IpfixTemplate.read(message, setEnd, count, options);
      fieldsKept += count;
      if (template == null || templates.size() >= MOST_TEMPLATES || fieldsKept > MOST_FIELDS_KEPT) {
        damaged(start, "template " + id + " does not fit in its set, or is one too many");
        templates.remove(key(id));
        return;
      }
      templates.put(key(id), template);
      if (!options) {
        unread.addAll(template.unread());
      }
    }
  }

  /** RFC 7011 section 8.1: a withdrawal of a template, or of all. */
  private void withdraw(int id) {
    if (id == TEMPLATES || id == OPTIONS_TEMPLATES) {
      templates.keySet().removeIf(key -> key >> 16 == domain);
    } else {
      templates.remove(key(id));
    }
  }

  private void skip(String why) {
    skipped.merge(why, 1L, Long::sum);
  }

  private void damaged(int at, String what) {
    skip("places that are damaged, and skipped");
    if (places.size() < MOST_PLACES) {
      places.add("byte " + (began + HEADER + at) + ": " + what);
    }
  }

  // Records.

  private @Nullable FlowRecord record(IpfixTemplate template) {
    int start = message.position();
    IpfixDraft draft = new IpfixDraft(exported);
    for (int i = 0; i < template.size(); i++) {
      int length = template.length(i);
      if (length == IpfixTemplate.VARIABLE) {
        length = variable();
      }
      if (length < 0 || message.position() + length > setEnd) {
        damaged(start, "a record is longer than its set");
        message.position(setEnd);
        return null;
      }
      draft.read(template.element(i), message, length);
      message.position(message.position() + length);
    }
    if (template.isOptions()) {
      sampled |= draft.samples();
      if (!draft.domainName().isEmpty() && domains.size() < MOST_TEMPLATES) {
        domains.put(domain, draft.domainName());
      }
      return null;
    }
    number++;
    String lacks = draft.lacks(events);
    if (lacks != null) {
      skip(lacks);
      return null;
    }
    sampled |= draft.samples();
    wholeSeconds &= draft.wholeSeconds();
    FlowRecord record = draft.record(number, domains.getOrDefault(domain, ""));
    if (events && record.translated() == null) {
      skip("records of flows without a word about their translation");
      return null;
    }
    return record;
  }

  /** RFC 7011 section 7: one byte, or 255 and two. -1 if there is none. */
  private int variable() {
    if (message.position() + 1 > setEnd) {
      return -1;
    }
    int length = message.get() & 0xff;
    if (length < 255) {
      return length;
    }
    return message.position() + 2 > setEnd ? -1 : message.getShort() & 0xffff;
  }
}
