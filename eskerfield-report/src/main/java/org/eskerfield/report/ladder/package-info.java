// SPDX-License-Identifier: Apache-2.0
/** The packets of a conversation as a ladder. */
@NullMarked
package org.eskerfield.report.ladder;

import org.jspecify.annotations.NullMarked;
