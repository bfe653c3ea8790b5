// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.state;

import static org.assertj.core.api.Assertions.assertThat;
import static org.eskerfield.Numbers.a;

import java.util.ArrayList;
import java.util.BitSet;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.Set;
import java.util.TreeMap;
import java.util.function.Supplier;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import org.eskerfield.model.StateSettings;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressRange;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.KeyedHash;
import org.eskerfield.packet.Protocol;
import org.junit.jupiter.api.Test;

/** The structures below the tables, each against the plainest thing that does the same. */
class StructuresTest {
  /** An index of records whose keys are few and whose hashes clash. */
  private static final class Words extends Index {
    final Map<Integer, Long> keys = new HashMap<>();
    final int clash;

    Words(int clash) {
      this(clash, KeyedHash::fresh);
    }

    Words(int clash, Supplier<KeyedHash> keyed) {
      super(keyed);
      this.clash = clash;
    }

    private int hash(long key) {
      return hash(key % clash, 7);
    }

    @Override
    int hashOf(int record) {
      return hash(keys.get(record));
    }

    int find(long key) {
      int hash = hash(key);
      for (int slot = start(hash); ; slot = next(slot)) {
        int record = at(slot, hash);
        if (record == NONE || (record != OTHER && keys.get(record) == key)) {
          return record;
        }
      }
    }
  }

  @Property(tries = 40, seed = "20260105")
  void anIndexFindsWhatIsInItAndNothingElse(@ForAll long seed) {
    Random random = new Random(seed);
    Words index = new Words(random.nextBoolean() ? Integer.MAX_VALUE : 3);
    Map<Long, Integer> plain = new HashMap<>();
    List<Integer> free = new ArrayList<>();
    int used = 0;
    for (int i = 0; i < 3_000; i++) {
      long key = random.nextInt(60);
      Integer record = plain.get(key);
      assertThat(index.find(key)).isEqualTo(record == null ? Index.NONE : record);
      if (record == null) {
        record = free.isEmpty() ? used++ : free.remove(free.size() - 1);
        index.keys.put(record, key);
        index.add(record);
        plain.put(key, record);
      } else if (random.nextInt(4) > 0) {
        index.remove(record);
        plain.remove(key);
        free.add(record);
      }
      if (random.nextInt(1_000) == 0) {
        index.clear();
        plain.clear();
        free.clear();
        used = 0;
      }
    }
  }

  @Test
  void anIndexGrowsToAnySize() {
    Words index = new Words(Integer.MAX_VALUE);
    for (int i = 0; i < 100_000; i++) {
      index.keys.put(i, (long) i * i);
      index.add(i);
    }
    for (int i = 0; i < 100_000; i += 2) {
      index.remove(i);
    }
    for (int i = 0; i < 100_000; i++) {
      assertThat(index.find((long) i * i)).isEqualTo(i % 2 == 0 ? Index.NONE : i);
    }
  }

  /** Words that were chosen to meet under a multiplication that everybody knows. */
  private static long meets(long other) {
    return 0x20010db8_00000001L ^ (other * 0x9e3779b97f4a7c15L);
  }

  @Test
  void addressesThatWereChosenToMeetTakeNoMoreRoomThanOthers() {
    AddressNumbers numbers = new AddressNumbers();
    for (long low = 1; low <= 5_000; low++) {
      assertThat(numbers.use(meets(low), low)).isEqualTo(low - 1);
    }
    for (long low = 1; low <= 5_000; low++) {
      assertThat(numbers.find(meets(low), low)).isEqualTo(low - 1);
    }
  }

  /** The second word of this index is always 7: masked with 7, it leaves nothing to multiply. */
  @Test
  void anIndexUnderWhoseKeyAllMeetTakesAnother() {
    KeyedHash poor = new KeyedHash(0, 7);
    List<KeyedHash> keys = new ArrayList<>(List.of(poor, poor, KeyedHash.fresh()));
    Words index = new Words(Integer.MAX_VALUE, () -> keys.remove(0));
    for (int i = 0; i < 500; i++) {
      index.keys.put(i, (long) i);
      index.add(i);
    }
    for (int i = 0; i < 500; i++) {
      assertThat(index.find(i)).isEqualTo(i);
    }
    assertThat(keys).isEmpty();
  }

