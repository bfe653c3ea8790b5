// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

/**
 * How large the largest packets were that got through, where size matters.
 *
 * @param there bytes of the largest from the one who began, its IP header included
 * @param back bytes of the largest to the one who began; 0 where no answer was sized
 */
public record Passed(int there, int back) {}
