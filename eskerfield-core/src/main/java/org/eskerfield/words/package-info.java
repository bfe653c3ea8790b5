// SPDX-License-Identifier: Apache-2.0
/** What is shown to people, and how it is put. */
@NullMarked
package org.eskerfield.words;

import org.jspecify.annotations.NullMarked;
