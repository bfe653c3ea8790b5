// SPDX-License-Identifier: Apache-2.0
/** Measurements with JMH: how fast and how small the state of a device is. */
@NullMarked
package org.eskerfield.bench;

import org.jspecify.annotations.NullMarked;
