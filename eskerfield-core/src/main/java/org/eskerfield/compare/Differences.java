// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.compare;

import java.lang.reflect.RecordComponent;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Collection;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Set;
import org.eskerfield.compare.Difference.Field;
import org.eskerfield.compare.Difference.Kind;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Device;
import org.eskerfield.model.DomainName;
import org.eskerfield.model.External;
import org.eskerfield.model.Flags;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.Named;
import org.eskerfield.model.Network;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.Place;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Pool;
import org.eskerfield.model.Schedule;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.model.StateSettings;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.Moments;
import org.jspecify.annotations.Nullable;

/**
 * What two sites say differently, object by object and field by field, whatever the layout of their
 * files. Objects are the same if they have the same name and stand at the same thing; of rules with
 * one name the first is the first.
 */
final class Differences {
  /** Objects that have a section of their own. */
  private static final Set<String> APART =
      Set.of("interfaces", "routes", "services", "translation", "access", "rules");

  private final List<Difference> found = new ArrayList<>();

  private Differences() {}

  static List<Difference> between(Site before, Site after) {
    Differences all = new Differences();
    all.site(before, after);
    return all.found;
  }

  private void site(Site before, Site after) {
    List<Field> fields = new ArrayList<>();
    add(fields, "site", before.name(), after.name());
    add(fields, "time-zone", before.timeZone(), after.timeZone());
    add(fields, "note", before.note(), after.note());
    if (!fields.isEmpty()) {
      found.add(
          new Difference(Kind.ALTERED, "the site", "", fields, before.place(), after.place()));
    }
    named("network", "", before.networks(), after.networks());
    named("host", "", before.hosts(), after.hosts());
    named("service", "", before.services(), after.services());
    named("group", "", before.groups(), after.groups());
    named("schedule", "", before.schedules(), after.schedules());
    named("name", "", before.names(), after.names());
    named("device", "", before.devices(), after.devices());
    for (Device is : after.devices().values()) {
      Device was = before.devices().get(is.name());
      if (was != null) {
        device(was, is);
      }
    }
  }

  private void device(Device was, Device is) {
    String of = " of " + is.name();
    named("interface", of, byName(was.interfaces()), byName(is.interfaces()));
    named("", of, routes(was), routes(is));
    named("", of, services(was), services(is));
    row(of, rules(was.translation()), rules(is.translation()));
    Map<String, AccessList> before = byName(was.access());
    Map<String, AccessList> after = byName(is.access());
    named("list", of, before, after);
    for (AccessList list : is.access()) {
      AccessList old = before.get(list.name());
      if (old != null) {
        row(" of list '" + list.name() + "'" + of, rules(old.rules()), rules(list.rules()));
      }
    }
  }

  private static <T extends Named> Map<String, T> byName(List<T> all) {
    Map<String, T> map = new LinkedHashMap<>();
    all.forEach(each -> map.put(each.name(), each));
    return map;
  }

  private static Map<String, Placed> routes(Device device) {
    Map<String, Placed> map = new LinkedHashMap<>();
    device.routes().forEach(each -> put(map, Labels.of(each), each));
    return map;
  }

  private static Map<String, Placed> services(Device device) {
    Map<String, Placed> map = new LinkedHashMap<>();
    for (OwnService each : device.services()) {
      put(map, Labels.of(each), each);
    }
    return map;
  }

  static Map<String, Placed> rules(List<? extends Placed> rules) {
    Map<String, Placed> map = new LinkedHashMap<>();
    rules.forEach(each -> put(map, Labels.of(each), each));
    return map;
  }

  private static void put(Map<String, Placed> map, String name, Placed thing) {
    String free = name;
    for (int i = 2; map.containsKey(free); i++) {
      free = name + " (" + i + ")";
    }
    map.put(free, thing);
  }

  // Rows and maps.

  private void named(
      String kind, String of, Map<String, ? extends Placed> was, Map<String, ? extends Placed> is) {
    for (Map.Entry<String, ? extends Placed> entry : was.entrySet()) {
      if (!is.containsKey(entry.getKey())) {
        found.add(
            new Difference(
                Kind.REMOVED,
                called(kind, entry.getKey(), of),
                "",
                List.of(),
                entry.getValue().place(),
                null));
      }
    }
    is.forEach(
        (name, thing) -> {
          Placed old = was.get(name);
          String what = called(kind, name, of);
          if (old == null) {
            found.add(new Difference(Kind.ADDED, what, "", List.of(), null, thing.place()));
          } else {
            altered(what, old, thing);
          }
        });
  }

  private static String called(String kind, String name, String of) {
    return kind.isEmpty() ? name + of : kind + " '" + name + "'" + of;
  }

  private void altered(String what, Placed was, Placed is) {
    List<Field> fields = fields(was, is);
    if (!fields.isEmpty()) {
      found.add(new Difference(Kind.ALTERED, what, "", fields, was.place(), is.place()));
    }
  }

  /** Rules, of which the order counts too. */
  private void row(String of, Map<String, Placed> was, Map<String, Placed> is) {
    named("", of, was, is);
    List<String> before = new ArrayList<>(was.keySet());
    List<String> after = new ArrayList<>(is.keySet());
    before.retainAll(is.keySet());
    after.retainAll(was.keySet());
    Set<String> stayed = stayed(before, after);
    for (int i = 0; i < after.size(); i++) {
      String name = after.get(i);
      Placed old = was.get(name);
      Placed now = is.get(name);
      if (!stayed.contains(name) && old != null && now != null) {
        String where = i == 0 ? "to the top" : "behind " + after.get(i - 1);
        found.add(
            new Difference(Kind.MOVED, name + of, where, List.of(), old.place(), now.place()));
      }
    }
  }

