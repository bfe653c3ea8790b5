// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.bench;

import java.util.Random;
import java.util.concurrent.TimeUnit;
import org.eskerfield.packet.Packet;
import org.openjdk.jmh.annotations.Benchmark;
import org.openjdk.jmh.annotations.BenchmarkMode;
import org.openjdk.jmh.annotations.Fork;
import org.openjdk.jmh.annotations.Measurement;
import org.openjdk.jmh.annotations.Mode;
import org.openjdk.jmh.annotations.OperationsPerInvocation;
import org.openjdk.jmh.annotations.OutputTimeUnit;
import org.openjdk.jmh.annotations.Param;
import org.openjdk.jmh.annotations.Scope;
import org.openjdk.jmh.annotations.Setup;
import org.openjdk.jmh.annotations.State;
import org.openjdk.jmh.annotations.Warmup;

/**
 * A packet of a known session, all that the device does with it, beside one successful lookup in a
 * plain table that holds the same headers. Both meet the same flows in the same random order.
 */
@State(Scope.Thread)
@BenchmarkMode(Mode.AverageTime)
@OutputTimeUnit(TimeUnit.NANOSECONDS)
@Fork(
    value = 2,
    jvmArgsAppend = {"-Xms6g", "-Xmx6g"})
@Warmup(iterations = 4, time = 2)
@Measurement(iterations = 6, time = 2)
public class EstablishedPacket {
  private static final int BATCH = 4096;

  /** How many sessions there are. */
  @Param({"10000", "1000000", "4000000"})
  public int sessions;

  private Edge edge = new Edge("192.0.2.64/26");
  private PlainTable table = new PlainTable(1);
  private long[] ends = new long[0];
  private int[] ports = new int[0];
  private Packet packet = Edge.packet(0);
  private int at;

  /** Opens the sessions. */
  @Setup
  public void open() {
    edge.open(0, sessions);
    table = new PlainTable(2 * sessions);
    ends = new long[sessions];
    ports = new int[sessions];
    Random random = new Random(20260105);
    int[] order = new int[sessions];
    for (int i = 0; i < sessions; i++) {
      int j = random.nextInt(i + 1);
      order[i] = order[j];
      order[j] = i;
    }
    for (int i = 0; i < sessions; i++) {
      Packet each = Edge.packet(order[i]);
      ends[i] = each.sourceLow << 32 | each.destinationLow;
      ports[i] = each.sourcePort << 16 | each.destinationPort;
      table.put(ends[i], kind(ports[i]), i + 1);
      table.put(Long.rotateLeft(ends[i], 32), kind(Integer.rotateLeft(ports[i], 16)), i + 1);
    }
  }

  private static long kind(int ports) {
    return 17L << 32 | (ports & 0xffff_ffffL);
  }

  /** One lookup in the plain table. */
  @Benchmark
  @OperationsPerInvocation(BATCH)
  public long lookup() {
    long sum = 0;
    int i = at;
    for (int n = 0; n < BATCH; n++) {
      i = i + 1 == ends.length ? 0 : i + 1;
      sum += table.get(ends[i], kind(ports[i]));
    }
    at = i;
    return sum;
  }

  /** One packet through the device. */
  @Benchmark
  @OperationsPerInvocation(BATCH)
  public long packet() {
    long sum = 0;
    int i = at;
    for (int n = 0; n < BATCH; n++) {
      i = i + 1 == ends.length ? 0 : i + 1;
      packet.sourceLow = ends[i] >>> 32;
      packet.destinationLow = ends[i] & 0xffff_ffffL;
      packet.sourcePort = ports[i] >>> 16;
      packet.destinationPort = ports[i] & 0xffff;
      packet.ttl = 64;
      edge.machine.arrive(packet, edge.inside, null);
      sum += packet.sourcePort;
    }
    at = i;
    return sum;
  }
}
