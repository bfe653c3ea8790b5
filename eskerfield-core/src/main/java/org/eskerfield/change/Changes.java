package org.eskerfield.change;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
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
public final class Changes {
  private Changes() {}

  /**
   * The site with all the changes carried out, one after the other: those of a device or a host
   * before those of what is in it.
   *
   * @throws IllegalArgumentException if the site does not have what a change is about
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
      if (!changed.equals(device)) {
        return site.with(changed);
      }
    }
    for (Host host : site.hosts().values()) {
      AccessList filter = host.filter();
      AccessList changed = filter == null ? null : in(filter, change);
      if (changed != null && !changed.equals(filter)) {
        return site.with(host.withFilter(changed));
      }
    }
    throw new IllegalArgumentException("the site has nothing to change there: " + change);
  }

  private static Device in(Device device, Change change) {
    List<AccessList> lists = new ArrayList<>();
    for (AccessList list : edited(device, AccessList.class, device.access(), change)) {
      lists.add(in(list, change));
    }
    List<Route> routes = new ArrayList<>();
    for (Route route : edited(device, Route.class, device.routes(), change)) {
      routes.add(along(route, change));
    }
    return device
        .withInterfaces(edited(device, Interface.class, device.interfaces(), change))
        .withRoutes(routes)
        .withServices(edited(device, OwnService.class, device.services(), change))
        .withTranslation(edited(device, TranslationRule.class, device.translation(), change))
        .withAccess(lists);
  }

  private static AccessList in(AccessList list, Change change) {
    return list.withRules(edited(list, AccessRule.class, list.rules(), change));
  }

  /** A route by an interface that changes. */
  private static Route along(Route route, Change change) {
    return change instanceof Change.Alter alter
            && alter.by() instanceof Interface by
            && route.leaving() != null
            && isSame(route.leaving(), alter.object())
        ? route.withLeaving(by)
        : route;
  }

  private static <T extends Placed> List<T> edited(
      Placed owner, Class<T> kind, List<T> all, Change change) {
    List<T> changed = new ArrayList<>(all);
    if (change instanceof Change.Add add) {
      if (isSame(owner, add.object()) && kind.isInstance(add.added())) {
        changed.add(indexBefore(changed, add.before()), kind.cast(add.added()));
      }
    } else if (change instanceof Change.Alter alter) {
      changed.replaceAll(each -> isSame(each, alter.object()) ? kind.cast(alter.by()) : each);
    } else if (change instanceof Change.Remove remove) {
      changed.removeIf(each -> isSame(each, remove.object()));
    } else if (change instanceof Change.Move move) {
      for (T each : all) {
        if (isSame(each, move.object())) {
          changed.remove(each);
          changed.add(indexBefore(changed, move.before()), each);
        }
      }
    }
    return changed;
  }

  private static int indexBefore(List<? extends Placed> all, @Nullable Placed before) {
    for (int i = 0; before != null && i < all.size(); i++) {
      if (isSame(all.get(i), before)) {
        return i;
      }
    }
    return all.size();
  }

  @SuppressWarnings("ReferenceEquality") // what was made in code may have equals
  private static boolean isSame(Placed one, Placed other) {
    return one == other
        || (one.place().equals(other.place())
            && !one.place().equals(Place.IN_CODE)
            && one.getClass() == other.getClass()
            && !(one instanceof Route route && !route.to().equals(((Route) other).to())));
  }
}
