// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.yaml;

import java.io.StringReader;
import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Deque;
import java.util.List;
import java.util.Optional;
import org.eskerfield.model.Place;
import org.jspecify.annotations.Nullable;
import org.snakeyaml.engine.v2.api.LoadSettings;
import org.snakeyaml.engine.v2.common.ScalarStyle;
import org.snakeyaml.engine.v2.events.AliasEvent;
import org.snakeyaml.engine.v2.events.CollectionStartEvent;
import org.snakeyaml.engine.v2.events.DocumentStartEvent;
import org.snakeyaml.engine.v2.events.Event;
import org.snakeyaml.engine.v2.events.ScalarEvent;
import org.snakeyaml.engine.v2.exceptions.Mark;
import org.snakeyaml.engine.v2.exceptions.MarkedYamlEngineException;
import org.snakeyaml.engine.v2.exceptions.YamlEngineException;
import org.snakeyaml.engine.v2.parser.ParserImpl;
import org.snakeyaml.engine.v2.scanner.StreamReader;

/**
 * Turns YAML 1.2 text into {@link Node}s.
 *
 * <p>Idea: the tree is put together from the parser's events with a stack of its own, so that
 * depth, number of nodes and aliases are bounded before anything is built from them; aliases are
 * refused, since every object of a site has one place. Where the text breaks a rule of YAML, that
 * line is set aside and the rest is read once more, so that one slip does not hide the mistakes
 * behind it. Cost: linear in the text, times one plus the number of such lines, which is bounded.
 */
public final class YamlParser {
  /** How deeply lists and mappings may stand in each other. */
  public static final int DEEPEST = 24;

  /** The most nodes of a document. */
  public static final int MOST_NODES = 300_000;

  /** The most lines that are set aside before the rest is given up. */
  private static final int MOST_SLIPS = 25;

  private static final String AROUND =
      "check indentation, quotes and brackets here and in the line above";

  /** The largest text that is read again after a slip. */
  private static final int LARGEST_READ_AGAIN = 1 << 20;

  /**
   * A line that breaks a rule of YAML.
   *
   * @param place where
   * @param message what is wrong
   * @param remedy what would be right
   */
  public record Slip(Place place, String message, String remedy) {}

  /**
   * What came of a text.
   *
   * @param root the document, or null if it is empty or cannot be read at all
   * @param slips what is wrong with it as YAML; if any, {@code root} lacks those lines
   */
  public record Parsed(@Nullable Node root, List<Slip> slips) {}

  private YamlParser() {}

  /** Parses a text as one document. */
  public static Parsed parse(SourceText source) {
    List<Slip> slips = new ArrayList<>();
    SourceText left = source;
    while (true) {
      try {
        return new Parsed(new Builder(left).build(), slips);
      } catch (UnbuildableException e) {
        slips.add(e.slip);
        return new Parsed(null, slips);
      } catch (MarkedYamlEngineException e) {
        Slip slip = slip(source, e);
        boolean follows = !slips.isEmpty() && isAftermath(slip, slips.get(slips.size() - 1));
        if (!follows) {
          slips.add(slip);
        }
        SourceText shorter = left.withoutLine(slip.place().line());
        if (follows
            || isOfStructure(slip)
            || slips.size() == MOST_SLIPS
            || source.text().length() > LARGEST_READ_AGAIN
            || shorter.text().length() == left.text().length()) {
          return new Parsed(null, slips);
        }
        left = shorter;
      }
    }
  }

  /** Whether a slip is probably one only because the line before it was set aside. */
  private static boolean isAftermath(Slip slip, Slip last) {
    return isOfStructure(slip)
        || (slip.place().line() == last.place().line() + 1
            && slip.message().equals(last.message()));
  }

  /** Whether the indentation is at fault, so that no line after this one can be judged. */
  private static boolean isOfStructure(Slip slip) {
    return slip.message().contains("indentation of those around");
  }

  private static Slip slip(SourceText source, MarkedYamlEngineException e) {
    Mark mark = e.getProblemMark().or(e::getContextMark).orElse(null);
    Place place =
        mark == null
            ? new Place(source.file(), 1, 1)
            : new Place(source.file(), mark.getLine() + 1, mark.getColumn() + 1);
    String line = source.line(place.line());
    String problem = e.getProblem();
    if (line.indexOf('\t') >= 0 && problem.contains("cannot start any token")) {
      return new Slip(place, "a tab stands where YAML wants blanks", "indent with blanks only");
    }
    if (problem.contains("mapping values are not allowed")) {
      return new Slip(
          place,
          "a second ':' stands in this line, or the line is indented too far",
          "put a value that holds ': ' in quotes, and begin keys that belong together in the same"
              + " column");
    }
    if (problem.contains("expected <block end>")) {
      return new Slip(
          place,
          "this line does not fit the indentation of those around it",
          "begin keys and items that belong together in the same column");
    }
    // The mark of a construct that never ends is behind it: its beginning is what must be mended.
    Mark begun = e.getContextMark().orElse(null);
    String context = e.getContext() == null ? "" : e.getContext() + ": ";
    if (begun != null && mark != null && begun.getLine() != mark.getLine()) {
      context = e.getContext() + " that begins in line " + (begun.getLine() + 1) + ": ";
      if (line.isBlank()) {
        place = new Place(source.file(), begun.getLine() + 1, begun.getColumn() + 1);
      }
    }
    return new Slip(place, "this is not YAML: " + context + problem, AROUND);
  }

