// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cause;

import java.util.ArrayList;
import java.util.List;
import java.util.function.UnaryOperator;
import org.eskerfield.change.Change;
import org.eskerfield.change.Cure;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Header;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Trace;
import org.jspecify.annotations.Nullable;

/** Where a packet met an obstacle, and what the file calls the things there. */
class CureScene {
  final Site site;
  final Obstacle obstacle;
  final Leg leg;
  final Decision end;
  final Header header;
  final Header sent;

  CureScene(Site site, Obstacle obstacle, Case found, Decision end) {
    this.site = site;
    this.obstacle = obstacle;
    this.leg = found.legs.get(found.legs.size() - 1);
    this.end = end;
    this.header = end.after();
    this.sent = found.legs.get(0).decisions().get(0).before();
  }

  CureScene(CureScene other) {
    this.site = other.site;
    this.obstacle = other.obstacle;
    this.leg = other.leg;
    this.end = other.end;
    this.header = other.header;
    this.sent = other.sent;
  }

  @Nullable Device device() {
    return site.devices().get(leg.where());
  }

  @Nullable Host host() {
    return site.hosts().get(leg.where());
  }

  /** An address as the file should call it: by the name of its only owner, if it has one. */
  AddressTerm called(Address address) {
    Host host = site.hostAt(address);
    return host != null && host.addresses().size() == 1
        ? AddressTerm.of(host)
        : AddressTerm.of(address);
  }

  static <T> List<T> with(List<T> some, T more) {
    List<T> all = new ArrayList<>(some);
    all.add(more);
    return all;
  }

  /** A cure of the host where it ended. */
  @Nullable Cure host(String summary, UnaryOperator<Host> change) {
    Host host = host();
    return host == null ? null : Cure.of(summary, new Change.Alter(host, change.apply(host)));
  }

  static @Nullable AccessList list(@Nullable Device device, @Nullable Placed by) {
    return device == null ? null : Case.listOf(device, by);
  }

  /** The packet as the lists of its device see it. */
  Header seen() {
    Device device = device();
    return device == null ? header : Case.seenByLists(device, leg, end);
  }

  @Nullable Interface leaving() {
    return Case.leaving(leg);
  }

  List<Leg> legs() {
    Trace opening = obstacle.conversation().opening();
    return opening == null ? List.of() : opening.request();
  }
}
