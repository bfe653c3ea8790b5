// SPDX-License-Identifier: Apache-2.0
/** Runnable examples of the library, each a class of its own with a {@code main}. */
@NullMarked
package org.eskerfield.examples;

import org.jspecify.annotations.NullMarked;
