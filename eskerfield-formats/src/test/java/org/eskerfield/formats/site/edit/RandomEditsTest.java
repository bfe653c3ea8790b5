// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.edit;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.regex.Pattern;
import org.eskerfield.formats.yaml.Node;
import org.eskerfield.formats.yaml.SourceText;
import org.eskerfield.formats.yaml.YamlParser;
import org.eskerfield.model.Place;
import org.junit.jupiter.api.Test;

/**
 * Random edits of random commented files in every style: what is read afterwards is what was
 * wanted, and every comment but those of what was taken away or replaced is still there, in order.
 */
class RandomEditsTest {
  private static final List<String> TEXTS =
      List.of(
          "a",
          "b c",
          "10.77.4.9",
          "443/tcp",
          "x, y",
          "it's",
          "# no comment",
          "a: b",
          "- a",
          "[a]",
          "{ a }",
          "say \"so\"",
          "\ud83d\ude00",
          "c:d",
          "two\nlines",
          "a,b");

  /** A file in the making. */
  private static final class Draft {
    final Random random;
    final StringBuilder out = new StringBuilder();
    int comments;

    Draft(long seed) {
      random = new Random(seed);
    }

    boolean often(int oneIn) {
      return random.nextInt(oneIn) == 0;
    }

    Object value(int depth) {
      int kind = depth == 0 ? 0 : random.nextInt(5);
      if (kind < 2) {
        return TEXTS.get(random.nextInt(TEXTS.size()));
      }
      int count = 1 + random.nextInt(3);
      return kind == 2 ? list(depth, count) : map(depth, count);
    }

    Object list(int depth, int count) {
      List<Object> list = new ArrayList<>();
      for (int i = 0; i < count; i++) {
        list.add(value(depth - 1));
      }
      return list;
    }

    Map<String, Object> map(int depth, int count) {
      Map<String, Object> map = new LinkedHashMap<>();
      for (int i = 0; i < count; i++) {
        map.put("k" + random.nextInt(9), value(depth - 1));
      }
      return map;
    }

    String comment() {
      return "# c" + comments++ + "; [x, y], - z: { w } 'q\"";
    }

    void lines(int indent) {
      if (often(8)) {
        out.append('\n');
      }
      if (often(4)) {
        out.append(" ".repeat(indent)).append(comment()).append('\n');
      }
    }

    void block(Object value, int indent) {
      if (value instanceof Map<?, ?> map) {
        boolean first = true;
        for (Map.Entry<?, ?> entry : map.entrySet()) {
          if (!first) {
            lines(indent);
            out.append(" ".repeat(indent));
          }
          first = false;
          out.append(entry.getKey()).append(':');
          behind(entry.getValue(), indent);
        }
      } else {
        boolean first = true;
        for (Object item : (List<?>) value) {
          if (!first) {
            lines(indent);
            out.append(" ".repeat(indent));
          }
          first = false;
          out.append('-');
          if (item instanceof Map<?, ?> && random.nextBoolean()) {
            out.append(' ');
            block(item, indent + 2);
          } else if (item instanceof List<?> && often(3)) {
            out.append(' ');
            block(item, indent + 2);
          } else if (item instanceof String) {
            behind(item, indent);
          } else {
            out.append(' ');
            flow(item, indent + 4);
            end();
          }
        }
      }
    }

    /** What stands behind a colon or a dash. */
    void behind(Object value, int indent) {
      if (value instanceof String text) {
        if (often(4) && !text.isBlank()) {
          out.append(" |").append(often(2) ? "-\n" : "-\n").append(" ".repeat(indent + 4));
          out.append(text.replace("\n", "\n" + " ".repeat(indent + 4))).append('\n');
          return;
        }
        out.append(' ').append(scalar(text, false));
        end();
      } else if (random.nextBoolean()) {
        out.append(' ');
        flow(value, indent + 4);
        end();
      } else {
        out.append(often(4) ? " " + comment() : "").append('\n');
        lines(indent + 2);
        int deeper = value instanceof List<?> && often(3) ? indent : indent + 2;
        out.append(" ".repeat(deeper));
        block(value, deeper);
      }
    }

    void end() {
      out.append(often(4) ? "  " + comment() : "").append('\n');
    }

    void gap(int indent) {
      switch (random.nextInt(6)) {
        case 0 -> out.append(' ').append(comment()).append('\n').append(" ".repeat(indent));
        case 1 -> out.append('\n').append(" ".repeat(indent));
        case 2 -> out.append("");
        default -> out.append(' ');
      }
    }

