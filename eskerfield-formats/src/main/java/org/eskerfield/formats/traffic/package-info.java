// SPDX-License-Identifier: Apache-2.0
/** Flows to replay, from CSV and YAML. */
@NullMarked
package org.eskerfield.formats.traffic;

import org.jspecify.annotations.NullMarked;
