// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.replay;

import java.io.BufferedInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.time.Duration;
import java.time.ZonedDateTime;
import java.util.Locale;
import java.util.Map;
import java.util.zip.GZIPInputStream;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.capture.CaptureReader;
import org.eskerfield.formats.capture.UnreadableCaptureException;
import org.eskerfield.formats.flow.Columns;
import org.eskerfield.formats.flow.FlowRecords;
import org.eskerfield.formats.flow.FlowSorter;
import org.eskerfield.formats.flow.IpfixReader;
import org.eskerfield.formats.flow.LogRecords;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.trace.Run;
import org.jspecify.annotations.Nullable;

/** The flows and incidents of a replay, in the order of time. */
public interface Traffic extends AutoCloseable {
  /** Something that happens. */
  interface Event {
    /** When, since the start. */
    Duration at();

    /**
     * Lets it happen, on one run or, one after the other, on several.
     *
     * @param outcomes where its outcome is counted, if it has one
     * @return what there is to tell of it; null if there is nothing, or nobody wants to know
     */
    @Nullable Happened happen(Run run, Map<Outcome, Long> outcomes);
  }

  /** When it starts, by the clock of the site. */
  ZonedDateTime start();

  /** When the next thing happens, since the start; null at the end. */
  @Nullable Duration ahead()
      throws IOException,
          UnreadableSiteException,
          UnusableQuestionException,
          UnreadableCaptureException;

  /** What happens next; null at the end. */
  @Nullable Event next()
      throws IOException,
          UnreadableSiteException,
          UnusableQuestionException,
          UnreadableCaptureException;

  /** From now on names, hosts and addresses are those of another description of the site. */
  default void goOnWith(Site changed) {}

  @Override
  void close() throws IOException;

  /** What there is to say at the end, as a line; empty for nothing. */
  default String afterwards() {
    return "";
  }

  /**
   * What is to be sent: a capture or records of flows (IPFIX) where the first bytes say so, else a
   * list of flows; each may be packed (gzip, RFC 1952).
   *
   * @param name the name of the traffic; its ending marks an empty capture as one
   * @param in its bytes; closed with the traffic, or if it cannot be read
   * @param arriving where a capture was taken; null if that is not said
   * @param resends when SYNs of flows that nobody answers are sent again
   * @param told whether each flow is reported
   * @throws UnusableQuestionException if the place does not fit the site, or is said of flows
   */
  static Traffic open(
      Site site,
      String name,
      InputStream in,
      @Nullable String arriving,
      Resends resends,
      boolean told)
      throws IOException,
          UnreadableSiteException,
          UnusableQuestionException,
          UnreadableCaptureException {
    try {
      InputStream bytes = unpacked(in);
      byte[] first = first(bytes);
      String unpacked = name.replaceFirst("(?i)[.]gz$", "");
      String end = unpacked.toLowerCase(Locale.ROOT);
      if (CaptureReader.begins(first) || end.endsWith(".pcap") || end.endsWith(".pcapng")) {
        return new CaptureTraffic(site, unpacked, bytes, arriving, told);
      }
      boolean records = IpfixReader.begins(first) || end.endsWith(".ipfix");
      if (arriving != null) {
        throw new UnusableQuestionException(
            "arriving",
            name + " has flows, and this is for a capture (pcap, pcapng)",
            "leave it away: each flow says who sends it");
      }
      if (records) {
        return of(site, new IpfixReader(unpacked, bytes), told);
      }
      Columns columns = Columns.ofHeader(bytes);
      if (columns != null) {
        return of(site, new LogRecords(site, unpacked, bytes, columns, null), told);
      }
      return new FlowTraffic(site, unpacked, bytes, told, resends);
    } catch (Exception e) {
      in.close();
      throw e;
    }
  }

  /**
   * Records of flows, in whatever order.
   *
   * @param records the records; closed with the traffic, or if they cannot be read
   * @param told whether each flow is reported
   */
  static Traffic of(Site site, FlowRecords records, boolean told)
      throws IOException, UnreadableCaptureException {
    return new RecordTraffic(site, new FlowSorter(records), RecordTraffic.JOINS, told);
  }

  /** The same bytes, unpacked where they are packed (gzip, RFC 1952). */
  static InputStream unpacked(InputStream in) throws IOException {
    InputStream bytes = new BufferedInputStream(in);
    byte[] first = first(bytes);
    return first.length > 1 && first[0] == 0x1f && first[1] == (byte) 0x8b
        ? new BufferedInputStream(new GZIPInputStream(bytes))
        : bytes;
  }

  private static byte[] first(InputStream in) throws IOException {
    in.mark(4);
    byte[] first = in.readNBytes(4);
    in.reset();
    return first;
  }
}
