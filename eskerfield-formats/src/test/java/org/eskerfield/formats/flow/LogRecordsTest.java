// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.flow;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.io.ByteArrayInputStream;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import org.eskerfield.formats.Sites;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.capture.UnreadableCaptureException;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class LogRecordsTest {
  private static final String ALL =
      "start=begin,end=until,from=src,from-port=sp,to=dst,to-port=dp,protocol=proto,flags=tcp,"
          + "packets=out,bytes=octets,back-packets=in";

  private record Read(List<FlowRecord> records, List<String> remarks) {}

  private static Read read(String text, String columns, String format) throws Exception {
    byte[] bytes = text.getBytes(StandardCharsets.UTF_8);
    try (LogRecords log =
        new LogRecords(
            Sites.skerry(),
            "fw.log",
            new ByteArrayInputStream(bytes),
            Columns.of(columns),
            format)) {
      List<FlowRecord> records = new ArrayList<>();
      for (FlowRecord each = log.next(); each != null; each = log.next()) {
        records.add(each);
      }
      return new Read(records, log.remarks());
    }
  }

  /** One flow, written in each form. */
  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '`',
      value = {
        "begin,until,src,sp,dst,dp,proto,tcp,out,octets,in~"
            + "2026-03-02T08:00:00Z,2026-03-02T08:00:02.5Z,10.44.10.21,50100,198.51.100.80,443,tcp,"
            + "SAF,12,4096,9",
        "in;octets;out;tcp;proto;dp;dst;sp;src;until;begin;more~"
            + "9;4096;12;0x13;6;443;198.51.100.80;50100;10.44.10.21;1772438402.5;1772438400;x",
        "{\"begin\":1772438400000,\"until\":\"2026-03-02 09:00:02.5+01:00\",\"src\":\"10.44.10.21\","
            + "\"sp\":50100,\"dst\":\"198.51.100.80\",\"dp\":443,\"proto\":\"TCP\",\"tcp\":19,"
            + "\"out\":12,\"octets\":4096,\"in\":9,\"list\":[1,{\"src\":2}]}",
        "<134>1 2026-03-02T08:00:03Z skerry fw - - [flow@32473 begin=\"1772438400000000\" "
            + "until=\"1772438402500000000\" src=\"10.44.10.21\" sp=\"50100\" dst=\"198.51.100.80\" "
            + "dp=\"443\" proto=\"6\" tcp=\".A..SF\" out=\"12\" octets=\"4096\" in=\"9\"] closed",
        "begin=1772438400 until=1772438402.500 src=10.44.10.21 sp=50100 dst=198.51.100.80 dp=443"
            + " proto=tcp tcp=FSA out=12 octets=4096 in=9 note=\"a \\\"b\\\"\""
      })
  void oneFlowIsReadInEachForm(String lines) throws Exception {
    Read read = read(lines.replace('~', '\n'), ALL, null);
    assertThat(read.remarks()).isEmpty();
    assertThat(read.records()).hasSize(1);
    FlowRecord flow = read.records().get(0);
    assertThat(flow.start()).isEqualTo(Instant.parse("2026-03-02T08:00:00Z"));
    assertThat(Duration.between(flow.start(), flow.end())).isEqualTo(Duration.ofMillis(2500));
    assertThat(flow.key().source()).hasToString("10.44.10.21");
    assertThat(flow.key().sourcePort()).isEqualTo(50100);
    assertThat(flow.key().destinationPort()).isEqualTo(443);
    assertThat(flow.key().protocol()).isEqualTo(6);
    assertThat(flow.tcpFlags()).isEqualTo(0x13);
    assertThat(flow.there()).isEqualTo(new Volume(12, 4096));
    assertThat(flow.back()).isEqualTo(new Volume(9, -1));
  }

  @Test
  void timesAndDurationsMayBeWrittenAsTheLogDoes() throws Exception {
    Read read =
        read(
            "when,took,src,dst,proto\n02/03/2026 08:00:10,90,10.44.10.21,198.51.100.80,udp\n",
            "end=when,duration=took,from=src,to=dst,protocol=proto",
            "dd/MM/yyyy HH:mm:ss");
    FlowRecord flow = read.records().get(0);
    assertThat(flow.start()).isEqualTo(flow.end().minusSeconds(90));
    assertThat(flow.end().atZone(Sites.skerry().timeZone()).toLocalTime()).hasToString("08:00:10");
    assertThatThrownBy(() -> read("", "start=a,from=b,to=c,protocol=d", "blah blah"))
        .isInstanceOf(UnusableQuestionException.class)
        .hasMessageContaining("is no pattern of a time");
  }

  @Test
  void linesThatCannotBeReadAreCountedAndShown() throws Exception {
    String columns = "start=at,from=src,to=dst,to-port=dp,protocol=proto";
    Read read =
        read(
            """
            at,src,dst,dp,proto
            1772438400,10.44.10.21,198.51.100.80,443,tcp
            soon,10.44.10.21,198.51.100.80,443,tcp

            1772438401,10.44.10.321,198.51.100.80,443,tcp
            1772438402,10.44.10.21,198.51.100.80,70000,tcp
            1772438403,10.44.10.21,198.51.100.80,443,carrier pigeon
            1772438404,10.44.10.21,2001:db8::1,443,tcp
            "1772438405,10.44.10.21
            1772438406,10.44.10.21,198.51.100.80
            1772438407,10.44.10.21,198.51.100.80,443,tcp
            """,
            columns,
            null);
    assertThat(read.records()).hasSize(2);
    assertThat(read.remarks().get(0)).isEqualTo("lines that cannot be read, and were skipped: 7");
    assertThat(read.remarks().subList(1, 6))
        .satisfiesExactly(
            each -> assertThat(each).startsWith("fw.log, line 3: 'soon' is no time"),
            each -> assertThat(each).startsWith("fw.log, line 5: ").contains("10.44.10.321"),
            each -> assertThat(each).startsWith("fw.log, line 6: ").contains("70000"),
            each -> assertThat(each).startsWith("fw.log, line 7: 'carrier pigeon'"),
            each -> assertThat(each).startsWith("fw.log, line 8: ").contains("family"));
    assertThatThrownBy(() -> read("at,src,dst,dp,proto\nno\nflow\n", columns, null))
        .isInstanceOf(UnreadableCaptureException.class)
        .hasMessageContaining("no line of fw.log can be read as a flow; line 2");
    assertThatThrownBy(() -> read("at,source,dst,dp,proto\n", columns, null))
        .isInstanceOf(UnreadableCaptureException.class)
        .hasMessageContaining("fw.log, line 1: there is no column 'src'");
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "start=a,from=b,to=c | 'protocol' is missing",
        "from=b,to=c,protocol=d | neither 'start' nor 'end' is there",
        "start=a,from=b,to=c,protocol=d,form-port=e | 'form-port' is no field of a flow",
        "start=a,from=b,to=c,protocol=d,from=e | 'from' is there twice",
        "start=,from=b,to=c,protocol=d | 'start=' names no column",
      })
  void columnsThatCannotBeAreRefused(String columns, String message) {
    assertThatThrownBy(() -> Columns.of(columns))
        .isInstanceOf(UnusableQuestionException.class)
        .hasMessageContaining(message);
  }
}
