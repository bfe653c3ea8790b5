// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.change;

import java.util.ArrayList;
import java.util.List;
import java.util.function.UnaryOperator;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Device;
import org.eskerfield.model.DomainName;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.Named;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.Place;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Route;
import org.eskerfield.model.Site;
import org.eskerfield.model.TranslationRule;
import org.jspecify.annotations.Nullable;

/**
 * Carries changes out on the model. What is changed is found by its place in the file, whatever
 * else changed it before; what was made in code has none, and is found as the very object.
 */
@SuppressWarnings("ReferenceEquality") // equal objects may be two; what is untouched stays the same
public final class Changes {
  private Changes() {}

  /**
   * The site with all the changes carried out, one after the other: those of a device or a host
   * before those of what is in it.
   *
   * @throws IllegalArgumentException if the site does not have the object of a change
   */
  public static Site on(Site site, List<Change> changes) {
    Site changed = site;
    for (Change change : changes) {
      changed = on(changed, change);
    }
    return changed;
  }

  private static Site on(Site site, Change change) {
    if (change instanceof Change.Alter alter && alter.by() instanceof Host host) {
      return site.with(host);
    }
    if (change instanceof Change.Alter alter && alter.by() instanceof Device device) {
      return site.with(device);
    }
    for (Device device : site.devices().values()) {
      Device changed = in(device, change);
      if (changed != device) {
        return followed(site.with(changed), change);
      }
    }
    for (Host host : site.hosts().values()) {
      AccessList filter = host.filter();
      AccessList changed = filter == null ? null : in(filter, change);
      if (changed != null && changed != filter) {
        return site.with(host.withFilter(changed));
      }
    }
    for (DomainName name : site.names().values()) {
      List<DomainName.Answer> all = name.answers();
      List<DomainName.Answer> changed = edited(name, DomainName.Answer.class, all, change);
      if (changed != all) {
        return site.with(name.saying(changed));
      }
    }
    if (change instanceof Change.Remove && change.object() instanceof Named object) {
      Site without = site.without(object);
      if (!without.equals(site)) {
        return without;
      }
    }
    throw new IllegalArgumentException("the site has nothing to change there: " + change);
  }

  /** The site where the names that follow an interface follow it as it is now. */
  private static Site followed(Site site, Change change) {
    Site changed = site;
    if (change instanceof Change.Alter alter && alter.by() instanceof Interface own) {
      for (DomainName name : site.names().values()) {
        List<DomainName.Answer> answers =
            each(
                name.answers(),
                answer ->
                    answer.follows() != null && isSame(answer.follows(), alter.object())
                        ? new DomainName.Answer(
                            answer.resolver(), own.addresses(), own, answer.texts(), answer.place())
                        : answer);
        if (answers != name.answers()) {
          changed = changed.with(name.saying(answers));
        }
      }
    }
    return changed;
  }

  /** The device with the change; the very same where the change is about nothing of it. */
  private static Device in(Device device, Change change) {
    List<Interface> interfaces = edited(device, Interface.class, device.interfaces(), change);
    if (interfaces != device.interfaces()) {
      Device changed = device.withInterfaces(interfaces);
      return change instanceof Change.Alter alter && alter.by() instanceof Interface own
          ? naming(changed, own)
          : changed;
    }
    List<Route> routes = edited(device, Route.class, device.routes(), change);
    List<OwnService> services = edited(device, OwnService.class, device.services(), change);
    List<TranslationRule> rules =
        edited(device, TranslationRule.class, device.translation(), change);
    List<AccessList> lists = edited(device, AccessList.class, device.access(), change);
    lists = each(lists, list -> in(list, change));
    boolean same =
        routes == device.routes()
            && services == device.services()
            && rules == device.translation()
            && lists == device.access();
    return same
        ? device
        : device.withRoutes(routes).withServices(services).withTranslation(rules).withAccess(lists);
  }

  /** The device where all that names an interface names it as it is now. */
  private static Device naming(Device device, Interface own) {
    return device
        .withRoutes(
            each(
                device.routes(),
                route ->
                    route.leaving() != null && route.leaving().name().equals(own.name())
                        ? route.withLeaving(own)
                        : route))
        .withTranslation(
            each(
                device.translation(),
                rule ->
                    rule.bySide(
                        inward -> inward.renewed(own),
                        outward -> outward.leavingBy(outward.leaving().renewed(own)),
                        both -> both)))
        .withAccess(
            each(
                device.access(),
                list -> list.withGuards(each(list.guards(), guard -> naming(guard, own)))));
  }

  private static AccessList.Guard naming(AccessList.Guard guard, Interface own) {
    InterfaceTerm arriving = guard.arriving();
    InterfaceTerm leaving = guard.leaving();
    return new AccessList.Guard(
        arriving == null ? null : arriving.renewed(own),
        leaving == null ? null : leaving.renewed(own),
        guard.toDevice(),
        guard.place());
  }

  private static AccessList in(AccessList list, Change change) {
    List<AccessRule> rules = edited(list, AccessRule.class, list.rules(), change);
    return rules == list.rules() ? list : list.withRules(rules);
  }

  /** What becomes of all of them; the very same list where each stays what it is. */
  private static <T> List<T> each(List<T> all, UnaryOperator<T> change) {
    List<T> changed = new ArrayList<>(all);
    changed.replaceAll(change);
    for (int i = 0; i < all.size(); i++) {
      if (changed.get(i) != all.get(i)) {
        return changed;
      }
    }
    return all;
  }

  /** The list with the change; the very same where it has nothing that the change is about. */
  private static <T extends Placed> List<T> edited(
      Placed owner, Class<T> kind, List<T> all, Change change) {
    List<T> changed = new ArrayList<>(all);
    if (change instanceof Change.Add add) {
      if (!isSame(owner, add.object()) || !kind.isInstance(add.added())) {
        return all;
      }
      changed.add(indexOf(all, add.before()), kind.cast(add.added()));
      return changed;
    }
    List<T> these = new ArrayList<>();
    changed.removeIf(each -> isSame(each, change.object()) && these.add(each));
    if (these.isEmpty()) {
      return all;
    }
    if (change instanceof Change.Alter alter) {
      these.replaceAll(each -> kind.cast(altered(each, alter)));
      changed.addAll(indexOf(all, change.object()), these);
    } else if (change instanceof Change.Move move) {
      changed.addAll(indexOf(changed, move.before()), these);
    }
    return changed;
  }

  /**
   * What becomes of an object of the place of another one: an entry of the file for several
   * services, or for a network of several prefixes, is as many objects, which change together.
   */
  private static Placed altered(Placed each, Change.Alter alter) {
    if (each instanceof OwnService own && alter.by() instanceof OwnService by) {
      boolean self = own.service().equals(((OwnService) alter.object()).service());
      return self ? by : own.withFrom(by.from()).withNote(by.note());
    }
    if (each instanceof Route route && alter.by() instanceof Route by) {
      boolean self = route.to().equals(((Route) alter.object()).to());
      return self ? by : by.withTo(route.to());
    }
    return alter.by();
  }

  /** Where an object stands among others; behind the last where it does not, or is null. */
  private static int indexOf(List<? extends Placed> all, @Nullable Placed object) {
    for (int i = 0; object != null && i < all.size(); i++) {
      if (isSame(all.get(i), object)) {
        return i;
      }
    }
    return all.size();
  }

  private static boolean isSame(Placed one, Placed other) {
    return one == other
        || (one.place().equals(other.place())
            && !one.place().equals(Place.IN_CODE)
            && one.getClass() == other.getClass());
  }
}
