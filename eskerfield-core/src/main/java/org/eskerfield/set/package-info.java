// SPDX-License-Identifier: Apache-2.0
/**
 * Sets of packet headers: what a rule takes, what it makes of it, and what is left for the next.
 *
 * <p>Start with {@link org.eskerfield.set.PacketSpace}.
 */
@NullMarked
package org.eskerfield.set;

import org.jspecify.annotations.NullMarked;
