// SPDX-License-Identifier: Apache-2.0
/** Pages: the report, and the picture of one conversation. */
@NullMarked
package org.eskerfield.report.page;

import org.jspecify.annotations.NullMarked;
