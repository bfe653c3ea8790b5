// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.capture;

import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.function.Consumer;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Network;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.packet.Size;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Question;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Transit;
import org.jspecify.annotations.Nullable;

/**
 * What some hosts and interfaces see of the packets of a run; to be handed to {@link Run#watch}.
 *
 * <p>Idea: who watches a run hears of each packet with every decision about it, and a frame at any
 * place follows from the header that it had there. The numbers of TCP are those of its ends; where
 * a gateway on the way changes the length of a text, they differ from there on by as much.
 */
public final class Capture implements Consumer<Transit> {
  /** A hop takes this long, in microseconds, so that frames have an order in time. */
  private static final long HOP = 200;

  /** The way across the internet takes this long, in microseconds. */
  private static final long ACROSS = 9_000;

  /**
   * A frame as it was seen somewhere.
   *
   * @param at when, in microseconds since 1970 in UTC
   * @param view the number of the viewpoint
   * @param leaves whether it was sent from there; else it arrived
   * @param frame the frame of Ethernet
   * @param remarks what was decided about it there, one each
   */
  @SuppressWarnings("ArrayRecordComponent") // nobody compares frames
  record Sighting(long at, int view, boolean leaves, byte[] frame, List<String> remarks) {}

  /** What one connection has sent so far; direction 0 is that of the one who began, 1 the other. */
  private static final class Numbers {
    private final long[] next = new long[2];
    private final long[] heard = new long[2];

    /** Whether the one who began has gone on or was refused: its next SYN begins another one. */
    private boolean over;

    /** How much longer texts are at a viewpoint than where they were sent, by direction. */
    private final Map<Integer, long[]> longer = new HashMap<>();

    void begin(int direction, long number) {
      next[direction] = number;
    }
  }

  private final Site site;
  private final List<Viewpoint> views;
  private final List<Sighting> sightings = new ArrayList<>();
  private final Map<Question, Numbers> connections = new HashMap<>();
  private final Hardware hardware;
  private @Nullable String asked;
  private long clock = Long.MIN_VALUE;
  private int packets;

  /**
   * A capture in which nothing has been seen yet.
   *
   * @param views where; empty for everywhere, as far as packets come there
   */
  public Capture(Site site, List<Viewpoint> views) {
    this.site = site;
    this.hardware = new Hardware(site);
    this.views = new ArrayList<>(views);
    this.everywhere = views.isEmpty();
  }

  private final boolean everywhere;

  /** Says that an attempt begins, at whatever time its run has, whose name lookups ask for. */
  public void begins(Attempt attempt) {
    clock = Long.MIN_VALUE;
    asked = attempt.name();
  }

  /** How many frames were seen. */
  public int size() {
    return sightings.size();
  }

  /** Where frames can have been seen, in the order of the file's interfaces. */
  public List<Viewpoint> views() {
    return List.copyOf(views);
  }

  /** The frames in the order of time. */
  List<Sighting> sightings() {
    List<Sighting> sorted = new ArrayList<>(sightings);
    sorted.sort(Comparator.comparingLong(Sighting::at));
    return sorted;
  }

  @Override
  public void accept(Transit packet) {
    Instant at = packet.at().toInstant();
    clock = Math.max(clock + HOP, ChronoUnit.MICROS.between(Instant.EPOCH, at));
    packets++;
    byte[] payload = Payloads.of(site, packet, asked);
    FrameWriter.Content content = content(packet, payload);
    List<Leg> legs = packet.legs();
    for (int i = 0; i < legs.size(); i++) {
      Leg leg = legs.get(i);
      if (i > 0) {
        clock += leg.kind() == Leg.Kind.INTERNET ? ACROSS : HOP;
        see(packet, leg, /* leaves= */ false, legs.get(i - 1), content);
      }
      if (i + 1 < legs.size()) {
        clock += HOP / 4;
        see(packet, leg, /* leaves= */ true, legs.get(i + 1), content);
      }
    }
  }

