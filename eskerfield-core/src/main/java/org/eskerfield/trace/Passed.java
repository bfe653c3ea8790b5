// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

/**
 * How large the largest packets were that got through, where size matters.
 *
 * @param there the largest packet from the client, in bytes with its IP header
 * @param back the largest packet to the client, likewise; 0 where no answer was sized
 */
public record Passed(int there, int back) {}
