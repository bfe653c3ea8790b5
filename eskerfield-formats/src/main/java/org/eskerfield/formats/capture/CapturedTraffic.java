// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.capture;

import java.io.IOException;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.capture.CapturedPacket.Direction;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.KeyedHash;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Size;
import org.eskerfield.program.DeviceProgram;
import org.eskerfield.program.SiteProgram;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Trace;
import org.jspecify.annotations.Nullable;

/**
 * The packets of a capture that came into a site where they were captured: at an interface of a
 * device those that arrived, at a host those that it sent. The rest is what the site made of them,
 * and is left out.
 */
public final class CapturedTraffic implements AutoCloseable {
  /**
   * A packet that comes in.
   *
   * @param at when it was captured
   * @param where by which interface it arrived, or which host sent it
   * @param packet its headers
   * @param isFirst whether it is the first one of its flow
   * @param flow the number of its flow, from 1; 0 where more flows were begun than are remembered
   * @param bytes how long it is, its IP header included; -1 if unknown
   * @param isBack whether it left there, in answer to a flow that came in: it is not sent, but
   *     counts for the flow
   * @param announced what servers announced since the packet before: where they wait for the data
   *     connections of file transfers; often empty
   */
  public record Arrival(
      Instant at,
      Viewpoint where,
      Packet packet,
      boolean isFirst,
      long flow,
      int bytes,
      boolean isBack,
      List<Packet> announced) {
    /** Copies the list. */
    public Arrival {
      announced = List.copyOf(announced);
    }

    /** Lets it come in now. */
    public Trace happen(Run run) {
      Interface own = where.own();
      Device device = run.site().devices().get(where.node());
      if (own == null || device == null) {
        announced.forEach(each -> run.announce(null, null, each));
        return run.send(packet.copy());
      }
      Interface now =
          device.interfaces().stream()
              .filter(each -> each.name().equals(own.name()))
              .findFirst()
              .orElse(own);
      announced.forEach(each -> run.announce(device, now, each));
      return run.arrive(device, now, packet.copy());
    }
  }

  /** How many flows are remembered; traffic with more of them counts some twice. */
  private static final int MOST_FLOWS = 2_000_000;

  private static final int MOST_ANNOUNCED = 1000;
  private static final String LEFT = "that left there";
  private static final String ANSWERS = "that answer what left there";

  private final Site site;
  private final CaptureReader reader;
  private final @Nullable Viewpoint where;
  private final boolean sizes;
  private final Map<String, Viewpoint> named = new HashMap<>();
  private final Map<String, DeviceProgram> programs = new HashMap<>();
  private final Set<String> seenAt = new LinkedHashSet<>();
  private final Map<Flow, Long> begun = new HashMap<>();
  private final Set<Flow> left = new HashSet<>();
  private final Map<String, Long> notSent = new LinkedHashMap<>();
  private List<Packet> announced = new ArrayList<>();

  /**
   * The traffic of a capture.
   *
   * @param where where it was captured; null where the file names its interfaces as the site does:
   *     {@code skerry uplink}
   */
  public CapturedTraffic(Site site, CaptureReader reader, @Nullable Viewpoint where) {
    this.site = site;
    this.reader = reader;
    this.where = where;
    this.sizes = SiteProgram.saysSizes(site);
    for (Host host : site.hosts().values()) {
      named.put(host.name(), new Viewpoint(host.name(), null));
    }
    for (Device device : site.devices().values()) {
      for (Interface own : device.interfaces()) {
        Viewpoint view = new Viewpoint(device.name(), own);
        named.put(view.toString(), view);
      }
    }
  }

  /**
   * The next packet that comes in; null at the end.
   *
   * @throws UnreadableCaptureException if the file is damaged or ends in the middle
   * @throws UnusableQuestionException if the place of capture is not clear
   * @throws IOException if the file cannot be read
   */
  public @Nullable Arrival next()
      throws UnreadableCaptureException, UnusableQuestionException, IOException {
    for (CapturedPacket each = reader.next(); each != null; each = reader.next()) {
      if (where != null && each.place() != null && named.containsKey(each.place())) {
        if (!where.toString().equals(each.place())) {
          skip("captured elsewhere");
          continue;
        }
      }
      Viewpoint view = viewOf(each);
      Packet packet = each.packet();
      if (packet == null) {
        skip(String.valueOf(each.skipped()));
        continue;
      }
      int bytes = bytes(packet.size);
      packet.size = size(packet.size, view.own());
      Flow flow = Flow.of(packet);
      if (leaves(view, each.direction(), packet)) {
        Flow answered = mirrored(packet);
        if (left.size() < MOST_FLOWS) {
          left.add(answered);
        }
        if (packet.payload != null && announced.size() < MOST_ANNOUNCED) {
          announced.add(packet);
        }
        skip(LEFT);
        Long number = packet.inner == null ? begun.get(answered) : null;
        if (number != null) {
          return new Arrival(each.at(), view, packet, false, number, bytes, true, List.of());
        }
      } else if (left.contains(flow) && !begun.containsKey(flow)) {
        skip(ANSWERS);
      } else {
        return arrival(each, view, packet, flow, bytes);
      }
    }
    return null;
  }

