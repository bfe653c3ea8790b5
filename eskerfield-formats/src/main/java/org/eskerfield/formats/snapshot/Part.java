// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.snapshot;

import java.time.DateTimeException;
import java.time.Duration;
import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.function.Function;
import org.eskerfield.formats.literal.BadLiteralException;
import org.eskerfield.formats.literal.Literals;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Prefix;
import org.jspecify.annotations.Nullable;

/** A value of a snapshot with where it stands. */
record Part(String where, Object value) {
  /** Says what of a snapshot cannot be read. */
  static final class BadPart extends RuntimeException {
    private static final long serialVersionUID = 1L;

    BadPart(String message) {
      super(message);
    }
  }

  Map<String, Part> members() {
    Map<String, Part> members = new LinkedHashMap<>();
    if (!(value instanceof Map<?, ?> map)) {
      throw new BadPart(where + " must be an object");
    }
    map.forEach((name, each) -> members.put((String) name, new Part(name + " of " + where, each)));
    return members;
  }

  @Nullable Part optional(String name) {
    return members().get(name);
  }

  Part part(String name) {
    Part part = optional(name);
    if (part == null) {
      throw new BadPart(where + " has no '" + name + "'");
    }
    return part;
  }

  <T> List<T> items(String name, Function<Part, T> each) {
    Part part = part(name);
    if (!(part.value instanceof List<?> all)) {
      throw new BadPart(part.where + " must be an array");
    }
    List<T> items = new ArrayList<>();
    for (Object item : all) {
      items.add(each.apply(new Part("item " + items.size() + " of " + part.where, item)));
    }
    return items;
  }

  String text() {
    if (!(value instanceof String text)) {
      throw new BadPart(where + " must be a text");
    }
    return text;
  }

  String text(String name) {
    return part(name).text();
  }

  long number() {
    if (!(value instanceof Long number)) {
      throw new BadPart(where + " must be a whole number");
    }
    return number;
  }

  long number(String name) {
    long number = part(name).number();
    if (number < 0 || number >= 1L << 40) {
      throw new BadPart(part(name).where + " is out of bounds: " + number);
    }
    return number;
  }

  int integer(String name, int least, int most) {
    long number = part(name).number();
    if (number < least || number > most) {
      throw new BadPart(
          part(name).where + " must be between " + least + " and " + most + ", not " + number);
    }
    return (int) number;
  }

  int port(String name) {
    return integer(name, 0, 65535);
  }

  Address address() {
    try {
      return Literals.address(text());
    } catch (BadLiteralException e) {
      throw new BadPart(where + ": " + e.getMessage());
    }
  }

  Address address(String name) {
    return part(name).address();
  }

  Prefix prefix() {
    try {
      return Literals.prefix(text());
    } catch (BadLiteralException e) {
      throw new BadPart(where + ": " + e.getMessage());
    }
  }

  AddressSet addresses(String name) {
    AddressSet all = AddressSet.NONE;
    for (String each : text(name).split(", ", -1)) {
      try {
        all = all.union(Literals.addresses(each));
      } catch (BadLiteralException e) {
        throw new BadPart(part(name).where + ": " + e.getMessage());
      }
    }
    return all;
  }

  ZonedDateTime moment(String name) {
    try {
      return ZonedDateTime.parse(text(name));
    } catch (DateTimeException e) {
      throw new BadPart(part(name).where + " is no moment: " + text(name));
    }
  }

  Duration duration() {
    try {
      return Duration.parse(text());
    } catch (DateTimeException e) {
      throw new BadPart(where + " is no duration: " + text());
    }
  }
}
