// SPDX-License-Identifier: Apache-2.0
/** Runs that are stopped and gone on with. */
@NullMarked
package org.eskerfield.formats.snapshot;

import org.jspecify.annotations.NullMarked;
