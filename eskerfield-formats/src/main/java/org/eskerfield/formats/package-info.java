// SPDX-License-Identifier: Apache-2.0
/**
 * Text in, text out: reads site files and questions, writes traces and checks as JSON.
 *
 * <p>Start with {@link org.eskerfield.formats.site.read.SiteReader}.
 */
@NullMarked
package org.eskerfield.formats;

import org.jspecify.annotations.NullMarked;
