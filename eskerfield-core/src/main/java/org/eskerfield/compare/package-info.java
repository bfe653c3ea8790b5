// SPDX-License-Identifier: Apache-2.0
/** What differs between two sites: by meaning, and for every packet. */
@NullMarked
package org.eskerfield.compare;

import org.jspecify.annotations.NullMarked;
