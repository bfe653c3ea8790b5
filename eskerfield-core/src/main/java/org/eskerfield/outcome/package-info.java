// SPDX-License-Identifier: Apache-2.0
/** How a packet or a conversation can end, and how a device can decide. */
@NullMarked
package org.eskerfield.outcome;

import org.jspecify.annotations.NullMarked;
