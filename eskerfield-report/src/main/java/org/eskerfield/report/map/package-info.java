// SPDX-License-Identifier: Apache-2.0
/** The map of a site, and the path of a packet on it. */
@NullMarked
package org.eskerfield.report.map;

import org.jspecify.annotations.NullMarked;
