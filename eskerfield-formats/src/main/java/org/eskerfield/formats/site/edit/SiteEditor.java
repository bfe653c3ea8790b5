// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.edit;

import com.github.difflib.DiffUtils;
import com.github.difflib.UnifiedDiffUtils;
import java.io.StringReader;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashMap;
import java.util.HashSet;
import java.util.IdentityHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Set;
import java.util.TreeSet;
import java.util.regex.Pattern;
import org.eskerfield.formats.site.edit.SiteText.UneditableException;
import org.eskerfield.formats.yaml.SourceText;
import org.eskerfield.formats.yaml.WholeCharacters;
import org.eskerfield.formats.yaml.YamlParser;
import org.eskerfield.model.Place;
import org.eskerfield.words.Printable;
import org.jspecify.annotations.Nullable;
import org.snakeyaml.engine.v2.api.LoadSettings;
import org.snakeyaml.engine.v2.api.lowlevel.Compose;
import org.snakeyaml.engine.v2.exceptions.Mark;
import org.snakeyaml.engine.v2.nodes.CollectionNode;
import org.snakeyaml.engine.v2.nodes.MappingNode;
import org.snakeyaml.engine.v2.nodes.Node;
import org.snakeyaml.engine.v2.nodes.NodeTuple;
import org.snakeyaml.engine.v2.nodes.ScalarNode;
import org.snakeyaml.engine.v2.nodes.SequenceNode;

/**
 * Changes the text of a site file and nothing else of it: comments, order, blank lines and the way
 * that the rest is written stay.
 *
 * <p>Idea: the text is parsed into nodes that know where they begin and end; each edit becomes the
 * replacement of a stretch of text, and all replacements are carried out together, the last one
 * first, so that none moves another. What is added is written as its neighbours are: in braces
 * among braces, in lines among lines.
 */
public final class SiteEditor {
  private static final int CONTEXT = 2;
  private static final Pattern LONE_RETURN = Pattern.compile("\\r(?!\\n)");

  private record Replacement(int start, int end, String by) {}

  /** An object of the file: a value, and the node that names or holds it. */
  private record Found(Node value, @Nullable NodeTuple entry, @Nullable CollectionNode<?> holder) {}

  private final SiteText text;
  private final YamlValues values;
  private final Map<String, Found> byPlace = new HashMap<>();
  private final List<Replacement> replacements = new ArrayList<>();

  /** What is taken away, by what holds it: the numbers of its children. */
  private final IdentityHashMap<CollectionNode<?>, Set<Integer>> removals = new IdentityHashMap<>();

  /** Lists that an edit begins, by where their owner stands and their key. */
  private final Set<String> begun = new HashSet<>();

  private SiteEditor(String text) {
    LoadSettings settings =
        LoadSettings.builder().setUseMarks(true).setCodePointLimit(Integer.MAX_VALUE).build();
    this.text = new SiteText(text, settings);
    this.values = new YamlValues(this.text.lineBreak());
    new Compose(settings)
        .composeReader(new WholeCharacters(new StringReader(text)))
        .ifPresent(this::visitRoot);
  }

  /**
   * The text with all the edits carried out.
   *
   * @throws IllegalArgumentException if the text is no YAML that a site file may be, or an edit
   *     names a place where nothing of its kind stands, or cannot be carried out without touching
   *     more of the text; it says why
   */
  public static String edited(String text, List<Edit> edits) {
    // Its limits hold here, too: composed as it is, a node could hold itself.
    mustBeYaml(text, "the text is no YAML");
    if (LONE_RETURN.matcher(text).find()) {
      throw new UneditableException(
          "lines end with a carriage return alone: save the file with the line ends of today");
    }
    SiteEditor editor = new SiteEditor(text);
    edits.forEach(editor::take);
    editor.remove();
    String edited = editor.result();
    mustBeYaml(edited, "the text would be no YAML any more");
    return edited;
  }

  private static void mustBeYaml(String text, String otherwise) {
    List<YamlParser.Slip> slips = YamlParser.parse(new SourceText("text", text)).slips();
    if (!slips.isEmpty()) {
      YamlParser.Slip first = slips.get(0);
      throw new UneditableException(
          Printable.message(otherwise + ": line " + first.place().line() + ": " + first.message()));
    }
  }

  /** The difference between two texts of a file as a unified diff; empty if there is none. */
  public static String patch(String file, String before, String after) {
    List<String> old = before.lines().toList();
    return String.join(
            "\n",
            UnifiedDiffUtils.generateUnifiedDiff(
                (file.startsWith("/") ? "a" : "a/") + file,
                (file.startsWith("/") ? "b" : "b/") + file,
                old,
                DiffUtils.diff(old, after.lines().toList()),
                CONTEXT))
        + (before.equals(after) ? "" : "\n");
  }

