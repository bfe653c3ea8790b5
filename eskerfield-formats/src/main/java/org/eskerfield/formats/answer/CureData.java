// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.answer;

import java.util.List;
import org.eskerfield.check.Opening;
import org.eskerfield.formats.site.edit.SmallestChange;
import org.jspecify.annotations.Nullable;

/** The smallest change for an attempt as a tree, see {@code trace.schema.json}. */
public final class CureData {
  private CureData() {}

  /** What a change does, and what comes of it. */
  public static Tree of(SmallestChange change) {
    return new Tree()
        .with("succeeds", change.succeeds())
        .with("steps", change.steps())
        .with("patch", change.patch())
        .with("reason", change.after().conversation().reason())
        .with("left", Tree.of(change.left(), TraceData::obstacle))
        .with("opens", openings(change.opens(), change))
        .with("closes", openings(change.closes(), change));
  }

  private static @Nullable Object openings(@Nullable List<Opening> all, SmallestChange change) {
    return Tree.of(
        all,
        some ->
            Tree.each(
                some,
                each ->
                    new Tree()
                        .with("device", each.device())
                        .with("arriving", each.arriving())
                        .with("packets", each.lines(change.site()))));
  }
}