  @Test
  void sessionsUnderWhoseKeyAllMeetGetAnother() {
    long above = FlowKey.above(0, false, Protocol.UDP);
    FlowKey some = FlowKey.of(0, 5060, 7, 53, above);
    KeyedHash poor = new KeyedHash(0, some.kind()); // nothing to multiply is left of this kind
    List<KeyedHash> keys = new ArrayList<>(List.of(poor, poor, KeyedHash.fresh()));
    Idle idle = new Idle();
    int settings = idle.settings(StateSettings.OF_THE_RFCS.timers());
    SessionTable sessions = new SessionTable(idle, () -> keys.remove(0));
    int most = 1_000;
    for (int i = 0; i < most; i++) {
      FlowKey there = FlowKey.of(i, 5060, 7, 53, above);
      SessionTable.Made nothing = new SessionTable.Made(Index.NONE, 0, 0);
      int made = sessions.record(there, there.swapped(), nothing, settings, SessionState.EITHER, 0);
      assertThat(made).isEqualTo(i);
      sessions.notePath(2 * i, 0x10002);
    }
    for (int i = 0; i < most; i++) {
      FlowKey there = FlowKey.of(i, 5060, 7, 53, above);
      assertThat(sessions.find(there)).isEqualTo(2 * i);
      assertThat(sessions.find(there.swapped())).isEqualTo(2 * i + 1);
    }
    assertThat(keys).isEmpty();
  }

  @Property(tries = 60, seed = "20260105")
  void timersRingAtTheirTimeAndInOrder(@ForAll long seed) {
    Random random = new Random(seed);
    Map<Integer, Long> words = new HashMap<>();
    TimerWheel wheel =
        new TimerWheel() {
          @Override
          long link(int timer) {
            return words.get(timer);
          }

          @Override
          void link(int timer, long word) {
            words.put(timer, word);
          }
        };
    Map<Integer, Long> due = new TreeMap<>();
    List<Integer> rung = new ArrayList<>();
    long now = 0;
    for (int i = 0; i < 400; i++) {
      int timer = random.nextInt(40);
      long span = 1L << random.nextInt(36);
      if (!due.containsKey(timer)) {
        due.put(timer, now + 1 + (long) (random.nextDouble() * span));
        wheel.set(timer, due.get(timer));
      } else if (random.nextInt(3) == 0) {
        wheel.cancel(timer);
        due.remove(timer);
      } else {
        due.put(timer, due.get(timer) + random.nextInt(100_000)); // put off without a word
      }
      long to = now + (long) (random.nextDouble() * (1L << random.nextInt(30)));
      rung.clear();
      wheel.advance(
          to,
          (each, moment) -> {
            assertThat(due).containsKey(each);
            if (due.get(each) > moment) {
              wheel.set(each, due.get(each));
              return;
            }
            assertThat(moment).isEqualTo(due.get(each)); // to the millisecond
            rung.add(each);
          });
      List<Long> times = rung.stream().map(due::get).toList();
      assertThat(times).isSorted();
      rung.forEach(due::remove);
      now = to;
      long until = now;
      assertThat(due.values()).allMatch(time -> time > until);
    }
    wheel.clear();
    wheel.advance(Long.MAX_VALUE >>> 20, (each, moment) -> assertThat(each).isNull());
  }

  /** The next free port from one on, round the end of its range, looked for one by one. */
  private static int nextPlainly(BitSet busy, int wanted, int first, int last, boolean parity) {
    int count = last - first + 1;
    int from = Math.min(Math.max(wanted, first), last);
    for (int step = 0; step < count; step++) {
      int port = first + (from - first + step) % count;
      if (!busy.get(port) && (!parity || port % 2 == wanted % 2)) {
        return port;
      }
    }
    return parity ? nextPlainly(busy, wanted, first, last, false) : Index.NONE;
  }

  private static int choosePlainly(BitSet busy, int wanted, boolean parity, boolean fallback) {
    boolean low = wanted < 1024;
    int port = nextPlainly(busy, wanted, low ? 0 : 1024, low ? 1023 : 65535, parity);
    if (port == Index.NONE && fallback) {
      int other = low ? wanted + 1024 : wanted;
      port = nextPlainly(busy, other, low ? 1024 : 0, low ? 65535 : 1023, parity);
    }
    return port;
  }

