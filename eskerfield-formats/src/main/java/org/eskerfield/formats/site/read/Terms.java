// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.read;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Set;
import org.eskerfield.formats.literal.BadLiteralException;
import org.eskerfield.formats.literal.Literals;
import org.eskerfield.formats.literal.Problems;
import org.eskerfield.formats.literal.WellKnownServices;
import org.eskerfield.formats.yaml.Node;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Place;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Schedule;
import org.eskerfield.model.Service;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.PortSet;
import org.jspecify.annotations.Nullable;

/**
 * Knows the names that a file defines, and turns what stands in rules into terms.
 *
 * <p>A name counts as defined as soon as the file has it, even if what it stands for has problems
 * of its own, so that one mistake does not cause a row of others.
 */
final class Terms {
  private static final Set<String> EVERYBODY =
      Set.of("all", "*", "everyone", "everybody", "anyone", "anybody", "anywhere", "everywhere");

  private final Problems problems;
  private final Map<String, AddressTerm.Kind> kinds = new LinkedHashMap<>();
  private final Map<String, Place> places = new LinkedHashMap<>();
  private final Set<String> zones = new LinkedHashSet<>();
  private final Map<String, Service> services = new LinkedHashMap<>();

  /** What literal services say; large files write few of them, often. */
  private final Map<String, List<ServicePart>> literals = new HashMap<>();

  private final Set<String> serviceNames = new LinkedHashSet<>();
  private final Map<String, Schedule> schedules = new LinkedHashMap<>();
  private final Set<String> scheduleNames = new LinkedHashSet<>();

  Terms(Problems problems) {
    this.problems = problems;
    zones.add(Site.INTERNET);
  }

  /** The names of a site that was read. */
  static Terms of(Site site, Problems problems) {
    Terms terms = new Terms(problems);
    site.networks().keySet().forEach(name -> terms.kinds.put(name, AddressTerm.Kind.NETWORK));
    site.hosts().keySet().forEach(name -> terms.kinds.put(name, AddressTerm.Kind.HOST));
    site.groups().keySet().forEach(name -> terms.kinds.put(name, AddressTerm.Kind.GROUP));
    site.devices().keySet().forEach(name -> terms.kinds.put(name, AddressTerm.Kind.DEVICE));
    terms.zones.addAll(site.zones());
    terms.services.putAll(site.services());
    terms.serviceNames.addAll(site.services().keySet());
    terms.schedules.putAll(site.schedules());
    terms.scheduleNames.addAll(site.schedules().keySet());
    return terms;
  }

  /** Defines the name of a network, host, group or device; reports one that cannot be used. */
  void define(Node.Scalar name, AddressTerm.Kind kind) {
    String text = name.text();
    if (text.equals(Site.ANY) || text.equals(Site.SELF) || text.equals(Site.INTERNET)) {
      problems.add(name, "'" + text + "' is a word of the site file itself", "choose another name");
      return;
    }
    if (Literals.looksLikeAddress(text)) {
      problems.add(name, "the name '" + text + "' reads like an address", "choose another name");
      return;
    }
    AddressTerm.Kind other = kinds.putIfAbsent(text, kind);
    Place first = places.putIfAbsent(text, name.place());
    if (other != null && first != null) {
      problems.add(
          name,
          "the name '"
              + text
              + "' is taken: a "
              + word(other)
              + " in line "
              + first.line()
              + " has it",
          "networks, hosts, groups and devices each need a name of their own");
    }
  }

  private static String word(AddressTerm.Kind kind) {
    return switch (kind) {
      case NETWORK -> "network";
      case HOST -> "host";
      case GROUP -> "group";
      case DEVICE -> "device";
      case ZONE -> "zone";
      case ANY, LITERAL, SELF -> "word";
    };
  }

  void defineZone(String zone) {
    zones.add(zone);
  }

  AddressTerm.@Nullable Kind kindOf(String name) {
    return kinds.get(name);
  }

  boolean isZone(String name) {
    return zones.contains(name);
  }

  Set<String> zones() {
    return zones;
  }

