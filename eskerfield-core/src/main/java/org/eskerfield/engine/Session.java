package org.eskerfield.engine;

import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.Header;
import org.jspecify.annotations.Nullable;

/**
 * One flow through a device, both directions: its first packet as it arrived and as it left.
 * Replies undo what was done between the two.
 *
 * @param arrived the header as it arrived
 * @param left the header as it left
 * @param destinationRule the rule that changed the destination, or null
 * @param sourceRule the rule that changed the source, or null
 */
record Session(
    Header arrived,
    Header left,
    @Nullable TranslationRule destinationRule,
    @Nullable TranslationRule sourceRule) {}
