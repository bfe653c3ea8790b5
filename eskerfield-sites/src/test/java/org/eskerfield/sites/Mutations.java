// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import java.util.ArrayList;
import java.util.Collection;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.regex.Pattern;
import org.snakeyaml.engine.v2.api.Dump;
import org.snakeyaml.engine.v2.api.DumpSettings;
import org.snakeyaml.engine.v2.api.Load;
import org.snakeyaml.engine.v2.api.LoadSettings;

/**
 * Every single slip that a hand makes in a site file: an entry taken away, moved or switched off, a
 * word, number or address that is another.
 *
 * <p>Idea: the file is read as plain YAML, and each slip is made on a copy of that tree.
 * Expectations and acceptances stay as they are.
 */
final class Mutations {
  /**
   * One slip.
   *
   * @param what where it was made, and what it is
   * @param text the whole file with it
   */
  record Mutation(String what, String text) {}

  private static final Set<String> RULES = Set.of("translation", "rules");
  private static final Set<String> NOTES =
      Set.of("note", "site", "time-zone", "log", "eskerfield", "now", "because");
  private static final Set<String> INTERFACE_KEYS = Set.of("arriving", "leaving", "facing");
  private static final Set<String> PARTY_KEYS = Set.of("from", "to");

  private final Map<Object, Object> root;
  private final List<Mutation> found = new ArrayList<>();
  private final List<String> hosts;
  private final List<String> networks;
  private List<String> interfaces = List.of();

  private Mutations(String text) {
    root = map(new Load(LoadSettings.builder().build()).loadFromString(text));
    hosts = names("hosts");
    networks = names("networks");
  }

  /** All of a file, in its order. */
  static List<Mutation> of(String text) {
    Mutations all = new Mutations(text);
    for (String part : List.of("networks", "groups", "schedules", "names")) {
      if (all.root.get(part) instanceof Map<?, ?> entries) {
        all.inMap(map(entries), part);
      }
    }
    map(all.root.get("hosts")).forEach((name, host) -> all.inHost(name.toString(), map(host)));
    map(all.root.get("devices"))
        .forEach(
            (name, device) -> {
              Map<Object, Object> keys = map(device);
              all.interfaces = List.copyOf(strings(map(keys.get("interfaces")).keySet()));
              all.inMap(keys, name.toString());
            });
    return List.copyOf(all.found);
  }

  /** What a host is, is no policy; how it is set is. */
  private void inHost(String name, Map<Object, Object> host) {
    Object filter = host.get("filter");
    if (filter != null) {
      inMap(map(filter), name + " / filter");
    }
    for (String key : List.of("gateway", "listens")) {
      if (host.containsKey(key)) {
        without(host, key, name + " / " + key);
      }
    }
  }

  /** A file without one of its parts. */
  static String without(String text, String part) {
    Mutations file = new Mutations(text);
    file.root.remove(part);
    return new Dump(DumpSettings.builder().build()).dumpToString(file.root);
  }

  private List<String> names(String part) {
    return root.get(part) instanceof Map<?, ?> entries ? strings(entries.keySet()) : List.of();
  }

  private static List<String> strings(Collection<?> values) {
    return values.stream().map(Object::toString).toList();
  }

  @SuppressWarnings("unchecked")
  private static Map<Object, Object> map(Object value) {
    return (Map<Object, Object>) value;
  }

  @SuppressWarnings("unchecked")
  private static List<Object> list(Object value) {
    return (List<Object>) value;
  }

  private void keep(String what) {
    Dump dump = new Dump(DumpSettings.builder().build());
    found.add(new Mutation(what, dump.dumpToString(root)));
  }

