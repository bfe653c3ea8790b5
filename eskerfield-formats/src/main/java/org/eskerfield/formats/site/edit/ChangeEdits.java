// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.edit;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import org.eskerfield.change.Change;
import org.eskerfield.formats.site.write.SiteWriter;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.DomainName;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.Place;
import org.eskerfield.model.Placed;
import org.eskerfield.model.TranslationRule;
import org.jspecify.annotations.Nullable;

/**
 * What changes of the model are in the text of a site file. An object that says something else is
 * written twice, as it was and as it shall be, and the keys that differ are what is edited: so the
 * keys of each kind of object are known to the writer alone.
 */
final class ChangeEdits {
  private ChangeEdits() {}

  static List<Edit> of(List<Change> changes) {
    List<Edit> edits = new ArrayList<>();
    for (Change change : changes) {
      if (change instanceof Change.Alter alter && alter.by() instanceof DomainName.Answer by) {
        edits.add(new Edit.Replace(alter.object().place(), SiteWriter.answer(by)));
      } else if (change instanceof Change.Alter alter) {
        Place place = alter.object().place();
        differ(place, "", SiteWriter.tree(alter.object()), SiteWriter.tree(alter.by()), edits);
      } else if (change instanceof Change.Add add) {
        edits.add(added(add));
      } else if (change instanceof Change.Remove remove) {
        edits.add(new Edit.Remove(remove.object().place()));
      } else if (change instanceof Change.Move move) {
        Placed before = move.before();
        edits.add(new Edit.Move(move.object().place(), before == null ? null : before.place()));
      }
    }
    return edits;
  }

  private static Edit added(Change.Add add) {
    Place owner = add.object().place();
    Map<String, Object> tree = SiteWriter.tree(add.added());
    if (add.added() instanceof AccessList list) {
      return new Edit.Define(owner, "access", list.name(), tree);
    }
    String key =
        add.added() instanceof AccessRule
            ? "rules"
            : add.added() instanceof TranslationRule
                ? "translation"
                : add.added() instanceof OwnService ? "services" : "routes";
    Placed before = add.before();
    return new Edit.Insert(owner, key, before == null ? null : before.place(), tree);
  }

  /** The edits by which what an object says becomes something else. */
  private static void differ(
      Place place,
      String path,
      Map<String, Object> before,
      Map<String, Object> after,
      List<Edit> edits) {
    Map<String, Object> removed = new LinkedHashMap<>(before);
    removed.keySet().removeAll(after.keySet());
    for (Map.Entry<String, Object> each : after.entrySet()) {
      Object was = before.get(each.getKey());
      Object is = each.getValue();
      String renamed = was == null ? keyOf(is, removed) : null;
      if (renamed != null) {
        removed.remove(renamed);
        edits.add(new Edit.Rename(place, renamed, each.getKey()));
      } else if (was instanceof Map<?, ?> old
          && is instanceof Map<?, ?> held
          && beginsWith(held, old)) {
        differ(place, path + each.getKey() + "/", texts(old), texts(held), edits);
      } else if (!is.equals(was)) {
        edits.add(new Edit.Put(place, path + each.getKey(), is));
      }
    }
    removed.keySet().forEach(key -> edits.add(new Edit.Take(place, path + key)));
  }

  /** Whether a map has the keys of another one first: keys are added last, and order counts. */
  private static boolean beginsWith(Map<?, ?> map, Map<?, ?> keys) {
    return keys.size() <= map.size()
        && List.copyOf(map.keySet()).subList(0, keys.size()).equals(List.copyOf(keys.keySet()));
  }

  private static Map<String, Object> texts(Map<?, ?> map) {
    Map<String, Object> texts = new LinkedHashMap<>();
    map.forEach((key, value) -> texts.put(key.toString(), Objects.requireNonNull(value)));
    return texts;
  }

  /** A key that has a value; null if none has. */
  private static @Nullable String keyOf(Object value, Map<String, Object> among) {
    for (Map.Entry<String, Object> each : among.entrySet()) {
      if (each.getValue().equals(value)) {
        return each.getKey();
      }
    }
    return null;
  }
}
