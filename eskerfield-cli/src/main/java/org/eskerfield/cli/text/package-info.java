// SPDX-License-Identifier: Apache-2.0
/** How answers are laid out as text for people. */
@NullMarked
package org.eskerfield.cli.text;

import org.jspecify.annotations.NullMarked;