    void flow(Object value, int indent) {
      if (value instanceof String text) {
        out.append(scalar(text, true));
        return;
      }
      boolean map = value instanceof Map;
      out.append(map ? '{' : '[');
      gap(indent);
      List<Object> parts = new ArrayList<>();
      if (value instanceof Map<?, ?> entries) {
        parts.addAll(entries.entrySet());
      } else {
        parts.addAll((List<?>) value);
      }
      for (int i = 0; i < parts.size(); i++) {
        if (parts.get(i) instanceof Map.Entry<?, ?> entry) {
          out.append(entry.getKey()).append(": ");
          flow(entry.getValue(), indent + 2);
        } else {
          flow(parts.get(i), indent + 2);
        }
        if (i + 1 < parts.size() || often(6)) {
          if (often(4)) {
            gap(indent);
          }
          out.append(',');
          out.append(' ');
          gap(indent);
        } else {
          gap(indent);
        }
      }
      out.append(map ? '}' : ']');
    }

    String scalar(String text, boolean inFlow) {
      boolean plain =
          text.matches("[\\w./]+(:[\\w./]+)?( [\\w./]+)*")
              || (!inFlow && text.matches("[\\w.]+, ?[\\w.]+"));
      if (plain && !often(4)) {
        return text;
      }
      return text.contains("\n") || random.nextBoolean()
          ? '"' + text.replace("\\", "\\\\").replace("\"", "\\\"").replace("\n", "\\n") + '"'
          : "'" + text.replace("'", "''") + "'";
    }
  }

  private static Object model(Node node) {
    if (node instanceof Node.Mapping mapping) {
      Map<String, Object> map = new LinkedHashMap<>();
      mapping.entries().forEach(entry -> map.put(entry.key().text(), model(entry.value())));
      return map;
    }
    return node instanceof Node.Sequence list
        ? new ArrayList<>(list.items().stream().map(RandomEditsTest::model).toList())
        : ((Node.Scalar) node).text();
  }

  private static Node parsed(String text, String said) {
    YamlParser.Parsed parsed = YamlParser.parse(new SourceText("x", text));
    assertThat(parsed.slips()).as("%s\n-- became\n%s", said, text).isEmpty();
    return parsed.root();
  }

  /** Something of the file: its node, its model, and how an edit names it. */
  private record Thing(Node node, Object model, Place place, Thing holder, Object in) {}

  private static void collect(Thing thing, List<Thing> all) {
    all.add(thing);
    if (thing.node instanceof Node.Mapping mapping && thing.model instanceof Map<?, ?> map) {
      for (Node.Entry entry : mapping.entries()) {
        String key = entry.key().text();
        collect(new Thing(entry.value(), map.get(key), entry.key().place(), thing, key), all);
      }
    } else if (thing.node instanceof Node.Sequence list && thing.model instanceof List<?> items) {
      for (int i = 0; i < items.size(); i++) {
        Node item = list.items().get(i);
        collect(new Thing(item, items.get(i), item.place(), thing, i), all);
      }
    }
  }

  /** Takes something out of its holder, and the holder if it becomes empty. */
  private static boolean take(Thing thing) {
    if (thing.holder == null) {
      return false;
    }
    if (thing.holder.model instanceof Map<?, ?> map) {
      map.remove(thing.in);
      return !map.isEmpty() || take(thing.holder);
    }
    List<?> list = (List<?>) thing.holder.model;
    for (int i = 0; i < list.size(); i++) {
      if (list.get(i) == thing.model) {
        list.remove(i);
        break;
      }
    }
    return !list.isEmpty() || take(thing.holder);
  }

  private static boolean isNamedByItsFirstKey(Thing thing) {
    return thing.holder != null
        && thing.holder.holder != null
        && thing.holder.model instanceof Map<?, ?> map
        && thing.holder.holder.model instanceof List<?>
        && map.keySet().iterator().next().equals(thing.in);
  }

  private static final Pattern COMMENT = Pattern.compile("# c(\\d+);");

  private static List<String> comments(String text) {
    return COMMENT.matcher(text).results().map(r -> r.group(1)).toList();
  }

  /** Whether a text is another one with stretches left out. */
  private static boolean isIn(String less, String more) {
    int at = 0;
    for (int i = 0; i < more.length() && at < less.length(); i++) {
      at += less.charAt(at) == more.charAt(i) ? 1 : 0;
    }
    return at == less.length();
  }

