// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.edit;

import java.io.StringReader;
import java.util.ArrayList;
import java.util.List;
import java.util.TreeSet;
import org.eskerfield.formats.yaml.WholeCharacters;
import org.snakeyaml.engine.v2.api.LoadSettings;
import org.snakeyaml.engine.v2.comments.CommentType;
import org.snakeyaml.engine.v2.common.FlowStyle;
import org.snakeyaml.engine.v2.common.ScalarStyle;
import org.snakeyaml.engine.v2.exceptions.Mark;
import org.snakeyaml.engine.v2.nodes.CollectionNode;
import org.snakeyaml.engine.v2.nodes.MappingNode;
import org.snakeyaml.engine.v2.nodes.Node;
import org.snakeyaml.engine.v2.nodes.NodeTuple;
import org.snakeyaml.engine.v2.nodes.ScalarNode;
import org.snakeyaml.engine.v2.nodes.SequenceNode;
import org.snakeyaml.engine.v2.scanner.ScannerImpl;
import org.snakeyaml.engine.v2.scanner.StreamReader;
import org.snakeyaml.engine.v2.tokens.CommentToken;
import org.snakeyaml.engine.v2.tokens.Token;

/**
 * The text of a site file and where in it things stand that nodes do not tell of: commas, colons,
 * dashes and comments, as the tokens of YAML have them. To look for the characters themselves would
 * find those in comments and quotes as well.
 */
final class SiteText {
  /** Says that an edit cannot be carried out in this text, and why. */
  static final class UneditableException extends IllegalArgumentException {
    private static final long serialVersionUID = 1L;

    UneditableException(String reason) {
      super(reason);
    }
  }

  static final int NONE = -1;

  /** The mark that UTF-8 follows; it takes no column. */
  private static final char MARK = '\ufeff';

  private final String text;

  /** Whether each character is one place of a mark; where halves stand, they are counted. */
  private final boolean plain;

  private final TreeSet<Integer> commas = new TreeSet<>();
  private final TreeSet<Integer> colons = new TreeSet<>();
  private final TreeSet<Integer> dashes = new TreeSet<>();

  /** The beginnings of lines that are comments. */
  private final TreeSet<Integer> commentLines = new TreeSet<>();

  SiteText(String text, LoadSettings settings) {
    this.text = text;
    this.plain = text.codePointCount(0, text.length()) == text.length();
    LoadSettings withComments =
        LoadSettings.builder()
            .setUseMarks(true)
            .setCodePointLimit(settings.getCodePointLimit())
            .setParseComments(true)
            .build();
    ScannerImpl tokens =
        new ScannerImpl(
            withComments,
            new StreamReader(withComments, new WholeCharacters(new StringReader(text))));
    while (tokens.hasNext()) {
      Token token = tokens.next();
      int at = token.getStartMark().map(this::index).orElse(0);
      switch (token.getTokenId()) {
        case FlowEntry -> commas.add(at);
        case Value -> colons.add(at);
        case BlockEntry -> dashes.add(at);
        case Comment -> {
          if (((CommentToken) token).getCommentType() == CommentType.BLOCK) {
            commentLines.add(lineStart(at));
          }
        }
        default -> {}
      }
    }
  }

  String text() {
    return text;
  }

  char at(int index) {
    return text.charAt(index);
  }

  int length() {
    return text.length();
  }

  String part(int start, int end) {
    return text.substring(start, end);
  }

  private int index(Mark mark) {
    return plain ? mark.getIndex() : text.offsetByCodePoints(0, mark.getIndex());
  }

  // Nodes.

  static boolean isBlock(Node node) {
    return node instanceof CollectionNode<?> list && list.getFlowStyle() == FlowStyle.BLOCK;
  }

  static boolean isNothing(Node node) {
    return node instanceof ScalarNode scalar
        && scalar.getValue().isEmpty()
        && scalar.getScalarStyle() == ScalarStyle.PLAIN;
  }

  int start(Node node) {
    return index(node.getStartMark().orElseThrow());
  }

  /** Where a node ends; the mark of a block stands behind the blank lines after it. */
  int end(Node node) {
    if (isBlock(node)) {
      if (node instanceof SequenceNode list && !list.getValue().isEmpty()) {
        Node last = list.getValue().get(list.getValue().size() - 1);
        return isNothing(last) ? dash(list, list.getValue().size() - 1) + 1 : end(last);
      }
      if (node instanceof MappingNode mapping && !mapping.getValue().isEmpty()) {
        return end(mapping.getValue().get(mapping.getValue().size() - 1));
      }
    }
    int end = index(node.getEndMark().orElseThrow());
    if (node instanceof ScalarNode scalar && isText(scalar.getScalarStyle())) {
      while (end > start(node) && Character.isWhitespace(text.charAt(end - 1))) {
        end--; // a block of text ends with its line
      }
    }
    return end;
  }

