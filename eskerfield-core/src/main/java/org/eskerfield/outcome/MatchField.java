// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.outcome;

/** The fields of a packet that a rule can ask for. */
public enum MatchField {
  /** The interface by which the packet arrives. */
  ARRIVING,
  /** The source address. */
  SOURCE,
  /** The destination address. */
  DESTINATION,
  /** Protocol, destination port, or ICMP type and code. */
  SERVICE,
  /** The source port. */
  SOURCE_PORT,
  /** The flags of a TCP segment. */
  FLAGS,
  /** The time of day and week. */
  SCHEDULE
}
