// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

/** The action for a packet that an access rule matches (RFC 8519 section 4.1). */
public enum Action {
  /** The packet goes on. */
  ACCEPT("accept"),
  /** The packet ends here silently. */
  DROP("drop"),
  /** The packet ends here, and the sender is told. */
  REJECT("reject");

  private final String text;

  Action(String text) {
    this.text = text;
  }

  /** The word of the site file. */
  @Override
  public String toString() {
    return text;
  }
}
