// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.state;

import java.time.Duration;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashMap;
import java.util.IdentityHashMap;
import java.util.List;
import java.util.Map;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.program.DeviceProgram;
import org.eskerfield.program.Translations;
import org.jspecify.annotations.Nullable;

/** What the tables of a device hold, as rows for people. */
final class StateRows {
  private static final int NONE = DeviceState.NONE;

  private final DeviceState state;

  private record Claimed(DeviceProgram by, AddressSet addresses, int protocol, String realm) {}

  /** How many ports of pools are claimed, as far as anybody has asked. */
  private final Map<Claimed, Long> claimed = new HashMap<>();

  /** The rules that give out of the same addresses, of a policy. */
  private final IdentityHashMap<TranslationRule, List<Translations.Outbound>> sharing =
      new IdentityHashMap<>();

  private @Nullable DeviceProgram sharingOf;

  StateRows(DeviceState state) {
    this.state = state;
  }

  /** How much is given out of what the rules have. */
  List<PoolFill> fills() {
    List<PoolFill> fills = new ArrayList<>();
    outbound(state.program).forEach(rule -> fills.addAll(fills(rule)));
    return fills;
  }

  /** The same of the rules whose addresses are also those of a rule, itself among them. */
  List<PoolFill> fills(TranslationRule of) {
    DeviceProgram program = state.program;
    if (program != sharingOf) {
      sharing.clear();
      sharingOf = program;
    }
    List<PoolFill> fills = new ArrayList<>();
    sharing.computeIfAbsent(of, this::sharing).forEach(rule -> fills.addAll(fills(rule)));
    return fills;
  }

  private List<Translations.Outbound> sharing(TranslationRule of) {
    List<Translations.Outbound> all = outbound(state.program);
    AddressSet addresses = AddressSet.NONE;
    for (Translations.Outbound rule : all) {
      addresses = rule.rule().equals(of) ? addresses.union(externals(rule)) : addresses;
    }
    AddressSet shared = addresses;
    return all.stream().filter(rule -> externals(rule).intersects(shared)).toList();
  }

  private static List<Translations.Outbound> outbound(DeviceProgram program) {
    return program.translations.outbound.stream()
        .filter(rule -> rule.rule().outward() != null)
        .toList();
  }

  private AddressSet externals(Translations.Outbound rule) {
    return rule.externals(state.program, rule.leaving().interfaces().get(0));
  }

  private List<PoolFill> fills(Translations.Outbound rule) {
    return fills(
        rule.rule(),
        externals(rule),
        rule.rule().lends(),
        rule.leaving().interfaces().get(0).network().realm());
  }

  /**
   * How much of the external addresses that a rule has used is in use: ports, or lent addresses.
   */
  private List<PoolFill> fills(
      TranslationRule rule, AddressSet externals, boolean lends, @Nullable String realm) {
    List<PoolFill> fills = new ArrayList<>();
    PoolUse use = state.origins.use(state.origins.poolOf(externals));
    if (lends) {
      fills.add(new PoolFill(rule, 0, use.lentCount(), use.size()));
      return fills;
    }
    for (int protocol : PortSpaces.SHARING) {
      long taken = 0;
      for (PortSpace space : state.spaces.all()) {
        if (PortSpaces.protocol(space.key) == protocol
            && externals.contains(PortSpaces.address(space.key))) {
          taken += space.count();
        }
      }
      long others = claimed(externals, protocol, realm);
      long size = 65535L * use.size() - others;
      fills.add(new PoolFill(rule, protocol, taken, size));
    }
    return fills;
  }

  List<SessionRow> sessions() {
    long now = state.clock.elapsed();
    List<SessionRow> rows = new ArrayList<>();
    for (int at = state.sessions.nextLive(0); at != NONE; at = state.sessions.nextLive(at + 1)) {
      rows.add(
          new SessionRow(
              state.filter().cameBack.getOrDefault(at, state.arrived(at)),
              state.left(at),
              state.filter().cameBack.containsKey(at),
              state.origins.rule(state.sessions.destinationRule(at)),
              state.origins.rule(state.sessions.sourceRule(at)),
              Duration.ofMillis(now - state.sessions.since(at)),
              Duration.ofMillis(state.sessions.expires(at) - now)));
    }
    rows.sort(
        Comparator.comparing(SessionRow::age)
            .reversed()
            .thenComparing(row -> row.arrived().toString()));
    return rows;
  }

  /** The permanent bindings in the order of their rules, then the temporary ones. */
  List<BindingRow> bindings() {
    List<BindingRow> rows = permanentRows();
    rows.addAll(bindingRows());
    return rows;
  }