  private String result() {
    StringBuilder out = new StringBuilder(text.text());
    List<Replacement> ordered = new ArrayList<>(replacements);
    // What is put in at a place stays before what is taken away there; else as the edits came.
    ordered.sort(
        Comparator.comparingInt(Replacement::start).thenComparing(each -> each.start != each.end));
    int end = text.length();
    for (int i = ordered.size() - 1; i >= 0; i--) {
      Replacement each = ordered.get(i);
      if (each.end > end && each.start != each.end) {
        throw new IllegalArgumentException("two edits change the same text");
      }
      out.replace(each.start, each.end, each.by);
      end = each.start;
    }
    return out.toString();
  }

  // Where things stand.

  private static String key(int line, int column) {
    return line + ":" + column;
  }

  private static String key(Node node) {
    Mark mark = node.getStartMark().orElseThrow();
    return key(mark.getLine() + 1, mark.getColumn() + 1);
  }

  private void visitRoot(Node root) {
    visit(root, null, null);
    byPlace.put(key(1, 1), new Found(root, null, null)); // the site, whatever comes first
  }

  private void visit(Node node, @Nullable NodeTuple entry, @Nullable CollectionNode<?> holder) {
    byPlace.putIfAbsent(key(node), new Found(node, entry, holder));
    if (node instanceof SequenceNode list) {
      for (Node item : list.getValue()) {
        byPlace.put(key(item), new Found(item, null, list)); // an item before the list it begins
        visit(item, null, list);
      }
    } else if (node instanceof MappingNode mapping) {
      for (NodeTuple tuple : mapping.getValue()) {
        String at = key(tuple.getKeyNode());
        // An item of a list begins with its first key; a named thing is what its name stands for.
        if (!(holder instanceof SequenceNode) || !at.equals(key(mapping))) {
          byPlace.put(at, new Found(tuple.getValueNode(), tuple, mapping));
        }
        visit(tuple.getValueNode(), tuple, mapping);
      }
    }
  }

  private Found find(Place place) {
    Found found = byPlace.get(key(place.line(), place.column()));
    if (found == null) {
      throw new IllegalArgumentException("nothing begins at " + place + ":" + place.column());
    }
    return found;
  }

  private MappingNode mapping(Place place) {
    if (find(place).value instanceof MappingNode mapping) {
      return mapping;
    }
    throw new IllegalArgumentException("no keys stand at " + place);
  }

  private int start(Node node) {
    return text.start(node);
  }

  private int end(Node node) {
    return text.end(node);
  }

  private static boolean isBlock(Node node) {
    return SiteText.isBlock(node);
  }

  private int lineStart(int at) {
    return text.lineStart(at);
  }

  private int lineEnd(int at) {
    return text.lineEnd(at);
  }

  private int column(int at) {
    return text.column(at);
  }

  private void replace(int start, int end, String by) {
    replacements.add(new Replacement(start, end, by));
  }

  private static @Nullable NodeTuple entry(MappingNode mapping, String key) {
    for (NodeTuple tuple : mapping.getValue()) {
      if (tuple.getKeyNode() instanceof ScalarNode name && name.getValue().equals(key)) {
        return tuple;
      }
    }
    return null;
  }

  private static NodeTuple mustHave(MappingNode mapping, String key) {
    NodeTuple entry = entry(mapping, key);
    if (entry == null) {
      throw new UneditableException("no '" + key + "' stands there");
    }
    return entry;
  }

  // Edits.

