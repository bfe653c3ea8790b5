package org.eskerfield.model;

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
