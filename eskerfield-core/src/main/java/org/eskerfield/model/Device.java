// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.jspecify.annotations.Nullable;

/**
 * A router or firewall.
 *
 * @param name the name
 * @param stance the default for paths that no list guards
 * @param seesOriginal whether access rules see the destination as it was before translation
 * @param savesAtOnce whether a change is saved when it is made; if not, it is gone after a restart
 *     unless somebody has told the device to save
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
@Built
public record Device(
    String name,
    Stance stance,
    boolean seesOriginal,
    boolean savesAtOnce,
    boolean verifySource,
    StateSettings state,
    List<Interface> interfaces,
    List<Route> routes,
    List<OwnService> services,
    List<TranslationRule> translation,
    List<AccessList> access,
    @Nullable String note,
    Place place)
    implements Named, DeviceBuilder.With {
  /** Copies the lists. */
  public Device {
    Objects.requireNonNull(name, "name");
    Objects.requireNonNull(stance, "stance");
    Objects.requireNonNull(state, "state");
    Objects.requireNonNull(place, "place");
    interfaces = List.copyOf(interfaces);
    routes = List.copyOf(routes);
    services = List.copyOf(services);
    translation = List.copyOf(translation);
    access = List.copyOf(access);
  }

  /** The addresses of all its interfaces. */
  public List<Address> addresses() {
    List<Address> all = new ArrayList<>();
    interfaces.forEach(own -> all.addAll(own.addresses()));
    return all;
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

  /** The same device with another stance and other rule lists. */
  public Device withAccess(Stance changed, List<AccessList> lists) {
    return withStance(changed).withAccess(lists);
  }

  /** The rules that lead packets to an external address inside, those switched off too. */
  public List<InwardRule> inward() {
    List<InwardRule> all = new ArrayList<>();
    for (TranslationRule rule : translation) {
      InwardRule inward = rule.inward();
      if (inward != null) {
        all.add(inward);
      }
    }
    return all;
  }
}
