package org.eskerfield.trace;

import java.time.ZonedDateTime;
import org.eskerfield.model.AccessList;
import org.jspecify.annotations.Nullable;

/**
 * A line of the log: a decision whose rule asks for it, or the notice that a pool or its ports are
 * used up (RFC 6888 section 4).
 *
 * @param at the moment
 * @param device the device
 * @param list the list of the rule; null where it was none's
 * @param decision what was decided, by which rule, about which packet
 */
public record LogEntry(
    ZonedDateTime at, String device, @Nullable AccessList list, Decision decision) {}
