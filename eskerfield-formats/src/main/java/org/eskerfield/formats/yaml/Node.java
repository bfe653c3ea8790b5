// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.yaml;

import java.util.List;
import java.util.regex.Pattern;
import org.eskerfield.model.Place;
import org.eskerfield.model.Placed;

/** A node of a YAML document. */
public sealed interface Node extends Placed {
  /**
   * Text, or a number, truth value or null, as written.
   *
   * @param text the content without quotes
   * @param plain whether it stands without quotes, so that it may be something else than text
   * @param place where it stands
   */
  record Scalar(String text, boolean plain, Place place) implements Node {
    private static final Pattern INTEGER = Pattern.compile("[-+]?[0-9]+|0o[0-7]+|0x[0-9a-fA-F]+");
    private static final Pattern OTHER =
        Pattern.compile(
            "|~|null|Null|NULL|true|True|TRUE|false|False|FALSE"
                + "|[-+]?(\\.[0-9]+|[0-9]+(\\.[0-9]*)?)([eE][-+]?[0-9]+)?"
                + "|[-+]?\\.(inf|Inf|INF)|\\.(nan|NaN|NAN)");

    /** Whether it is nothing: absent, {@code ~} or {@code null} (YAML 1.2 section 10.3.2). */
    public boolean isNull() {
      return plain && (text.isEmpty() || text.equals("~") || text.equalsIgnoreCase("null"));
    }

    /** Whether it is {@code true} or {@code false}. */
    public boolean isBoolean() {
      return plain && (text.equalsIgnoreCase("true") || text.equalsIgnoreCase("false"));
    }

    /** Whether it is an integer. */
    public boolean isInteger() {
      return plain && INTEGER.matcher(text).matches();
    }

    /** Most plain text begins like none of them; to ask that first is quicker. */
    private boolean mayBeOther() {
      return text.isEmpty() || "0123456789+-.~nNtTfF".indexOf(text.charAt(0)) >= 0;
    }

    /** Whether it is text: quoted, or not a number, truth value or null by YAML's core schema. */
    public boolean isText() {
      return !plain || !(mayBeOther() && (isInteger() || OTHER.matcher(text).matches()));
    }
  }

  /**
   * A list.
   *
   * @param items the items in order
   * @param place where it begins
   */
  record Sequence(List<Node> items, Place place) implements Node {}

  /**
   * Keys with values, in order; a key may stand several times.
   *
   * @param entries the keys with their values
   * @param place where it begins
   */
  record Mapping(List<Entry> entries, Place place) implements Node {}

  /**
   * One key with its value.
   *
   * @param key the key
   * @param value the value
   */
  record Entry(Scalar key, Node value) {}
}