  private void inMap(Map<Object, Object> map, String at) {
    for (Object key : List.copyOf(map.keySet())) {
      Object value = map.get(key);
      String where = at + " / " + key;
      if (NOTES.contains(key.toString())) {
        continue;
      }
      without(map, key, where);
      if (value instanceof Map<?, ?> inner) {
        if (key.equals("interfaces")) {
          interfacesOff(map(inner), where);
        }
        inMap(map(inner), where);
        if (key.equals("stance")) {
          inOrder(map, key, map(inner), where);
        }
      } else if (value instanceof List<?> inner) {
        inList(list(inner), key.toString(), where);
      } else {
        for (Object other : others(key.toString(), value)) {
          map.put(key, other);
          keep(where + ": " + value + " becomes " + other);
        }
        map.put(key, value);
      }
    }
    swap(map, "from", "to", at);
    swap(map, "at", "becomes", at);
    swap(map, "internal", "external", at);
    swap(map, "arriving", "leaving", at);
  }

  private void without(Map<Object, Object> map, Object key, String where) {
    Map<Object, Object> all = new LinkedHashMap<>(map);
    map.remove(key);
    keep(where + ": taken away");
    map.clear();
    map.putAll(all);
  }

  private void swap(Map<Object, Object> map, String one, String other, String at) {
    if (map.containsKey(one) && map.containsKey(other)) {
      Object value = map.get(one);
      map.put(one, map.get(other));
      map.put(other, value);
      keep(at + ": " + one + " and " + other + " swapped");
      map.put(other, map.get(one));
      map.put(one, value);
    } else if (map.containsKey(one) && !one.equals("at")) {
      Object value = map.remove(one);
      map.put(other, value);
      keep(at + ": " + one + " is " + other);
      map.remove(other);
      map.put(one, value);
    }
  }

  private void interfacesOff(Map<Object, Object> map, String at) {
    map.forEach(
        (name, value) -> {
          map(value).put("state", "no link");
          keep(at + " / " + name + ": no link");
          map(value).remove("state");
        });
  }

  /** Entries of a map in another order. */
  private void inOrder(
      Map<Object, Object> owner, Object key, Map<Object, Object> map, String where) {
    List<Object> keys = new ArrayList<>(map.keySet());
    for (int i = 0; i + 1 < keys.size(); i++) {
      List<Object> moved = new ArrayList<>(keys);
      moved.add(i, moved.remove(i + 1));
      Map<Object, Object> other = new LinkedHashMap<>();
      moved.forEach(each -> other.put(each, map.get(each)));
      owner.put(key, other);
      keep(where + ": " + keys.get(i + 1) + " before " + keys.get(i));
    }
    owner.put(key, map);
  }

  private void inList(List<Object> list, String key, String at) {
    for (int i = 0; i < list.size(); i++) {
      Object value = list.get(i);
      String where = at + " " + (value instanceof Map<?, ?> m ? label(map(m)) : "" + value);
      list.remove(i);
      keep(where + ": taken away");
      list.add(i, value);
      if (RULES.contains(key)) {
        moved(list, i, where);
        map(value).put("disabled", true);
        keep(where + ": disabled");
        map(value).remove("disabled");
      }
      if (value instanceof Map<?, ?> inner) {
        inMap(map(inner), where);
        for (String[] pair :
            new String[][] {{"accept", "drop"}, {"drop", "accept"}, {"reject", "accept"}}) {
          renamed(list, i, pair[0], pair[1], where);
        }
      } else {
        for (Object other : others(key, value)) {
          list.set(i, other);
          keep(where + ": becomes " + other);
        }
        list.set(i, value);
      }
    }
  }

  private void moved(List<Object> list, int i, String where) {
    for (int to : new int[] {0, i + 1, list.size() - 1}) {
      if (to != i && to < list.size()) {
        Object entry = list.remove(i);
        list.add(to, entry);
        keep(where + ": moved to place " + (to + 1));
        list.remove(to);
        list.add(i, entry);
      }
    }
  }