  private void take(Edit edit) {
    if (edit instanceof Edit.Put put) {
      put(mapping(put.owner()), put.key(), put.value());
    } else if (edit instanceof Edit.Take taken) {
      take(mapping(taken.owner()), taken.key());
    } else if (edit instanceof Edit.Rename rename) {
      Node name = mustHave(mapping(rename.owner()), rename.key()).getKeyNode();
      replace(start(name), end(name), YamlValues.name(rename.name()));
    } else if (edit instanceof Edit.Replace replacement) {
      Node value = find(replacement.value()).value;
      replace(start(value), end(value), YamlValues.flow(replacement.by()));
    } else if (edit instanceof Edit.Remove removal) {
      Found found = find(removal.object());
      if (found.holder == null) {
        throw new UneditableException("the whole file cannot be taken away");
      }
      remove(found.holder, SiteText.children(found.holder).indexOf(found.value));
    } else if (edit instanceof Edit.Insert insert) {
      insert(mapping(insert.owner()), insert.key(), insert);
    } else if (edit instanceof Edit.Define define) {
      MappingNode owner = mapping(define.owner());
      NodeTuple entry = entry(owner, define.key());
      if (entry != null && entry.getValueNode() instanceof MappingNode named) {
        boolean lines = isBlock(named);
        int indent = lines ? column(start(named)) : 0;
        add(
            named,
            YamlValues.name(define.name())
                + ":"
                + (lines
                    ? values.block(define.value(), indent + 2)
                    : " " + YamlValues.flow(define.value())));
      } else if (entry == null && isBlock(owner)) {
        int indent = column(start(owner)) + 2;
        add(
            owner,
            YamlValues.name(define.key())
                + ":"
                + text.lineBreak()
                + " ".repeat(indent)
                + YamlValues.name(define.name())
                + ":"
                + values.block(define.value(), indent + 2));
      } else {
        put(owner, define.key(), Map.of(define.name(), define.value()));
      }
    } else if (edit instanceof Edit.Move move) {
      move(find(move.item()), move.before() == null ? null : find(move.before()));
    }
  }

  private void take(MappingNode mapping, String key) {
    int path = key.indexOf('/');
    NodeTuple entry = entry(mapping, path < 0 ? key : key.substring(0, path));
    if (entry != null && path < 0) {
      remove(mapping, mapping.getValue().indexOf(entry));
    } else if (entry != null && entry.getValueNode() instanceof MappingNode held) {
      take(held, key.substring(path + 1));
    }
  }

  private void put(MappingNode mapping, String key, Object value) {
    int path = key.indexOf('/');
    if (path > 0) {
      NodeTuple outer = entry(mapping, key.substring(0, path));
      String inner = key.substring(path + 1);
      if (outer != null && outer.getValueNode() instanceof MappingNode held) {
        put(held, inner, value);
      } else {
        put(mapping, key.substring(0, path), Map.of(inner, value));
      }
      return;
    }
    NodeTuple entry = entry(mapping, key);
    if (entry == null) {
      add(mapping, YamlValues.name(key) + ": " + YamlValues.flow(value));
      return;
    }
    Node old = entry.getValueNode();
    int colon = text.colon(entry);
    if (colon == SiteText.NONE) {
      throw new UneditableException("'" + key + "' stands there without a colon");
    }
    String by = YamlValues.flow(value);
    if (SiteText.isNothing(old)) {
      replace(colon + 1, colon + 1, " " + by);
    } else if (isBlock(old)) { // its lines go; comments between stay
      int first = old instanceof SequenceNode list ? text.dash(list, 0) : start(old);
      replace(colon + 1, colon + 1, " " + by);
      replace(text.lineEnd(text.lineStart(first) - 1), end(old), "");
    } else {
      boolean touches = start(old) == colon + 1;
      replace(start(old), end(old), touches ? " " + by : by);
    }
  }

  /** Adds a line, or what stands between two commas, to the end of a mapping. */
  private void add(MappingNode mapping, String line) {
    add(mapping, line, /* apart= */ false);
  }

  private void add(MappingNode mapping, String line, boolean apart) {
    if (isBlock(mapping)) {
      int at = lineEnd(end(mapping));
      mustEnd(mapping);
      replace(
          at,
          at,
          (apart ? text.lineBreak() : "")
              + text.lineBreak()
              + " ".repeat(column(start(mapping)))
              + line);
    } else if (mapping.getValue().isEmpty()) {
      replace(start(mapping), end(mapping), "{ " + line + " }");
    } else {
      int at = text.end(mapping, mapping.getValue().size() - 1);
      replace(at, at, ", " + line);
    }
  }

  /** What is put behind text whose blank lines count would change it. */
  private void mustEnd(Node node) {
    if (text.keepsItsEnd(node)) {
      throw new UneditableException("the text of several lines there keeps its blank lines");
    }
  }

  private void remove(CollectionNode<?> holder, int child) {
    removals.computeIfAbsent(holder, h -> new TreeSet<>()).add(child);
  }

