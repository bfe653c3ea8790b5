// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.state;

import java.util.Arrays;
import java.util.Set;
import java.util.function.Supplier;
import org.eskerfield.model.StateSettings;
import org.eskerfield.packet.KeyedHash;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;

/**
 * The sessions of a device as numbers: who speaks with whom, how far, until when.
 *
 * <p>Idea: a session is eight longs, one cache line. Four of them are the two headers by which its
 * packets are known, one for each direction, as they arrive. They say what becomes of a packet,
 * too: one that arrived with the header of one direction leaves with the other one's, ends swapped.
 * A <em>reference</em> is a session met in one direction: twice its number, plus 1 against the
 * opener. References are found by open addressing with linear probing, at most half full, as in
 * {@link Index}; the slots here are longs, from the top: 16 bits of the hash, the number of the way
 * that packets of the direction go, the reference plus one. So a packet of a known session costs
 * one slot and one record, and that is where the time goes once they are too many for the caches.
 *
 * <p>A header is two words, those of a {@link FlowKey}.
 */
final class SessionTable {
  static final int NONE = Index.NONE;

  // The words of a record.
  private static final int WORDS = 8;
  private static final int ENDS = 0;
  private static final int KIND = 1;
  private static final int BACK = 2; // ends and kind of the other direction
  private static final int EXPIRES = 4;
  private static final int TIMER = 5; // the word of the wheel
  private static final int SINCE = 6; // and the state below it
  private static final int USES = 7; // binding, rule for the destination, rule for the source

  /** Where the number of a way stands in a slot. */
  private static final long PATH = 0xffffL << 32;

  private static final int MOST_PATHS = 0x10000;

  /** How far an entry may lie from its home; by chance none comes so far. */
  private static final int FARTHEST = 256;

  /**
   * Where records begin, so that each lies in one cache line of 64 bytes behind the 16 of an array.
   */
  private static final int ORIGIN = 6;

  private long[] records = new long[ORIGIN + WORDS * 16];

  /** For each session the previous and the next use of its binding, each plus one. */
  private int[] links = new int[2 * 16];

  /** The same for a second binding that a session uses, and which; empty until one does. */
  private int[] secondLinks = new int[0];

  private int[] secondBindings = new int[0];

  private final Idle idle;
  private final Supplier<KeyedHash> keys;
  private final TimerWheel timers =
      new TimerWheel() {
        @Override
        long link(int session) {
          return records[base(session) + TIMER];
        }

        @Override
        void link(int session, long word) {
          records[base(session) + TIMER] = word;
        }
      };

  private KeyedHash keyed;
  private long[] slots = new long[32];

  /** The ways that packets go: what the machine notes, by number; 0 is none. */
  private int[] paths = new int[1];

  private int used;
  private int firstFree = NONE;
  private int count;

  /**
   * @param idle how long sessions live without being refreshed
   */
  SessionTable(Idle idle) {
    this(idle, KeyedHash::fresh);
  }

  /**
   * @param keys where a key is taken from, and another whenever too many sessions meet under it
   */
  SessionTable(Idle idle, Supplier<KeyedHash> keys) {
    this.idle = idle;
    this.keys = keys;
    this.keyed = keys.get();
  }

  private static int base(int session) {
    return ORIGIN + WORDS * session;
  }

  // Lookup.

  private long hash(long ends, long kind) {
    return keyed.of(ends, kind);
  }

  /** The session in the direction of packets with this header; {@link #NONE} if there is none. */
  int find(FlowKey key) {
    return (int) slots[slotOf(key.ends(), key.kind())] - 1;
  }

  /** The slot of a header; an empty one if it has none. */
  private int slotOf(long ends, long kind) {
    long[] all = slots;
    long hash = hash(ends, kind);
    int mask = all.length - 1;
    for (int at = (int) hash & mask; ; at = (at + 1) & mask) {
      long slot = all[at];
      if (slot == 0 || ((slot ^ hash) >>> 48 == 0 && is((int) slot - 1, ends, kind))) {
        return at;
      }
    }
  }

  private boolean is(int reference, long ends, long kind) {
    long[] words = records;
    int at = base(reference >> 1) + (reference & 1) * BACK;
    return words[at] == ends && words[at + KIND] == kind;
  }

  private void enter(int reference) {
    while (!put(reference, 0)) {
      keyed = keys.get();
      rebuild(slots.length);
    }
  }