  /** The bindings that stand in the policy, with the remote ends that use them now. */
  private List<BindingRow> permanentRows() {
    List<BindingRow> rows = new ArrayList<>();
    for (Translations.Inbound entry : state.program.translations.inbound) {
      InwardRule rule = entry.rule().inward();
      if (rule == null || entry.external() == null) {
        continue;
      }
      if (rule.services().isEmpty()) {
        ServicePart everything = ServicePart.all(ServicePart.ANY_PROTOCOL);
        rows.add(permanent(rule, entry.external(), everything));
      }
      for (ServiceTerm term : rule.services()) {
        for (ServicePart part : term.service().parts()) {
          rows.add(permanent(rule, entry.external(), part));
        }
      }
    }
    return rows;
  }

  private BindingRow permanent(InwardRule rule, Prefix external, ServicePart part) {
    PortSet changed = rule.internalPorts();
    return new BindingRow(
        rule,
        part.protocol(),
        rule.internalBlock(),
        changed == null ? part.ports() : changed,
        external,
        part.ports(),
        remotesOf(rule, external, part),
        null,
        null);
  }

  /** The temporary bindings, in the order of their external sides. */
  private List<BindingRow> bindingRows() {
    List<BindingRow> rows = new ArrayList<>();
    for (int at = state.bindings.nextLive(0); at != NONE; at = state.bindings.nextLive(at + 1)) {
      rows.add(row(at));
    }
    rows.sort(
        Comparator.comparing((BindingRow row) -> row.external().first())
            .thenComparing(BindingRow::protocol)
            .thenComparing(row -> row.externalPorts().first())
            .thenComparing(row -> row.internal().first()));
    return rows;
  }

  private BindingRow row(int binding) {
    long now = state.clock.elapsed();
    long expires = now;
    List<BindingRow.Remote> remotes = new ArrayList<>();
    for (int use = state.bindings.firstUse(binding);
        use != NONE;
        use = state.sessions.nextUse(use)) {
      int at = use >> 1;
      expires = Math.max(expires, state.sessions.expires(at));
      if (state.sessions.secondBinding(at)
          != NONE) { // between insiders, who know each other's outsides
        Header header = (use & 1) == 0 ? state.arrived(at) : state.left(at);
        String other = (use & 1) == 0 ? header.destinationText() : header.sourceText();
        remotes.add(new BindingRow.Remote(other, other));
      } else {
        remotes.add(remote(state.arrived(at), state.left(at), state.isOutward(at, binding)));
      }
    }
    boolean whole = state.bindings.isWholeAddress(binding);
    return new BindingRow(
        state.ruleOf(binding),
        whole ? ServicePart.ANY_PROTOCOL : state.bindings.protocol(binding),
        Prefix.of(DeviceState.ipv4(state.bindings.internal(binding))),
        whole ? PortSet.ALL : PortSet.of(state.bindings.internalPort(binding)),
        Prefix.of(DeviceState.ipv4(state.bindings.external(binding))),
        whole ? PortSet.ALL : PortSet.of(state.bindings.externalPort(binding)),
        remotes,
        Duration.ofMillis(now - state.bindings.since(binding)),
        Duration.ofMillis(expires - now));
  }

  private static BindingRow.Remote remote(Header arrived, Header left, boolean outward) {
    return outward
        ? new BindingRow.Remote(arrived.destinationText(), left.destinationText())
        : new BindingRow.Remote(left.sourceText(), arrived.sourceText());
  }

  /** The remote ends of the sessions that a rule for good has translated, the oldest first. */
  List<BindingRow.Remote> remotesOf(TranslationRule rule, Prefix external, ServicePart part) {
    record Dated(long since, String arrived, BindingRow.Remote remote) {}
    List<Dated> found = new ArrayList<>();
    int number = state.origins.rule(rule);
    for (int at = state.sessions.nextLive(0); at != NONE; at = state.sessions.nextLive(at + 1)) {
      boolean inward = state.sessions.destinationRule(at) == number;
      if (!inward && state.sessions.sourceRule(at) != number) {
        continue;
      }
      Header arrived = state.arrived(at);
      Header left = state.left(at);
      Address outside = inward ? arrived.destination() : left.source();
      int port = inward ? arrived.destinationPort() : left.sourcePort();
      if (external.contains(outside)
          && part.covers(arrived.protocol(), port, Icmp.NO_TYPE, Icmp.NO_CODE)) {
        BindingRow.Remote remote = remote(arrived, left, !inward);
        found.add(new Dated(state.sessions.since(at), arrived.toString(), remote));
      }
    }
    found.sort(Comparator.comparing(Dated::since).thenComparing(Dated::arrived));
    return found.stream().map(Dated::remote).toList();
  }

  private long claimed(AddressSet externals, int protocol, @Nullable String realm) {
    return claimed.computeIfAbsent(
        new Claimed(state.program, externals, protocol, realm == null ? "" : realm),
        key -> state.program.claims.countPorts(externals, protocol, realm));
  }
}
