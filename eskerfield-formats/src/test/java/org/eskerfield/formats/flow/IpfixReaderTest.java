// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.flow;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.eskerfield.formats.flow.IpfixBytes.address;
import static org.eskerfield.formats.flow.IpfixBytes.bytes;
import static org.eskerfield.formats.flow.IpfixBytes.join;
import static org.eskerfield.formats.flow.IpfixBytes.usual;

import java.io.ByteArrayInputStream;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.List;
import java.util.Random;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import org.eskerfield.formats.capture.UnreadableCaptureException;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Icmp;
import org.junit.jupiter.api.Test;

class IpfixReaderTest {
  private static final Instant AT = Instant.parse("2026-03-02T08:00:00Z");
  private static final Address CLERK = Address.ipv4(10, 44, 10, 21);
  private static final Address CHART = Address.ipv4(198, 51, 100, 80);
  private static final Address CLERK6 =
      Address.ofBytes(new byte[] {32, 1, 13, (byte) 184, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 33});
  private static final Address CHART6 =
      Address.ofBytes(
          new byte[] {32, 1, 13, (byte) 184, 0, 1, 0, 0, 0, 0, 0, 0, 0, 0, 0, (byte) 128});

  private record Read(List<FlowRecord> records, List<String> remarks) {}

  private static Read read(byte[] file) throws Exception {
    try (IpfixReader reader = new IpfixReader("day.ipfix", new ByteArrayInputStream(file))) {
      List<FlowRecord> records = new ArrayList<>();
      for (FlowRecord each = reader.next(); each != null; each = reader.next()) {
        records.add(each);
      }
      return new Read(records, reader.remarks());
    }
  }

  @Test
  void aUsualRecordIsRead() throws Exception {
    long start = AT.toEpochMilli();
    Read read =
        read(
            new IpfixBytes(AT)
                .template(256, IpfixBytes.USUAL)
                .set(256, usual(CLERK, 50100, CHART, 443, 6, 0x1b, start, start + 1500, 12, 4096))
                .toArray());
    assertThat(read.records())
        .containsExactly(
            new FlowRecord(
                AT,
                AT.plusMillis(1500),
                new FlowHeader(CLERK, 50100, CHART, 443, 6, Icmp.NO_TYPE, 0),
                0x1b,
                new Volume(12, 4096),
                Volume.UNKNOWN,
                1,
                null));
    assertThat(read.remarks()).isEmpty();
  }

  @Test
  void eachWayToSayATimeIsRead() throws Exception {
    long second = AT.getEpochSecond();
    long ntp = second + 2_208_988_800L;
    Object[][] cases = {
      {new int[][] {{150, 4}, {151, 4}}, bytes(second, 4, second + 2, 4), AT, 2000L},
      {
        new int[][] {{154, 8}, {155, 8}},
        bytes(ntp, 4, 1L << 31, 4, ntp + 1, 4, 0, 4),
        AT.plusMillis(500),
        500L
      },
      {
        new int[][] {{156, 8}, {157, 8}},
        bytes(ntp, 4, 1L << 30, 4, ntp + 1, 4, 0, 4),
        AT.plusMillis(250),
        750L
      },
      {new int[][] {{152, 8}, {161, 4}}, bytes(AT.toEpochMilli(), 8, 90_000, 4), AT, 90_000L},
      {
        new int[][] {{153, 8}, {161, 4}},
        bytes(AT.toEpochMilli(), 8, 90_000, 4),
        AT.minusSeconds(90),
        90_000L
      },
      {
        new int[][] {{158, 4}, {159, 4}},
        bytes(3_000_000, 4, 1_000_000, 4),
        AT.minusSeconds(3),
        2000L
      },
      {
        new int[][] {{160, 8}, {22, 4}, {21, 4}},
        bytes(AT.toEpochMilli(), 8, 5000, 4, 9000, 4),
        AT.plusSeconds(5),
        4000L
      },
      {new int[][] {{161, 4}}, bytes(4000, 4), AT.minusSeconds(4), 4000L},
      {new int[][] {}, new byte[0], AT, 0L},
    };
    for (Object[] each : cases) {
      int[][] times = (int[][]) each[0];
      List<int[]> fields = new ArrayList<>(List.of(times));
      fields.add(new int[] {8, 4});
      fields.add(new int[] {12, 4});
      fields.add(new int[] {4, 1});
      Read read =
          read(
              new IpfixBytes(AT)
                  .template(300, fields.toArray(new int[0][]))
                  .set(300, (byte[]) each[1], address(CLERK), address(CHART), bytes(17, 1))
                  .toArray());
      FlowRecord record = read.records().get(0);
      assertThat(record.start()).isEqualTo(each[2]);
      assertThat(record.end()).isEqualTo(record.start().plusMillis((long) each[3]));
    }
  }

