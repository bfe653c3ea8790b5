// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.answer;

import org.eskerfield.formats.site.edit.SmallestChange;

/** The smallest change for an attempt as a tree, see {@code trace.schema.json}. */
public final class CureData {
  private CureData() {}

  /** A change and its effect as a tree. */
  public static Tree of(SmallestChange change) {
    return new Tree()
        .with("succeeds", change.succeeds())
        .with("steps", change.steps())
        .with("patch", change.patch())
        .with("reason", change.after().conversation().reason())
        .with("left", Tree.of(change.left(), TraceData::obstacle))
        .with("others", change.others())
        .with("clean", change.isClean())
        .with(
            "effects",
            Tree.of(change.effect(), each -> EffectData.of(each.noticed(), change.site())));
  }
}