  /** Takes away what was named, all of it together, since neighbours share commas. */
  private void remove() {
    // A list does not stay without items: what would be left empty goes as a whole.
    List<CollectionNode<?>> left = new ArrayList<>(removals.keySet());
    for (int i = 0; i < left.size(); i++) {
      CollectionNode<?> holder = left.get(i);
      Set<Integer> children = Objects.requireNonNull(removals.get(holder));
      if (children.size() == holder.getValue().size()) {
        removals.remove(holder);
        CollectionNode<?> outer = holderOf(holder);
        if (!removals.containsKey(outer)) {
          left.add(outer);
        }
        remove(outer, SiteText.children(outer).indexOf(holder));
        if (left.indexOf(outer) <= i) {
          left.add(outer);
        }
      }
    }
    removals.forEach(
        (holder, children) -> {
          for (int child : children) {
            if (isBlock(holder)) {
              removeLines(holder, child, children);
            } else {
              removeBetweenCommas(holder, child, children);
            }
          }
        });
  }

  private CollectionNode<?> holderOf(CollectionNode<?> held) {
    for (Found found : byPlace.values()) {
      if (found.value.equals(held) && found.holder != null) {
        return found.holder;
      }
    }
    throw new UneditableException("the last thing there cannot be taken away");
  }

  private void removeBetweenCommas(CollectionNode<?> holder, int child, Set<Integer> all) {
    int count = holder.getValue().size();
    boolean someAfter = text.commaBehind(holder, count - 1) != SiteText.NONE;
    for (int i = child + 1; i < count; i++) {
      someAfter |= !all.contains(i);
    }
    int start = text.start(holder, child);
    int end = text.end(holder, child);
    int comma = text.commaBehind(holder, someAfter ? child : child - 1);
    if (comma == SiteText.NONE) {
      throw new UneditableException("no comma sets it apart");
    }
    if (!someAfter) { // of the last ones each goes with the comma before it
      if (text.part(comma + 1, start).isBlank()) {
        replace(comma, end, "");
      } else {
        replace(comma, comma + 1, "");
        replace(start, end, "");
      }
    } else if (!text.isGap(end, comma)) { // a comment stands before the comma, or a line break
      replace(start, end, "");
      replace(comma, comma + 1, "");
    } else if (text.beginsLine(start) && text.isGap(comma + 1, lineEnd(comma + 1))) {
      replace(lineStart(start), text.nextLine(comma), "");
    } else {
      int next = comma + 1;
      while (text.at(next) == ' ' || text.at(next) == '\t') {
        next++;
      }
      replace(start, text.at(next) == '#' ? comma + 1 : next, "");
    }
  }

  private void removeLines(CollectionNode<?> holder, int child, Set<Integer> all) {
    int start =
        holder instanceof SequenceNode list ? text.dash(list, child) : text.start(holder, child);
    int end = text.end(holder, child);
    if (text.beginsLine(start) && !isBehindDash(holder, child, all)) {
      int from = lineStart(start);
      // At the end of a file go the blank lines, too, that set it apart.
      while (text.part(text.nextLine(end), text.length()).isBlank()
          && from > 0
          && text.part(lineStart(from - 1), from).isBlank()) {
        from = lineStart(from - 1);
      }
      replace(from, text.nextLine(end), "");
    } else if (isBehindDash(holder, child, all)) { // what follows takes its place behind the dash
      replace(start, text.firstInNextLine(end), "");
    } else {
      throw new UneditableException("what stands there shares its line with something else");
    }
  }

  /** Whether a child and all before it that go stand behind the dash of an outer list. */
  private boolean isBehindDash(CollectionNode<?> holder, int child, Set<Integer> all) {
    for (int i = 0; i < child; i++) {
      if (!all.contains(i)) {
        return false;
      }
    }
    int first = holder instanceof SequenceNode list ? text.dash(list, 0) : text.start(holder, 0);
    String before = text.part(lineStart(first), first);
    return !before.isBlank() && before.replace('-', ' ').isBlank();
  }

  private void insert(MappingNode owner, String key, Edit.Insert insert) {
    int path = key.indexOf('/');
    if (path > 0) {
      String outer = key.substring(0, path);
      if (!(mustHave(owner, outer).getValueNode() instanceof MappingNode held)) {
        throw new UneditableException("'" + outer + "' holds no keys there");
      }
      insert(held, key.substring(path + 1), insert);
      return;
    }
    NodeTuple entry = entry(owner, key);
    if (entry == null) {
      begin(owner, key, insert.item());
    } else if (entry.getValueNode() instanceof SequenceNode list) {
      Node before = insert.before() == null ? null : find(insert.before()).value;
      if (before != null && !list.getValue().contains(before)) {
        throw new UneditableException("the item that it goes before is not in '" + key + "'");
      }
      if (isBlock(list)) {
        insertLine(list, insert.item(), before);
      } else if (list.getValue().isEmpty() && isBlock(owner)) {
        int indent = column(start(owner)) + 2;
        String line = "- " + values.item(insert.item(), indent, /* lines= */ true);
        int from = end(entry.getKeyNode()) + 1;
        replace(from, end(list), text.lineBreak() + " ".repeat(indent) + line);
      } else {
        insertBetweenCommas(list, YamlValues.flow(insert.item()), before);
      }
    } else {
      makeList(entry.getValueNode(), key, insert.item());
    }
  }

