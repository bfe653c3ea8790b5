// SPDX-License-Identifier: Apache-2.0
/** Records of flows that were seen on a network: read, put in order, joined. */
@NullMarked
package org.eskerfield.formats.flow;

import org.jspecify.annotations.NullMarked;
