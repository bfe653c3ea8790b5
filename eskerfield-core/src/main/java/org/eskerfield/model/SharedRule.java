package org.eskerfield.model;

import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * Many sources share one external address, told apart by port (RFC 3022 section 2.2): here the own
 * address of the interface by which the packet leaves.
 *
 * @param name the name
 * @param from the sources; at least one
 * @param to the destinations; empty for every one
 * @param leaving where the packets leave
 * @param disabled whether the rule does not act
 * @param note the engineer's remark, or null
 * @param place where it stands
 */
public record SharedRule(
    String name,
    List<AddressTerm> from,
    List<AddressTerm> to,
    InterfaceTerm leaving,
    boolean disabled,
    @Nullable String note,
    Place place)
    implements TranslationRule {
  /** Copies the lists. */
  public SharedRule {
    from = List.copyOf(from);
    to = List.copyOf(to);
  }

  @Override
  public String kind() {
    return "shared";
  }
}
