// SPDX-License-Identifier: Apache-2.0
/** Site files as a git repository has them. */
@NullMarked
package org.eskerfield.git;

import org.jspecify.annotations.NullMarked;
