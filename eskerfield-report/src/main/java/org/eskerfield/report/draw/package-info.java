// SPDX-License-Identifier: Apache-2.0
/** What pictures are drawn with: shapes, colours, letters, pixels. */
@NullMarked
package org.eskerfield.report.draw;

import org.jspecify.annotations.NullMarked;
