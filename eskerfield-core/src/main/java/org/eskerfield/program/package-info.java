// SPDX-License-Identifier: Apache-2.0
/**
 * What a site is compiled to: names resolved, disabled rules left out, rows in the order in which
 * they are asked. Each condition says side by side for which packet it holds, and for which set of
 * them. Nothing here ever changes.
 */
@NullMarked
package org.eskerfield.program;

import org.jspecify.annotations.NullMarked;
