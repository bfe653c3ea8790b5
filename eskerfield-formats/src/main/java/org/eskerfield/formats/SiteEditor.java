package org.eskerfield.formats;

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
import java.util.regex.Pattern;
import org.eskerfield.cure.Edit;
import org.eskerfield.formats.yaml.WholeCharacters;
import org.eskerfield.model.Place;
import org.jspecify.annotations.Nullable;
import org.snakeyaml.engine.v2.api.LoadSettings;
import org.snakeyaml.engine.v2.api.lowlevel.Compose;
import org.snakeyaml.engine.v2.common.FlowStyle;
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

  /** Text that YAML would take for something else, or that holds what means something to it. */
  private static final Pattern NEEDS_QUOTES =
      Pattern.compile(
          "^$|^[\\s\\-?:,\\[\\]{}#&*!|>'\"%@`].*|.*[:#,\\[\\]{}].*|.*\\s$|"
              + "(?i)true|false|null|yes|no|on|off|~");

  /** Ports, addresses of both families and the like hold a colon, but no blank behind it. */
  private static final Pattern PLAIN_ALL_THE_SAME = Pattern.compile("[\\w./-]+(:[\\w./-]+)*+");

  private record Replacement(int start, int end, String by) {}

  /** An object of the file: a value, and the node that names or holds it. */
  private record Found(Node value, @Nullable NodeTuple entry, @Nullable CollectionNode<?> holder) {}

  private final String text;
  private final Map<String, Found> byPlace = new HashMap<>();
  private final List<Replacement> replacements = new ArrayList<>();

  private final IdentityHashMap<CollectionNode<?>, Integer> removals = new IdentityHashMap<>();
  private final IdentityHashMap<CollectionNode<?>, Boolean> emptied = new IdentityHashMap<>();

  /** Lists that an edit begins, by where their owner stands and their key. */
  private final Set<String> begun = new HashSet<>();

  private SiteEditor(String text) {
    this.text = text;
    LoadSettings settings =
        LoadSettings.builder().setUseMarks(true).setCodePointLimit(Integer.MAX_VALUE).build();
    new Compose(settings)
        .composeReader(new WholeCharacters(new StringReader(text)))
        .ifPresent(this::visitRoot);
  }

  /**
   * The text with all the edits carried out.
   *
   * @throws IllegalArgumentException if an edit names a place where nothing of its kind stands
   */
  public static String edited(String text, List<Edit> edits) {
    SiteEditor editor = new SiteEditor(text);
    editor.countRemovals(edits);
    edits.forEach(editor::take);
    return editor.result();
  }

  /** What two texts of a file differ in, as a unified diff; empty if in nothing. */
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
    StringBuilder out = new StringBuilder(text);
    List<Replacement> ordered = new ArrayList<>(replacements);
    ordered.sort(Comparator.comparingInt(Replacement::start)); // stable: as the edits came
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

  private int index(Mark mark) {
    return text.offsetByCodePoints(0, mark.getIndex());
  }

  private int start(Node node) {
    return index(node.getStartMark().orElseThrow());
  }

  /** Where a node ends; the mark of a block stands behind the blank lines after it. */
  private int end(Node node) {
    if (isBlock(node)) {
      if (node instanceof SequenceNode list && !list.getValue().isEmpty()) {
        return end(list.getValue().get(list.getValue().size() - 1));
      }
      if (node instanceof MappingNode mapping && !mapping.getValue().isEmpty()) {
        return end(last(mapping).getValueNode());
      }
    }
    int end = index(node.getEndMark().orElseThrow());
    while (end > start(node) && text.charAt(end - 1) == '\n') {
      end--; // a block of text ends with its line
    }
    return end;
  }

  private static NodeTuple last(MappingNode mapping) {
    return mapping.getValue().get(mapping.getValue().size() - 1);
  }

  private static boolean isBlock(Node node) {
    return node instanceof CollectionNode<?> list && list.getFlowStyle() == FlowStyle.BLOCK;
  }

  private int lineStart(int at) {
    return text.lastIndexOf('\n', at - 1) + 1;
  }

  /** The end of a line, before its line break. */
  private int lineEnd(int at) {
    int end = text.indexOf('\n', at);
    end = end < 0 ? text.length() : end;
    return end > at && text.charAt(end - 1) == '\r' ? end - 1 : end;
  }

  /** The beginning of the line behind. */
  private int nextLine(int at) {
    int end = text.indexOf('\n', at);
    return end < 0 ? text.length() : end + 1;
  }

  private int column(int at) {
    return at - lineStart(at);
  }

  private String lineBreak() {
    return text.contains("\r\n") ? "\r\n" : "\n";
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

  // Edits.

  private void take(Edit edit) {
    if (edit instanceof Edit.Put put) {
      put(mapping(put.owner()), put.key(), put.value());
    } else if (edit instanceof Edit.Take taken) {
      MappingNode mapping = mapping(taken.owner());
      NodeTuple entry = entry(mapping, taken.key());
      if (entry != null) {
        remove(new Found(entry.getValueNode(), entry, mapping));
      }
    } else if (edit instanceof Edit.Rename rename) {
      NodeTuple entry = entry(mapping(rename.owner()), rename.key());
      Node name = Objects.requireNonNull(entry, rename.key()).getKeyNode();
      replace(start(name), end(name), rename.name());
    } else if (edit instanceof Edit.Replace replacement) {
      Node value = find(replacement.value()).value;
      replace(start(value), end(value), flow(replacement.by()));
    } else if (edit instanceof Edit.Remove removal) {
      remove(find(removal.object()));
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
            define.name()
                + ":"
                + (lines ? block(define.value(), indent + 2) : " " + flow(define.value())));
      } else if (entry == null && isBlock(owner)) {
        int indent = column(start(owner)) + 2;
        add(
            owner,
            define.key()
                + ":"
                + lineBreak()
                + " ".repeat(indent)
                + define.name()
                + ":"
                + block(define.value(), indent + 2));
      } else {
        put(owner, define.key(), Map.of(define.name(), define.value()));
      }
    } else if (edit instanceof Edit.Move move) {
      move(find(move.item()), move.before() == null ? null : find(move.before()));
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
      add(mapping, key + ": " + flow(value));
      return;
    }
    int colon = end(entry.getKeyNode());
    Node old = entry.getValueNode();
    int from = isBlock(old) ? text.indexOf(':', colon) + 1 : start(old);
    String by = flow(value);
    replace(from, end(old), from == start(old) && text.charAt(from - 1) != ':' ? by : " " + by);
  }

  /** Adds a line, or what stands between two commas, to the end of a mapping. */
  private void add(MappingNode mapping, String line) {
    add(mapping, line, /* apart= */ false);
  }

  private void add(MappingNode mapping, String line, boolean apart) {
    if (isBlock(mapping)) {
      int at = lineEnd(end(mapping));
      replace(
          at,
          at,
          (apart ? lineBreak() : "") + lineBreak() + " ".repeat(column(start(mapping))) + line);
    } else if (mapping.getValue().isEmpty()) {
      replace(start(mapping), end(mapping), "{ " + line + " }");
    } else {
      int at = end(last(mapping).getValueNode());
      replace(at, at, ", " + line);
    }
  }

  /** Counts what is taken away of each list, since a list does not stay without items. */
  private void countRemovals(List<Edit> edits) {
    for (Edit edit : edits) {
      if (edit instanceof Edit.Remove removal) {
        CollectionNode<?> holder = find(removal.object()).holder;
        if (holder != null) {
          removals.merge(holder, 1, Integer::sum);
        }
      }
    }
  }

  private void remove(Found found) {
    CollectionNode<?> holder = found.holder;
    if (holder == null) {
      throw new IllegalArgumentException("the whole file cannot be taken away");
    }
    if (holder.getValue().size() == Math.max(1, removals.getOrDefault(holder, 0))) {
      if (emptied.put(holder, true) == null) {
        removeHolder(holder);
      }
      return;
    }
    int start = found.entry == null ? start(found.value) : start(found.entry.getKeyNode());
    int end = end(found.value);
    if (!isBlock(holder)) {
      int comma = text.indexOf(',', end);
      boolean isLast = !text.substring(end, Math.max(end, comma)).isBlank() || comma < 0;
      int before = text.lastIndexOf(',', start);
      if (isLast) {
        replace(before, end, "");
      } else {
        int next = comma + 1;
        while (Character.isWhitespace(text.charAt(next))) {
          next++;
        }
        replace(start, next, "");
      }
      return;
    }
    boolean ownsLine = text.substring(lineStart(start), start).replace("-", "").isBlank();
    boolean behindDash =
        holder instanceof MappingNode && text.substring(lineStart(start), start).contains("-");
    if (behindDash) { // the first key of an item: the next one takes its place behind the dash
      NodeTuple next = (NodeTuple) holder.getValue().get(1);
      replace(start, start(next.getKeyNode()), "");
    } else if (ownsLine) {
      int from = lineStart(start);
      // At the end of a file go the blank lines, too, that set it apart.
      while (text.substring(nextLine(end)).isBlank()
          && from > 0
          && text.substring(lineStart(from - 1), from).isBlank()) {
        from = lineStart(from - 1);
      }
      replace(from, nextLine(end), "");
    } else {
      throw new IllegalArgumentException("what stands there shares its line with something else");
    }
  }

  /** Takes away what would be left empty. */
  private void removeHolder(CollectionNode<?> holder) {
    for (Found found : byPlace.values()) {
      if (found.value.equals(holder) && found.entry != null) {
        remove(found);
        return;
      }
    }
    throw new IllegalArgumentException("the last thing there cannot be taken away");
  }

  private void insert(MappingNode owner, String key, Edit.Insert insert) {
    int path = key.indexOf('/');
    if (path > 0) {
      NodeTuple outer = Objects.requireNonNull(entry(owner, key.substring(0, path)), key);
      insert((MappingNode) outer.getValueNode(), key.substring(path + 1), insert);
      return;
    }
    NodeTuple entry = entry(owner, key);
    if (entry == null && isBlock(owner)) {
      int indent = column(start(owner));
      String item = "- " + item(insert.item(), indent + 2, /* lines= */ true);
      String line = lineBreak() + " ".repeat(indent + 2) + item;
      if (begun.add(start(owner) + " " + key)) {
        add(owner, key + ":" + line, indent == 0); // what stands at the top is set apart
      } else {
        int at = lineEnd(end(owner));
        replace(at, at, line); // behind the item that began the list
      }
      return;
    }
    if (entry == null) {
      add(owner, key + ": [" + flow(insert.item()) + "]");
      return;
    }
    if (!(entry.getValueNode() instanceof SequenceNode list)) {
      Node only = entry.getValueNode(); // one value stands for a list of one
      replace(
          start(only),
          end(only),
          "[" + text.substring(start(only), end(only)) + ", " + flow(insert.item()) + "]");
      return;
    }
    Node before = insert.before() == null ? null : find(insert.before()).value;
    if (!isBlock(list)) {
      String item = flow(insert.item());
      if (list.getValue().isEmpty() && isBlock(owner)) {
        int indent = column(start(owner)) + 2;
        String line = "- " + item(insert.item(), indent, /* lines= */ true);
        int from = end(entry.getKeyNode()) + 1;
        replace(from, end(list), lineBreak() + " ".repeat(indent) + line);
      } else if (list.getValue().isEmpty()) {
        replace(start(list), end(list), "[" + item + "]");
      } else if (before != null) {
        replace(start(before), start(before), item + ", ");
      } else {
        int at = end(list.getValue().get(list.getValue().size() - 1));
        replace(at, at, ", " + item);
      }
      return;
    }
    int indent = column(dash(list.getValue().get(0)));
    // As the item that it comes to stand beside.
    boolean lines =
        isBlock(before != null ? before : list.getValue().get(list.getValue().size() - 1));
    String item = " ".repeat(indent) + "- " + item(insert.item(), indent, lines);
    if (before != null) {
      int at = withComments(lineStart(start(before)));
      replace(at, at, item + lineBreak());
    } else {
      int at = lineEnd(end(list));
      replace(at, at, lineBreak() + item);
    }
  }

  private int dash(Node item) {
    return text.lastIndexOf('-', start(item));
  }

  /** The first of the lines of comment that stand directly above a line. */
  private int withComments(int lineStart) {
    int at = lineStart;
    while (at > 0) {
      int above = lineStart(at - 1);
      if (!text.substring(above, at).stripLeading().startsWith("#")) {
        break;
      }
      at = above;
    }
    return at;
  }

  private void move(Found item, @Nullable Found before) {
    CollectionNode<?> list = Objects.requireNonNull(item.holder);
    Node last = (Node) list.getValue().get(list.getValue().size() - 1);
    if (isBlock(list)) {
      int start = withComments(lineStart(start(item.value)));
      int end = nextLine(end(item.value));
      String lines = text.substring(start, end);
      lines = lines.endsWith("\n") ? lines : lines + lineBreak();
      replace(start, end, "");
      int at = before == null ? nextLine(end(last)) : withComments(lineStart(start(before.value)));
      boolean open = at == text.length() && !text.endsWith("\n");
      replace(at, at, open ? lineBreak() + lines.stripTrailing() : lines);
    } else {
      String moved = text.substring(start(item.value), end(item.value));
      remove(item);
      if (before == null) {
        replace(end(last), end(last), ", " + moved);
      } else {
        replace(start(before.value), start(before.value), moved + ", ");
      }
    }
  }

  // How values are written.

  private String item(Object item, int indent, boolean lines) {
    if (!lines || !(item instanceof Map<?, ?> map)) {
      return flow(item);
    }
    List<String> written = new ArrayList<>();
    map.forEach((key, value) -> written.add(key + ": " + flow(value)));
    return String.join(lineBreak() + " ".repeat(indent + 2), written);
  }

  /** A value behind its key: a map and a list of maps in lines, all else in the same line. */
  private String block(Object value, int indent) {
    String start = lineBreak() + " ".repeat(indent);
    StringBuilder out = new StringBuilder();
    if (value instanceof Map<?, ?> map) {
      map.forEach(
          (key, each) ->
              out.append(start)
                  .append(key)
                  .append(':')
                  .append(each instanceof List<?> ? block(each, indent + 2) : " " + flow(each)));
      return out.toString();
    }
    if (value instanceof List<?> list && list.stream().allMatch(each -> each instanceof Map)) {
      for (Object each : list) {
        out.append(start).append("- ").append(item(each, indent, /* lines= */ true));
      }
      return out.toString();
    }
    return " " + flow(value);
  }

  private static String flow(Object value) {
    if (value instanceof Map<?, ?> map) {
      List<String> written = new ArrayList<>();
      map.forEach((key, each) -> written.add(key + ": " + flow(each)));
      return "{ " + String.join(", ", written) + " }";
    }
    if (value instanceof List<?> list) {
      return "[" + String.join(", ", list.stream().map(SiteEditor::flow).toList()) + "]";
    }
    String text = value.toString();
    return NEEDS_QUOTES.matcher(text).matches() && !PLAIN_ALL_THE_SAME.matcher(text).matches()
        ? "'" + text.replace("'", "''") + "'"
        : text;
  }
}