  /**
   * Puts an entry into the first empty slot from its home on; false if there is none as far as
   * entries may lie.
   *
   * @param path the number of the way, where it stands in a slot
   */
  private boolean put(int reference, long path) {
    long hash = hash(ends(reference), kind(reference));
    int mask = slots.length - 1;
    int home = (int) hash & mask;
    int end = (home + FARTHEST) & mask; // in a table of fewer slots, once round
    int at = home;
    while (slots[at] != 0) {
      at = (at + 1) & mask;
      if (at == end) {
        return false;
      }
    }
    slots[at] = (hash >>> 48 << 48) | path | (reference + 1);
    return true;
  }

  private int homeOf(int reference) {
    return (int) hash(ends(reference), kind(reference)) & (slots.length - 1);
  }

  private void rebuild(int size) {
    long[] old = slots;
    slots = new long[size];
    for (int i = 0; i < old.length; i++) {
      if (old[i] != 0 && !put((int) old[i] - 1, old[i] & PATH)) {
        keyed = keys.get(); // and from the beginning: the slots so far are of the other key
        Arrays.fill(slots, 0);
        i = -1;
      }
    }
  }

  /** Takes a reference out, and closes the gap as {@link Index} does, but round the end. */
  private void leave(int reference) {
    int mask = slots.length - 1;
    int gap = homeOf(reference);
    while ((int) slots[gap] != reference + 1) {
      gap = (gap + 1) & mask;
    }
    for (int at = (gap + 1) & mask; slots[at] != 0; at = (at + 1) & mask) {
      int home = homeOf((int) slots[at] - 1);
      if (((at - home) & mask) >= ((at - gap) & mask)) {
        slots[gap] = slots[at];
        gap = at;
      }
    }
    slots[gap] = 0;
  }

  /**
   * All that becomes of an IPv4 packet of a known session that comes by the interface that was
   * noted: lookup, both rewrites, refresh. Written out in one piece, since packets take this way
   * far more often than any other; everything of a record lies in one cache line.
   *
   * @param realm the realm of the packet, as in a kind
   * @param arriving what is noted of the interface
   * @return what is noted of the way on; 0 if the packet is to go the long way, and is as it was
   */
  int pass(Packet packet, long realm, int arriving, long now) {
    long ends = packet.sourceLow << 32 | packet.destinationLow;
    int protocol = packet.protocol;
    long kind =
        realm | (long) protocol << 32 | (long) packet.sourcePort << 16 | packet.destinationPort;
    long slot = slots[slotOf(ends, kind)];
    int path = paths[(int) (slot >>> 32) & 0xffff];
    if (path >>> 16 != arriving) {
      return 0; // by another interface, not seen to the end before, or no session at all
    }
    int reference = (int) slot - 1;
    long[] words = records;
    int at = base(reference >> 1);
    if (protocol == Protocol.TCP) {
      if ((packet.tcpFlags & Packet.SYN) != 0) {
        return 0; // perhaps a new flow between the same ends
      }
      saw(reference, protocol, packet.tcpFlags, now);
    } else {
      refresh(reference, at, now);
    }
    int back = at + (~reference & 1) * BACK;
    long backEnds = words[back];
    int backPorts = (int) words[back + KIND];
    packet.sourceLow = backEnds & 0xffff_ffffL;
    packet.destinationLow = backEnds >>> 32;
    packet.sourcePort = backPorts & 0xffff;
    packet.destinationPort = backPorts >>> 16;
    return path & 0xffff;
  }

  /** What packets of a direction are known by, as they arrive. */
  FlowKey key(int reference) {
    return new FlowKey(ends(reference), kind(reference));
  }

  private long ends(int reference) {
    return records[base(reference >> 1) + (reference & 1) * BACK + ENDS];
  }

  private long kind(int reference) {
    return records[base(reference >> 1) + (reference & 1) * BACK + KIND];
  }

  /** Notes the way of packets of a direction: their interface, and below it the way on. */
  void notePath(int reference, int path) {
    int number = 1;
    while (number < paths.length && paths[number] != path) {
      number++;
    }
    if (number == MOST_PATHS) {
      return; // too many to note; these packets go the long way
    }
    if (number == paths.length) {
      paths = Arrays.copyOf(paths, number + 1);
      paths[number] = path;
    }
    int at = slotOf(ends(reference), kind(reference));
    slots[at] = (slots[at] & ~PATH) | (long) number << 32;
  }

  int binding(int session) {
    return (int) (records[base(session) + USES] >>> 32) - 1;
  }

  /** The number of the rule that changed the destination; 0 for none. */
  int destinationRule(int session) {
    return (int) (records[base(session) + USES] >>> 16) & 0xffff;
  }

  /** The number of the rule that changed the source; 0 for none. */
  int sourceRule(int session) {
    return (int) records[base(session) + USES] & 0xffff;
  }

