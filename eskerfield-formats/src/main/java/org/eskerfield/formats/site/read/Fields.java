// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.read;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashSet;
import java.util.IdentityHashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.regex.Pattern;
import org.eskerfield.formats.literal.Problems;
import org.eskerfield.formats.site.shape.Shape;
import org.eskerfield.formats.site.shape.SiteShapes;
import org.eskerfield.formats.site.shape.TradeWords;
import org.eskerfield.formats.yaml.Node;
import org.eskerfield.model.Place;
import org.eskerfield.model.Placed;
import org.eskerfield.outcome.Outcome;
import org.jspecify.annotations.Nullable;

/**
 * A mapping of the file, checked against its {@link Shape}. Whatever does not fit has been
 * reported; what is left can be asked for by key without further checks.
 */
final class Fields implements Placed {
  /**
   * A mapping under a name of the user's.
   *
   * @param name the name, where it stands
   * @param value what stands under it
   */
  record NamedNode(Node.Scalar name, Node value) {}

  private static final List<String> OUTCOMES =
      Arrays.stream(Outcome.values()).map(Outcome::toString).toList();

  private static final Pattern LIKE_A_KEY = Pattern.compile("[a-zA-Z][a-zA-Z-]*");

  private final Shape shape;
  private final Place place;
  private final Map<String, Node> values = new LinkedHashMap<>();
  private final Map<String, Place> keys = new LinkedHashMap<>();
  private final Problems problems;

  /** Keys that are there under another name, which was reported. */
  private final Set<String> meant = new HashSet<>();

  /** Every mapping of the document that was checked, shared by all its fields. */
  private final Map<Node, Fields> checked;

  private Fields(Shape shape, Place place, Problems problems, Map<Node, Fields> checked) {
    this.shape = shape;
    this.place = place;
    this.problems = problems;
    this.checked = checked;
  }

  /**
   * Checks a node and everything in it.
   *
   * @param at where a missing key is reported
   * @return the fields that fit; none if the node is no mapping
   */
  static Fields check(Node node, Shape shape, Place at, Problems problems) {
    return check(node, shape, at, problems, new IdentityHashMap<>());
  }

  private static Fields check(
      Node node, Shape shape, Place at, Problems problems, Map<Node, Fields> checked) {
    Fields fields = new Fields(shape, at, problems, checked);
    checked.put(node, fields);
    if (!(node instanceof Node.Mapping mapping)) {
      problems.add(
          isNothing(node) ? at : node.place(),
          quoted(node) + " stands where " + shape.name() + " belongs",
          "write its keys: " + String.join(", ", shape.keyNames()));
      return fields;
    }
    Node.@Nullable Entry before = null;
    for (Node.Entry entry : mapping.entries()) {
      fields.take(entry, before);
      before = entry;
    }
    fields.reportMissing();
    return fields;
  }

  private void take(Node.Entry entry, Node.@Nullable Entry before) {
    String name = entry.key().text();
    Shape.Key key = shape.key(name);
    if (key == null) {
      problems.add(
          entry.key(),
          "unknown key '" + name + "' in " + shape.name(),
          unknown(name, entry, before));
      return;
    }
    if (keys.containsKey(name)) {
      reportDuplicate(entry.key(), keys.get(name));
      return;
    }
    keys.put(name, entry.key().place());
    read(key, entry);
  }

  private void read(Shape.Key key, Node.Entry entry) {
    if (fits(entry.value(), key.value(), key.name(), entry.key().place())) {
      values.put(key.name(), entry.value());
    }
  }

  /** What to write instead of a key; what stands under one that is called otherwise is read. */
  private String unknown(String name, Node.Entry entry, Node.@Nullable Entry before) {
    if (name.equals("<<")) {
      return "merging is not read; write the keys out";
    }
    if (isNothing(entry.value()) && before != null) {
      Shape.Key last = shape.key(before.key().text());
      if (last != null && last.value() instanceof Shape.Text) {
        return "a comma within { } ends a value; put the whole of it in quotes: "
            + last.name()
            + ": '"
            + (before.value() instanceof Node.Scalar text ? text.text() : "...")
            + ", "
            + name
            + "'";
      }
      if (!LIKE_A_KEY.matcher(name).matches()) {
        return "a comma within { } ends the value before it; where several are meant, write a list"
            + " in brackets: [..., "
            + name
            + "]";
      }
    }
    List<String> free = shape.keyNames().stream().filter(each -> !keys.containsKey(each)).toList();
    if (TradeWords.isSwitch(name)) {
      for (String off : List.of("disabled", "off")) {
        if (shape.keyNames().contains(off)) {
          return "what stands in the file acts; only what shall not act is marked: "
              + off
              + ": true";
        }
      }
    }
    String ours = TradeWords.key(name, free);
    Shape.Key key = ours == null ? null : shape.key(ours);
    if (key != null) {
      meant.add(key.name());
      read(key, entry); // so that nothing else seems to be missing because of it
      return instead(name, "key", key.name());
    }
    return problems.didYouMean(
        name, shape.keyNames(), "it has: " + String.join(", ", shape.keyNames()));
  }