  private void renamed(List<Object> list, int i, String from, String to, String where) {
    Map<Object, Object> value = map(list.get(i));
    if (!value.containsKey(from) || value.containsKey("at") && value.containsKey("because")) {
      return;
    }
    Map<Object, Object> other = new LinkedHashMap<>();
    value.forEach((k, v) -> other.put(k.equals(from) ? to : k, v));
    list.set(i, other);
    keep(where + ": " + from + " is " + to);
    list.set(i, value);
  }

  private static String label(Map<Object, Object> map) {
    Map.Entry<Object, Object> first = map.entrySet().iterator().next();
    return first.getKey() + " " + first.getValue();
  }

  // Other values.

  private List<Object> others(String key, Object value) {
    List<Object> others = new ArrayList<>();
    String text = value.toString();
    if (value instanceof Boolean is) {
      others.add(!is);
    } else if (text.equals("accept") || text.equals("drop") || text.equals("reject")) {
      others.add(text.equals("accept") ? "drop" : "accept");
    } else if (INTERFACE_KEYS.contains(key)) {
      others.addAll(next(interfaces, text));
      others.add("any");
    } else if (networks.contains(text)) {
      others.addAll(next(networks, text));
      if (PARTY_KEYS.contains(key)) {
        others.add("any");
      }
    } else if (hosts.contains(text)) {
      others.addAll(next(hosts, text));
    } else {
      for (String word : text.split(" ")) {
        for (String other : word(word)) {
          others.add(text.replaceFirst(Pattern.quote(word), other));
        }
      }
      if (hosts.contains(text.split(" ")[0])) {
        String host = text.split(" ")[0];
        next(hosts, host).forEach(other -> others.add(text.replace(host, other.toString())));
      }
    }
    others.remove(value);
    return others;
  }

  private static List<Object> next(List<String> names, String name) {
    int at = names.indexOf(name);
    return at < 0 ? List.of() : List.of(names.get((at + 1) % names.size()));
  }

  private static final Map<String, String> WELL_KNOWN =
      Map.of("https", "http", "http", "https", "ssh", "https", "ftp", "ssh", "domain", "ntp");

  private static List<String> word(String word) {
    List<String> others = new ArrayList<>();
    if (word.matches("\\d+/\\w.*")) {
      String[] parts = word.split("/", 2);
      others.add(Integer.parseInt(parts[0]) + 1 + "/" + parts[1]);
      others.add(parts[0] + "/" + (parts[1].equals("tcp") ? "udp" : "tcp"));
    } else if (word.matches("\\d+(\\.\\d+){3}(/\\d+)?")) {
      int slash = word.indexOf('/');
      String address = slash < 0 ? word : word.substring(0, slash);
      String mask = slash < 0 ? "" : word.substring(slash);
      String[] parts = address.split("\\.");
      if (slash < 0) {
        others.add(head(parts) + "." + ((Integer.parseInt(parts[3]) + 1) % 256));
      } else {
        int bits = Integer.parseInt(mask.substring(1));
        others.add(address + "/" + Math.min(32, bits + 1));
        others.add(address + "/" + Math.min(32, bits + 4));
        if (bits == 24) {
          others.add(parts[0] + "." + parts[1] + "." + (Integer.parseInt(parts[2]) + 1) + ".0/24");
        }
      }
    } else if (word.matches("[0-9a-f:]+(/\\d+)?") && word.contains("::")) {
      others.add(word.replace("::", ":0:7::"));
      if (word.matches(".*::[0-9a-f]+")) {
        others.add(word + "1");
      }
    } else if (word.matches("\\d+")) {
      others.add("" + (Integer.parseInt(word) + 1));
    } else if (WELL_KNOWN.containsKey(word)) {
      others.add(WELL_KNOWN.get(word));
    } else if (word.matches("\\d\\d:\\d\\d-\\d\\d:\\d\\d")) {
      others.add(word.substring(6) + "-" + word.substring(0, 5));
    } else if (word.equals("mon-fri")) {
      others.add("sat-sun");
    }
    return others;
  }

  private static String head(String[] parts) {
    return parts[0] + "." + parts[1] + "." + parts[2];
  }
}
