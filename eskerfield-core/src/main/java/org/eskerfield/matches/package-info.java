// SPDX-License-Identifier: Apache-2.0
/** Which rules of a site the flows of some traffic match. */
@NullMarked
package org.eskerfield.matches;

import org.jspecify.annotations.NullMarked;