  private String instead(String text, String what, String ours) {
    return problems.didYouMean(text, List.of(ours), "the " + what + " for it is '" + ours + "'");
  }

  private void reportDuplicate(Node.Scalar key, @Nullable Place first) {
    problems.add(
        key,
        "duplicate key '"
            + key.text()
            + "'; the first is in line "
            + (first == null ? 0 : first.line()),
        "keep one of the two");
  }

  private void reportMissing() {
    for (Shape.Key key : shape.keys()) {
      if (key.required() && !keys.containsKey(key.name()) && !meant.contains(key.name())) {
        problems.add(
            place,
            shape.name() + " needs '" + key.name() + "': it says " + key.purpose(),
            "add "
                + key.name()
                + ": "
                + (isWord(key.value()) ? key.example() : "and then " + key.value().wanted()));
      }
    }
    if (shape.oneOf().size() < 2) {
      return;
    }
    List<String> chosen = keys.keySet().stream().filter(shape.oneOf()::contains).toList();
    if (chosen.size() != 1 && shape.oneOf().stream().noneMatch(meant::contains)) {
      String all = String.join(", ", shape.oneOf());
      problems.add(
          chosen.size() > 1 ? keys.getOrDefault(chosen.get(1), place) : place,
          chosen.isEmpty()
              ? shape.name() + " needs one of the keys " + all
              : shape.name() + " has " + String.join(" and ", chosen),
          "write exactly one of: " + all);
    }
  }

  /** Whether an example of it is as good in this file as in any other: it names nothing. */
  private static boolean isWord(Shape.Value value) {
    return value instanceof Shape.Word
        || value instanceof Shape.Whole
        || (value instanceof Shape.Either either && isWord(either.simple()));
  }

  /** A whole number; null if it is not there. */
  @Nullable Integer whole(String key) {
    String text = text(key);
    return text == null ? null : Integer.decode(text);
  }

  // Does a value fit? Everything that JSON Schema can say too is checked here, and only here.

  private boolean fits(Node node, Shape.Value value, String key, Place at) {
    if (value instanceof Shape.Either either) {
      return fits(node, node instanceof Node.Mapping ? either.full() : either.simple(), key, at);
    }
    if (value instanceof Shape.Child child) {
      check(node, child.shape(), at, problems, checked);
      return node instanceof Node.Mapping;
    }
    if (value instanceof Shape.Children children) {
      return childrenFit(node, children, key, at);
    }
    if (value instanceof Shape.Named named) {
      return namesFit(node, named, key, at);
    }
    if (value instanceof Shape.Texts texts) {
      return textsFit(node, texts, key, at);
    }
    if (value instanceof Shape.Words words) {
      return wordsFit(node, words, key, at);
    }
    return scalarFits(node, value, key, at);
  }

  private boolean wordsFit(Node node, Shape.Words words, String key, Place at) {
    List<Node> items = node instanceof Node.Sequence all ? all.items() : List.of(node);
    boolean fits = !items.isEmpty() || wrong(node, words, key, at);
    for (Node item : items) {
      boolean is =
          item instanceof Node.Scalar scalar
              && scalar.isText()
              && words.words().contains(scalar.text());
      fits &= is || wrong(item, words, key, at);
    }
    return fits;
  }

  private boolean scalarFits(Node node, Shape.Value value, String key, Place at) {
    boolean fits = false;
    if (node instanceof Node.Scalar scalar) {
      if (value instanceof Shape.Text text) {
        fits =
            scalar.isText()
                && (text.pattern() == null || text.pattern().matcher(scalar.text()).matches());
      } else if (value instanceof Shape.Word word) {
        fits = scalar.isText() && word.words().contains(scalar.text());
      } else if (value instanceof Shape.Truth) {
        fits = scalar.isBoolean();
      } else if (value instanceof Shape.Whole whole) {
        fits = scalar.isInteger() && isWithin(scalar.text(), whole);
      }
    }
    return fits || wrong(node, value, key, at);
  }

