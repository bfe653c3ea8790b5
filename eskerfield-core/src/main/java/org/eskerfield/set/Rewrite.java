// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.set;

import java.util.ArrayList;
import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * The effect of a translation on headers: values of some dimensions become others, or move. Where a
 * value may become any of several, as an address of a pool, the image holds all of them, and the
 * pre-image everything that may become one of them. Immutable.
 */
public final class Rewrite {
  /** Nothing is changed. */
  public static final Rewrite NONE = new Rewrite(List.of());

  /** One change. */
  sealed interface Part {
    /** What is changed by it; the rest stays as it is. */
    PacketSet only();
  }

  record Becomes(Dimension dimension, PacketSet values, PacketSet only) implements Part {}

  record Moves(Dimension dimension, Shifts shifts, long top, PacketSet only) implements Part {}

  final List<Part> parts;

  private Rewrite(List<Part> parts) {
    this.parts = parts;
  }

  private Rewrite and(Part part) {
    List<Part> more = new ArrayList<>(parts);
    more.add(part);
    return new Rewrite(List.copyOf(more));
  }

  /**
   * And every value of a dimension becomes one of others.
   *
   * @param values what it may become, as a set that asks no other dimension
   * @param only which packets are changed so
   */
  public Rewrite andBecomes(Dimension dimension, PacketSet values, PacketSet only) {
    return and(new Becomes(dimension, values, only));
  }

  /**
   * And the values of a range move by a distance; packets of {@code only} beyond it are gone.
   *
   * @param top the highest value of the dimension: 2^32-1 for IPv4 addresses, 65535 for ports
   * @param only which packets are changed so
   */
  public Rewrite andMoves(
      Dimension dimension, long first, long last, long distance, long top, PacketSet only) {
    return andMoves(dimension, new Shifts().add(first, last, distance), top, only);
  }

  /**
   * And the values of some ranges move, each by a distance of its own; packets of {@code only}
   * beyond them are gone.
   *
   * @param shifts ranges that have no value in common, neither before nor after
   * @param top the highest value of the dimension
   * @param only which packets are changed so
   */
  public Rewrite andMoves(Dimension dimension, Shifts shifts, long top, PacketSet only) {
    return and(new Moves(dimension, shifts, top, only));
  }

  /**
   * The values of which a dimension gets one, whatever it was; null where it stays or moves.
   *
   * @param dimension one that is asked for
   */
  public @Nullable PacketSet values(Dimension dimension) {
    PacketSet values = null;
    for (Part part : parts) {
      if (part instanceof Becomes to && to.dimension == dimension) {
        values = to.values;
      }
    }
    return values;
  }
}
