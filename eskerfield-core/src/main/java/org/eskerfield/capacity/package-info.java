// SPDX-License-Identifier: Apache-2.0
/** How much of what translation rules give out is in use, over time. */
@NullMarked
package org.eskerfield.capacity;

import org.jspecify.annotations.NullMarked;
