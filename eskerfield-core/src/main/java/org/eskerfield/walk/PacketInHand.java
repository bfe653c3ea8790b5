// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.walk;

import org.eskerfield.model.Interface;
import org.eskerfield.model.Placed;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.program.CompiledList;
import org.eskerfield.program.Condition;
import org.eskerfield.program.DeviceProgram;
import org.eskerfield.program.Match;
import org.eskerfield.program.Row;
import org.eskerfield.program.Translations;
import org.eskerfield.state.DeviceState;
import org.jspecify.annotations.Nullable;

/**
 * What the steps of {@link DeviceWalk} ask of the packet in hand, have done to it, and have found
 * out: of one packet, or of every packet.
 */
abstract class PacketInHand {
  static final int NONE = DeviceState.NONE;

  DeviceProgram program;

  // What the steps have found out.
  @Nullable Interface arriving;
  int arrivingNumber;

  /** The session that the packet belongs to, in its direction. */
  int session;

  /** The binding whose external endpoint the packet goes to. */
  int destinationBinding;

  /** The interface for which the binding was made that an insider reached; null for no insider. */
  @Nullable Interface outside;

  Translations.@Nullable Inbound translated;
  boolean hairpinned;
  @Nullable TranslationRule sourceRule;

  /** The binding that gave the source. */
  int binding;

  /** The number of the route by which the packet leaves; {@link #NONE} if it does not. */
  int routeNumber;

  boolean stateful;
  boolean forDevice;

  /** Whether an ICMP error is about a packet of a static or live binding. */
  boolean errorOfBinding;

  /** The MTU that it did not fit; 0 where it did. */
  int unfit;

  PacketInHand(DeviceProgram program) {
    this.program = program;
  }

  // What is asked of the packet in hand, and done to it.

  /** Whether a condition holds for it. */
  abstract boolean is(Condition condition, Seen seen);

  final boolean is(Condition condition) {
    return is(condition, Seen.NOW);
  }

  /** Which entry of a row takes it; {@link Row#NONE} for none. */
  abstract int first(Row<?> row, Seen seen);

  /** Whether it may open a session, as to the flags of TCP and the type of ICMP. */
  abstract boolean canOpen();

  /** Whether it is a segment of TCP that opens, and one that resets. */
  abstract boolean opensTcp();

  abstract boolean isReset();

  /** Whether it is an error about another packet. */
  abstract boolean isError();

  /** Takes one off the hop count; false if none is left for the way on. */
  abstract boolean takeHop();

  /** Gives it the destination that a rule says. */
  abstract void translateDestination(Translations.Inbound rule);

  /** Gives it the source that a rule for both ways says. */
  abstract void translateSource(Translations.Outbound rule, Interface side);

  /**
   * Gives it a source of its own, or of its binding, out of some addresses.
   *
   * @param whole whether the address is lent as a whole, and not shared by port
   * @param seen with which destination the binding counts
   * @return the binding; a negative number if there is none
   */
  abstract int bind(
      TranslationRule rule, Interface side, AddressSet externals, boolean whole, Seen seen);

  /** The external address of a binding out of some addresses; null where there is no binding. */
  abstract @Nullable Address external(int binding, AddressSet externals);

  /** What there is to ask about its size; null where it fits everywhere. */
  @Nullable SizeInHand size() {
    return null;
  }

  /** Takes back a binding that was made for a packet which did not leave. */
  void forgetUnused(int binding) {}

  // What state says.

  /**
   * Step 1: sets {@link #session}, {@link #destinationBinding}, {@link #outside} and {@link
   * #errorOfBinding}.
   */
  abstract @Nullable Ruling stepState();

  /** Step 2 for what state knows; whether it is such a packet. */
  boolean restoredDestination() {
    return false;
  }

  /** The rule that changed the destination of the session's packets; null for none. */
  @Nullable TranslationRule ruleOfSession() {
    return null;
  }

  /** Step 6 for packets of sessions, errors, and insiders who reached a binding. */
  @Nullable Ruling restoreSource() {
    throw new IllegalStateException("nothing is known of the packet");
  }

  /** Step 7 for packets of sessions. */
  Ruling stepKnownSession() {
    throw new IllegalStateException("nothing is known of the packet");
  }

  /** Whether the session of the packet as it is now would have a header of another one. */
  boolean isTaken() {
    return false;
  }

  void recordSession() {}

  /** The device takes a packet of a session or a binding. */
  void sawForDevice() {}

  // Who listens.

  /** A decision was made. */
  abstract Ruling say(Ruling ruling, @Nullable Placed by);

  /** Rules and admissions that nearly took the packet. */
  void tellNearestRule() {}

  void tellNearestAdmission(TranslationRule rule, Match admission) {}

  void tellNearest(CompiledList guard) {}

  /** The packet comes to the lists that guard the way to an interface; null for the device. */
  void comesToLists(@Nullable Interface leaving) {}

  /** Says a ruling that ends the packet, after which it has not left. */
  final Ruling end(Ruling ruling, @Nullable Placed by) {
    routeNumber = NONE;
    return say(ruling, by);
  }
}
