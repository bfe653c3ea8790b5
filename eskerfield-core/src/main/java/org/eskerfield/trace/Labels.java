// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Admission;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Named;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Route;
import org.eskerfield.model.Stance;
import org.eskerfield.model.TranslationRule;

/** How sentences call rules, lists, routes and interfaces. */
public final class Labels {
  private Labels() {}

  /** The name of a thing with its kind: {@code access rule 'the shop'}. */
  public static String of(Placed thing) {
    if (thing instanceof TranslationRule rule) {
      return rule.kind() + " rule '" + rule.name() + "'";
    }
    if (thing instanceof AccessRule rule) {
      return "access rule '" + rule.name() + "'";
    }
    if (thing instanceof AccessList list) {
      return "list '" + list.name() + "'";
    }
    if (thing instanceof OwnService own) {
      return "own service " + own.service().text();
    }
    if (thing instanceof Interface own) {
      return "interface " + own.name();
    }
    if (thing instanceof Route route) {
      return "route to " + route.to();
    }
    if (thing instanceof Admission) {
      return "the rule's admission";
    }
    if (thing instanceof Stance.Pair pair) {
      return "stance from " + pair.from() + " to " + pair.to();
    }
    return thing instanceof Named named ? named.name() : "stance";
  }
}
