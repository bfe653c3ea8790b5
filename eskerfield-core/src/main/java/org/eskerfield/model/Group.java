// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import java.util.List;

/**
 * Addresses under one name.
 *
 * @param name the name
 * @param members what belongs to it, other groups included; never in a circle
 * @param place where it stands
 */
public record Group(String name, List<AddressTerm> members, Place place) implements Named {
  /** Copies the members. */
  public Group {
    members = List.copyOf(members);
  }
}
