package org.eskerfield.formats;

import java.math.BigInteger;
import java.util.ArrayList;
import java.util.List;
import org.eskerfield.ledger.Block;
import org.eskerfield.ledger.Holding;
import org.eskerfield.ledger.NamedUse;
import org.eskerfield.model.Device;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Network;
import org.eskerfield.model.Place;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Route;
import org.eskerfield.model.Service;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressRange;
import org.eskerfield.packet.Prefix;
import org.jspecify.annotations.Nullable;

/** What is known of addresses and services, as trees for {@link JsonWriter#tree}. */
public final class LedgerData {
  private LedgerData() {}

  static Tree place(Place place) {
    return new Tree()
        .with("file", place.file())
        .with("line", place.line())
        .with("column", place.column());
  }

  static List<Object> texts(Iterable<?> values) {
    List<Object> texts = new ArrayList<>();
    values.forEach(value -> texts.add(value.toString()));
    return texts;
  }

  /** A block of addresses by itself, see {@link Schemas#SUBNET}. */
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
        .with("halves", texts(block.halves()));
  }

  /** How many addresses lie in a range. */
  public static BigInteger count(AddressRange range) {
    return number(range.last()).subtract(number(range.first())).add(BigInteger.ONE);
  }

  private static BigInteger number(Address address) {
    BigInteger high = new BigInteger(Long.toUnsignedString(address.high())).shiftLeft(64);
    return high.add(new BigInteger(Long.toUnsignedString(address.low())));
  }

  /** A service, see {@link Schemas#SERVICES}. */
  public static Tree service(Service service, String also, String description) {
    return new Tree()
        .with("name", service.name())
        .with("also", also.isEmpty() ? null : also)
        .with("ports", texts(service.parts()))
        .with("description", description);
  }

  /** The devices and blocks of a site, see {@link Schemas#LEDGER}. */
  public static Tree ledger(Site site, List<Block> blocks) {
    List<Object> devices = new ArrayList<>();
    site.devices().values().forEach(device -> devices.add(device(device)));
    List<Object> all = new ArrayList<>();
    blocks.forEach(block -> all.add(block(block)));
    return new Tree().with("site", site.name()).with("devices", devices).with("blocks", all);
  }

  static Tree device(Device device) {
    List<Object> interfaces = new ArrayList<>();
    for (Interface own : device.interfaces()) {
      Network network = own.network();
      interfaces.add(
          new Tree()
              .with("name", own.name())
              .with("network", network.name())
              .with("zone", network.zone())
              .with("prefixes", texts(network.prefixes()))
              .with("addresses", texts(own.addresses()))
              .with("assigned", own.assigned())
              .with("state", own.state())
              .with("facesCarrier", !network.carrier().isEmpty())
              .with("note", own.note())
              .with("place", place(own.place())));
    }
    List<Object> routes = new ArrayList<>();
    for (Route route : device.routes()) {
      Interface leaving = route.leaving();
      routes.add(
          new Tree()
              .with("to", route.to())
              .with("via", route.via())
              .with("leaving", leaving == null ? null : leaving.name())
              .with("preference", route.preference())
              .with("note", route.note())
              .with("place", place(route.place())));
    }
    return new Tree()
        .with("name", device.name())
        .with("note", device.note())
        .with("interfaces", interfaces)
        .with("routes", routes)
        .with("place", place(device.place()));
  }

  private static Tree block(Block block) {
    List<Object> stretches = new ArrayList<>();
    for (Block.Stretch stretch : block.stretches()) {
      List<Object> holders = new ArrayList<>();
      stretch.holdings().forEach(holding -> holders.add(holding(holding)));
      stretches.add(
          new Tree()
              .with("first", stretch.addresses().first())
              .with("last", stretch.addresses().last())
              .with("free", stretch.isFree() && !block.assigned())
              .with("holders", holders));
    }
    Tree map = subnet(block.prefix());
    AddressRange usable = block.usable();
    map.put("broadcast", block.via() == null ? map.get("broadcast") : null);
    map.put("first", usable.first());
    map.put("last", usable.last());
    map.put("usable", count(usable));
    map.put("onNetwork", block.network().name());
    map.put("via", block.via());
    map.put("assignedByCarrier", block.assigned());
    map.put("stretches", stretches);
    return map;
  }

  /** By which line of its routing table a device sends on; null for none. */
  public static Tree way(Device device, @Nullable Placed by) {
    Route route = by instanceof Route found ? found : null;
    Interface connected = by instanceof Interface found ? found : null;
    Interface leaving = route == null ? connected : route.leaving();
    return new Tree()
        .with("device", device.name())
        .with("route", route == null ? null : route.to())
        .with("via", route == null ? null : route.via())
        .with("leaving", leaving == null ? null : leaving.name())
        .with("place", by == null ? null : place(by.place()));
  }

  /** Who has an address or ports of it. */
  public static Tree holding(Holding holding) {
    return new Tree()
        .with("kind", holding.kind())
        .with("device", holding.device())
        .with("who", holding.who())
        .with("ports", texts(holding.services()))
        .with("place", place(holding.by().place()));
  }

  /** Where an object is used. */
  public static Tree uses(String name, List<NamedUse> uses) {
    List<Object> all = new ArrayList<>();
    for (NamedUse use : uses) {
      all.add(
          new Tree()
              .with("by", use.by())
              .with("as", use.as())
              .with("place", place(use.at().place())));
    }
    return new Tree().with("name", name).with("uses", all);
  }
}