  private Arrival arrival(
      CapturedPacket each, Viewpoint view, Packet packet, Flow flow, int bytes) {
    Long known = begun.get(flow);
    boolean isFirst = known == null && begun.size() < MOST_FLOWS;
    long number = isFirst ? begun.size() + 1L : known == null ? 0 : known;
    if (isFirst) {
      begun.put(flow, number);
    }
    List<Packet> before = announced;
    announced = new ArrayList<>();
    return new Arrival(each.at(), view, packet, isFirst, number, bytes, false, before);
  }

  private static int bytes(@Nullable Size size) {
    if (size == null || size.fragments().isEmpty()) {
      return size == null ? -1 : size.length();
    }
    return size.fragments().stream().mapToInt(Size.Fragment::length).sum();
  }

  /**
   * How large a packet was: where the site says nothing of sizes, only fragments need know. What
   * was captured in a computer may be longer than its link takes: the network card cuts it.
   */
  private @Nullable Size size(@Nullable Size read, @Nullable Interface own) {
    if (read == null || !read.fragments().isEmpty()) {
      return read;
    }
    if (!sizes) {
      return null;
    }
    int most = own == null ? Size.USUAL_MTU : own.linkMtu();
    return read.length() <= most ? read : read.ofLength(most);
  }

  /** How many packets were not sent, by reason, in words that follow on a number. */
  public Map<String, Long> notSent() {
    return new LinkedHashMap<>(notSent);
  }

  /** Closes the file. */
  @Override
  public void close() throws IOException {
    reader.close();
  }

  private void skip(String why) {
    notSent.merge(why, 1L, Long::sum);
  }

  private Viewpoint viewOf(CapturedPacket packet) throws UnusableQuestionException {
    if (where != null) {
      return where;
    }
    Viewpoint view = packet.place() == null ? null : named.get(packet.place());
    if (view == null) {
      throw new UnusableQuestionException(
          "arriving",
          packet.place() == null
              ? "the file does not say where packet " + packet.number() + " was captured"
              : "the file says that packet "
                  + packet.number()
                  + " was captured at '"
                  + packet.place()
                  + "', which the site does not have",
          remedy());
    }
    seenAt.add(view.toString());
    if (seenAt.size() > 1) {
      throw new UnusableQuestionException(
          "arriving",
          "the packets were captured at several places, and would be sent once for each: "
              + String.join(", ", seenAt),
          remedy());
    }
    return view;
  }

  private String remedy() {
    return "say it with --arriving, such as --arriving " + example();
  }

  private String example() {
    for (String seen : seenAt) {
      return "'" + seen + "'";
    }
    for (Device device : site.devices().values()) {
      return "'" + new Viewpoint(device.name(), device.interfaces().get(0)) + "'";
    }
    return "'edge uplink'";
  }

  /** Whether a packet is one that the site has sent on, rather than one that came in. */
  private boolean leaves(Viewpoint view, Direction direction, Packet packet) {
    Interface own = view.own();
    Address source = packet.source();
    if (own == null) {
      Host host = site.hosts().get(view.node());
      return host == null || !host.addresses().contains(source);
    }
    if (direction != Direction.UNKNOWN) {
      return direction == Direction.OUTBOUND;
    }
    Device device = site.devices().get(view.node());
    if (device == null) {
      return false;
    }
    DeviceProgram program =
        programs.computeIfAbsent(view.node(), name -> DeviceProgram.compile(site, device));
    boolean isOwn =
        device.interfaces().stream().anyMatch(each -> each.addresses().contains(source));
    Interface back = program.towards(source);
    Address to = packet.destination();
    boolean isForDevice =
        program.answersOn(own.network(), to)
            || device.interfaces().stream().anyMatch(each -> each.addresses().contains(to));
    // Nobody hands a device what is for its neighbour on the same network: the device sent that.
    boolean isForNeighbour = own.network().prefixOf(to) != null && !isForDevice;
    return isOwn
        || isForNeighbour
        || program.names(source, own.network().realm())
        || (back != null && !back.name().equals(own.name()));
  }

  /** What makes packets of one flow: its header, and whether they are errors about it. */
  private record Flow(
      int protocol,
      Address source,
      int sourcePort,
      Address destination,
      int destinationPort,
      boolean isError) {
    private static final KeyedHash KEYED = KeyedHash.fresh();

    static Flow of(Packet packet) {
      Packet seen = packet.inner == null ? packet : packet.inner;
      return new Flow(
          seen.protocol,
          seen.source(),
          seen.sourcePort,
          seen.destination(),
          seen.destinationPort,
          packet.inner != null);
    }

    /** Captures come from strangers: whoever chose the ports does not choose the hash. */
    @Override
    public int hashCode() {
      long between = KEYED.of(source.hashCode(), destination.hashCode());
      long ports = (long) sourcePort << 32 | (long) destinationPort << 16 | protocol;
      return (int) KEYED.of(between, isError ? ~ports : ports);
    }
  }

  /** The flow of the answers to a packet. */
  private static Flow mirrored(Packet packet) {
    Packet mirror = packet.copy();
    mirror.inner = null;
    mirror.rewriteSource(packet.destination(), packet.destinationPort);
    mirror.rewriteDestination(packet.source(), packet.sourcePort);
    return Flow.of(mirror);
  }
}
