// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * A service of a device itself, and who may reach it.
 *
 * @param service the service it runs
 * @param from who may reach it; empty for anybody that the lists let through
 * @param note the engineer's remark, or null
 * @param place where it stands
 */
@Built
public record OwnService(
    ServiceTerm service, List<AddressTerm> from, @Nullable String note, Place place)
    implements Noted, OwnServiceBuilder.With {
  /** Copies the list. */
  public OwnService {
    from = List.copyOf(from);
  }
}