  private static boolean isText(ScalarStyle style) {
    return style == ScalarStyle.LITERAL || style == ScalarStyle.FOLDED;
  }

  /** Whether a node is text of several lines whose blank lines at the end count. */
  boolean keepsItsEnd(Node node) {
    if (node instanceof SequenceNode list && !list.getValue().isEmpty()) {
      return keepsItsEnd(list.getValue().get(list.getValue().size() - 1));
    }
    if (node instanceof MappingNode mapping && !mapping.getValue().isEmpty()) {
      return keepsItsEnd(mapping.getValue().get(mapping.getValue().size() - 1).getValueNode());
    }
    return node instanceof ScalarNode scalar
        && isText(scalar.getScalarStyle())
        && text.substring(start(node), lineEnd(start(node))).matches("[|>][0-9]?[+].*");
  }

  /** Where a key and its value end; a value that is nothing ends with the colon. */
  int end(NodeTuple entry) {
    Node value = entry.getValueNode();
    int end = end(entry.getKeyNode());
    int colon = colon(entry);
    return !isNothing(value) ? end(value) : colon == NONE ? end : colon + 1;
  }

  /** The colon behind a key; {@link #NONE} if it has none, as among braces. */
  int colon(NodeTuple entry) {
    int end = end(entry.getKeyNode());
    Integer colon = colons.ceiling(end);
    int value = start(entry.getValueNode()); // one that is nothing stands behind the colon, too
    return colon == null || colon > value ? NONE : colon;
  }

  /** The comma between two places; {@link #NONE} if there is none. */
  int comma(int from, int to) {
    Integer comma = commas.ceiling(from);
    return comma == null || comma >= to ? NONE : comma;
  }

  /** The dash of an item of a list in lines. */
  int dash(SequenceNode list, int item) {
    Node node = list.getValue().get(item);
    Integer dash = isNothing(node) ? null : dashes.lower(start(node));
    if (dash == null) {
      throw new UneditableException("an item of the list is empty");
    }
    return dash;
  }

  // Lines.

  int lineStart(int at) {
    return text.lastIndexOf('\n', at - 1) + 1;
  }

  /** The end of a line, before its line break. */
  int lineEnd(int at) {
    int end = text.indexOf('\n', at);
    end = end < 0 ? text.length() : end;
    return end > at && text.charAt(end - 1) == '\r' ? end - 1 : end;
  }

  /** The beginning of the line behind. */
  int nextLine(int at) {
    int end = text.indexOf('\n', at);
    return end < 0 ? text.length() : end + 1;
  }

  int column(int at) {
    int start = lineStart(at);
    return at - start - (start == 0 && at > 0 && text.charAt(0) == MARK ? 1 : 0);
  }

  String lineBreak() {
    return text.contains("\r\n") ? "\r\n" : "\n";
  }

  /** Whether nothing but blanks stands before a place in its line. */
  boolean beginsLine(int at) {
    return text.substring(lineStart(at), at).isBlank();
  }

  /** Whether nothing but blanks stands between two places, and no line ends there. */
  boolean isGap(int from, int to) {
    String gap = text.substring(from, to);
    return gap.isBlank() && gap.indexOf('\n') < 0;
  }

  /** The first of the lines of comment that stand directly above a line. */
  int withComments(int lineStart) {
    int at = lineStart;
    while (at > 0 && commentLines.contains(lineStart(at - 1))) {
      at = lineStart(at - 1);
    }
    return at;
  }

  /** Where a line that was begun goes on, from the line behind a place on. */
  int firstInNextLine(int at) {
    int next = nextLine(at);
    while (next < text.length() && (text.charAt(next) == ' ' || text.charAt(next) == '\t')) {
      next++;
    }
    return next;
  }

  static List<Node> children(CollectionNode<?> holder) {
    if (holder instanceof SequenceNode list) {
      return list.getValue();
    }
    List<Node> values = new ArrayList<>();
    ((MappingNode) holder).getValue().forEach(entry -> values.add(entry.getValueNode()));
    return values;
  }

  /** Where a child of a list or mapping begins: with its key, if it has one. */
  int start(CollectionNode<?> holder, int child) {
    return holder instanceof MappingNode mapping
        ? start(mapping.getValue().get(child).getKeyNode())
        : start(((SequenceNode) holder).getValue().get(child));
  }

  int end(CollectionNode<?> holder, int child) {
    return holder instanceof MappingNode mapping
        ? end(mapping.getValue().get(child))
        : end(((SequenceNode) holder).getValue().get(child));
  }

  /** The comma behind a child among brackets or braces; {@link #NONE} if there is none. */
  int commaBehind(CollectionNode<?> holder, int child) {
    boolean last = child + 1 == holder.getValue().size();
    return comma(end(holder, child), last ? end(holder) : start(holder, child + 1));
  }
}