  private static boolean isWithin(String text, Shape.Whole whole) {
    try {
      long number =
          Long.decode(
              text.startsWith("0o")
                  ? "0" + text.substring(2)
                  : text.replaceFirst("^([-+]?)0+(?=\\d)", "$1"));
      return number >= whole.lowest() && number <= whole.highest();
    } catch (NumberFormatException e) {
      return false;
    }
  }

  private boolean wrong(Node node, Shape.Value value, String key, Place at) {
    String remedy = "write " + value.wanted();
    if (node instanceof Node.Scalar scalar) {
      String ours = TradeWords.key(scalar.text(), words(value, key));
      if (ours != null && scalar.isText()) {
        remedy = instead(scalar.text(), "word", ours);
      } else if ((value instanceof Shape.Text || value instanceof Shape.Texts)
          && !scalar.isText()
          && !scalar.isNull()) {
        remedy =
            value.wanted().startsWith("a service") && scalar.isInteger()
                ? "say the protocol, too: " + scalar.text() + "/tcp or " + scalar.text() + "/udp"
                : remedy + "; a number or truth value that is meant as text stands in quotes";
      } else if (value instanceof Shape.Text text && text.pattern() == SiteShapes.NAME) {
        remedy = SiteShapes.nameInstead(text.pattern(), scalar.text());
      }
    }
    problems.add(
        isNothing(node) ? at : node.place(),
        isNothing(node)
            ? "'" + key + "' has no value"
            : quoted(node) + " is no value for '" + key + "'",
        remedy);
    return false;
  }

  /** The words of which a value is one, or begins with one; empty if it is any text. */
  private static List<String> words(Shape.Value value, String key) {
    if (value instanceof Shape.Word word) {
      return word.words();
    }
    return value instanceof Shape.Words words
        ? words.words()
        : key.equals("outcome") ? OUTCOMES : List.of();
  }

  private boolean textsFit(Node node, Shape.Texts texts, String key, Place at) {
    if (!(node instanceof Node.Sequence sequence)) {
      return isOneOf(node, texts) || wrong(node, texts, key, at);
    }
    boolean fits = !sequence.items().isEmpty();
    if (!fits) {
      problems.add(
          node, "the list of '" + key + "' is empty", "name at least one, or leave the key out");
    }
    for (Node item : sequence.items()) {
      fits &= isOneOf(item, texts) || wrong(item, texts, key, node.place());
    }
    return fits;
  }

  private static boolean isOneOf(Node node, Shape.Texts texts) {
    return node instanceof Node.Scalar scalar
        && (scalar.isText() || (texts.numbers() && scalar.isInteger()));
  }

  private boolean childrenFit(Node node, Shape.Children children, String key, Place at) {
    if (children.alone() && node instanceof Node.Mapping) {
      check(node, shapeOf(node, children.shapes()), node.place(), problems, checked);
      return true;
    }
    if (!(node instanceof Node.Sequence sequence)) {
      return wrong(node, children, key, at);
    }
    for (Node item : sequence.items()) {
      if (children.shapes().size() > 1 && choice(item, children.shapes()) == null) {
        List<String> words = children.shapes().stream().map(s -> s.oneOf().get(0)).toList();
        problems.add(
            item,
            item instanceof Node.Mapping
                ? "this is none of the kinds of rules that '" + key + "' holds"
                : quoted(item) + " is no rule",
            kindInstead(item, words));
      } else {
        check(item, shapeOf(item, children.shapes()), item.place(), problems, checked);
      }
    }
    return true;
  }

  private static String kindInstead(Node item, List<String> words) {
    if (item instanceof Node.Mapping mapping) {
      for (Node.Entry entry : mapping.entries()) {
        String kind = TradeWords.key(entry.key().text(), words);
        if (kind != null) {
          return "'" + entry.key().text() + "' is called '" + kind + "' here";
        }
      }
    }
    return "begin it with its kind and name: " + String.join(": … or ", words) + ": …";
  }

  /** The shape of which a mapping bears a choice key. */
  private static @Nullable Shape choice(Node node, List<Shape> shapes) {
    if (node instanceof Node.Mapping mapping) {
      for (Node.Entry entry : mapping.entries()) {
        for (Shape shape : shapes) {
          if (shape.oneOf().contains(entry.key().text())) {
            return shape;
          }
        }
      }
    }
    return null;
  }

