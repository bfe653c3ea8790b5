// SPDX-License-Identifier: Apache-2.0
/** Writes sites: of the model, of a program, of answers to questions. */
@NullMarked
package org.eskerfield.formats.site.write;

import org.jspecify.annotations.NullMarked;
