// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.answer;

import java.util.List;
import java.util.Locale;
import org.eskerfield.compare.ChangedFate;
import org.eskerfield.model.Site;
import org.eskerfield.set.PacketWords;

/** What a change does to packets as a tree, see {@code effects} of the schemas. */
final class EffectData {
  private EffectData() {}

  /** Each kind of change with its packets; {@code site} is the new one, for names. */
  static List<Object> of(List<ChangedFate> changes, Site site) {
    return Tree.each(
        changes,
        each ->
            new Tree()
                .with("kind", kind(each.kind()))
                .with("packets", new PacketWords(site).of(each.packets()))
                .with("before", each.before().outcome())
                .with("after", each.after().outcome()));
  }

  static String kind(ChangedFate.Kind kind) {
    return kind.name().toLowerCase(Locale.ROOT).replace('_', '-');
  }
}