  private static Shape shapeOf(Node node, List<Shape> shapes) {
    Shape chosen = choice(node, shapes);
    return chosen != null ? chosen : shapes.get(0);
  }

  private boolean namesFit(Node node, Shape.Named named, String key, Place at) {
    if (!(node instanceof Node.Mapping mapping)) {
      return wrong(node, named, key, at);
    }
    Map<String, Place> seen = new LinkedHashMap<>();
    for (Node.Entry entry : mapping.entries()) {
      String name = entry.key().text();
      Place first = seen.putIfAbsent(name, entry.key().place());
      if (first != null) {
        reportDuplicate(entry.key(), first);
      } else if (!matches(named.names(), name)) {
        problems.add(
            entry.key(),
            "'" + name + "' cannot be a name in '" + key + "'",
            named.names() == SiteShapes.TITLE
                ? "begin and end it with a letter or digit"
                : named.value() instanceof Shape.Word
                    ? "write ZONE to ZONE, or otherwise"
                    : SiteShapes.nameInstead(named.names(), name));
      }
      fits(entry.value(), named.value(), name, entry.key().place());
    }
    if (named.needed() != null && !seen.containsKey(named.needed())) {
      problems.add(
          at,
          "'" + key + "' needs '" + named.needed() + "': it says what becomes of all others",
          "add " + named.needed() + ": drop");
    }
    return true;
  }

  private static boolean matches(Pattern pattern, String text) {
    return pattern.matcher(text).matches();
  }

  private static boolean isNothing(Node node) {
    return node instanceof Node.Scalar scalar && scalar.isNull();
  }

  private static String quoted(Node node) {
    if (node instanceof Node.Scalar scalar) {
      return scalar.isNull() ? "nothing" : "'" + scalar.text() + "'";
    }
    return node instanceof Node.Sequence ? "a list" : "a mapping";
  }

  // What fits, by key.

  @Override
  public Place place() {
    return place;
  }

  /** Where a key stands; the mapping itself if it does not. */
  Place place(String key) {
    return keys.getOrDefault(key, place);
  }

  boolean has(String key) {
    return values.containsKey(key);
  }

  /** The text of a key; null if it is missing or did not fit. */
  Node.@Nullable Scalar scalar(String key) {
    return values.get(key) instanceof Node.Scalar scalar ? scalar : null;
  }

  @Nullable String text(String key) {
    Node.Scalar scalar = scalar(key);
    return scalar == null ? null : scalar.text();
  }

  boolean isTrue(String key, boolean otherwise) {
    String text = text(key);
    return text == null ? otherwise : text.equalsIgnoreCase("true");
  }

  /** The texts of a key that may hold one or several; empty if it is missing. */
  List<Node.Scalar> texts(String key) {
    return texts(values.get(key));
  }

  static List<Node.Scalar> texts(@Nullable Node node) {
    if (node instanceof Node.Scalar scalar) {
      return List.of(scalar);
    }
    if (!(node instanceof Node.Sequence sequence)) {
      return List.of();
    }
    List<Node.Scalar> texts = new ArrayList<>();
    for (Node item : sequence.items()) {
      if (item instanceof Node.Scalar scalar) {
        texts.add(scalar);
      }
    }
    return texts;
  }

  @Nullable Node node(String key) {
    return values.get(key);
  }

  /** The names under a key, without those that stand a second time. */
  List<NamedNode> named(String key) {
    if (!(values.get(key) instanceof Node.Mapping mapping)) {
      return List.of();
    }
    Map<String, NamedNode> named = new LinkedHashMap<>();
    for (Node.Entry entry : mapping.entries()) {
      named.putIfAbsent(entry.key().text(), new NamedNode(entry.key(), entry.value()));
    }
    return List.copyOf(named.values());
  }

  /** The mappings under a key that holds a list of them, or one alone, or one by itself. */
  List<Fields> children(String key) {
    return children(values.get(key));
  }

  /** The mappings of a list, or one alone. */
  List<Fields> children(@Nullable Node node) {
    Fields alone = node == null ? null : checked.get(node);
    if (alone != null) {
      return List.of(alone); // a list, too, where one mapping belongs, which was reported
    }
    List<Node> items =
        node instanceof Node.Sequence sequence
            ? sequence.items()
            : node == null ? List.of() : List.of(node);
    List<Fields> children = new ArrayList<>();
    for (Node item : items) {
      Fields child = checked.get(item);
      if (child != null) {
        children.add(child);
      }
    }
    return children;
  }
}
