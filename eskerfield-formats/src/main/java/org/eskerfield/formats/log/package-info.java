// SPDX-License-Identifier: Apache-2.0
/** Lines of a log, in open formats. */
@NullMarked
package org.eskerfield.formats.log;

import org.jspecify.annotations.NullMarked;
