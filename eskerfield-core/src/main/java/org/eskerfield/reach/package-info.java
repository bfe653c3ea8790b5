// SPDX-License-Identifier: Apache-2.0
/** Who reaches what: the fates of first packets, and all that the internet reaches on a site. */
@NullMarked
package org.eskerfield.reach;

import org.jspecify.annotations.NullMarked;
