// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.bench;

import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import java.util.Random;
import java.util.concurrent.TimeUnit;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Site;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.eskerfield.program.DeviceProgram;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.walk.DeviceMachine;
import org.jspecify.annotations.Nullable;
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
 * The first packet of a flow through the device of a {@link LargeSite} with few and with many
 * rules: half of them come from the internet to offered addresses, half go out from hosts. All
 * sessions end after each measurement.
 */
@State(Scope.Thread)
@BenchmarkMode(Mode.SingleShotTime)
@OutputTimeUnit(TimeUnit.MICROSECONDS)
@Fork(2)
@Warmup(iterations = 40, batchSize = NewFlow.BATCH)
@Measurement(iterations = 60, batchSize = NewFlow.BATCH)
public class NewFlow {
  static final int BATCH = 1_000;

  private static final Address SOMEBODY = Address.ipv4(198, 51, 100, 200);

  /** How many access and translation rules there are. */
  @Param({"100/20", "10000/2000"})
  public String rules = "100/20";

  private record Edge(DeviceMachine machine, Interface outside, Interface inside) {}

  private @Nullable Edge edge;
  private final List<Packet> packets = new ArrayList<>();
  private int next;

  /** Reads the site, and draws the packets. */
  @Setup
  public void draw() throws Exception {
    String[] sizes = rules.split("/", -1);
    String text = LargeSite.of(Integer.parseInt(sizes[0]), Integer.parseInt(sizes[1]), 1);
    Site site = SiteReader.read("large", text);
    Device device = site.devices().values().iterator().next();
    VirtualClock clock = new VirtualClock(VirtualClock.start(site.timeZone()));
    Interface inside = device.interfaces().get(1);
    edge =
        new Edge(
            new DeviceMachine(DeviceProgram.compile(site, device), clock),
            device.interfaces().get(0),
            inside);
    List<Address> offered = new ArrayList<>();
    for (TranslationRule rule : device.translation()) {
      Prefix block = rule.block(Family.IPV4);
      if (block != null) {
        offered.add(block.first());
      }
    }
    List<Address> senders = new ArrayList<>();
    for (Host host : site.hosts().values()) {
      Address own = host.address(Family.IPV4);
      if (own != null && host.isOn(inside.network())) {
        senders.add(own);
      }
    }
    Random random = new Random(1);
    for (int i = 0; i < BATCH; i++) {
      boolean in = i % 2 == 0;
      Address to = in ? offered.get(random.nextInt(offered.size())) : SOMEBODY;
      Address from = in ? SOMEBODY : senders.get(random.nextInt(senders.size()));
      int port = in ? 1_000 + random.nextInt(20) : 443;
      packets.add(new Packet(from, 20_000 + i, to, port, Protocol.TCP, Icmp.NO_TYPE, Packet.SYN));
    }
  }

  /** Ends the sessions of the measurement before. */
  @Setup(Level.Iteration)
  public void forgetTheLast() {
    Objects.requireNonNull(edge).machine.state().clear();
    next = 0;
  }

  /** One packet that opens a flow. */
  @Benchmark
  public Object newFlow() {
    Packet packet = packets.get(next++ % BATCH);
    Edge at = Objects.requireNonNull(edge);
    Interface by = packet.source().equals(SOMEBODY) ? at.outside : at.inside;
    return at.machine.arrive(packet.copy(), by, null);
  }
}
