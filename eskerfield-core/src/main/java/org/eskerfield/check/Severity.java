// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.check;

import java.util.Locale;

/** How bad a finding is, the worst first. */
public enum Severity {
  /** Something does not work as written. */
  ERROR,
  /** Something is probably not meant so, or risky. */
  WARNING,
  /** Something could be tidier. */
  ADVICE;

  /** The word in lower case. */
  @Override
  public String toString() {
    return name().toLowerCase(Locale.ROOT);
  }
}
