// SPDX-License-Identifier: Apache-2.0
/**
 * Explains a policy: every rule in a plain sentence, in the order in which a device acts, with a
 * packet that shows it.
 */
@NullMarked
package org.eskerfield.explain;

import org.jspecify.annotations.NullMarked;
