// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.state;

import java.util.Arrays;
import org.eskerfield.packet.Protocol;

/**
 * The internal addresses that share by a rule: which external address each is paired with (RFC 4787
 * REQ-2), and how many of its ports each has.
 */
final class SourceTable extends Index {
  private static final int WORDS = 3;
  private static final int ADDRESSES = 0; // internal, paired external
  private static final int OWNER = 1; // and the realm
  private static final int COUNTS = 2; // ports by kind, 20 bits each: others, TCP, UDP
  private static final int COUNT_BITS = 20;
  private static final long COUNT = (1 << COUNT_BITS) - 1;

  private long[] records = new long[WORDS * 8];
  private int used;
  private int firstFree = NONE;

  private static long owner(int owner, int realm) {
    return (long) owner << 8 | realm;
  }

  @Override
  int hashOf(int source) {
    return hash(records[WORDS * source + ADDRESSES] >>> 32, records[WORDS * source + OWNER]);
  }

  /** The record of an internal address by a rule; {@link #NONE} if it shares none. */
  int find(int internal, int realm, int owner) {
    long address = internal & 0xffff_ffffL;
    long in = owner(owner, realm);
    int hash = hash(address, in);
    for (int slot = start(hash); ; slot = next(slot)) {
      int source = at(slot, hash);
      if (source == NONE
          || (source != OTHER
              && records[WORDS * source + ADDRESSES] >>> 32 == address
              && records[WORDS * source + OWNER] == in)) {
        return source;
      }
    }
  }

  /** The external address that a source is paired with. */
  int external(int source) {
    return (int) records[WORDS * source + ADDRESSES];
  }

  private static int shift(int protocol) {
    return switch (protocol) {
      case Protocol.TCP -> COUNT_BITS;
      case Protocol.UDP -> 2 * COUNT_BITS;
      default -> 0;
    };
  }

  /** How many ports of a protocol a source has; 0 for {@link #NONE}. */
  int ports(int source, int protocol) {
    return source == NONE
        ? 0
        : (int) (records[WORDS * source + COUNTS] >>> shift(protocol) & COUNT);
  }

  /** Counts one port more for a source, which is paired with the address if it is new. */
  void count(int internal, int realm, int owner, int external, int protocol) {
    int source = find(internal, realm, owner);
    if (source == NONE) {
      source = firstFree;
      if (source != NONE) {
        firstFree = (int) records[WORDS * source + COUNTS];
      } else {
        source = used++;
        if (WORDS * used > records.length) {
          records = Arrays.copyOf(records, 2 * records.length);
        }
      }
      records[WORDS * source + ADDRESSES] = ((long) internal << 32 | (external & 0xffff_ffffL));
      records[WORDS * source + OWNER] = owner(owner, realm);
      records[WORDS * source + COUNTS] = 0;
      add(source);
    }
    records[WORDS * source + COUNTS] += 1L << shift(protocol);
  }

  /** Counts one port less; a source without any is forgotten. */
  void discount(int internal, int realm, int owner, int protocol) {
    int source = find(internal, realm, owner);
    records[WORDS * source + COUNTS] -= 1L << shift(protocol);
    if (records[WORDS * source + COUNTS] == 0) {
      remove(source);
      records[WORDS * source + COUNTS] = firstFree;
      firstFree = source;
    }
  }

  /** Forgets every source. */
  void forget() {
    clear();
    used = 0;
    firstFree = NONE;
  }
}
