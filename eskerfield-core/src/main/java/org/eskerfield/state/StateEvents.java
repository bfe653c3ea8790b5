// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.state;

import java.time.Duration;
import java.util.function.Consumer;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Packet;
import org.jspecify.annotations.Nullable;

/** Tells of translated sessions and of bindings that begin and end; says nothing unless asked. */
final class StateEvents {
  private static final Address NOBODY = new Address(Family.IPV4, 0, 0);

  private final DeviceState state;
  private @Nullable Consumer<TranslationEvent> reader;

  /** A binding that lost its last session to another one, which is about to be recorded. */
  private int kept = DeviceState.NONE;

  StateEvents(DeviceState state) {
    this.state = state;
  }

  void tell(Consumer<TranslationEvent> who) {
    reader = who;
  }

  /** A session begins or ends; its record is readable. */
  void session(int session, boolean begins, long at) {
    TranslationRule destination = rule(state.sessions.destinationRule(session));
    TranslationRule source = rule(state.sessions.sourceRule(session));
    if (reader == null || (destination == null && source == null)) {
      return;
    }
    Header arrived = state.filter().cameBack.getOrDefault(session, state.arrived(session));
    Header left = state.left(session);
    if (!arrived.equals(left)) {
      tell(
          begins ? TranslationEvent.Kind.SESSION_BEGINS : TranslationEvent.Kind.SESSION_ENDS,
          at,
          arrived,
          left,
          destination,
          source);
    }
  }

  private @Nullable TranslationRule rule(int number) {
    return reader == null ? null : state.origins.rule(number);
  }

  /** The session that used a binding ends, and the next one that uses it begins at once. */
  void keeps(int binding) {
    kept = binding;
  }

  /** A binding gets its first session, or has lost its last. */
  void binding(int binding, boolean begins, long at) {
    boolean goesOn = begins && binding == kept;
    kept = DeviceState.NONE;
    if (reader == null || goesOn) {
      return;
    }
    BindingTable all = state.bindings;
    boolean whole = all.isWholeAddress(binding);
    int protocol = whole ? 0 : all.protocol(binding);
    tell(
        whole
            ? begins ? TranslationEvent.Kind.ADDRESS_LENT : TranslationEvent.Kind.ADDRESS_RETURNED
            : begins ? TranslationEvent.Kind.BINDING_BEGINS : TranslationEvent.Kind.BINDING_ENDS,
        at,
        end(all.internal(binding), whole ? 0 : all.internalPort(binding), protocol),
        end(all.external(binding), whole ? 0 : all.externalPort(binding), protocol),
        null,
        state.ruleOf(binding));
  }

  /** A rule has nothing left for a packet. */
  void nothingLeft(TranslationEvent.Kind kind, Packet packet, TranslationRule rule, int external) {
    if (reader != null) {
      tell(
          kind,
          state.clock.elapsed(),
          packet.header(),
          external == 0 ? null : end(external, 0, packet.protocol),
          null,
          rule);
    }
  }

  void allForgotten() {
    tell(
        TranslationEvent.Kind.ALL_FORGOTTEN, state.clock.elapsed(), end(0, 0, 0), null, null, null);
  }

  /** The header of packets of an endpoint to nobody in particular. */
  private static Header end(int address, int port, int protocol) {
    return new Packet(DeviceState.ipv4(address), port, NOBODY, 0, protocol, -1, 0).header();
  }

  private void tell(
      TranslationEvent.Kind kind,
      long at,
      Header before,
      @Nullable Header after,
      @Nullable TranslationRule destination,
      @Nullable TranslationRule source) {
    if (reader != null) {
      Duration ago = Duration.ofMillis(state.clock.elapsed() - at);
      reader.accept(
          new TranslationEvent(
              state.clock.now().minus(ago),
              state.program.device.name(),
              kind,
              before,
              after,
              destination,
              source));
    }
  }
}
