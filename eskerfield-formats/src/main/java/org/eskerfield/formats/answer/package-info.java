// SPDX-License-Identifier: Apache-2.0
/**
 * Answers: a tree for each, written as JSON, or given to a template; and the documents that build
 * servers and code hosts read.
 */
@NullMarked
package org.eskerfield.formats.answer;

import org.jspecify.annotations.NullMarked;
