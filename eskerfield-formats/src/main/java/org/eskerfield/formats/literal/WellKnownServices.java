// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.literal;

import java.io.BufferedReader;
import java.io.IOException;
import java.io.InputStream;
import java.io.InputStreamReader;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Collection;
import java.util.Collections;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import org.eskerfield.model.Place;
import org.eskerfield.model.Service;
import org.eskerfield.model.ServicePart;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Protocol;
import org.jspecify.annotations.Nullable;

/**
 * The services that a site file may name without defining them: those of the IANA registry of
 * service names (RFC 6335) that a business meets, the protocols without ports, {@code ping} and
 * {@code any}. The registry's names are in the data file {@code services.csv} beside this class.
 */
public final class WellKnownServices {
  /**
   * One of the registry.
   *
   * @param service what it is; of several protocols, the one that is tried first comes first
   * @param also another name that it is known by; empty if none
   * @param description what it is for
   */
  public record Entry(Service service, String also, String description) {}

  private static final List<Entry> ENTRIES = new ArrayList<>();
  private static final Map<String, Service> ALL = load();

  private WellKnownServices() {}

  private static Map<String, Service> load() {
    Map<String, Service> services = new LinkedHashMap<>();
    services.put("any", Service.ANY);
    services.put("ping", Service.PING);
    for (String name :
        List.of(
            "tcp", "udp", "icmp", "icmpv6", "gre", "esp", "ah", "ospf", "igmp", "sctp", "vrrp",
            "pim")) {
      services.put(
          name, new Service(name, List.of(ServicePart.all(Protocol.number(name))), Place.IN_CODE));
    }
    try (InputStream in = WellKnownServices.class.getResourceAsStream("services.csv")) {
      if (in == null) {
        throw new IllegalStateException("services.csv is not in the jar");
      }
      BufferedReader lines = new BufferedReader(new InputStreamReader(in, StandardCharsets.UTF_8));
      lines.readLine(); // the header
      for (String line = lines.readLine(); line != null; line = lines.readLine()) {
        // name, port or ports, transports with the one first that is tried first, also, description
        String[] cells = line.split(",", 5);
        String[] ports = cells[1].split("-", -1);
        PortSet all =
            PortSet.range(Integer.parseInt(ports[0]), Integer.parseInt(ports[ports.length - 1]));
        List<ServicePart> parts = new ArrayList<>();
        for (String transport : cells[2].split("\\+", -1)) {
          parts.add(new ServicePart(Protocol.number(transport), all, Icmp.NO_TYPE));
        }
        Service service = new Service(cells[0], parts, Place.IN_CODE);
        services.put(cells[0], service);
        ENTRIES.add(new Entry(service, cells[3], cells[4]));
        if (!cells[3].isEmpty()) {
          services.put(cells[3], new Service(cells[3], parts, Place.IN_CODE));
        }
      }
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
    return Collections.unmodifiableMap(services);
  }

  /** The service of a name, in any case; null if there is none. */
  public static @Nullable Service find(String name) {
    return ALL.get(name.toLowerCase(Locale.ROOT));
  }

  /** Those of the registry, in the order of their ports. */
  public static List<Entry> entries() {
    return Collections.unmodifiableList(ENTRIES);
  }

  /** Every name. */
  public static Collection<String> names() {
    return ALL.keySet();
  }
}
