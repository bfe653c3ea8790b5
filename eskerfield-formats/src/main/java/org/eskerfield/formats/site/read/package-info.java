// SPDX-License-Identifier: Apache-2.0
/** Reads site files. */
@NullMarked
package org.eskerfield.formats.site.read;

import org.jspecify.annotations.NullMarked;