  @Test
  void bothDirectionsAndBothFamiliesAreRead() throws Exception {
    Read read =
        read(
            new IpfixBytes(AT)
                .template(
                    256,
                    new int[] {27, 16},
                    new int[] {28, 16},
                    new int[] {7, 2},
                    new int[] {11, 2},
                    new int[] {4, 1},
                    new int[] {2, 3},
                    new int[] {1, 8},
                    new int[] {2, 3, 29305},
                    new int[] {1, 8, 29305},
                    new int[] {239, 1})
                .set(
                    256,
                    address(CLERK6),
                    address(CHART6),
                    bytes(50100, 2, 443, 2, 6, 1, 7, 3, 700, 8, 5, 3, 5000, 8, 1, 1),
                    address(CHART6),
                    address(CLERK6),
                    bytes(443, 2, 50101, 2, 6, 1, 5, 3, 5000, 8, 7, 3, 700, 8, 2, 1))
                .toArray());
    assertThat(read.records()).hasSize(2);
    for (FlowRecord each : read.records()) {
      assertThat(each.key().source()).isEqualTo(CLERK6);
      assertThat(each.key().destinationPort()).isEqualTo(443);
      assertThat(each.there()).isEqualTo(new Volume(7, 700));
      assertThat(each.back()).isEqualTo(new Volume(5, 5000));
    }
  }

  @Test
  void typeAndCodeOfIcmpAreReadWhereverTheyStand() throws Exception {
    byte[] ends = join(address(CLERK), address(CHART), bytes(1, 1));
    Read read =
        read(
            new IpfixBytes(AT)
                .template(
                    256, new int[] {8, 4}, new int[] {12, 4}, new int[] {4, 1}, new int[] {32, 2})
                .template(
                    257, new int[] {8, 4}, new int[] {12, 4}, new int[] {4, 1}, new int[] {11, 2})
                .template(
                    258,
                    new int[] {8, 4},
                    new int[] {12, 4},
                    new int[] {4, 1},
                    new int[] {176, 1},
                    new int[] {177, 1})
                .set(256, ends, bytes(0x0800, 2))
                .set(257, ends, bytes(0x0303, 2))
                .set(258, ends, bytes(11, 1, 1, 1))
                .toArray());
    assertThat(read.records())
        .extracting(each -> each.key().icmpType() + "/" + each.key().icmpCode())
        .containsExactly("8/0", "3/3", "11/1");
    assertThat(read.records().get(0).key().mirrored().icmpType()).isZero();
  }

  /** Elements that nobody needs are skipped by their length, however long they say they are. */
  @Test
  void whatIsNotKnownIsSkippedAndListedOnce() throws Exception {
    byte[] name = new byte[300];
    Read read =
        read(
            new IpfixBytes(AT)
                .template(
                    256,
                    new int[] {8, 4},
                    new int[] {371, 0xffff},
                    new int[] {12, 4},
                    new int[] {12, 0xffff, 32473},
                    new int[] {4, 1})
                .set(
                    256,
                    address(CLERK),
                    bytes(3, 1),
                    new byte[3],
                    address(CHART),
                    bytes(255, 1, 300, 2),
                    name,
                    bytes(17, 1),
                    address(CLERK),
                    bytes(0, 1),
                    address(CHART),
                    bytes(1, 1, 9, 1),
                    bytes(17, 1))
                .toArray());
    assertThat(read.records()).hasSize(2);
    assertThat(read.records().get(1).key().protocol()).isEqualTo(17);
    assertThat(read.remarks()).contains("information elements that are not used: 32473/12, 371");
  }

  @Test
  void withdrawnAndRedefinedTemplatesAreNotUsedAnyMore() throws Exception {
    byte[] plain = join(address(CLERK), address(CHART), bytes(17, 1));
    int[][] fields = {{8, 4}, {12, 4}, {4, 1}};
    int[][] turned = {{12, 4}, {8, 4}, {4, 1}};
    Read read =
        read(
            new IpfixBytes(AT)
                .set(256, plain)
                .template(256, fields)
                .set(256, plain)
                .message()
                .template(256, turned)
                .set(256, plain, new byte[3]) // padding
                .set(2, bytes(256, 2, 0, 2))
                .set(256, plain)
                .toArray());
    assertThat(read.records())
        .extracting(each -> each.key().source())
        .containsExactly(CLERK, CHART);
    assertThat(read.remarks()).contains("sets of records without a template before them: 2");
  }

