// SPDX-License-Identifier: Apache-2.0
/** Traffic over time: lists of flows and captures, led through a run. */
@NullMarked
package org.eskerfield.formats.replay;

import org.jspecify.annotations.NullMarked;
