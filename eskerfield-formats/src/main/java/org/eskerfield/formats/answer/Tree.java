// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.answer;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.function.Function;
import org.eskerfield.model.Named;
import org.eskerfield.model.Place;
import org.eskerfield.model.Placed;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Protocol;
import org.eskerfield.packet.Size;
import org.jspecify.annotations.Nullable;

/**
 * An object of an answer: values by key, in the order in which they were put there. Beside it, what
 * several answers tell alike.
 */
public final class Tree extends LinkedHashMap<String, @Nullable Object> {
  private static final long serialVersionUID = 1L;

  /** An empty one. */
  public Tree() {}

  /** The same with one more value. */
  public Tree with(String key, @Nullable Object value) {
    put(key, value);
    return this;
  }

  /** The same with all values of another. */
  public Tree with(Tree more) {
    putAll(more);
    return this;
  }

  /** What comes of each of some things, in their order. */
  public static <T> List<@Nullable Object> each(Iterable<? extends T> all, Function<T, ?> told) {
    List<@Nullable Object> trees = new ArrayList<>();
    all.forEach(one -> trees.add(told.apply(one)));
    return trees;
  }

  /** Some things as texts. */
  public static List<@Nullable Object> texts(Iterable<?> all) {
    return each(all, Object::toString);
  }

  /** What is told of something, or null for nothing. */
  public static <T> @Nullable Object of(@Nullable T some, Function<T, ?> told) {
    return some == null ? null : told.apply(some);
  }

  /** A place in a file. */
  public static Tree place(Place place) {
    return new Tree()
        .with("file", place.file())
        .with("line", place.line())
        .with("column", place.column());
  }

  /** A place where it is one in a file, else null. */
  public static @Nullable Tree placeInFile(Place place) {
    return place.line() == 0 ? null : place(place);
  }

  /** What decided: its name where it has one, and its place where it stands in a file. */
  public static Tree rule(Placed rule) {
    return new Tree()
        .with("name", rule instanceof Named named ? named.name() : null)
        .with("place", placeInFile(rule.place()));
  }

  /** The headers of a packet. */
  public static Tree header(Header header) {
    boolean ports = Protocol.hasPorts(header.protocol());
    boolean request = Icmp.isEchoRequest(header.icmpType());
    int identifier = request ? header.sourcePort() : header.destinationPort();
    boolean echo = request || Icmp.isEchoReply(header.icmpType());
    Tree tree =
        new Tree()
            .with("source", header.source())
            .with("sourcePort", ports ? header.sourcePort() : null)
            .with("destination", header.destination())
            .with("destinationPort", ports ? header.destinationPort() : null)
            .with("protocol", Protocol.name(header.protocol()))
            .with("identifier", echo ? identifier : null)
            .with("ttl", header.ttl());
    if (header.size() != null) {
      tree = tree.with("size", size(header.size()));
    }
    return header.inner() == null ? tree : tree.with("about", header(header.inner()));
  }

  private static Tree size(Size size) {
    Tree tree = new Tree().with("bytes", size.length()).with("mayFragment", size.mayFragment());
    if (!size.fragments().isEmpty()) {
      tree =
          tree.with("identification", size.identification())
              .with(
                  "fragments",
                  each(
                      size.fragments(),
                      one ->
                          new Tree()
                              .with("offset", one.offset())
                              .with("bytes", one.length())
                              .with("more", one.more())));
    }
    if (size.largestSegment() > 0) {
      tree = tree.with("largestSegment", size.largestSegment());
    }
    return size.nextMtu() > 0 ? tree.with("mtu", size.nextMtu()) : tree;
  }
}