  @Property(tries = 30, seed = "20260105")
  void aPortIsTheNextFreeOneOfItsRangeAndParity(@ForAll long seed) {
    Random random = new Random(seed);
    BitSet claims = new BitSet();
    claims.set(0);
    claims.set(1024, 65536 - 300); // little room, so that it runs out
    claims.clear(20_000 + random.nextInt(100));
    claims.set(40 + random.nextInt(50), 1000);
    PortSpace space = new PortSpace(0, claims);
    BitSet busy = (BitSet) claims.clone();
    Map<Integer, Long> resting = new HashMap<>();
    List<Integer> taken = new ArrayList<>();
    long now = 0;
    for (int i = 0; i < 600; i++) {
      now += random.nextInt(20);
      long moment = now;
      resting
          .entrySet()
          .removeIf(
              entry -> {
                if (entry.getValue() <= moment) {
                  busy.clear(entry.getKey());
                }
                return entry.getValue() <= moment;
              });
      if (random.nextInt(5) > 0 || taken.isEmpty()) {
        int wanted = random.nextBoolean() ? random.nextInt(1024) : 65236 + random.nextInt(300);
        boolean parity = random.nextBoolean();
        boolean fallback = random.nextBoolean();
        int port = space.take(wanted, parity, fallback, now);
        assertThat(port).isEqualTo(choosePlainly(busy, wanted, parity, fallback));
        if (port != Index.NONE) {
          busy.set(port);
          taken.add(port);
        }
      } else {
        int port = taken.remove(random.nextInt(taken.size()));
        long holdDown = 150;
        space.free(port, now, holdDown);
        resting.put(port, now + holdDown);
      }
      assertThat(space.count()).isEqualTo(taken.size());
    }
  }

  @Test
  void whenThePolicyClaimsOtherPortsTheTakenOnesStayTaken() {
    BitSet claims = new BitSet();
    claims.set(5000);
    PortSpace space = new PortSpace(0, claims);
    assertThat(space.take(5000, false, false, 0)).isEqualTo(5001);
    BitSet others = new BitSet();
    others.set(5002);
    space.claim(others);
    assertThat(space.take(5000, false, false, 0)).isEqualTo(5000);
    assertThat(space.take(5000, false, false, 0)).isEqualTo(5003);
    assertThat(space.takeIdentifier(5001, 0)).isEqualTo(5004);
    assertThat(space.takeIdentifier(0, 0)).isZero();
  }

  @Property(tries = 30, seed = "20260105")
  void addressesHaveANumberWhileTheyAreUsed(@ForAll long seed) {
    Random random = new Random(seed);
    AddressNumbers numbers = new AddressNumbers();
    Map<Address, Integer> uses = new HashMap<>();
    for (int i = 0; i < 500; i++) {
      Address address = new Address(Family.IPV6, 0x20010db8L << 32, random.nextInt(20));
      int known = numbers.find(address.high(), address.low());
      assertThat(known == Index.NONE).isEqualTo(!uses.containsKey(address));
      if (known == Index.NONE || random.nextBoolean()) {
        int number = numbers.use(address.high(), address.low());
        assertThat(numbers.address(true, number)).isEqualTo(address);
        uses.merge(address, 1, Integer::sum);
      } else {
        numbers.release(known);
        uses.computeIfPresent(address, (each, count) -> count == 1 ? null : count - 1);
      }
      Set<Integer> given = new HashSet<>();
      for (Address each : uses.keySet()) {
        assertThat(given.add(numbers.find(each.high(), each.low()))).isTrue();
      }
    }
    assertThat(numbers.address(false, (int) a("198.51.100.140").low()))
        .isEqualTo(a("198.51.100.140"));
  }

  @Test
  void aPoolOfSeveralPiecesIsUsedFromItsLowestAddressOn() {
    PoolUse pool =
        new PoolUse(
            AddressSet.of(
                List.of(
                    new AddressRange(a("192.0.2.68"), a("192.0.2.69")),
                    new AddressRange(a("192.0.2.80"), a("192.0.2.82")))));
    assertThat(pool.size()).isEqualTo(5);
    String[] addresses = {"192.0.2.68", "192.0.2.69", "192.0.2.80", "192.0.2.81", "192.0.2.82"};
    for (int i = 0; i < addresses.length; i++) {
      assertThat(pool.address(i)).isEqualTo((int) a(addresses[i]).low());
    }
    pool.lend(pool.address(0));
    pool.lend(pool.address(2));
    assertThat(pool.nextFree(0)).isEqualTo(1);
    assertThat(pool.nextFree(2)).isEqualTo(3);
    assertThat(pool.lentCount()).isEqualTo(2);
    pool.takeBack(pool.address(0));
    assertThat(pool.nextFree(0)).isZero();
    pool.share(pool.address(0), 2);
    pool.share(pool.address(1), 1);
    assertThat(pool.leastShared()).isEqualTo(2);
    pool.forget();
    assertThat(pool.leastShared()).isZero();
    assertThat(pool.lentCount()).isZero();
  }
}
