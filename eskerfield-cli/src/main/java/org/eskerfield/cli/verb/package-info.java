// SPDX-License-Identifier: Apache-2.0
/** One file for each verb: arguments in, exit status out. */
@NullMarked
package org.eskerfield.cli.verb;

import org.jspecify.annotations.NullMarked;
