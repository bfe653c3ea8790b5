// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.walk;

import org.eskerfield.model.Interface;
import org.eskerfield.model.StateSettings;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Packet;
import org.eskerfield.program.Translations;
import org.jspecify.annotations.Nullable;

/**
 * An insider who speaks to the binding of another one (RFC 4787 REQ-9): its packet leaves by the
 * other one's external side, so to say, and comes in again. It gets the source that it would have
 * outside, and the binding judges that one. If it does not let it in, what was made stays, since
 * the packet was outside.
 */
final class BindingHairpin {
  private final DeviceMachine machine;

  BindingHairpin(DeviceMachine machine) {
    this.machine = machine;
  }

  /** Gives the machine.packet its source, or ends it. */
  @Nullable Ruling source(Interface outside) {
    if (!machine.canOpen()) {
      return machine.end(Ruling.NOT_AN_OPENING, null);
    }
    machine.stateful = true;
    Packet asSent = machine.packet.copy();
    asSent.rewriteDestination(machine.sentTo, machine.sentToPort);
    Packet arrived = asSent.copy();
    Translations.Outbound rule = machine.outbound(outside, Seen.AS_SENT);
    if (rule != null) {
      Ruling end = machine.translateSource(rule, outside, Seen.AS_SENT);
      if (end != null) {
        return end;
      }
    }
    TranslationRule owner = machine.tables.ruleOf(machine.destinationBinding);
    StateSettings.Endpoints filtering = machine.settings(owner).filtering();
    int sender = (int) machine.packet.sourceLow;
    boolean speaksToItself =
        machine.binding == machine.destinationBinding
            && (filtering == StateSettings.Endpoints.ADDRESS_DEPENDENT
                || machine.packet.sourcePort == machine.sentToPort);
    if (speaksToItself
        || machine
            .tables
            .filter()
            .admits(machine.destinationBinding, sender, machine.packet.sourcePort, filtering)) {
      if (machine.isTaken()) {
        machine.tables.forgetUnused(machine.binding);
        return machine.end(Ruling.ENDPOINT_IN_USE, owner);
      }
      if (rule == null) {
        machine.say(Ruling.SOURCE_KEPT, null);
      }
      return null;
    }
    if (rule != null && machine.binding != DeviceWalk.NONE) {
      asSent.rewriteSource(machine.packet.source(), machine.packet.sourcePort);
      machine
          .tables
          .filter()
          .cameBack(arrived, asSent, rule.rule(), machine.binding, machine.settings(rule.rule()));
    }
    return machine.end(Ruling.BINDING_FILTERED, owner);
  }
}