  private void see(
      Transit packet, Leg leg, boolean leaves, Leg neighbour, FrameWriter.Content content) {
    Interface own = leaves ? leg.leaving() : leg.arriving();
    List<Decision> decisions = leg.decisions();
    Header header =
        leaves ? decisions.get(decisions.size() - 1).after() : decisions.get(0).before();
    if (leg.kind() == Leg.Kind.INTERNET || (leg.kind() == Leg.Kind.DEVICE && own == null)) {
      return;
    }
    int view = viewOf(leg, own);
    if (view < 0) {
      return;
    }
    Network network = network(leg, own, neighbour, leaves);
    byte[] mine = hardware.of(leg, own, network);
    byte[] other =
        hardware.of(neighbour, leaves ? neighbour.arriving() : neighbour.leaving(), network);
    FrameWriter.Content here = at(view, packet, header, content, packet.isReply() ? 1 : 0);
    List<String> remarks = remarks(leg);
    for (byte[] frame :
        FrameWriter.frames(leaves ? mine : other, leaves ? other : mine, header, here)) {
      sightings.add(new Sighting(clock, view, leaves, frame, remarks));
    }
  }

  private int viewOf(Leg leg, @Nullable Interface own) {
    for (int i = 0; i < views.size(); i++) {
      Viewpoint view = views.get(i);
      boolean sameInterface =
          own == null
              ? view.own() == null
              : view.own() != null && view.own().name().equals(own.name());
      if (sameInterface && view.node().equals(leg.where())) {
        return i;
      }
    }
    if (!everywhere) {
      return -1;
    }
    views.add(new Viewpoint(leg.where(), own));
    return views.size() - 1;
  }

  /** The network between two neighbours; null on the internet. */
  private @Nullable Network network(
      Leg leg, @Nullable Interface own, Leg neighbour, boolean leaves) {
    if (own != null) {
      return own.network();
    }
    Interface theirs = leaves ? neighbour.arriving() : neighbour.leaving();
    if (theirs != null) {
      return theirs.network();
    }
    Host host = site.hosts().get(leg.where());
    Host other = site.hosts().get(neighbour.where());
    if (host != null && other != null) {
      for (Network each : host.networks()) {
        if (other.isOn(each)) {
          return each;
        }
      }
    }
    return null;
  }

  private static List<String> remarks(Leg leg) {
    List<String> remarks = new ArrayList<>();
    for (Decision decision : leg.decisions()) {
      Placed by = decision.by();
      String place = by == null || by.place().line() == 0 ? "" : " (" + by.place() + ")";
      remarks.add(leg.where() + " " + decision.text() + place);
    }
    return remarks;
  }

  // What TCP counts.

  private FrameWriter.Content content(Transit packet, byte[] payload) {
    Header sent = packet.sent();
    int identification = packets & 0xffff;
    int code = sent.icmpCode();
    Header counted = sent.inner() == null ? sent : sent.inner();
    if (counted.protocol() != Protocol.TCP) {
      return new FrameWriter.Content(identification, 0, 0, code, payload);
    }
    Numbers numbers = connections.computeIfAbsent(packet.question(), q -> new Numbers());
    if (sent.inner() != null) {
      long next = numbers.next[packet.isReply() ? 0 : 1];
      boolean opened = (counted.tcpFlags() & Packet.SYN) != 0;
      return new FrameWriter.Content(identification, opened ? next - 1 : next, 0, code, payload);
    }
    int direction = packet.isReply() ? 1 : 0;
    int flags = sent.tcpFlags();
    boolean syn = (flags & Packet.SYN) != 0;
    boolean fin = (flags & Packet.FIN) != 0;
    if (syn && (numbers.next[direction] == 0 || (numbers.over && direction == 0))) {
      long begin = initial(packet.question(), direction, numbers.next[direction]);
      numbers.over = false;
      numbers.begin(direction, begin);
      numbers.longer.clear();
      if (direction == 0) {
        numbers.begin(1, 0);
      }
    } else if (syn) {
      numbers.next[direction]--; // sent again
    }
    boolean reset = (flags & Packet.RST) != 0;
    long sequence = numbers.next[direction];
    numbers.over |= direction == 0 ? !syn && !reset : reset && sequence == 0;
    boolean sentAgain = sent.size() != null && !syn && !packet.arrived(); // and smaller
    numbers.next[direction] += sentAgain ? 0 : (syn || fin ? 1 : 0) + payload.length;
    if (packet.arrived() || packet.end().ruling() == Ruling.REPLY_DISCARDED) {
      numbers.heard[1 - direction] = numbers.next[direction];
    }
    return new FrameWriter.Content(
        identification, sequence, numbers.heard[direction], code, payload);
  }

