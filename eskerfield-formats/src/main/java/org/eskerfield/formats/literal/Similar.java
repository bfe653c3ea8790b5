// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.literal;

import java.util.Collection;
import java.util.Locale;
import org.jspecify.annotations.Nullable;

/** Finds what somebody may have meant. */
public final class Similar {
  private static final int LONGEST = 60;

  private Similar() {}

  /** {@code did you mean 'x'?} for the nearest candidate, else the end that is given. */
  public static String didYouMean(String text, Collection<String> candidates, String otherwise) {
    String nearest = nearest(text, candidates);
    return nearest == null ? otherwise : "did you mean '" + nearest + "'?";
  }

  /** The candidate that differs least from a text; null if all differ by more than a slip. */
  public static @Nullable String nearest(String text, Collection<String> candidates) {
    String nearest = null;
    int least = Math.max(1, text.length() / 3) + 1;
    for (String candidate : candidates) {
      int distance =
          text.length() > LONGEST
              ? LONGEST
              : distance(text.toLowerCase(Locale.ROOT), candidate.toLowerCase(Locale.ROOT));
      if (distance < least) {
        least = distance;
        nearest = candidate;
      }
    }
    return nearest;
  }

  /** Insertions, deletions, changes and swaps of neighbours between two words. */
  private static int distance(String a, String b) {
    int[][] d = new int[a.length() + 1][b.length() + 1];
    for (int i = 0; i <= a.length(); i++) {
      for (int j = 0; j <= b.length(); j++) {
        if (i == 0 || j == 0) {
          d[i][j] = i + j;
          continue;
        }
        boolean same = a.charAt(i - 1) == b.charAt(j - 1);
        d[i][j] =
            Math.min(Math.min(d[i - 1][j], d[i][j - 1]) + 1, d[i - 1][j - 1] + (same ? 0 : 1));
        if (i > 1
            && j > 1
            && a.charAt(i - 1) == b.charAt(j - 2)
            && a.charAt(i - 2) == b.charAt(j - 1)) {
          d[i][j] = Math.min(d[i][j], d[i - 2][j - 2] + 1);
        }
      }
    }
    return d[a.length()][b.length()];
  }
}
