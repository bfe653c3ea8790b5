// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.state;

import java.util.Arrays;

/**
 * The temporary bindings of a device as numbers (RFC 4787 section 4.1): four longs each, found by
 * their internal and by their external side.
 *
 * <p>A binding of a whole address, lent by a dynamic rule, has protocol 0 and ports 0.
 */
final class BindingTable {
  static final int NONE = Index.NONE;

  // The words of a record.
  private static final int WORDS = 4;
  private static final int ADDRESSES = 0; // internal, external
  private static final int PORTS = 1; // internal, external and remote port, protocol
  private static final int SINCE = 2; // and the realms of both sides (4 bits each), and the origin
  private static final int REMOTE = 3; // below the first use by a session, plus one

  private long[] records = new long[WORDS * 16];
  private int used;
  private int firstFree = NONE;
  private int count;
  private final Origins origins;

  /** By internal endpoint and owner; and by the remote end, where bindings depend on that. */
  private final Index byInternal =
      new Index() {
        @Override
        int hashOf(int binding) {
          return hash(insideOf(binding), aboutOf(binding));
        }
      };

  private final Index byExternal =
      new Index() {
        @Override
        int hashOf(int binding) {
          return hash(outsideOf(binding), aboutExternalOf(binding));
        }
      };

  BindingTable(Origins origins) {
    this.origins = origins;
  }

  private long word(int binding, int which) {
    return records[WORDS * binding + which];
  }

  // Keys.

  private static long inside(int internal, int port, int owner) {
    return (long) internal << 32 | (long) port << 16 | owner;
  }

  private static long about(int remote, int remotePort, int protocol, int realm) {
    return (long) remote << 32 | (long) remotePort << 16 | protocol << 8 | realm;
  }

  private static long outside(int external, int port) {
    return (long) external << 32 | port;
  }

  private long insideOf(int binding) {
    return inside(internal(binding), internalPort(binding), origins.owner(origin(binding)));
  }

  private long aboutOf(int binding) {
    return about(remote(binding), remotePort(binding), protocol(binding), internalRealm(binding));
  }

  private long outsideOf(int binding) {
    return outside(external(binding), externalPort(binding));
  }

  private long aboutExternalOf(int binding) {
    return (long) protocol(binding) << 8 | externalRealm(binding);
  }

  // Lookup.

  /** The binding of an internal endpoint by an owner; {@link #NONE} if it has none. */
  // So many parameters: they are the key, and it is asked for with every packet.
  int ofInternal(
      int internal, int port, int realm, int protocol, int owner, int remote, int remotePort) {
    long inside = inside(internal, port, owner);
    long about = about(remote, remotePort, protocol, realm);
    int hash = byInternal.hash(inside, about);
    for (int slot = byInternal.start(hash); ; slot = byInternal.next(slot)) {
      int binding = byInternal.at(slot, hash);
      if (binding == NONE
          || (binding != Index.OTHER && insideOf(binding) == inside && aboutOf(binding) == about)) {
        return binding;
      }
    }
  }

  /** The binding of an external endpoint; {@link #NONE} if it is free. */
  int ofExternal(int external, int port, int realm, int protocol) {
    long outside = outside(external, port);
    long about = (long) protocol << 8 | realm;
    int hash = byExternal.hash(outside, about);
    for (int slot = byExternal.start(hash); ; slot = byExternal.next(slot)) {
      int binding = byExternal.at(slot, hash);
      if (binding == NONE
          || (binding != Index.OTHER
              && outsideOf(binding) == outside
              && aboutExternalOf(binding) == about)) {
        return binding;
      }
    }
  }

  int internal(int binding) {
    return (int) (word(binding, ADDRESSES) >>> 32);
  }

  int external(int binding) {
    return (int) word(binding, ADDRESSES);
  }

  int internalPort(int binding) {
    return (int) (word(binding, PORTS) >>> 48);
  }

  int externalPort(int binding) {
    return (int) (word(binding, PORTS) >>> 32) & 0xffff;
  }

  int protocol(int binding) {
    return (int) word(binding, PORTS) & 0xffff;
  }

  boolean isWholeAddress(int binding) {
    return protocol(binding) == 0;
  }

  int internalRealm(int binding) {
    return (int) (word(binding, SINCE) >>> 20) & 0xf;
  }

  int externalRealm(int binding) {
    return (int) (word(binding, SINCE) >>> 16) & 0xf;
  }

  /** By which rule, out of which pool. */
  int origin(int binding) {
    return (int) word(binding, SINCE) & 0xffff;
  }

  /** The address of the only remote end that it is for; 0 for every one. */
  int remote(int binding) {
    return (int) word(binding, REMOTE);
  }

  /** And its port. */
  int remotePort(int binding) {
    return (int) (word(binding, PORTS) >>> 16) & 0xffff;
  }

  long since(int binding) {
    return word(binding, SINCE) >>> 24;
  }

  /** The first use by a session; {@link #NONE} for none. */
  int firstUse(int binding) {
    return (int) (word(binding, REMOTE) >>> 32) - 1;
  }

  int count() {
    return count;
  }

  /** The first binding from this number on; {@link #NONE} if none follows. */
  int nextLive(int from) {
    for (int binding = from; binding < used; binding++) {
      if (word(binding, SINCE) >= 0) {
        return binding;
      }
    }
    return NONE;
  }

  // Change.

  /** Makes a binding, not in use by any session yet, and returns its number. */
  // So many parameters: they are the row, and an object for it would be made for every binding.
  int make(
      int internal,
      int internalPort,
      int internalRealm,
      int external,
      int externalPort,
      int externalRealm,
      int protocol,
      int remote,
      int remotePort,
      int origin,
      long now) {
    int binding = firstFree;
    if (binding != NONE) {
      firstFree = (int) word(binding, ADDRESSES);
    } else {
      binding = used++;
      if (WORDS * used > records.length) {
        records = Arrays.copyOf(records, 2 * records.length);
      }
    }
    int at = WORDS * binding;
    records[at + ADDRESSES] = ((long) internal << 32 | (external & 0xffff_ffffL));
    records[at + PORTS] =
        (long) internalPort << 48 | (long) externalPort << 32 | (long) remotePort << 16 | protocol;
    records[at + SINCE] =
        now << 24 | (long) internalRealm << 20 | (long) externalRealm << 16 | origin;
    records[at + REMOTE] = remote & 0xffff_ffffL;
    byInternal.add(binding);
    byExternal.add(binding);
    count++;
    return binding;
  }

  /** Says which use is the first; {@link #NONE} for none. */
  void setFirstUse(int binding, int use) {
    int at = WORDS * binding + REMOTE;
    records[at] = (records[at] & 0xffff_ffffL) | (long) (use + 1) << 32;
  }

  /** Removes a binding. */
  void remove(int binding) {
    byInternal.remove(binding);
    byExternal.remove(binding);
    records[WORDS * binding + ADDRESSES] = firstFree;
    records[WORDS * binding + SINCE] = -1;
    firstFree = binding;
    count--;
  }

  /** Removes every binding. */
  void forget() {
    byInternal.clear();
    byExternal.clear();
    used = 0;
    firstFree = NONE;
    count = 0;
  }
}
