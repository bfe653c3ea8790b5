// SPDX-License-Identifier: Apache-2.0
/** Guarantees of a site: what must hold for all packets, and the proof or the packet against it. */
@NullMarked
package org.eskerfield.guarantee;

import org.jspecify.annotations.NullMarked;
