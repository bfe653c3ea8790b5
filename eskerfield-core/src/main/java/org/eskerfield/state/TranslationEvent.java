// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.state;

import java.time.ZonedDateTime;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.Header;
import org.jspecify.annotations.Nullable;

/**
 * Something that a translating device logs (RFC 8158 section 5): a translated session or a
 * temporary binding begins or ends, or nothing is left to give out. What a restart takes away does
 * not end: the device forgets it, and no device logs that.
 *
 * @param at the moment
 * @param device the name of the device
 * @param kind the kind of event
 * @param before the first packet of a session as it arrived; the internal end of a binding as the
 *     source, to nobody; the packet for which nothing is left; of a restart nobody to nobody
 * @param after the first packet as it left; the external end of a binding as the source; the
 *     external address whose ports are used up; null where there is none
 * @param destinationRule the rule that changed the destination of a session; null for none
 * @param sourceRule the rule that changed its source, made the binding, or has nothing left; null
 *     for none
 */
public record TranslationEvent(
    ZonedDateTime at,
    String device,
    Kind kind,
    Header before,
    @Nullable Header after,
    @Nullable TranslationRule destinationRule,
    @Nullable TranslationRule sourceRule) {
  /** The kinds of events. */
  public enum Kind {
    /** A session was recorded. */
    SESSION_BEGINS,
    /** A session ended. */
    SESSION_ENDS,
    /** A port or identifier was given out. */
    BINDING_BEGINS,
    /** It was given back. */
    BINDING_ENDS,
    /** A whole address was lent. */
    ADDRESS_LENT,
    /** It was given back. */
    ADDRESS_RETURNED,
    /** No address of a pool is left. */
    ADDRESSES_USED_UP,
    /** No port of a shared address is left. */
    PORTS_USED_UP,
    /** A source has as many ports as it may. */
    LIMIT_REACHED,
    /** The device was restarted: it has no session and no temporary binding. */
    ALL_FORGOTTEN
  }
}
