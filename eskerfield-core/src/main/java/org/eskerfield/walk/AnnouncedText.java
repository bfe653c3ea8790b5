// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.walk;

import org.eskerfield.model.Interface;
import org.eskerfield.model.StateSettings;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;

/**
 * The application level gateway for file transfer: text that announces an endpoint of its sender
 * names the one by which the other side reaches it, and the data connection is expected. The text
 * is a stream of lines: several may come in one segment, and one in several; the beginning of an
 * announcement is kept back until its end comes.
 */
final class AnnouncedText {
  private final DeviceMachine machine;

  AnnouncedText(DeviceMachine machine) {
    this.machine = machine;
  }

  /**
   * The application level gateway for file transfer: text that announces an endpoint of its sender
   * names the one by which the other side reaches it, and the data connection is expected. The text
   * is a stream of lines: several may come in one segment, and one in several; the beginning of an
   * announcement is kept back until its end comes.
   */
  void pass(String payload) {
    String text = machine.tables.expectations().takeUnfinished(machine.session) + payload;
    StringBuilder passed = new StringBuilder();
    int from = 0;
    for (int end = text.indexOf('\n'); end >= 0; end = text.indexOf('\n', from)) {
      passed.append(passLine(text.substring(from, end + 1)));
      from = end + 1;
    }
    String rest = text.substring(from);
    if (FileTransferGateway.mayAnnounce(rest)) {
      machine.tables.expectations().keepUnfinished(machine.session, rest);
    } else {
      passed.append(rest);
    }
    machine.packet.payload = passed.toString();
    if (!machine.packet.payload.equals(payload)) {
      machine.say(Ruling.TEXT_TRANSLATED, null);
    }
  }

  private String passLine(String line) {
    StateSettings settings = machine.program.device.state();
    FileTransferGateway.Announced announced = FileTransferGateway.read(line);
    Address sender = machine.tables.arrivingSource(machine.session);
    Interface leaving = machine.leaving();
    if (announced == null
        || leaving == null
        || (announced.address() != null && !announced.address().equals(sender.toString()))) {
      return line; // nothing, or an endpoint of somebody else: nobody is let in for that
    }
    Address seenAs = machine.tables.leavingSource(machine.session);
    int port = announced.port();
    int made = DeviceWalk.NONE;
    if (!seenAs.equals(sender)) {
      TranslationRule rule =
          machine.asReply()
              ? machine.tables.destinationRule(machine.session)
              : machine.tables.sourceRule(machine.session);
      if (rule != null
          && rule.bySide(in -> !in.services().isEmpty(), out -> !out.lends(), both -> true)) {
        made =
            machine
                .tables
                .expectations()
                .bindAnnounced(machine.session, rule, port, leaving, machine.settings(rule));
        if (made < 0) {
          return line; // no port is left for it
        }
        port = machine.tables.externalPort(made);
      }
    }
    machine.tables.expectations().expect(machine.session, announced.port(), port, made, settings);
    return FileTransferGateway.rewritten(line, seenAs, port);
  }
}