  long since(int session) {
    return records[base(session) + SINCE] >>> SessionState.BITS;
  }

  /** The first millisecond at which it is gone. */
  long expires(int session) {
    return records[base(session) + EXPIRES];
  }

  int count() {
    return count;
  }

  /** The first session from this number on; {@link #NONE} if none follows. */
  int nextLive(int from) {
    for (int session = from; session < used; session++) {
      if (expires(session) > 0) {
        return session;
      }
    }
    return NONE;
  }

  // Change.

  /**
   * What made a session.
   *
   * @param binding the binding that it uses, or {@link #NONE}
   * @param destinationRule the number of the rule that changed the destination; 0 for none
   * @param sourceRule the number of the rule that changed the source; 0 for none
   */
  record Made(int binding, int destinationRule, int sourceRule) {}

  /**
   * Records a session whose headers are in here in neither direction.
   *
   * @param settings the number of its idle times
   * @param refreshing which side refreshes it: {@link SessionState#OPENER}, {@link
   *     SessionState#OTHER} or {@link SessionState#EITHER}
   * @return its number
   */
  int record(FlowKey there, FlowKey back, Made made, int settings, int refreshing, long now) {
    int session = firstFree;
    if (session != NONE) {
      firstFree = -2 - (int) expires(session);
    } else {
      session = used++;
      if (base(used) > records.length) {
        records = Arrays.copyOf(records, ORIGIN + 2 * (records.length - ORIGIN));
        links = Arrays.copyOf(links, 2 * links.length);
      }
    }
    int number = idle.numberFor(settings, there.protocol());
    long state = SessionState.withIdle(refreshing, number);
    int at = base(session);
    records[at + ENDS] = there.ends();
    records[at + KIND] = there.kind();
    records[at + BACK + ENDS] = back.ends();
    records[at + BACK + KIND] = back.kind();
    records[at + EXPIRES] = now + idle.millis(number);
    records[at + SINCE] = now << SessionState.BITS | state;
    records[at + USES] =
        (long) (made.binding + 1) << 32 | (long) made.destinationRule << 16 | made.sourceRule;
    count++;
    if (4 * count > slots.length) {
      rebuild(2 * slots.length);
    }
    enter(2 * session);
    enter(2 * session + 1);
    timers.set(session, records[at + EXPIRES]);
    return session;
  }

  /** What a session that goes on is: its marks, and its times. */
  void goOn(int session, Set<DeviceSnapshot.Mark> marks, long since, long expires) {
    int at = base(session);
    int state = SessionState.of(marks);
    int number = SessionState.idle(state(at));
    number = SessionState.isOpen(state) ? idle.numberForTcp(number, true) : number;
    records[at + SINCE] = since << SessionState.BITS | SessionState.withIdle(state, number);
    records[at + EXPIRES] = expires;
    timers.cancel(session);
    timers.set(session, expires);
  }

  /** What is told of a session besides its ends and times. */
  Set<DeviceSnapshot.Mark> marks(int session) {
    return SessionState.marks(state(base(session)));
  }

  /** How long a session lives without being refreshed. */
  StateSettings.Timers timersOf(int session) {
    return idle.timers(SessionState.idle(state(base(session))));
  }

  /** Removes a session. */
  void remove(int session) {
    timers.cancel(session);
    erase(session);
  }

  private void erase(int session) {
    leave(2 * session);
    leave(2 * session + 1);
    count--;
    records[base(session) + EXPIRES] = -2L - firstFree; // free ones are chained where the time was
    firstFree = session;
  }

  /**
   * Takes note of a packet of the session that leaves. A reset never refreshes, it only shortens
   * what is left; the next segment that is none shows that both ends talk on, and undoes it (RFC
   * 7857 section 2.2, RFC 6146 section 3.5.2). Everything else of TCP refreshes, from either side
   * (RFC 5382 REQ-5).
   */
  void saw(int reference, int protocol, int tcpFlags, long now) {
    int at = base(reference >> 1);
    if (protocol != Protocol.TCP) {
      refresh(reference, at, now);
      return;
    }
    int state = state(at);
    boolean reset = (tcpFlags & Packet.RST) != 0;
    int after = SessionState.after(state, tcpFlags, (reference & 1) != 0);
    int number = SessionState.idle(state);
    if (!reset) {
      number = idle.numberForTcp(number, SessionState.isOpen(after));
      after = SessionState.withIdle(after, number);
    }
    long expires = now + idle.millis(reset ? idle.numberForTcp(number, false) : number);
    records[at + EXPIRES] = reset ? Math.min(records[at + EXPIRES], expires) : expires;
    if (after != state) {
      records[at + SINCE] += after - state;
      timers.cancel(reference >> 1); // it may have to end before the timer was set to ring
      timers.set(reference >> 1, records[at + EXPIRES]);
    }
  }

