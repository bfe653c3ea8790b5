// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.state;

import java.time.Duration;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.Header;
import org.jspecify.annotations.Nullable;

/**
 * A line of a device's table of sessions.
 *
 * @param arrived the first packet as it arrived
 * @param left the first packet as it left
 * @param cameBack whether the packet went no further: it was for the binding of another insider,
 *     which did not let it in; {@code left} is how it would look outside, and whoever has that
 *     binding may answer
 * @param destinationRule the rule that changed its destination, or null
 * @param sourceRule the rule that changed its source, or null
 * @param age the time since it was made
 * @param remaining how long it lasts if idle
 */
public record SessionRow(
    Header arrived,
    Header left,
    boolean cameBack,
    @Nullable TranslationRule destinationRule,
    @Nullable TranslationRule sourceRule,
    Duration age,
    Duration remaining) {}
