// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.guarantee;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Admission;
import org.eskerfield.model.Device;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Site;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.AddressSet;

/** A site on which nothing passes that a rule of a list, or its default, would log. */
final class Unlogged {
  private Unlogged() {}

  static Site of(Site site) {
    Site changed = site;
    for (Device device : site.devices().values()) {
      List<AccessList> lists = new ArrayList<>();
      for (AccessList list : device.access()) {
        List<AccessRule> rules = new ArrayList<>();
        for (AccessRule rule : list.rules()) {
          rules.add(rule.log() ? rule.withAction(Action.DROP) : rule);
        }
        AccessList silent = list.withRules(rules);
        lists.add(list.logsOtherwise() ? silent.withOtherwise(Action.DROP) : silent);
      }
      List<TranslationRule> rules = new ArrayList<>();
      for (TranslationRule rule : device.translation()) {
        rules.add(silent(rule));
      }
      changed = changed.with(device.withAccess(lists).withTranslation(rules));
    }
    return changed;
  }

  /** A rule that lets nobody in, where it would log him. */
  private static TranslationRule silent(TranslationRule rule) {
    InwardRule inward = rule.inward();
    Admission admit = inward == null ? null : inward.admit();
    if (inward == null || admit == null || !admit.log()) {
      return rule;
    }
    AddressTerm nobody =
        new AddressTerm(AddressTerm.Kind.LITERAL, "nobody", AddressSet.NONE, admit.place());
    Admission none = new Admission(List.of(nobody), admit.when(), true, admit.place());
    return inward.admitting(none);
  }
}
