// SPDX-License-Identifier: Apache-2.0
/** What a site file may hold: its keys, and what each takes. */
@NullMarked
package org.eskerfield.formats.site.shape;

import org.jspecify.annotations.NullMarked;
