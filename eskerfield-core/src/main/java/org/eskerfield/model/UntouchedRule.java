package org.eskerfield.model;

import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * Packets between two sides, either way, keep both addresses, whatever rules follow.
 *
 * @param name the name
 * @param from the one side; at least one
 * @param to the other side; at least one
 * @param disabled whether the rule does not act
 * @param note the engineer's remark, or null
 * @param place where it stands
 */
public record UntouchedRule(
    String name,
    List<AddressTerm> from,
    List<AddressTerm> to,
    boolean disabled,
    @Nullable String note,
    Place place)
    implements TranslationRule {
  /** Copies the lists. */
  public UntouchedRule {
    from = List.copyOf(from);
    to = List.copyOf(to);
  }

  @Override
  public String kind() {
    return "untouched";
  }
}