  @Test
  void samplingAndEventsOfTranslationAreSaidAndAreNoFlows() throws Exception {
    Read read =
        read(
            new IpfixBytes(AT)
                .set(3, bytes(256, 2, 2, 2, 1, 2, 149, 2, 4, 2, 34, 2, 4, 2))
                .set(256, bytes(7, 4, 100, 4))
                .template(
                    257,
                    new int[] {323, 8},
                    new int[] {8, 4},
                    new int[] {225, 4},
                    new int[] {230, 1})
                .set(257, bytes(AT.toEpochMilli(), 8), address(CLERK), address(CHART), bytes(4, 1))
                .toArray());
    assertThat(read.records()).isEmpty();
    assertThat(read.remarks())
        .anyMatch(each -> each.contains("samples packets"))
        .contains("records of address translation events, which are no flows: 1");
  }

  @Test
  void damageWithinASetCostsThatSetAndIsSaidWithItsPlace() throws Exception {
    long start = AT.toEpochMilli();
    byte[] good = usual(CLERK, 1, CHART, 2, 17, 0, start, start, 1, 60);
    byte[] file =
        new IpfixBytes(AT)
            .template(256, IpfixBytes.USUAL)
            .template(257, new int[] {8, 4}, new int[] {371, 0xffff})
            .set(257, address(CLERK), bytes(200, 1))
            .set(256, good)
            .message()
            .set(256, good)
            .toArray();
    Read read = read(file);
    assertThat(read.records()).hasSize(2);
    // 16 of the message, 8 + 40 and 8 + 8 of the templates, 4 of the set.
    assertThat(read.remarks())
        .contains("damaged, first at byte 84: a record is longer than its set");
    assertThatThrownBy(() -> read(Arrays.copyOf(file, file.length - 1)))
        .isInstanceOf(UnreadableCaptureException.class)
        .hasMessageContaining("ends at byte " + (file.length - 1));
    file[0] = 9;
    assertThatThrownBy(() -> read(file))
        .isInstanceOf(UnreadableCaptureException.class)
        .hasMessageContaining("damaged at byte 0");
  }

  /** Whatever was done to the bytes, the end is reached and nothing is thrown but the refusal. */
  @Property(tries = 2000)
  void anyDamageIsReadOrRefused(@ForAll long seed) throws Exception {
    long start = AT.toEpochMilli();
    byte[] file =
        new IpfixBytes(AT)
            .template(256, IpfixBytes.USUAL)
            .set(256, usual(CLERK, 1, CHART, 2, 6, 2, start, start, 1, 60))
            .set(3, bytes(258, 2, 2, 2, 1, 2, 149, 2, 4, 2, 34, 2, 4, 2))
            .set(258, bytes(7, 4, 100, 4))
            .template(257, new int[] {8, 4}, new int[] {371, 0xffff}, new int[] {2, 3, 29305})
            .set(257, address(CLERK), bytes(2, 1, 5, 2), bytes(3, 3))
            .message()
            .set(256, usual(CLERK, 1, CHART, 2, 6, 2, start, start, 1, 60))
            .toArray();
    Random random = new Random(seed);
    int changes = 1 + random.nextInt(4);
    for (int i = 0; i < changes; i++) {
      file[random.nextInt(file.length)] = (byte) (random.nextBoolean() ? random.nextInt() : -1);
    }
    try {
      Read read = read(Arrays.copyOf(file, random.nextInt(file.length + 1)));
      assertThat(read.records().size()).isLessThan(file.length);
    } catch (UnreadableCaptureException e) {
      assertThat(e.remedy()).isNotEmpty();
    }
  }

  @Test
  void sortedInPartsIsSortedAsAWhole() throws Exception {
    Random random = new Random(7);
    IpfixBytes bytes = new IpfixBytes(AT).template(256, IpfixBytes.USUAL);
    for (int i = 0; i < 300; i++) {
      long start = AT.toEpochMilli() + random.nextInt(50) * 100L;
      int port = random.nextInt(3);
      bytes.set(256, usual(CLERK, port, CHART, 1, 6, 2, start, start + 5, i, 60));
    }
    byte[] file = bytes.toArray();
    List<List<FlowRecord>> all = new ArrayList<>();
    for (int most : new int[] {1000, 7}) {
      List<FlowRecord> sorted = new ArrayList<>();
      try (FlowSorter sorter =
          new FlowSorter(new IpfixReader("x", new ByteArrayInputStream(file)), most)) {
        for (FlowRecord each = sorter.next(); each != null; each = sorter.next()) {
          sorted.add(each);
        }
      }
      all.add(sorted);
    }
    assertThat(all.get(1)).hasSize(300).isEqualTo(all.get(0));
    assertThat(all.get(0))
        .isSortedAccordingTo(
            Comparator.comparing(FlowRecord::start)
                .thenComparing(each -> each.key().sourcePort() == 0)
                .thenComparing(FlowRecord::number));
  }
}
