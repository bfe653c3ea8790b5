// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.check;

import java.util.Locale;
import org.eskerfield.change.Change;
import org.eskerfield.change.Cure;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.OutwardRule;
import org.eskerfield.model.Pool;
import org.eskerfield.model.StateSettings;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressRange;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.set.PacketSet;
import org.eskerfield.trace.Labels;
import org.jspecify.annotations.Nullable;

/** Whether a pool has enough addresses and ports for all who send by its rule. */
final class Capacity {
  /** The ports of an address that a shared rule can give out (RFC 6335: port 0 is reserved). */
  private static String counted(long number) {
    return String.format(Locale.ENGLISH, "%,d", number);
  }

  private static final int PORTS = 65_535;

  private final Inspection check;
  private final Externals externals;

  Capacity(Inspection check, Externals externals) {
    this.check = check;
    this.externals = externals;
  }

  /**
   * The hosts that the file describes among those whose packets a rule translates; the addresses if
   * it describes none.
   */
  private Sources sources(Device device, OutwardRule rule) {
    AddressSet all = AddressSet.NONE;
    PacketSet sent = check.space.none();
    for (Interface arriving : device.interfaces()) {
      AddressSet from = check.matched(rule.from());
      PacketSet here = check.sentBy(device, arriving, rule, from);
      sent = sent.union(here);
      all =
          here.isEmpty()
              ? all
              : all.union(from.intersection(check.addressesBehind(device, arriving)));
    }
    all = all.intersection(AddressSet.all(Family.IPV4));
    long hosts = 0;
    for (Host host : check.site.hosts().values()) {
      Address own = host.address(Family.IPV4);
      boolean sends =
          own != null
              && !host.isOutside()
              && !host.off()
              && sent.meets(check.space.sources(AddressSet.of(own)));
      hosts += sends ? 1 : 0;
    }
    return new Sources(hosts == 0 ? all.countIpv4() : hosts, hosts > 0);
  }

  private record Sources(long count, boolean described) {
    String text() {
      return count + (described ? " hosts" : " addresses");
    }
  }

  void addresses(Device device, OutwardRule rule) {
    AddressSet pool = check.sets(device).meaning().pool(rule);
    long has = pool.countIpv4();
    Sources sources = sources(device, rule);
    if (sources.count <= has) {
      return;
    }
    boolean alone = has <= 1;
    AddressSet wider = alone ? null : wider(device, rule, pool, sources.count);
    Cure share =
        Cure.of(
            "let them share the addresses; ports tell them apart",
            new Change.Alter(rule, rule.shared()));
    check.add(
        alone ? Code.SHARING_LEFT_OUT : Code.POOL_TOO_SMALL,
        rule,
        Labels.of(rule)
            + " has "
            + (has == 1 ? "one address" : has + " addresses")
            + " for "
            + sources.text()
            + ": "
            + (sources.count - has)
            + (sources.count - has == 1 ? " gets" : " get")
            + " none while all are in use",
        null,
        wider == null
            ? share
            : Cure.of(
                "add addresses of the block to the pool",
                new Change.Alter(rule, rule.lending(Pool.of(wider)))));
  }

  /** The pool with so many addresses of its block that nobody uses; null if there are not. */
  private @Nullable AddressSet wider(
      Device device, OutwardRule rule, AddressSet pool, long wanted) {
    AddressSet free = externals.free(device, rule.leaving().interfaces(), rule);
    AddressSet wider = pool;
    for (AddressRange range : pool.ranges()) {
      Address next = range.last().next();
      while (next != null && free.contains(next) && wider.countIpv4() < wanted) {
        wider = wider.union(AddressSet.of(next));
        next = next.next();
      }
    }
    return wider.countIpv4() < wanted ? null : wider;
  }

  void ports(Device device, OutwardRule rule) {
    StateSettings own = rule.state();
    int each = (own == null ? device.state() : own).ports().perSource();
    AddressSet pool = rule.pool() == null ? null : rule.pool().addresses();
    long has = PORTS * (pool == null ? 1 : pool.countIpv4());
    Sources sources = sources(device, rule);
    if (each > 0 && sources.count * each > has) {
      check.add(
          Code.PORTS_TOO_FEW,
          rule,
          Labels.of(rule)
              + " allows "
              + counted(each)
              + " ports to each of "
              + sources.text()
              + ", "
              + counted(sources.count * each)
              + " in all, and has "
              + counted(has),
          null,
          Cure.byHand("add addresses to the pool, or lower 'ports-per-source'"));
    }
  }
}
