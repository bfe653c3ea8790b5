// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.flow;

/**
 * What a translating device wrote of a flow.
 *
 * @param after the header of its packets when they had been translated
 * @param event what the record tells of
 * @param device the name of the device, as far as the records say it; otherwise empty
 */
public record Translated(FlowHeader after, Event event, String device) {
  /** What a record tells of. */
  public enum Event {
    /** The packets of a flow, from the first to the last. */
    PACKETS,
    /** A session, from its begin to its end. */
    SESSION,
    /** That the session began, at the start of the record. */
    BEGINS,
    /** That it ended, likewise. */
    ENDS
  }
}
