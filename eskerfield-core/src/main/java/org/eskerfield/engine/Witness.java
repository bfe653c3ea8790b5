package org.eskerfield.engine;

import java.util.function.Function;
import org.eskerfield.set.Rewrite;

/**
 * Hears all that a device asks of a packet that it does not know, and how it rewrites it. Whatever
 * packet gives the same answers goes the same way.
 */
interface Witness {
  /**
   * A condition was asked.
   *
   * @param asSent whether of the packet with the destination as it was sent
   */
  void asked(Condition condition, boolean asSent, boolean yes);

  /** It was asked which entry of a row takes the packet; {@link Row#NONE} for none. */
  void asked(Row<?> row, boolean asSent, int first);

  /**
   * The destination was rewritten.
   *
   * @param how the same for every packet
   */
  void rewrittenDestination(Function<Meaning, Rewrite> how);

  /** The source was rewritten. */
  void rewrittenSource(Function<Meaning, Rewrite> how);
}
