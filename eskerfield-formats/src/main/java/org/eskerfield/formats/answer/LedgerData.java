// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.answer;

import java.math.BigInteger;
import java.util.List;
import org.eskerfield.explain.Sentences;
import org.eskerfield.ledger.Block;
import org.eskerfield.ledger.Contest;
import org.eskerfield.ledger.Holding;
import org.eskerfield.ledger.NamedUse;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Network;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Route;
import org.eskerfield.model.Service;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressRange;
import org.eskerfield.packet.Prefix;
import org.jspecify.annotations.Nullable;

/** The use of addresses and services as trees for {@link Json}. */
public final class LedgerData {
  private LedgerData() {}

  /** A block of addresses by itself, see {@code subnet.schema.json}. */
  public static Tree subnet(Prefix block) {
    AddressRange usable = block.usable();
    boolean named = block.isNetworkOrBroadcast(block.first());
    return new Tree()
        .with("prefix", block)
        .with("network", block.first())
        .with("broadcast", named ? block.last() : null)
        .with("first", usable.first())
        .with("last", usable.last())
        .with("usable", count(usable))
        .with("addresses", block.size())
        .with("netmask", block.netmask())
        .with("hostBitsMask", block.hostMask())
        .with("halves", Tree.texts(block.halves()));
  }

  /** How many addresses lie in a range. */
  public static BigInteger count(AddressRange range) {
    return number(range.last()).subtract(number(range.first())).add(BigInteger.ONE);
  }

  private static BigInteger number(Address address) {
    BigInteger high = new BigInteger(Long.toUnsignedString(address.high())).shiftLeft(64);
    return high.add(new BigInteger(Long.toUnsignedString(address.low())));
  }

  /** A service, see {@code services.schema.json}. */
  public static Tree service(Service service, String also, String description) {
    return new Tree()
        .with("name", service.name())
        .with("also", also.isEmpty() ? null : also)
        .with("ports", Tree.texts(service.parts()))
        .with("description", description);
  }

  /** The devices and blocks of a site, see {@code ledger.schema.json}. */
  public static Tree ledger(Site site, List<Block> blocks) {
    return new Tree()
        .with("site", site.name())
        .with("devices", Tree.each(site.devices().values(), LedgerData::device))
        .with("blocks", Tree.each(blocks, block -> block(site, block)));
  }

  static Tree device(Device device) {
    return new Tree()
        .with("name", device.name())
        .with("note", device.note())
        .with("interfaces", Tree.each(device.interfaces(), LedgerData::attached))
        .with("routes", Tree.each(device.routes(), LedgerData::route))
        .with("place", Tree.place(device.place()));
  }

  private static Tree attached(Interface own) {
    Network network = own.network();
    return new Tree()
        .with("name", own.name())
        .with("network", network.name())
        .with("zone", network.zone())
        .with("prefixes", Tree.texts(network.prefixes()))
        .with("addresses", Tree.texts(own.addresses()))
        .with("assigned", own.assigned())
        .with("state", own.state())
        .with("facesCarrier", !network.carrier().isEmpty())
        .with("ports", own.ports())
        .with("vlan", network.vlan())
        .with("mtu", own.linkMtu())
        .with("largestSegment", own.largestSegment())
        .with("facts", Sentences.facts(own))
        .with("note", own.note())
        .with("place", Tree.place(own.place()));
  }

  private static Tree route(Route route) {
    return new Tree()
        .with("to", route.to())
        .with("via", route.via())
        .with("leaving", Tree.of(route.leaving(), Interface::name))
        .with("preference", route.preference())
        .with("note", route.note())
        .with("place", Tree.place(route.place()));
  }

  private static Tree block(Site site, Block block) {
    Tree alone = subnet(block.prefix());
    AddressRange usable = block.usable();
    return alone
        .with("broadcast", block.via() == null ? alone.get("broadcast") : null)
        .with("first", usable.first())
        .with("last", usable.last())
        .with("usable", count(usable))
        .with("onNetwork", block.network().name())
        .with("via", block.via())
        .with("assignedByCarrier", block.assigned())
        .with("stretches", Tree.each(block.stretches(), each -> stretch(site, block, each)));
  }

  private static Tree stretch(Site site, Block block, Block.Stretch stretch) {
    List<Contest> contests = Contest.at(site, stretch.addresses().first(), stretch.holdings());
    return new Tree()
        .with("first", stretch.addresses().first())
        .with("last", stretch.addresses().last())
        .with("free", stretch.isFree() && !block.assigned())
        .with("holders", Tree.each(stretch.holdings(), each -> holding(each, contests)));
  }

  /** By which line of its routing table a device sends on; null for none. */
  public static Tree route(Device device, @Nullable Placed by) {
    Route route = by instanceof Route found ? found : null;
    Interface connected = by instanceof Interface found ? found : null;
    Interface leaving = route == null ? connected : route.leaving();
    return new Tree()
        .with("device", device.name())
        .with("route", route == null ? null : route.to())
        .with("via", route == null ? null : route.via())
        .with("leaving", Tree.of(leaving, Interface::name))
        .with("place", Tree.of(by, each -> Tree.place(each.place())));
  }

  /** Who has an address or ports of it; who gets its packets before, if somebody does. */
  public static Tree holding(Holding holding, List<Contest> contests) {
    return new Tree()
        .with("kind", holding.kind())
        .with("device", holding.device())
        .with("who", holding.who())
        .with("hardware", holding.by() instanceof Host host ? host.hardware() : null)
        .with("ports", Tree.texts(holding.services()))
        .with("behind", Tree.each(Contest.before(holding, contests), Holding::who))
        .with("place", Tree.place(holding.by().place()));
  }

  /** Where an object is used. */
  public static Tree uses(String name, List<NamedUse> uses) {
    return new Tree()
        .with("name", name)
        .with(
            "uses",
            Tree.each(
                uses,
                use ->
                    new Tree()
                        .with("by", use.by())
                        .with("as", use.as())
                        .with("place", Tree.place(use.at().place()))));
  }
}