  /** Where a direction of a connection begins to count: anywhere, but the same in each run. */
  private static long initial(Question question, int direction, long before) {
    if (before != 0) {
      return (before + 100_000) & 0xffffffffL;
    }
    String text = question.source() + " " + question.sourcePort() + " " + question.to();
    long mixed = text.hashCode() * 2654435761L + question.probe().port() * 40503L + direction;
    return (mixed & 0x7fffffffL) + 1;
  }

  /** The content as a viewpoint has it, where texts may have another length. */
  private static FrameWriter.Content at(
      Numbers numbers, int view, Header header, FrameWriter.Content sent, int direction) {
    long[] longer = numbers.longer.computeIfAbsent(view, v -> new long[2]);
    byte[] payload = header.payload() == null ? sent.payload() : Payloads.text(header.payload());
    FrameWriter.Content here =
        new FrameWriter.Content(
            sent.identification(),
            sent.sequence() + longer[direction],
            sent.acknowledgement() + longer[1 - direction],
            sent.icmpCode(),
            payload);
    longer[direction] += payload.length - sent.payload().length;
    return here;
  }

  private FrameWriter.Content at(
      int view, Transit packet, Header header, FrameWriter.Content sent, int direction) {
    Numbers numbers = connections.get(packet.question());
    Size size = header.size();
    Size before = packet.sent().size();
    if (size != null
        && before != null
        && size.identification()
            != before.identification()) { // a device has given it another identification
      return new FrameWriter.Content(size.identification(), 0, 0, sent.icmpCode(), sent.payload());
    }
    return numbers == null || header.inner() != null
        ? sent
        : at(numbers, view, header, sent, direction);
  }

  /**
   * Addresses of Ethernet: of hosts as the file says, else invented ones of a site's own (RFC
   * 9542).
   */
  private static final class Hardware {
    private final Site site;

    private final Map<String, byte[]> known = new LinkedHashMap<>();

    Hardware(Site site) {
      this.site = site;
    }

    byte[] of(Leg leg, @Nullable Interface own, @Nullable Network network) {
      String name =
          switch (leg.kind()) {
            case DEVICE -> leg.where() + " " + (own == null ? "" : own.name());
            case HOST -> leg.where() + (network == null ? "" : " " + network.name());
            case INTERNET -> "carrier of " + (network == null ? "the internet" : network.name());
          };
      Host host = leg.kind() == Leg.Kind.HOST ? site.hosts().get(leg.where()) : null;
      String told = host == null ? null : host.hardware();
      return known.computeIfAbsent(name, each -> told == null ? invented(each) : told(told));
    }

    private static byte[] told(String hardware) {
      Bytes bytes = new Bytes();
      for (String digits : hardware.split(":", -1)) {
        bytes.put8(Integer.parseInt(digits, 16));
      }
      return bytes.toArray();
    }

    private static byte[] invented(String name) {
      long mixed = 1125899906842597L;
      for (byte b : name.getBytes(StandardCharsets.UTF_8)) {
        mixed = 31 * mixed + b;
      }
      mixed ^= mixed >>> 23;
      return new Bytes().put16(0x0200 | ((int) (mixed >> 32) & 0xff)).put32(mixed).toArray();
    }
  }
}
