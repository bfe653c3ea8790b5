// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.edit;

import java.util.Collections;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;

/** Values of edits: texts, lists and maps. */
final class Values {
  private Values() {}

  /** The same value, which nobody changes any more; maps keep their order. */
  static Object copied(Object value) {
    if (value instanceof Map<?, ?> map) {
      Map<Object, Object> copy = new LinkedHashMap<>();
      map.forEach((key, each) -> copy.put(key, copied(each)));
      return Collections.unmodifiableMap(copy);
    }
    return value instanceof List<?> list ? list.stream().map(Values::copied).toList() : value;
  }
}
