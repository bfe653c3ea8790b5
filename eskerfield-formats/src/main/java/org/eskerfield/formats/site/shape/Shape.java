// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.shape;

import java.util.List;
import java.util.regex.Pattern;
import org.jspecify.annotations.Nullable;

/**
 * The keys of one kind of mapping in a site file. {@link SiteShapes} has them all; the reader
 * checks files against them, and the JSON Schema says the same.
 *
 * @param name what the mapping describes, as messages call it: {@code a host}
 * @param keys its keys, in the order in which the reference shows them
 * @param oneOf keys of which exactly one must be present; empty if there is no such choice
 */
public record Shape(String name, List<Key> keys, List<String> oneOf) {
  /**
   * One key.
   *
   * @param name the key
   * @param value what its value looks like
   * @param required whether it must be there
   * @param purpose what it is for, to be read after "it says"
   * @param example a value, as YAML
   */
  public record Key(String name, Value value, boolean required, String purpose, String example) {}

  /** What a value looks like. */
  public sealed interface Value {
    /** What to write, for messages. */
    String wanted();
  }

  /**
   * Text.
   *
   * @param pattern what it must look like, or null for any text
   * @param wanted what to write
   */
  public record Text(@Nullable Pattern pattern, String wanted) implements Value {}

  /**
   * One of some words.
   *
   * @param words the words
   */
  public record Word(List<String> words) implements Value {
    @Override
    public String wanted() {
      return "one of: " + String.join(", ", words);
    }
  }

  /**
   * An integer.
   *
   * @param lowest the lowest allowed
   * @param highest the highest allowed
   */
  public record Whole(int lowest, int highest) implements Value {
    @Override
    public String wanted() {
      return lowest == highest
          ? "the number " + lowest
          : "a number from " + lowest + " to " + highest;
    }
  }

  /**
   * Some of several words: one, or a list of them.
   *
   * @param words the words
   */
  public record Words(List<String> words) implements Value {
    /** Copies the words. */
    public Words {
      words = List.copyOf(words);
    }

    @Override
    public String wanted() {
      return "one or a list of: " + String.join(", ", words);
    }
  }

  /** True or false. */
  public record Truth() implements Value {
    @Override
    public String wanted() {
      return "true or false";
    }
  }

  /**
   * One text or a list of at least one.
   *
   * @param wanted what each is
   * @param numbers whether integers do as well
   */
  public record Texts(String wanted, boolean numbers) implements Value {
    public Texts(String wanted) {
      this(wanted, false);
    }
  }

  /**
   * A mapping with fixed keys.
   *
   * @param shape its keys
   */
  public record Child(Shape shape) implements Value {
    @Override
    public String wanted() {
      return "the keys of " + shape.name();
    }
  }

  /**
   * A list of mappings, each of one of some shapes; the first shape whose choice key is present, or
   * the only one.
   *
   * @param shapes the shapes
   * @param alone whether a single mapping may stand without a list
   */
  public record Children(List<Shape> shapes, boolean alone) implements Value {
    @Override
    public String wanted() {
      String each = String.join(" or ", shapes.stream().map(Shape::name).toList());
      return alone ? each + ", or a list of them" : "a list, each item " + each;
    }
  }

  /**
   * A mapping from names of the user's own choice.
   *
   * @param names what a name must look like
   * @param value what each name stands for
   * @param needed a name that must be among them, or null
   */
  public record Named(Pattern names, Value value, @Nullable String needed) implements Value {
    public Named(Pattern names, Value value) {
      this(names, value, null);
    }

    @Override
    public String wanted() {
      return "names, each with " + value.wanted();
    }
  }

  /**
   * Either of two forms; the first where the value is a scalar or a list, else the second.
   *
   * @param simple the short form
   * @param full the mapping
   */
  public record Either(Value simple, Value full) implements Value {
    @Override
    public String wanted() {
      return simple.wanted() + ", or " + full.wanted();
    }
  }

  public @Nullable Key key(String name) {
    for (Key key : keys) {
      if (key.name().equals(name)) {
        return key;
      }
    }
    return null;
  }

  public List<String> keyNames() {
    return keys.stream().map(Key::name).toList();
  }
}