  /** How an edit went. */
  private enum Went {
    WELL,
    REFUSED,
    NOTHING_TO_DO
  }

  private static String fresh(Random random) {
    List<String> simple = List.of("new", "new one", "n, m", "it's new", "n: m", "10.44.0.2");
    // A copy, so that it is told from others by where it stands.
    return new String(simple.get(random.nextInt(simple.size())));
  }

  @SuppressWarnings("unchecked")
  private static Went edit(long seed) {
    Draft draft = new Draft(seed);
    Random random = draft.random;
    Map<String, Object> root = draft.map(3, 3);
    draft.out.append("# At 1:1 stands the site, so the first key stands elsewhere.\n");
    draft.lines(0);
    draft.block(root, 0);
    String text = draft.out.toString();
    if (random.nextInt(5) == 0) {
      text = text.stripTrailing();
    }
    if (random.nextInt(4) == 0) {
      text = text.replace("\n", "\r\n");
    }
    Node node = parsed(text, "the draft");
    Object wanted = model(node);
    assertThat(wanted).as("the draft\n%s", text).isEqualTo(root);
    List<Thing> all = new ArrayList<>();
    collect(new Thing(node, wanted, new Place("x", 1, 1), null, null), all);
    List<Edit> edits = new ArrayList<>();
    boolean possible = true;
    Thing thing = all.get(random.nextInt(all.size()));
    Thing holder = thing.holder;
    boolean moved = false;
    boolean keeps = true;
    boolean adds = false;
    boolean takes = false;
    switch (random.nextInt(8)) {
      case 0 -> {
        if (!(thing.model instanceof Map<?, ?>)) {
          return Went.NOTHING_TO_DO;
        }
        String key = random.nextBoolean() ? "k" + random.nextInt(9) : "new";
        Object value = random.nextBoolean() ? fresh(random) : List.of("a", fresh(random));
        edits.add(new Edit.Put(thing.place, key, value));
        keeps = !((Map<?, ?>) thing.model).containsKey(key);
        adds = keeps;
        ((Map<String, Object>) thing.model).put(key, value);
      }
      case 1 -> {
        if (!(thing.model instanceof Map<?, ?> map)) {
          return Went.NOTHING_TO_DO;
        }
        List<String> keys = new ArrayList<>((java.util.Collection<String>) map.keySet());
        String key = keys.get(random.nextInt(keys.size()));
        edits.add(new Edit.Take(thing.place, key));
        keeps = false;
        takes = true;
        Thing taken =
            all.stream()
                .filter(t -> t.holder == thing && t.in.equals(key))
                .findFirst()
                .orElseThrow();
        possible = take(taken);
      }
      case 2 -> {
        if (!(thing.model instanceof Map<?, ?> map)) {
          return Went.NOTHING_TO_DO;
        }
        Object key = map.keySet().iterator().next();
        edits.add(new Edit.Rename(thing.place, key.toString(), "renamed"));
        Map<String, Object> renamed = new LinkedHashMap<>();
        map.forEach((k, v) -> renamed.put(k.equals(key) ? "renamed" : k.toString(), v));
        ((Map<String, Object>) thing.model).clear();
        ((Map<String, Object>) thing.model).putAll(renamed);
      }
      case 3 -> {
        if (!(thing.model instanceof String) || holder == null) {
          return Went.NOTHING_TO_DO;
        }
        String by = fresh(random);
        edits.add(new Edit.Replace(thing.node.place(), by));
        if (holder.model instanceof List<?> list) {
          ((List<Object>) list).set((int) thing.in, by);
        } else {
          ((Map<String, Object>) holder.model).put(thing.in.toString(), by);
        }
      }
      case 4 -> {
        if (holder == null || isNamedByItsFirstKey(thing)) {
          return Went.NOTHING_TO_DO;
        }
        edits.add(new Edit.Remove(thing.place));
        keeps = false;
        takes = true;
        possible = take(thing);
        Thing other = all.get(random.nextInt(all.size()));
        if (possible && other.holder == holder && other != thing && !isNamedByItsFirstKey(other)) {
          edits.add(new Edit.Remove(other.place)); // neighbours share commas
          possible = take(other);
        }
      }
      case 5 -> {
        if (!(thing.model instanceof Map<?, ?> map)) {
          return Went.NOTHING_TO_DO;
        }
        List<String> lists = new ArrayList<>(List.of("new"));
        map.forEach(
            (k, v) -> {
              if (v instanceof List<?> || v instanceof String) {
                lists.add(k.toString());
              }
            });
        String key = lists.get(random.nextInt(lists.size()));
        Object item = random.nextBoolean() ? fresh(random) : new LinkedHashMap<>(Map.of("n", "m"));
        Object now = map.get(key);
        Place before = null;
        List<Object> list =
            now instanceof List<?> items
                ? (List<Object>) items
                : new ArrayList<>(now == null ? List.of() : List.of(now));
        int at = list.size();
        if (now instanceof List<?>) {
          at = random.nextInt(list.size() + 1);
          int index = at;
          before =
              at == list.size()
                  ? null
                  : all.stream()
                      .filter(t -> t.holder != null && t.holder.model == now)
                      .filter(t -> t.in.equals(index))
                      .findFirst()
                      .orElseThrow()
                      .place;
        }
        adds = !(now instanceof String);
        edits.add(new Edit.Insert(thing.place, key, before, item));
        list.add(at, item);
        ((Map<String, Object>) thing.model).put(key, list);
      }
      case 6 -> {
        if (!(thing.model instanceof Map<?, ?> map)) {
          return Went.NOTHING_TO_DO;
        }
        List<String> maps = new ArrayList<>(List.of("new"));
        map.forEach(
            (k, v) -> {
              if (v instanceof Map<?, ?>) {
                maps.add(k.toString());
              }
            });
        String key = maps.get(random.nextInt(maps.size()));
        Map<String, Object> value = new LinkedHashMap<>(Map.of("n", fresh(random)));
        adds = true;
        edits.add(new Edit.Define(thing.place, key, "defined", value));
        ((Map<String, Object>)
                ((Map<String, Object>) thing.model)
                    .computeIfAbsent(key, k -> new LinkedHashMap<String, Object>()))
            .put("defined", value);
      }
      default -> {
        if (holder == null || !(holder.model instanceof List<?> list)) {
          return Went.NOTHING_TO_DO;
        }
        int from = (int) thing.in;
        int to = random.nextInt(list.size() + 1);
        Thing before =
            to == list.size()
                ? null
                : all.stream()
                    .filter(t -> t.holder == holder && t.in.equals(to))
                    .findFirst()
                    .orElseThrow();
        edits.add(new Edit.Move(thing.place, before == null ? null : before.place));
        Object item = ((List<Object>) list).remove(from);
        ((List<Object>) list).add(to > from ? to - 1 : to, item);
        moved = true;
      }
    }
    String said = "seed " + seed + ": " + edits + "\n" + text;
    String after;
    try {
      after = SiteEditor.edited(text, edits);
    } catch (IllegalArgumentException e) {
      assertThat(e.getMessage()).as(said).isNotBlank();
      return Went.REFUSED;
    }
    assertThat(possible).as("the whole file was taken away\n%s", said).isTrue();
    assertThat(model(parsed(after, said))).as("%s\n-- became\n%s", said, after).isEqualTo(wanted);
    assertThat(after.contains("\r\n") && after.replace("\r\n", "").contains("\n"))
        .as("line breaks of two kinds\n%s\n-- became\n%s", said, after)
        .isFalse();
    // What is added moves nothing else, and what is taken away leaves all else as it is.
    if (adds) {
      assertThat(isIn(text, after)).as("%s\n-- became\n%s", said, after).isTrue();
    } else if (takes) {
      assertThat(isIn(after, text)).as("%s\n-- became\n%s", said, after).isTrue();
    }
    List<String> left = comments(after);
    List<String> were = new ArrayList<>(comments(text));
    if (moved) {
      assertThat(left)
          .as("%s\n-- became\n%s", said, after)
          .containsExactlyInAnyOrderElementsOf(were);
    } else if (keeps) {
      assertThat(left).as("%s\n-- became\n%s", said, after).isEqualTo(were);
    } else {
      were.retainAll(left); // with what goes, its comments go; the rest stays in order
      assertThat(left).as("%s\n-- became\n%s", said, after).isEqualTo(were);
    }
    return Went.WELL;
  }

  @Test
  void randomEditsChangeWhatTheyName() {
    int[] went = new int[Went.values().length];
    for (long seed = 0; went[Went.WELL.ordinal()] < 5_000; seed++) {
      went[edit(seed).ordinal()]++;
    }
    // Few cannot be: to put something before the first item of a list in a list, say.
    assertThat(went[Went.REFUSED.ordinal()]).isBetween(1, 250);
  }
}
