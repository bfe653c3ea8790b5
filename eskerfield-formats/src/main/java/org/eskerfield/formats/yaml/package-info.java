// SPDX-License-Identifier: Apache-2.0
/** YAML as a tree of plain nodes that know their places, safe to build from any input. */
@NullMarked
package org.eskerfield.formats.yaml;

import org.jspecify.annotations.NullMarked;
