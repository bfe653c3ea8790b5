// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.state;

import java.util.HashMap;
import java.util.List;
import java.util.Map;
import org.eskerfield.model.Interface;
import org.eskerfield.model.StateSettings;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;

/** The data connections that an application level gateway expects, and the text that says so. */
public final class Expectations {
  private final DeviceState state;

  /** Text of control connections that is no whole line yet, by the direction of a session. */
  final Map<Integer, String> unfinished = new HashMap<>();

  /** How many connections are expected. */
  int count;

  Expectations(DeviceState state) {
    this.state = state;
  }

  /**
   * Expects a TCP connection in the direction against a packet of a known session: from the
   * packet's receiver, whatever its port, to an endpoint that the packet announces. It stands among
   * the sessions, with source port 0, until it is opened or its time is up.
   *
   * @param reference the session of the announcement, in its direction
   * @param port the port that is announced
   * @param external the port by which the outside of the announcer's side knows it
   * @param binding the binding that it uses, or {@link DeviceState#NONE}
   */
  public void expect(int reference, int port, int external, int binding, StateSettings settings) {
    // The connection goes the other way: it arrives where packets to the announcer arrive.
    FlowKey there = state.sessions.key(reference ^ 1).withPorts(0, external);
    FlowKey back = state.sessions.key(reference).withPorts(port, 0);
    endExpected(state.sessions.find(there), binding);
    endExpected(state.sessions.find(back), binding);
    if (state.sessions.find(there) != DeviceState.NONE
        || state.sessions.find(back) != DeviceState.NONE) {
      return; // somebody sends from port 0, which no data connection has
    }
    useOnceMore(there);
    useOnceMore(back);
    boolean reply =
        (reference & 1) != 0; // the rules act the other way round on the announcer's side
    int session = reference >> 1;
    int made =
        state.record(
            there,
            back,
            new SessionTable.Made(
                binding,
                reply
                    ? state.sessions.destinationRule(session)
                    : state.sessions.sourceRule(session),
                reply
                    ? state.sessions.sourceRule(session)
                    : state.sessions.destinationRule(session)),
            settings);
    state.sessions.expect(made >> 1);
    count++;
  }

  /** Ends what was expected before, if anything was. */
  private void endExpected(int reference, int kept) {
    if (reference != DeviceState.NONE && state.sessions.isExpected(reference >> 1)) {
      state.end(reference, kept);
    }
  }

  /** Counts a session more for the IPv6 addresses of a header that are numbered already. */
  private void useOnceMore(FlowKey key) {
    if (key.isIpv6()) {
      for (Address address : List.of(state.source(key), state.destination(key))) {
        state.numbers.use(address.high(), address.low());
      }
    }
  }

  /** The binding by which the outside reaches a port of the sender of a session's packets. */
  public int bindAnnounced(
      int reference, TranslationRule rule, int port, Interface leaving, StateSettings settings) {
    FlowKey inside = state.sessions.key(reference);
    Packet announced =
        new Packet(
            state.source(inside),
            port,
            state.destination(inside),
            0,
            Protocol.TCP,
            Icmp.NO_TYPE,
            0);
    AddressSet seenAs = AddressSet.of(state.destination(state.sessions.key(reference ^ 1)));
    return state.lending().share(rule, announced, inside.realm(), leaving, seenAs, settings);
  }

  /** Takes the text of a direction that was kept as unfinished; empty if there was none. */
  public String takeUnfinished(int reference) {
    String text = unfinished.remove(reference);
    return text == null ? "" : text;
  }

  /** Keeps text of a direction until the rest of its line comes. */
  public void keepUnfinished(int reference, String text) {
    unfinished.put(reference, text);
  }

  /** The session that the opening segment looked up last was expected as; it has its ports then. */
  public int fulfil() {
    if (count == 0) {
      return DeviceState.NONE;
    }
    int port = state.asked.sourcePort();
    int reference = state.sessions.find(state.asked.withPorts(0, state.asked.destinationPort()));
    if (reference == DeviceState.NONE
        || (reference & 1) != 0
        || !state.sessions.isExpected(reference >> 1)) {
      return DeviceState.NONE;
    }
    int session = reference >> 1;
    FlowKey expectedBack = state.sessions.key(reference + 1);
    FlowKey back = expectedBack.withPorts(expectedBack.sourcePort(), port);
    if (state.sessions.find(back) != DeviceState.NONE) {
      return DeviceState.NONE; // replies would be taken for somebody else's
    }
    SessionTable.Made made =
        new SessionTable.Made(
            state.sessions.binding(session),
            state.sessions.destinationRule(session),
            state.sessions.sourceRule(session));
    useOnceMore(state.asked);
    useOnceMore(back);
    state.end(reference, made.binding());
    int fulfilled = state.record(state.asked, back, made, state.program.device.state());
    state.events.session(fulfilled >> 1, /* begins= */ true, state.clock.elapsed());
    return fulfilled;
  }
}
