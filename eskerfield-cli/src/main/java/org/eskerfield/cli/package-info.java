// SPDX-License-Identifier: Apache-2.0
/** The command-line tool: one class a verb, and the classes that lay out text for people. */
@NullMarked
package org.eskerfield.cli;

import org.jspecify.annotations.NullMarked;