  /** Ends the building of a tree that is not worth having. */
  private static final class UnbuildableException extends RuntimeException {
    private static final long serialVersionUID = 1L;
    private final transient Slip slip;

    UnbuildableException(Slip slip) {
      super(slip.message(), null, false, false);
      this.slip = slip;
    }
  }

  /** A list or mapping that is not complete yet. */
  private static final class Open {
    final Place place;
    final @Nullable List<Node> items;
    final @Nullable List<Node.Entry> entries;
    Node.@Nullable Scalar key;

    Open(Place place, boolean mapping) {
      this.place = place;
      this.items = mapping ? null : new ArrayList<>();
      this.entries = mapping ? new ArrayList<>() : null;
    }

    Node close() {
      return entries != null
          ? new Node.Mapping(List.copyOf(entries), place)
          : new Node.Sequence(List.copyOf(items == null ? List.of() : items), place);
    }
  }

  private static final class Builder {
    private final SourceText source;
    private final Deque<Open> open = new ArrayDeque<>();
    private @Nullable Node root;
    private int nodes;

    Builder(SourceText source) {
      this.source = source;
    }

    @Nullable Node build() {
      LoadSettings settings =
          LoadSettings.builder()
              .setBufferSize(1 << 16)
              .setLabel(source.file())
              .setUseMarks(true)
              .setCodePointLimit(Integer.MAX_VALUE)
              .build();
      StreamReader reader =
          new StreamReader(settings, new WholeCharacters(new StringReader(source.text())));
      ParserImpl events = new ParserImpl(settings, reader);
      try {
        while (events.hasNext()) {
          take(events.next());
        }
      } catch (MarkedYamlEngineException e) {
        throw e;
      } catch (YamlEngineException e) { // about a place that it does not name
        throw new UnbuildableException(
            new Slip(
                new Place(source.file(), reader.getLine() + 1, reader.getColumn() + 1),
                "from here on this is not YAML",
                AROUND));
      }
      return root;
    }

    private void take(Event event) {
      if (event instanceof DocumentStartEvent && root != null) {
        throw unbuildable(event, "a second document begins here", "write one document a file");
      } else if (event instanceof AliasEvent alias) {
        throw unbuildable(
            event,
            "the alias *" + alias.getAlias().getValue() + " repeats an earlier part",
            "write it out, or give it a name as a group, service or schedule");
      } else if (event instanceof ScalarEvent scalar) {
        checkTag(event, scalar.getTag());
        boolean plain = scalar.getScalarStyle() == ScalarStyle.PLAIN;
        add(new Node.Scalar(scalar.getValue(), plain, place(event)), event);
      } else if (event instanceof CollectionStartEvent start) {
        checkTag(event, start.getTag());
        if (open.size() == DEEPEST) {
          throw unbuildable(
              event,
              "more than " + DEEPEST + " lists and mappings stand in each other",
              "no part of a site file is that deep");
        }
        open.push(new Open(place(event), event.getEventId() == Event.ID.MappingStart));
      } else if (event.getEventId() == Event.ID.MappingEnd
          || event.getEventId() == Event.ID.SequenceEnd) {
        add(open.pop().close(), event);
      }
    }

    private void checkTag(Event event, Optional<String> tag) {
      if (tag.isPresent() && !tag.get().equals("!")) {
        throw unbuildable(event, "the tag " + tag.get() + " means nothing here", "take it away");
      }
    }

    private void add(Node node, Event event) {
      if (++nodes > MOST_NODES) {
        throw unbuildable(
            event, "the file has more than " + MOST_NODES + " values", "is this the right file?");
      }
      Open parent = open.peek();
      if (parent == null) {
        root = node;
      } else if (parent.items != null) {
        parent.items.add(node);
      } else if (parent.key != null && parent.entries != null) {
        parent.entries.add(new Node.Entry(parent.key, node));
        parent.key = null;
      } else if (node instanceof Node.Scalar key) {
        parent.key = key;
      } else {
        throw unbuildable(event, "a list or mapping stands where a key belongs", "give it a name");
      }
    }

    private Place place(Event event) {
      Mark mark = event.getStartMark().orElse(null);
      return mark == null
          ? new Place(source.file(), 1, 1)
          : new Place(source.file(), mark.getLine() + 1, mark.getColumn() + 1);
    }

    private UnbuildableException unbuildable(Event event, String message, String remedy) {
      return new UnbuildableException(new Slip(place(event), message, remedy));
    }
  }
}
