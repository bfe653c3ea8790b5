// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.check;

import java.util.List;
import org.eskerfield.cause.Mends;
import org.eskerfield.change.Change;
import org.eskerfield.change.Cure;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.Device;
import org.eskerfield.model.Interface;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.program.CompiledList;
import org.eskerfield.set.Dimension;
import org.eskerfield.set.PacketSet;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.Question;

/**
 * What lists without sessions make of the answers that come from strangers, and of the notices
 * about what insiders sent.
 */
final class Stateless {
  private static final ServicePart TOO_LARGE =
      new ServicePart(Protocol.ICMP, PortSet.ALL, Icmp.UNREACHABLE, Icmp.TOO_LARGE_CODE);
  private static final ServicePart TOO_LARGE_V6 =
      new ServicePart(Protocol.ICMPV6, PortSet.ALL, Icmp.TOO_LARGE_V6);

  private final Inspection check;

  Stateless(Inspection check) {
    this.check = check;
  }

  void inspect(Device device) {
    for (Family family : Family.values()) {
      Address stranger = check.strangers().lowest(family);
      Interface outer = stranger == null ? null : check.sets(device).program().towards(stranger);
      for (CompiledList list : check.sets(device).program().lists()) {
        if (outer != null && list.list().stateless()) {
          inspect(device, list, outer, family);
        }
      }
    }
  }

  private void inspect(Device device, CompiledList list, Interface outer, Family family) {
    AddressSet inside = AddressSet.NONE;
    for (Interface leaving : device.interfaces()) {
      if (!leaving.name().equals(outer.name()) && list.guards(outer, leaving)) {
        inside = inside.union(check.addressesBehind(device, leaving));
      }
    }
    PacketSet in =
        check
            .sets(device)
            .meaning()
            .accepted(list)
            .intersection(check.fromStrangers)
            .intersection(check.space.destinations(inside))
            .intersection(check.space.of(family));
    PacketSet segments = in.intersection(check.space.protocol(Protocol.TCP));
    PacketSet answers = segments.intersection(check.space.flags(Packet.ACK));
    int port = Question.DEFAULT_SOURCE_PORT;
    if (!answers.meets(check.space.where(Dimension.DESTINATION_PORT, port, port))) {
      return; // the conversations tell of that
    }
    ServicePart notice = family == Family.IPV4 ? TOO_LARGE : TOO_LARGE_V6;
    if (!in.meets(check.space.service(notice))) {
      noticesDropped(list.list(), family, notice);
    }
    boolean forged = coversPorts(answers);
    if (forged && !coversPorts(segments.intersection(check.space.flags(Packet.SYN)))) {
      check.add(
          Code.ANSWERS_FORGED,
          list.list(),
          Labels.of(list.list())
              + " of "
              + device.name()
              + " keeps no sessions, and accepts everything over "
              + family
              + " that has ACK set, on every port",
          null,
          new Cure(
              "let it keep sessions, and know answers by them",
              Mends.remembering(device, list.list())));
    }
  }

  private boolean coversPorts(PacketSet segments) {
    return segments
        .withoutAllBut(Dimension.PROTOCOL, Dimension.DESTINATION_PORT)
        .covers(check.space.service(ServicePart.all(Protocol.TCP)));
  }

  private void noticesDropped(AccessList list, Family family, ServicePart notice) {
    AccessRule accepts =
        AccessRule.called(Action.ACCEPT, "notices of packets that are too large")
            .services(List.of(ServiceTerm.of(notice)))
            .build();
    check.add(
        Code.NOTICES_DROPPED,
        list,
        Labels.of(list)
            + " accepts TCP replies over "
            + family
            + ", but not the notice that a packet was too large ("
            + notice
            + ")",
        null,
        Cure.of("accept the notice, too", Change.Add.first(list, accepts, list.rules())));
  }
}