  /** Begins a list that is not there yet, or adds to one that an edit began. */
  private void begin(MappingNode owner, String key, Object item) {
    if (!isBlock(owner)) {
      add(owner, YamlValues.name(key) + ": [" + YamlValues.flow(item) + "]");
      return;
    }
    int indent = column(start(owner));
    String written = "- " + values.item(item, indent + 2, /* lines= */ true);
    String line = text.lineBreak() + " ".repeat(indent + 2) + written;
    if (begun.add(start(owner) + " " + key)) {
      // What stands at the top is set apart.
      add(owner, YamlValues.name(key) + ":" + line, indent == 0);
    } else {
      int at = lineEnd(end(owner));
      replace(at, at, line); // behind the item that began the list
    }
  }

  /** Makes a list of one value that stands for a list of one, and adds to it. */
  private void makeList(Node only, String key, Object item) {
    if (!(only instanceof ScalarNode scalar) || SiteText.isNothing(only)) {
      throw new UneditableException("'" + key + "' is no list there");
    }
    boolean quoted = text.part(start(only), end(only)).matches("(?s)['\"].*");
    String one = quoted ? text.part(start(only), end(only)) : YamlValues.flow(scalar.getValue());
    replace(start(only), end(only), "[" + one + ", " + YamlValues.flow(item) + "]");
  }

  private void insertBetweenCommas(SequenceNode list, String item, @Nullable Node before) {
    if (list.getValue().isEmpty()) {
      replace(start(list), end(list), "[" + item + "]");
    } else if (before != null) {
      replace(start(before), start(before), item + ", ");
    } else {
      int at = end(list.getValue().get(list.getValue().size() - 1));
      replace(at, at, ", " + item);
    }
  }

  private void insertLine(SequenceNode list, Object item, @Nullable Node before) {
    int indent = column(text.dash(list, 0));
    // As the item that it comes to stand beside.
    boolean lines =
        isBlock(before != null ? before : list.getValue().get(list.getValue().size() - 1));
    String line = " ".repeat(indent) + "- " + values.item(item, indent, lines);
    if (before != null) {
      int dash = text.dash(list, list.getValue().indexOf(before));
      if (!text.beginsLine(dash)) {
        throw new UneditableException("the item that it goes before shares its line");
      }
      int at = text.withComments(lineStart(dash));
      replace(at, at, line + text.lineBreak());
    } else {
      mustEnd(list);
      int at = lineEnd(end(list));
      replace(at, at, text.lineBreak() + line);
    }
  }

  private void move(Found item, @Nullable Found before) {
    if (!(item.holder instanceof SequenceNode list)
        || (before != null && !list.equals(before.holder))) {
      throw new UneditableException("only items of one list are moved");
    }
    List<Node> items = list.getValue();
    int from = items.indexOf(item.value);
    int to = before == null ? items.size() : items.indexOf(before.value);
    if (to == from || to == from + 1) {
      return; // it stands there
    }
    if (!isBlock(list)) {
      String moved = text.part(start(item.value), end(item.value));
      remove(list, from);
      if (before == null) {
        int end = end(items.get(items.size() - 1));
        replace(end, end, ", " + moved);
      } else {
        replace(start(before.value), start(before.value), moved + ", ");
      }
      return;
    }
    int dash = text.dash(list, from);
    int target = before == null ? SiteText.NONE : text.dash(list, to);
    if (!text.beginsLine(dash) || (before != null && !text.beginsLine(target))) {
      throw new UneditableException("an item shares its line with something else");
    }
    mustEnd(item.value);
    mustEnd(list);
    int start = text.withComments(lineStart(dash));
    int end = text.nextLine(end(item.value));
    String lines = text.part(start, end);
    lines = lines.endsWith("\n") ? lines : lines + text.lineBreak();
    replace(start, end, "");
    int at = before == null ? text.nextLine(end(list)) : text.withComments(lineStart(target));
    boolean open = at == text.length() && !text.text().endsWith("\n");
    replace(at, at, open ? text.lineBreak() + lines.stripTrailing() : lines);
  }
}