  /** A longest run of names that both rows have in the same order; the others moved. */
  static Set<String> stayed(List<String> before, List<String> after) {
    int n = before.size();
    List<Integer> positions = new ArrayList<>();
    Map<String, Integer> index = new LinkedHashMap<>();
    for (int i = 0; i < n; i++) {
      index.put(before.get(i), i);
    }
    after.forEach(name -> positions.add(index.getOrDefault(name, 0)));
    // Patience: the least last position of an ascending run of each length, and who came before.
    List<Integer> ends = new ArrayList<>();
    int[] previous = new int[n];
    for (int i = 0; i < n; i++) {
      int length = 0;
      int high = ends.size();
      while (length < high) {
        int middle = (length + high) >>> 1;
        if (positions.get(ends.get(middle)) < positions.get(i)) {
          length = middle + 1;
        } else {
          high = middle;
        }
      }
      previous[i] = length == 0 ? -1 : ends.get(length - 1);
      if (length == ends.size()) {
        ends.add(i);
      } else {
        ends.set(length, i);
      }
    }
    Set<String> stayed = new HashSet<>();
    for (int i = ends.isEmpty() ? -1 : ends.get(ends.size() - 1); i >= 0; i = previous[i]) {
      stayed.add(after.get(i));
    }
    return stayed;
  }

  // Fields.

  /** What differs in two objects, places and parts with a section of their own left out. */
  static List<Field> fields(Placed was, Placed is) {
    List<Field> fields = new ArrayList<>();
    if (!was.getClass().equals(is.getClass())) {
      add(fields, "kind", kind(was), kind(is));
      return fields;
    }
    for (RecordComponent component : is.getClass().getRecordComponents()) {
      String name = component.getName();
      boolean apart = is instanceof Device || is instanceof AccessList;
      if (name.equals("place") || name.equals("name") || (apart && APART.contains(name))) {
        continue;
      }
      add(fields, key(name), value(component, was), value(component, is));
    }
    return fields;
  }

  private static String kind(Placed thing) {
    return thing instanceof TranslationRule rule
        ? rule.kind()
        : thing.getClass().getSimpleName().toLowerCase(Locale.ROOT);
  }

  private static void add(
      List<Field> fields, String name, @Nullable Object was, @Nullable Object is) {
    if (was != null
        && is != null
        && isSettings(is)
        && is.getClass() == was.getClass()) { // each setting by itself: most are as they were
      for (RecordComponent component : is.getClass().getRecordComponents()) {
        String inner = name + " " + key(component.getName());
        inner = isSettings(value(component, is)) ? name : inner; // the file has them side by side
        add(fields, inner, value(component, was), value(component, is));
      }
      return;
    }
    String before = text(was);
    String after = text(is);
    if (!before.equals(after)) {
      fields.add(new Field(name, before, after));
    }
  }

  /** What differs in how sessions and bindings are kept; help for transfers is another matter. */
  static List<Field> sessions(StateSettings was, StateSettings is) {
    List<Field> fields = new ArrayList<>();
    StateSettings same =
        was.withFileTransfer(is.fileTransfer()).withControlPorts(is.controlPorts());
    add(fields, "state", same, is);
    return fields;
  }

  private static boolean isSettings(@Nullable Object value) {
    return value instanceof StateSettings
        || value instanceof StateSettings.Timers
        || value instanceof StateSettings.Ports;
  }

  private static @Nullable Object value(RecordComponent component, Object of) {
    try {
      return component.getAccessor().invoke(of);
    } catch (ReflectiveOperationException e) {
      throw new IllegalStateException(component + " cannot be read", e);
    }
  }

  /** {@code source-ports} for {@code sourcePorts}. */
  private static String key(String name) {
    return name.replaceAll("([A-Z])", "-$1").toLowerCase(Locale.ROOT);
  }

  private static String text(@Nullable Object value) {
    if (value == null) {
      return "";
    }
    if (value instanceof Collection<?> all) {
      List<String> texts = new ArrayList<>();
      all.forEach(each -> texts.add(text(each)));
      return String.join(", ", texts);
    }
    if (value instanceof Duration time) {
      return Moments.text(time);
    }
    if (value instanceof DomainName.Answer answer) {
      String said = answer.texts().isEmpty() ? text(answer.addresses()) : text(answer.texts());
      return answer.resolver() == null ? said : answer.resolver() + " says " + said;
    }
    if (value instanceof AddressTerm term) {
      return term.text();
    }
    if (value instanceof ServiceTerm term) {
      return term.text();
    }
    if (value instanceof InterfaceTerm term) {
      return term.text();
    }
    if (value instanceof Pool pool) {
      return text(pool.terms());
    }
    if (value instanceof External external) {
      return external.text();
    }
    if (value instanceof Network network) {
      return network.name();
    }
    if (value instanceof Interface own) {
      return own.name();
    }
    if (value instanceof Schedule schedule) {
      return schedule.name();
    }
    if (value instanceof Schedule.Window window) {
      return window.text();
    }
    if (value instanceof ServicePart || value instanceof Flags) {
      return value.toString();
    }
    if (value instanceof Record record
        && record.getClass().getPackage().equals(Site.class.getPackage())) {
      List<String> texts = new ArrayList<>();
      for (RecordComponent component : record.getClass().getRecordComponents()) {
        String inner =
            component.getType().equals(Place.class) ? "" : text(value(component, record));
        if (!inner.isEmpty() && !inner.equals("false")) {
          texts.add(key(component.getName()) + " " + inner);
        }
      }
      return String.join("; ", texts);
    }
    return value.toString();
  }
}
