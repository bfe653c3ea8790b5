// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.state;

import java.util.List;
import java.util.Set;
import org.eskerfield.model.StateSettings;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Size;
import org.jspecify.annotations.Nullable;

/**
 * The state of a device at a moment, without any object of the run: whoever has the site can go on
 * from here. Times are milliseconds since the run began.
 *
 * @param sessionsAged how many sessions have ended because their time was up
 * @param bindingsAged how many temporary bindings have ended with them
 * @param bindings the temporary bindings, in the order of their making
 * @param sessions the sessions, in the order of their numbers
 * @param ports what is left of ports that nobody has
 * @param fragments what is known of fragments
 */
public record DeviceSnapshot(
    long sessionsAged,
    long bindingsAged,
    List<Bound> bindings,
    List<Session> sessions,
    List<Ports> ports,
    Loose fragments) {
  /** Copies the lists. */
  public DeviceSnapshot {
    bindings = List.copyOf(bindings);
    sessions = List.copyOf(sessions);
    ports = List.copyOf(ports);
  }

  /**
   * One end of a binding.
   *
   * @param realm the address space; "" for the common one
   * @param port the port or identifier; 0 where the whole address is lent
   */
  public record End(String realm, Address address, int port) {}

  /**
   * A temporary binding.
   *
   * @param protocol its protocol; 0 where the whole address is lent
   * @param remote the address of the only remote end that it is for, as a number; 0 for every one
   * @param remotePort and its port
   * @param rule the rule
   * @param pool the addresses out of which the external one was given
   * @param leaving the interface for which it was made
   * @param pairedWith the external address that its source stays with; null where it is lent one
   * @param uses which sessions use it, the latest first: twice the place of a session among those
   *     of the snapshot, plus 1 where it is the second binding of that session
   */
  public record Bound(
      End internal,
      End external,
      int protocol,
      int remote,
      int remotePort,
      RuleName rule,
      AddressSet pool,
      String leaving,
      @Nullable Address pairedWith,
      long since,
      List<Integer> uses) {
    /** Copies the list. */
    public Bound {
      uses = List.copyOf(uses);
    }
  }

  /**
   * The addresses and ports of packets of one direction as they arrive.
   *
   * @param realm the address space; "" for the common one, null for that of packets which never
   *     arrive
   */
  public record Ends(
      @Nullable String realm, Address source, int sourcePort, Address destination, int port) {}

  /** The marks of a session besides its ends. */
  public enum Mark {
    /** The other end answered the SYN. */
    ANSWERED,
    /** The connection is open. */
    ESTABLISHED,
    /** The session closes. */
    CLOSING,
    /** The opener sent a FIN. */
    FIN_FROM_OPENER,
    /** The other end sent a FIN. */
    FIN_FROM_OTHER,
    /** A reset came last. */
    RESET,
    /** Packets of the opener refresh it. */
    OPENER_REFRESHES,
    /** Packets of the other end refresh it. */
    OTHER_REFRESHES,
    /** It is no more than expected: a data connection that was announced. */
    EXPECTED
  }

  /**
   * A session.
   *
   * @param there the opener's packets
   * @param back the packets that answer them
   * @param destinationRule the rule that changed the opener's destination; null for none
   * @param sourceRule the rule that changed its source; null for none
   * @param binding the place of the binding that it uses among those of the snapshot; -1 for none
   * @param second the same of a second one
   * @param timers how long it lives without being refreshed
   * @param expires the first millisecond at which it is gone
   * @param unfinished text of the opener's that is no whole line yet; "" for none
   * @param unfinishedBack the same of the other end
   * @param cameBack how a packet arrived that came back to the inside; null for every other
   */
  public record Session(
      int protocol,
      Ends there,
      Ends back,
      @Nullable RuleName destinationRule,
      @Nullable RuleName sourceRule,
      int binding,
      int second,
      StateSettings.Timers timers,
      Set<Mark> marks,
      long since,
      long expires,
      String unfinished,
      String unfinishedBack,
      @Nullable Arrived cameBack) {
    /** Copies the set. */
    public Session {
      marks = Set.copyOf(marks);
    }
  }

  /** The header of a packet that came back, as it arrived. */
  public record Arrived(Ends ends, int icmpType, int icmpCode, int tcpFlags, int ttl) {}

  /**
   * The free ports of an external address.
   *
   * @param draws how many were drawn by lot so far
   * @param resting the ports that rest, each with the millisecond at which it may be given again
   */
  public record Ports(
      String realm, Address address, int protocol, int draws, List<Resting> resting) {
    /** Copies the list. */
    public Ports {
      resting = List.copyOf(resting);
    }
  }

  /**
   * The fragments that are remembered.
   *
   * @param firsts what the first fragments of packets said
   * @param waiting the fragments that wait for their first ones, in the order of their coming
   * @param given how many identifications were given
   */
  public record Loose(List<First> firsts, List<Waiting> waiting, List<Given> given) {
    /** Nothing. */
    public static final Loose NONE = new Loose(List.of(), List.of(), List.of());

    /** Copies the lists. */
    public Loose {
      firsts = List.copyOf(firsts);
      waiting = List.copyOf(waiting);
      given = List.copyOf(given);
    }
  }

  /**
   * The packet that a fragment is of, as it arrives.
   *
   * @param realm the address space; "" for the common one
   */
  public record Whole(
      String realm, Address source, Address destination, int protocol, int identification) {}

  /**
   * A first fragment.
   *
   * @param leavesAs the identification that its fragments leave with; 0 for their own
   * @param until the millisecond at which it is forgotten
   */
  public record First(
      Whole of,
      int sourcePort,
      int port,
      int icmpType,
      int icmpCode,
      int tcpFlags,
      int leavesAs,
      long until) {}

  /**
   * A fragment that waits.
   *
   * @param arriving the interface by which it came
   * @param until the millisecond at which it is dropped
   */
  public record Waiting(Whole of, String arriving, Size.Fragment fragment, int ttl, long until) {}

  /** How many identifications were given on an external address. */
  public record Given(Address address, int protocol, int count) {}

  /** A port that rests. */
  public record Resting(int port, long until) {}
}
