// SPDX-License-Identifier: Apache-2.0
/**
 * All that changes in a device while packets pass: sessions, bindings, ports, timers, and the clock
 * of the run. It knows nothing of the way of a packet; that asks here.
 */
@NullMarked
package org.eskerfield.state;

import org.jspecify.annotations.NullMarked;
