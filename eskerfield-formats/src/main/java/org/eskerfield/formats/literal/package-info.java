// SPDX-License-Identifier: Apache-2.0
/** Addresses, ports, services, times and names, as people write them. */
@NullMarked
package org.eskerfield.formats.literal;

import org.jspecify.annotations.NullMarked;
