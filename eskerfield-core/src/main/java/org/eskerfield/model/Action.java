// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

/** What becomes of a packet that an access rule matches (RFC 8519 section 4.1). */
public enum Action {
  /** It goes on. */
  ACCEPT("accept"),
  /** It ends here without a word. */
  DROP("drop"),
  /** It ends here, and the sender is told. */
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
