// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.flow;

/**
 * The size of a flow in one direction.
 *
 * @param packets the number of packets; -1 if unknown
 * @param bytes their bytes, IP headers included; -1 if unknown
 */
public record Volume(long packets, long bytes) {
  /** Nothing is known. */
  public static final Volume UNKNOWN = new Volume(-1, -1);
}
