// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import org.eskerfield.model.Placed;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Header;
import org.jspecify.annotations.Nullable;

/**
 * One decision about a packet.
 *
 * @param ruling the decision
 * @param text the decision in words, without the name of the node
 * @param by the rule, list, route or interface that decided; null where none did
 * @param logged whether the rule asks for it to be logged
 * @param near where no rule matched, the one that missed by the fewest fields; null for none
 * @param before the header before the decision
 * @param after the header after it; equal to {@code before} where nothing was rewritten
 */
public record Decision(
    Ruling ruling,
    String text,
    @Nullable Placed by,
    boolean logged,
    @Nullable NearMiss near,
    Header before,
    Header after) {}
