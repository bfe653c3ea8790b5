// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.walk;

import java.util.function.Function;
import org.eskerfield.packet.Packet;
import org.eskerfield.program.Condition;
import org.eskerfield.program.DeviceMeaning;
import org.eskerfield.program.DeviceProgram;
import org.eskerfield.program.Row;
import org.eskerfield.set.Rewrite;
import org.jspecify.annotations.Nullable;

/**
 * Hears all that is asked of a packet on its way, and how it is rewritten. Whatever packet gives
 * the same answers goes the same way.
 */
interface Witness {
  /** It comes to a device, whose conditions are asked from now on; to anybody else for null. */
  void comesTo(@Nullable DeviceProgram device, Packet packet);

  /** A condition was asked. */
  void asked(Condition condition, Seen seen, boolean yes);

  /** It was asked which entry of a row takes the packet; {@link Row#NONE} for none. */
  void asked(Row<?> row, Seen seen, int first);

  /** The device sends it itself. */
  void isOwn();

  /**
   * Its destination was rewritten by a rule.
   *
   * @param how the same for every packet
   */
  void rewrittenDestination(Function<DeviceMeaning, Rewrite> how);

  /** Its source was rewritten by a rule. */
  void rewrittenSource(Function<DeviceMeaning, Rewrite> how);

  /** The device recorded a session for it. */
  void recorded(int session);

  /** It got the destination that its session says. */
  void restoredDestination(int session);

  /** And the source. */
  void restoredSource(int session, Packet left);

  /** Something was found out about it that sets do not tell. */
  void isPeculiar();

  /**
   * Somebody answers it, or says that it did not arrive.
   *
   * @param reply the answer, as it sets out
   * @param arrived the packet as it came to who answers
   * @param notDelivered whether it was not received there
   */
  void replied(Packet reply, Packet arrived, boolean notDelivered);
}
