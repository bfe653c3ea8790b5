// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.guarantee;

import java.util.concurrent.atomic.AtomicReference;
import java.util.function.Function;
import org.eskerfield.model.Device;
import org.eskerfield.model.Interface;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Protocol;
import org.eskerfield.set.Dimension;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;
import org.eskerfield.trace.FileTransfer;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Question;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Trace;
import org.eskerfield.walk.FileTransferGateway;
import org.jspecify.annotations.Nullable;

/**
 * Addresses within what leaves by an interface: in the header of the packet that an ICMP error is
 * about (RFC 5508 section 4.2), and in the endpoint that a gateway writes into a control connection
 * of a file transfer (RFC 2663 section 2.9). One packet of each kind is sent.
 */
final class Contents {
  private static final int MOST_KINDS = 200;
  private static final int ANNOUNCED = 50_000;

  /**
   * An address that is shown.
   *
   * @param sent the packet that leads to it
   * @param what where the address is, to be read after "shows"
   */
  record Shown(Trace sent, String what) {}

  private final Proving on;
  private final PacketSpace space;
  private final Device device;
  private final Interface leaving;
  private final AddressSet allowed;

  Contents(Proving on, Device device, Interface leaving, AddressSet allowed) {
    this.on = on;
    this.space = on.space;
    this.device = device;
    this.leaving = leaving;
    this.allowed = allowed;
  }

  /**
   * An address that must not be seen; null where none is.
   *
   * @param sent what senders put in at an interface
   * @param going what of it leaves
   */
  @Nullable Shown find(
      Function<Ways.Entry, PacketSet> sent, Function<Ways.Entry, PacketSet> going) {
    for (Ways.Entry each : on.ways().entries()) {
      Shown shown = null;
      if (each.device().name().equals(device.name()) && each.own().equals(leaving)) {
        PacketSet coming =
            sent.apply(each).intersection(on.askable()).intersection(space.destinations(allowed));
        shown = of(each, coming, kind -> inError(kind.trace()));
      }
      if (shown == null && device.state().fileTransfer()) {
        PacketSet control =
            going
                .apply(each)
                .intersection(on.askable())
                .intersection(space.protocol(Protocol.TCP))
                .intersection(
                    space.ports(Dimension.DESTINATION_PORT, device.state().controlPorts()));
        shown = of(each, control, kind -> announced(kind.sent()));
      }
      if (shown != null) {
        return shown;
      }
    }
    return null;
  }

  private @Nullable Shown of(
      Ways.Entry by, PacketSet among, Function<Kinds.Kind, @Nullable Shown> look) {
    AtomicReference<@Nullable Shown> found = new AtomicReference<>();
    new Kinds(on, by, true)
        .of(
            among,
            rest -> rest,
            MOST_KINDS,
            kind -> {
              found.set(look.apply(kind));
              return found.get() == null;
            });
    return found.get();
  }

  /** An error that leaves and holds a destination which its hearer has not sent to. */
  private @Nullable Shown inError(Trace trace) {
    for (Leg leg : trace.reply()) {
      Header left = leg.decisions().get(leg.decisions().size() - 1).after();
      Header about = left.inner();
      boolean here =
          leg.where().equals(device.name())
              && leg.leaving() != null
              && leg.leaving().name().equals(leaving.name());
      Address spokenTo = trace.request().get(0).decisions().get(0).before().destination();
      if (here
          && about != null
          && !allowed.contains(about.destination())
          && !about.destination().equals(spokenTo)) {
        return new Shown(trace, about.destination() + " in the header within an ICMP error");
      }
    }
    return null;
  }

  /** An endpoint that the gateway writes into a control connection. */
  private @Nullable Shown announced(PacketSet.Member sent) {
    Question control = Question.of(on.site, sent.packet(), sent.at());
    Run run = on.tracer.run(sent.at());
    Trace opened = run.open(control);
    if (opened.outcome() != Outcome.ANSWERED || sent.packet().family == Family.IPV6) {
      return null; // an endpoint of IPv6 is told as it is
    }
    FileTransfer transfer = run.transfer(control, FileTransfer.Mode.ACTIVE, ANNOUNCED);
    String heard = transfer.heard();
    FileTransferGateway.Announced told = heard == null ? null : FileTransferGateway.read(heard);
    Address address = told == null ? null : told.ipv4();
    boolean written = heard != null && !heard.equals(transfer.said());
    return written && address != null && !allowed.contains(address)
        ? new Shown(opened, address + " in what its gateway writes into the control connection")
        : null;
  }
}
