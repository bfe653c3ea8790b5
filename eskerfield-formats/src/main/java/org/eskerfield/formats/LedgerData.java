package org.eskerfield.formats;

import java.math.BigInteger;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.eskerfield.ledger.Block;
import org.eskerfield.ledger.Holding;
import org.eskerfield.ledger.NamedUse;
import org.eskerfield.model.Device;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Network;
import org.eskerfield.model.Place;
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

  static Map<String, @Nullable Object> map(@Nullable Object... keysAndValues) {
    Map<String, @Nullable Object> map = new LinkedHashMap<>();
    for (int i = 0; i < keysAndValues.length; i += 2) {
      map.put(String.valueOf(keysAndValues[i]), keysAndValues[i + 1]);
    }
    return map;
  }

  static Map<String, @Nullable Object> place(Place place) {
    return map("file", place.file(), "line", place.line(), "column", place.column());
  }

  static List<Object> texts(Iterable<?> values) {
    List<Object> texts = new ArrayList<>();
    values.forEach(value -> texts.add(value.toString()));
    return texts;
  }

  /** A block of addresses by itself, see {@link Schemas#SUBNET}. */
  public static Map<String, @Nullable Object> subnet(Prefix block) {
    AddressRange usable = block.usable();
    boolean named = block.isNetworkOrBroadcast(block.first());
    return map(
        "prefix",
        block,
        "network",
        block.first(),
        "broadcast",
        named ? block.last() : null,
        "first",
        usable.first(),
        "last",
        usable.last(),
        "usable",
        count(usable),
        "addresses",
        block.size(),
        "netmask",
        block.netmask(),
        "hostBitsMask",
        block.hostMask(),
        "halves",
        texts(block.halves()));
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
  public static Map<String, @Nullable Object> service(
      Service service, String also, String description) {
    return map(
        "name",
        service.name(),
        "also",
        also.isEmpty() ? null : also,
        "ports",
        texts(service.parts()),
        "description",
        description);
  }

  /** The devices and blocks of a site, see {@link Schemas#LEDGER}. */
  public static Map<String, @Nullable Object> ledger(Site site, List<Block> blocks) {
    List<Object> devices = new ArrayList<>();
    site.devices().values().forEach(device -> devices.add(device(device)));
    List<Object> all = new ArrayList<>();
    blocks.forEach(block -> all.add(block(block)));
    return map("site", site.name(), "devices", devices, "blocks", all);
  }

  static Map<String, @Nullable Object> device(Device device) {
    List<Object> interfaces = new ArrayList<>();
    for (Interface own : device.interfaces()) {
      Network network = own.network();
      interfaces.add(
          map(
              "name",
              own.name(),
              "network",
              network.name(),
              "zone",
              network.zone(),
              "prefixes",
              texts(network.prefixes()),
              "addresses",
              texts(own.addresses()),
              "assigned",
              own.assigned(),
              "state",
              own.state(),
              "facesCarrier",
              !network.carrier().isEmpty(),
              "note",
              own.note(),
              "place",
              place(own.place())));
    }
    List<Object> routes = new ArrayList<>();
    for (Route route : device.routes()) {
      Interface leaving = route.leaving();
      routes.add(
          map(
              "to",
              route.to(),
              "via",
              route.via(),
              "leaving",
              leaving == null ? null : leaving.name(),
              "preference",
              route.preference(),
              "note",
              route.note(),
              "place",
              place(route.place())));
    }
    return map(
        "name",
        device.name(),
        "note",
        device.note(),
        "interfaces",
        interfaces,
        "routes",
        routes,
        "place",
        place(device.place()));
  }

  private static Map<String, @Nullable Object> block(Block block) {
    List<Object> stretches = new ArrayList<>();
    for (Block.Stretch stretch : block.stretches()) {
      List<Object> holders = new ArrayList<>();
      stretch.holdings().forEach(holding -> holders.add(holding(holding)));
      stretches.add(
          map(
              "first",
              stretch.addresses().first(),
              "last",
              stretch.addresses().last(),
              "free",
              stretch.isFree() && !block.assigned(),
              "holders",
              holders));
    }
    Map<String, @Nullable Object> map = subnet(block.prefix());
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

  /** Who has an address or ports of it. */
  public static Map<String, @Nullable Object> holding(Holding holding) {
    return map(
        "kind",
        holding.kind(),
        "device",
        holding.device(),
        "who",
        holding.who(),
        "ports",
        texts(holding.services()),
        "place",
        place(holding.by().place()));
  }

  /** Where an object is used. */
  public static Map<String, @Nullable Object> uses(String name, List<NamedUse> uses) {
    List<Object> all = new ArrayList<>();
    for (NamedUse use : uses) {
      all.add(map("by", use.by(), "as", use.as(), "place", place(use.at().place())));
    }
    return map("name", name, "uses", all);
  }
}
