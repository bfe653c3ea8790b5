// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.guarantee;

import java.util.List;
import java.util.concurrent.atomic.AtomicReference;
import org.eskerfield.model.Device;
import org.eskerfield.model.Guarantee;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.set.PacketSet;
import org.eskerfield.trace.FileTransfer;
import org.eskerfield.trace.Question;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Trace;
import org.jspecify.annotations.Nullable;

/**
 * Data connections of file transfers against a guarantee about some services: a device that reads
 * control connections lets the sender open them to the port that the receiver names, whatever its
 * lists say. Those that the receiver's side has asked for belong to its session.
 */
final class Transfers {
  /** How many kinds of control connections are tried. */
  private static final int MOST_KINDS = 24;

  private final Proving on;
  private final Guarantee guarantee;
  private final Meant meant;
  private boolean complete = true;

  Transfers(Proving on, Guarantee guarantee, Meant meant) {
    this.on = on;
    this.guarantee = guarantee;
    this.meant = meant;
  }

  /** Whether all kinds of control connections were tried. */
  boolean isComplete() {
    return complete;
  }

  /** A data connection that arrives, after its control connection; null where none does. */
  Tries.@Nullable Found find() {
    PortSet control = null;
    for (Device device : on.site.devices().values()) {
      if (device.state().fileTransfer()) {
        PortSet own = device.state().controlPorts();
        control = control == null ? own : control.union(own);
      }
    }
    int data = port();
    if (control == null || data == 0 || guarantee.kind() != Guarantee.Kind.NEVER) {
      return null;
    }
    ServiceTerm service = ServiceTerm.of(new ServicePart(Protocol.TCP, control, Icmp.NO_TYPE));
    Meant opening = new Meant(on, guarantee.withServices(List.of(service)));
    AtomicReference<Tries.@Nullable Found> found = new AtomicReference<>();
    complete =
        new Tries(on, opening)
            .arriving(
                on.askable(),
                MOST_KINDS,
                (by, kind) -> {
                  if (found.get() == null) {
                    found.set(transfer(by, kind.sent(), data));
                  }
                });
    return found.get();
  }

  /** A TCP port of which the guarantee speaks; 0 where it speaks of none alone. */
  private int port() {
    for (ServiceTerm term : guarantee.services()) {
      for (ServicePart part : term.service().parts()) {
        if (part.protocol() == Protocol.TCP) {
          return part.ports().last();
        }
      }
    }
    return 0;
  }

  private Tries.@Nullable Found transfer(Ways.Entry by, PacketSet.Member sent, int port) {
    Question control = Question.of(on.site, sent.packet(), sent.at());
    Run run = on.tracer.run(sent.at());
    Trace opened = run.open(control);
    if (opened.outcome() != Outcome.ANSWERED) {
      return null; // whoever is not answered hears of no port
    }
    FileTransfer.Mode mode =
        sent.packet().family == Family.IPV4
            ? FileTransfer.Mode.PASSIVE
            : FileTransfer.Mode.EXTENDED_PASSIVE;
    Trace data = run.transfer(control, mode, port).data();
    if (data == null) {
      return null;
    }
    Packet first = Packet.of(data.request().get(0).decisions().get(0).before());
    PacketSet.Member member = new PacketSet.Member(first, 0, 0, sent.at());
    return new Tries(on, meant).breaks(by, member, data)
        ? new Tries.Found(by, member, List.of(opened), data)
        : null;
  }
}
