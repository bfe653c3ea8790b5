// SPDX-License-Identifier: Apache-2.0
/**
 * Changes of a site, told with the objects of its model, and carried out on it.
 *
 * <p>Start with {@link org.eskerfield.change.Change}; {@link org.eskerfield.change.Cure} is changes
 * that mend something, with what to say of them.
 */
@NullMarked
package org.eskerfield.change;

import org.jspecify.annotations.NullMarked;
