// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.guarantee;

import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Set;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.Admission;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Site;
import org.eskerfield.model.Stance;
import org.eskerfield.model.TranslationRule;

/**
 * A site on which something fails open: a device that filters nothing any more, a list that accepts
 * all that comes to it, an access rule that accepts everybody and everything to those whom it
 * names, an admission that admits everybody.
 */
public final class FailedOpen {
  private FailedOpen() {}

  /**
   * The names of all that may fail: devices, lists, access rules, and translation rules that admit.
   */
  public static List<String> names(Site site) {
    Set<String> names = new LinkedHashSet<>();
    for (Device device : site.devices().values()) {
      names.add(device.name());
      for (AccessList list : device.access()) {
        names.add(list.name());
        list.rules().forEach(rule -> names.add(rule.name()));
      }
      for (TranslationRule rule : device.translation()) {
        InwardRule inward = rule.inward();
        if (inward != null && inward.admit() != null) {
          names.add(rule.name());
        }
      }
    }
    return List.copyOf(names);
  }

  /**
   * The site on which all fails that is called so.
   *
   * @throws IllegalArgumentException if nothing is
   */
  static Site of(Site site, String name) {
    if (!names(site).contains(name)) {
      throw new IllegalArgumentException("nothing that could fail is called '" + name + "'");
    }
    Site changed = site;
    for (Device device : site.devices().values()) {
      boolean all = device.name().equals(name);
      List<AccessList> lists = new ArrayList<>();
      for (AccessList list : all ? List.<AccessList>of() : device.access()) {
        lists.add(open(list, name));
      }
      List<TranslationRule> rules = new ArrayList<>();
      for (TranslationRule rule : device.translation()) {
        rules.add(all || rule.name().equals(name) ? open(rule) : rule);
      }
      Device open = device.withAccess(lists).withTranslation(rules);
      Stance stance = device.stance();
      changed =
          changed.with(
              all ? open.withStance(new Stance(Action.ACCEPT, List.of(), stance.place())) : open);
    }
    return changed;
  }

  /** The site on which nothing filters any more: no device, no host, and nobody's source. */
  static Site everywhere(Site site) {
    Site changed = site;
    for (String name : site.devices().keySet()) {
      changed = of(changed, name);
    }
    for (Device device : changed.devices().values()) {
      changed = changed.with(device.withVerifySource(false));
    }
    for (Host host : site.hosts().values()) {
      changed = host.filter() == null ? changed : changed.with(host.withFilter(null));
    }
    return changed;
  }

  private static AccessList open(AccessList list, String name) {
    if (list.name().equals(name)) {
      return list.withRules(List.of()).withOtherwise(Action.ACCEPT);
    }
    List<AccessRule> rules = new ArrayList<>();
    for (AccessRule rule : list.rules()) {
      rules.add(
          rule.name().equals(name)
              ? AccessRule.called(Action.ACCEPT, name).to(rule.to()).place(rule.place()).build()
              : rule);
    }
    return list.withRules(rules);
  }

  private static TranslationRule open(TranslationRule rule) {
    InwardRule inward = rule.inward();
    Admission admit = inward == null ? null : inward.admit();
    if (inward == null || admit == null) {
      return rule;
    }
    Admission everybody = new Admission(List.of(), null, admit.log(), admit.place());
    return inward.admitting(everybody);
  }
}
