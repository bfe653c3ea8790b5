// SPDX-License-Identifier: Apache-2.0
/**
 * A second implementation of the packet's way, in the plainest way, for comparison: lists that are
 * searched from end to end. It shares nothing with the product but the rooms {@code packet} and
 * {@code model}, so that a mistake which the product makes everywhere alike is seen.
 */
@org.jspecify.annotations.NullMarked
package org.eskerfield.plain;
