// SPDX-License-Identifier: Apache-2.0
/** The JSON Schemas of all that is read and written. */
@NullMarked
package org.eskerfield.formats.schema;

import org.jspecify.annotations.NullMarked;