  /** Whether a TCP connection is over, so that its opener may begin anew: two FINs, or a reset. */
  boolean isOver(int session) {
    return SessionState.isOver(state(base(session)));
  }

  /** Marks a session that is expected, of which no packet has come yet. */
  void expect(int session) {
    records[base(session) + SINCE] |= SessionState.EXPECTED;
  }

  /** Whether a session is expected, and no packet of it has come yet. */
  boolean isExpected(int session) {
    return (state(base(session)) & SessionState.EXPECTED) != 0;
  }

  /** Notes whether an endpoint of a session is counted: 0 for the first, 1 for the second. */
  void count(int session, int which, boolean counted) {
    int at = base(session) + SINCE;
    long bit = (long) SessionState.COUNTED << which;
    records[at] = counted ? records[at] | bit : records[at] & ~bit;
  }

  /** Whether an endpoint of a session is counted. */
  boolean isCounted(int session, int which) {
    return (records[base(session) + SINCE] & (long) SessionState.COUNTED << which) != 0;
  }

  private int state(int at) {
    return (int) records[at + SINCE] & ((1 << SessionState.BITS) - 1);
  }

  private void refresh(int reference, int at, long now) {
    int state = state(at);
    if (SessionState.refreshes(state, reference)) {
      records[at + EXPIRES] = now + idle.millis(SessionState.idle(state));
    }
  }

  /** Takes a TCP connection that was met in its middle for an open one. */
  void takeForEstablished(int session, long now) {
    int at = base(session);
    int state = state(at);
    int number = idle.numberForTcp(SessionState.idle(state), true);
    int open = SessionState.withIdle(SessionState.established(state), number);
    records[at + SINCE] += open - state;
    records[at + EXPIRES] = now + idle.millis(number);
  }

  /** Lets time go on; hears of each session that ends, when it has left the index. */
  void advance(long to, TimerWheel.Listener ended) {
    timers.advance(
        to,
        (session, now) -> {
          if (expires(session) > now) {
            timers.set(session, expires(session));
          } else {
            erase(session);
            ended.mayBeDue(session, now);
          }
        });
  }

  /** Removes every session. */
  void forget() {
    slots = new long[32];
    timers.clear();
    used = 0;
    firstFree = NONE;
    count = 0;
    Arrays.fill(secondBindings, 0);
  }

  /** Forgets what is noted of the ways of all sessions. */
  void forgetPaths() {
    for (int at = 0; at < slots.length; at++) {
      slots[at] &= ~PATH;
    }
    paths = new int[1];
  }

  // Uses of bindings. A use is a number: twice that of the session, plus 1 for its second binding.

  /** Adds a second binding to a session that has one; either side refreshes it then. */
  void useSecond(int session, int binding) {
    records[base(session) + SINCE] |= SessionState.EITHER;
    if (session >= secondBindings.length) {
      secondBindings = Arrays.copyOf(secondBindings, links.length / 2);
      secondLinks = Arrays.copyOf(secondLinks, links.length);
    }
    secondBindings[session] = binding + 1;
  }

  /** The second binding of a session; {@link #NONE} if it has none. */
  int secondBinding(int session) {
    return session < secondBindings.length ? secondBindings[session] - 1 : NONE;
  }

  /** Forgets the second binding of a session. */
  void forgetSecond(int session) {
    secondBindings[session] = 0;
  }

  private int[] linksOf(int use) {
    return (use & 1) == 0 ? links : secondLinks;
  }

  /** Puts a use before the first one of its binding; it is the first one then. */
  void link(int use, int first) {
    linksOf(use)[use & ~1] = 0;
    linksOf(use)[use | 1] = first + 1;
    if (first != NONE) {
      linksOf(first)[first & ~1] = use + 1;
    }
  }

  /** Takes a use out, and returns the first one of the binding then; {@link #NONE} for none. */
  int unlink(int use, int first) {
    int before = linksOf(use)[use & ~1] - 1;
    int after = nextUse(use);
    if (after != NONE) {
      linksOf(after)[after & ~1] = before + 1;
    }
    if (before == NONE) {
      return after;
    }
    linksOf(before)[before | 1] = after + 1;
    return first;
  }

  /** The next use of the same binding; {@link #NONE} if it is the last. */
  int nextUse(int use) {
    return linksOf(use)[use | 1] - 1;
  }
}
