// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.bench;

import java.time.Duration;
import java.util.concurrent.TimeUnit;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.openjdk.jmh.annotations.Benchmark;
import org.openjdk.jmh.annotations.BenchmarkMode;
import org.openjdk.jmh.annotations.Fork;
import org.openjdk.jmh.annotations.Level;
import org.openjdk.jmh.annotations.Measurement;
import org.openjdk.jmh.annotations.Mode;
import org.openjdk.jmh.annotations.OutputTimeUnit;
import org.openjdk.jmh.annotations.Param;
import org.openjdk.jmh.annotations.Scope;
import org.openjdk.jmh.annotations.Setup;
import org.openjdk.jmh.annotations.State;
import org.openjdk.jmh.annotations.Warmup;

/**
 * A packet that needs a new binding on one shared address, when few and when nearly all of its
 * ports are in use. What is measured is the whole packet: every step, the binding, its session. The
 * bindings that a measurement makes end before the next one.
 */
@State(Scope.Thread)
@BenchmarkMode(Mode.SingleShotTime)
@OutputTimeUnit(TimeUnit.MICROSECONDS)
@Fork(2)
@Warmup(iterations = 60, batchSize = NewBinding.BATCH)
@Measurement(iterations = 100, batchSize = NewBinding.BATCH)
public class NewBinding {
  /** How many bindings one measurement makes: one in a hundred of the ports. */
  static final int BATCH = 640;

  private static final Address SERVER = Address.ipv4(203, 0, 113, 200);
  private static final int PORTS = 64_512;

  /** Per cent of the ports that are in use. */
  @Param({"5", "95"})
  public int inUse;

  private Edge edge = new Edge("192.0.2.64");
  private int next;

  private static Packet packet(int sender, int port) {
    Address source = Address.ipv4(10, 2, sender >>> 8, sender & 0xff);
    return new Packet(source, port, SERVER, 53, Protocol.TCP, Icmp.NO_TYPE, Packet.SYN);
  }

  /** Opens connections until so many ports are taken, spread over all of them. */
  @Setup
  public void fill() {
    int wanted = PORTS / 100 * inUse;
    for (int i = 0; i < wanted; i++) {
      int port = 1024 + (int) ((long) i * 40_503 % PORTS);
      Packet packet = packet(1 + i % 200, port);
      edge.open(packet);
      establish(packet);
    }
  }

  /** Completes a handshake, so that the connection outlives those that are measured. */
  private void establish(Packet opened) {
    edge.machine.arrive(
        new Packet(
            SERVER,
            53,
            opened.source(),
            opened.sourcePort,
            Protocol.TCP,
            Icmp.NO_TYPE,
            Packet.SYN | Packet.ACK),
        edge.outside,
        null);
  }

  /** Ends the bindings of the measurement before. */
  @Setup(Level.Iteration)
  public void forgetTheLast() {
    edge.machine.state().clear();
    fill();
    edge.clock.advance(Duration.ofMillis(1));
    next = 0;
  }

  /** One packet that needs a new binding; its port is often in use. */
  @Benchmark
  public Object newBinding() {
    next++;
    return edge.machine.arrive(
        packet(1_000 + next % 200, 1024 + (int) (next * 7_919L % PORTS)), edge.inside, null);
  }
}