  /** Reports a name that nothing has. */
  void undefined(Placed at, String what, String name, List<String> candidates) {
    List<String> distinct = candidates.stream().distinct().toList();
    problems.add(
        at,
        "no " + what + " is called '" + name + "'",
        problems.didYouMean(
            name, distinct, distinct.isEmpty() ? "define it" : "there is: " + shortened(distinct)));
  }

  private static String shortened(List<String> names) {
    int most = 12;
    return names.size() <= most
        ? String.join(", ", names)
        : String.join(", ", names.subList(0, most)) + " and " + (names.size() - most) + " more";
  }

  List<String> namesOf(AddressTerm.Kind kind) {
    return kinds.entrySet().stream()
        .filter(e -> e.getValue() == kind)
        .map(Map.Entry::getKey)
        .toList();
  }

  // Addresses.

  /** The terms that could be read; {@code device} only where it makes sense. */
  List<AddressTerm> addresses(List<Node.Scalar> texts, boolean selfAllowed) {
    List<AddressTerm> terms = new ArrayList<>();
    for (Node.Scalar text : texts) {
      AddressTerm term = address(text, selfAllowed);
      if (term != null) {
        terms.add(term);
      }
    }
    return terms;
  }

  private @Nullable AddressTerm address(Node.Scalar scalar, boolean selfAllowed) {
    String text = scalar.text();
    if (text.equals(Site.ANY)) {
      return term(AddressTerm.Kind.ANY, scalar);
    }
    if (text.equals(Site.SELF)) {
      if (!selfAllowed) {
        problems.add(
            scalar,
            "'device' cannot stand here",
            "it stands for packets that the device itself sends, in 'from' of access rules and"
                + " shared rules");
        return null;
      }
      return term(AddressTerm.Kind.SELF, scalar);
    }
    if (zones.contains(text)) {
      return term(AddressTerm.Kind.ZONE, scalar);
    }
    AddressTerm.Kind kind = kinds.get(text);
    if (kind != null) {
      return term(kind, scalar);
    }
    if (Literals.looksLikeAddress(text)) {
      try {
        return new AddressTerm(
            AddressTerm.Kind.LITERAL, text, Literals.addresses(text), scalar.place());
      } catch (BadLiteralException e) {
        problems.add(scalar, e.message(), e.remedy());
        return null;
      }
    }
    List<String> candidates = new ArrayList<>(kinds.keySet());
    candidates.addAll(zones);
    candidates.add(Site.ANY);
    if (text.indexOf(',') >= 0) {
      problems.add(scalar, "'" + text + "' is no name", "write a list: [" + text + "]");
    } else if (EVERYBODY.contains(text.toLowerCase(Locale.ROOT))) {
      problems.add(scalar, "'" + text + "' is no name", "every address is called 'any'");
    } else {
      undefined(scalar, "zone, network, host, group or device", text, candidates);
    }
    return null;
  }

  private static AddressTerm term(AddressTerm.Kind kind, Node.Scalar scalar) {
    return new AddressTerm(kind, scalar.text(), AddressSet.NONE, scalar.place());
  }

  /** The addresses that could be read. */
  List<Address> literals(List<Node.Scalar> texts) {
    List<Address> addresses = new ArrayList<>();
    for (Node.Scalar text : texts) {
      Address address = literal(text, text.text());
      if (address != null) {
        addresses.add(address);
      }
    }
    return addresses;
  }

  @Nullable Address literal(Placed at, String text) {
    try {
      return Literals.address(text);
    } catch (BadLiteralException e) {
      problems.add(at, e.message(), e.remedy());
      return null;
    }
  }

  // Services.

  void defineService(Node.Scalar name, List<Node.Scalar> texts) {
    serviceNames.add(name.text());
    if (Literals.looksLikeService(name.text()) || name.text().equals(Site.ANY)) {
      problems.add(
          name, "the name '" + name.text() + "' reads like a literal", "choose another name");
      return;
    }
    List<ServicePart> parts = new ArrayList<>();
    for (Node.Scalar text : texts) {
      Service part = literalOrWellKnown(text);
      if (part != null) {
        parts.addAll(part.parts());
      }
    }
    if (!parts.isEmpty()) {
      services.put(name.text(), new Service(name.text(), parts, name.place()));
    }
  }

