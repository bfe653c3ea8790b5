// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import java.util.ArrayList;
import java.util.List;

/**
 * Interfaces where a rule or list names them: one by its name, or all in a zone, or {@code any}.
 *
 * @param text the name as written
 * @param interfaces the interfaces of the rule's own device that it stands for; at least one
 * @param place where it is named
 */
public record InterfaceTerm(String text, List<Interface> interfaces, Place place)
    implements Placed {
  /** Copies the interfaces. */
  public InterfaceTerm {
    interfaces = List.copyOf(interfaces);
  }

  /** One interface by its name. */
  public static InterfaceTerm of(Interface own) {
    return new InterfaceTerm(own.name(), List.of(own), Place.IN_CODE);
  }

  /** The interfaces of this one, and another by its name. */
  public InterfaceTerm and(Interface other) {
    List<Interface> all = new ArrayList<>(interfaces);
    all.add(other);
    return new InterfaceTerm(text + ", " + other.name(), all, place);
  }

  /** The same where one of the interfaces says something else now. */
  public InterfaceTerm renewed(Interface own) {
    List<Interface> all = new ArrayList<>(interfaces);
    all.replaceAll(each -> each.name().equals(own.name()) ? own : each);
    return new InterfaceTerm(text, all, place);
  }

  /** Whether an interface of the rule's device is among those that the term stands for. */
  public boolean names(Interface own) {
    for (Interface meant : interfaces) {
      if (meant.name().equals(own.name())) {
        return true;
      }
    }
    return false;
  }
}
