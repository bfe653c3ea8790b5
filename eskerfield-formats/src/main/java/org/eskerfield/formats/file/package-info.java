// SPDX-License-Identifier: Apache-2.0
/** Whole files: read, and replaced at once or not at all. */
@NullMarked
package org.eskerfield.formats.file;

import org.jspecify.annotations.NullMarked;
