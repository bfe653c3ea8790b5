// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

/** How a host or an interface comes by its address. */
public enum Assignment {
  /** Set on the machine itself. */
  FIXED("fixed"),
  /** Handed out by a server that always gives this machine the same (RFC 2131 section 2.2). */
  RESERVED("reserved"),
  /** Handed out by a server and free to change. */
  LEASED("leased"),
  /** Handed out by the carrier and free to change; interfaces only. */
  BY_CARRIER("assigned by the carrier");

  private final String text;

  Assignment(String text) {
    this.text = text;
  }

  /** The word of the site file. */
  @Override
  public String toString() {
    return text;
  }
}
