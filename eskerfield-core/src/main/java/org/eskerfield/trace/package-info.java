// SPDX-License-Identifier: Apache-2.0
/**
 * The way of a packet across the site, there and back, with the reason for every decision.
 *
 * <p>Start with {@link org.eskerfield.trace.Tracer}.
 */
@NullMarked
package org.eskerfield.trace;

import org.jspecify.annotations.NullMarked;
