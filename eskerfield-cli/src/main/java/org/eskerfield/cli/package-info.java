// SPDX-License-Identifier: Apache-2.0
/** The command-line tool: how it starts, what it logs, and how it fails. */
@NullMarked
package org.eskerfield.cli;

import org.jspecify.annotations.NullMarked;
