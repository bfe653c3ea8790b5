// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.words;

import java.util.List;

/** Lists within sentences: a rule may name thousands of addresses, and nobody reads them there. */
public final class Some {
  private Some() {}

  /** {@code a, b, c and 7 more}: all of them, or the first ones and how many are left out. */
  public static String of(List<String> values, int most) {
    return values.size() <= most
        ? String.join(", ", values)
        : String.join(", ", values.subList(0, most)) + " and " + (values.size() - most) + " more";
  }
}
