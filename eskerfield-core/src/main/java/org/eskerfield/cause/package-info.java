// SPDX-License-Identifier: Apache-2.0
/** Why attempts fail: causes with a name, and what else stands in the way behind the first. */
@NullMarked
package org.eskerfield.cause;

import org.jspecify.annotations.NullMarked;