  private @Nullable Service literalOrWellKnown(Node.Scalar scalar) {
    Service known = WellKnownServices.find(scalar.text());
    if (known != null) {
      return known;
    }
    if (!Literals.looksLikeService(scalar.text())) {
      undefined(
          scalar, "well-known service", scalar.text(), List.copyOf(WellKnownServices.names()));
      return null;
    }
    return literalService(scalar, scalar.text());
  }

  private @Nullable Service literalService(Placed at, String text) {
    try {
      List<ServicePart> known = literals.get(text);
      List<ServicePart> parts = known == null ? Literals.service(text) : known;
      literals.put(text, parts);
      return new Service(text, parts, at.place());
    } catch (BadLiteralException e) {
      problems.add(at, e.message(), e.remedy());
      return null;
    }
  }

  Map<String, Service> services() {
    return services;
  }

  List<ServiceTerm> services(List<Node.Scalar> texts) {
    List<ServiceTerm> terms = new ArrayList<>();
    for (Node.Scalar text : texts) {
      ServiceTerm term = service(text, text.text());
      if (term != null) {
        terms.add(term);
      }
    }
    return terms;
  }

  /** One service: of the site, else well-known, else a literal. */
  @Nullable ServiceTerm service(Placed at, String text) {
    return service(at, text, "");
  }

  /**
   * One service behind an address.
   *
   * @param before what stands before it in the same text
   */
  @Nullable ServiceTerm service(Placed at, String text, String before) {
    String list = Literals.severalServices(text);
    if (list != null) {
      problems.add(
          at,
          "'" + text + "' is several services in one",
          before.isEmpty() ? "write a list: " + list : "write '" + before + list + "', in quotes");
      return null;
    }
    if (text.startsWith("[") && text.endsWith("]")) {
      return together(at, text);
    }
    Service service = services.get(text);
    if (service == null && serviceNames.contains(text)) {
      return null;
    }
    if (service == null && Literals.looksLikeService(text)) {
      service = literalService(at, text);
    } else if (service == null) {
      service = WellKnownServices.find(text);
      if (service == null) {
        List<String> candidates = new ArrayList<>(serviceNames);
        candidates.addAll(WellKnownServices.names());
        problems.add(
            at,
            "no service is called '" + text + "'",
            problems.didYouMean(
                text, candidates, "define it under 'services', or write it as in 443/tcp"));
      } else if (!text.equals(service.name())) {
        service = new Service(text, service.parts(), service.place()); // as its users call it
      }
    }
    return service == null ? null : new ServiceTerm(service, at.place());
  }

  /** Several services behind an address: {@code [25/tcp, 465/tcp]}. */
  private @Nullable ServiceTerm together(Placed at, String text) {
    List<ServicePart> parts = new ArrayList<>();
    for (String each : text.substring(1, text.length() - 1).split(",", -1)) {
      ServiceTerm term = service(at, each.strip());
      if (term == null) {
        return null;
      }
      parts.addAll(term.service().parts());
    }
    return new ServiceTerm(new Service(text, parts, at.place()), at.place());
  }

  /** The ports and ranges that stand under a key, one or a list of them; null where none do. */
  @Nullable PortSet ports(Fields fields, String key) {
    PortSet all = null;
    for (Node.Scalar text : fields.texts(key)) {
      try {
        PortSet ports = Literals.ports(text.text());
        all = all == null ? ports : all.union(ports);
      } catch (BadLiteralException e) {
        problems.add(text, e.message(), e.remedy());
      }
    }
    return all;
  }

  // Schedules.

  void defineSchedule(String name, @Nullable Schedule schedule) {
    scheduleNames.add(name);
    if (schedule != null) {
      schedules.put(name, schedule);
    }
  }

  Map<String, Schedule> schedules() {
    return schedules;
  }

  @Nullable Schedule schedule(Node.@Nullable Scalar scalar) {
    if (scalar == null) {
      return null;
    }
    if (!scheduleNames.contains(scalar.text())) {
      undefined(scalar, "schedule", scalar.text(), List.copyOf(scheduleNames));
    }
    return schedules.get(scalar.text());
  }
}
