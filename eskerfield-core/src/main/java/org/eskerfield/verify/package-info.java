// SPDX-License-Identifier: Apache-2.0
/** Expectations of a site, and whether they hold. */
@NullMarked
package org.eskerfield.verify;

import org.jspecify.annotations.NullMarked;
