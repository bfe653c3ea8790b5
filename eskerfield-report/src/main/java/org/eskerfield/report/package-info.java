// SPDX-License-Identifier: Apache-2.0
/** Pictures and pages: the map of a site, the way of packets, and the report. */
@NullMarked
package org.eskerfield.report;

import org.jspecify.annotations.NullMarked;
