package org.eskerfield.model;

import java.util.List;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.jspecify.annotations.Nullable;

/**
 * A router or firewall.
 *
 * @param name the name
 * @param stance what becomes of ways that no list guards
 * @param seesOriginal whether access rules see the destination as it was before translation
 * @param verifySource whether packets are dropped that arrive elsewhere than their source is routed
 * @param state how it keeps state
 * @param interfaces in the order of the file; at least one
 * @param routes static routes in the order of the file
 * @param services the device's own services
 * @param translation translation rules in the order of the file
 * @param access rule lists in the order of the file
 * @param note the engineer's remark, or null
 * @param place where it stands
 */
public record Device(
    String name,
    Stance stance,
    boolean seesOriginal,
    boolean verifySource,
    StateSettings state,
    List<Interface> interfaces,
    List<Route> routes,
    List<OwnService> services,
    List<TranslationRule> translation,
    List<AccessList> access,
    @Nullable String note,
    Place place)
    implements Named {
  /** Copies the lists. */
  public Device {
    interfaces = List.copyOf(interfaces);
    routes = List.copyOf(routes);
    services = List.copyOf(services);
    translation = List.copyOf(translation);
    access = List.copyOf(access);
  }

  /** The first of its addresses in this family, of whichever interface; null if it has none. */
  public @Nullable Address address(Family family) {
    for (Interface own : interfaces) {
      Address address = own.address(family);
      if (address != null) {
        return address;
      }
    }
    return null;
  }

  /** The same device with other interfaces. */
  public Device withInterfaces(List<Interface> changed) {
    return with(stance, state, changed, routes, services, translation, access);
  }

  /** The same device with other routes. */
  public Device withRoutes(List<Route> changed) {
    return with(stance, state, interfaces, changed, services, translation, access);
  }

  /** The same device with other services of its own. */
  public Device withServices(List<OwnService> changed) {
    return with(stance, state, interfaces, routes, changed, translation, access);
  }

  /** The same device with other translation rules. */
  public Device withTranslation(List<TranslationRule> changed) {
    return with(stance, state, interfaces, routes, services, changed, access);
  }

  /** The same device with another stance and other rule lists. */
  public Device withAccess(Stance changed, List<AccessList> lists) {
    return with(changed, state, interfaces, routes, services, translation, lists);
  }

  /** The same device with another way to keep state. */
  public Device withState(StateSettings changed) {
    return with(stance, changed, interfaces, routes, services, translation, access);
  }

  private Device with(
      Stance stance,
      StateSettings state,
      List<Interface> interfaces,
      List<Route> routes,
      List<OwnService> services,
      List<TranslationRule> translation,
      List<AccessList> access) {
    return new Device(
        name,
        stance,
        seesOriginal,
        verifySource,
        state,
        interfaces,
        routes,
        services,
        translation,
        access,
        note,
        place);
  }
}
