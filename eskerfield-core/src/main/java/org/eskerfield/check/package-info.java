// SPDX-License-Identifier: Apache-2.0
/**
 * What is wrong, risky or useless in a site that could be read.
 *
 * <p>Start with {@link org.eskerfield.check.Checker}.
 */
@NullMarked
package org.eskerfield.check;

import org.jspecify.annotations.NullMarked;
