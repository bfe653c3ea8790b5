// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.explain;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Set;
import java.util.stream.Collectors;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Action;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Admission;
import org.eskerfield.model.Assignment;
import org.eskerfield.model.DestinationRule;
import org.eskerfield.model.Device;
import org.eskerfield.model.DynamicRule;
import org.eskerfield.model.External;
import org.eskerfield.model.Hairpin;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Pool;
import org.eskerfield.model.PrefixRule;
import org.eskerfield.model.Route;
import org.eskerfield.model.Schedule;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.SharedRule;
import org.eskerfield.model.Site;
import org.eskerfield.model.Stance;
import org.eskerfield.model.StaticRule;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.model.UntouchedRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressRange;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.PrefixMapping;
import org.eskerfield.packet.Protocol;
import org.eskerfield.set.PacketWords;
import org.jspecify.annotations.Nullable;

/** Rules as sentences, with names, addresses and ports resolved. */
public final class Sentences {
  private final Site site;

  /** The name of the device or host whose rules they are. */
  private final String owner;

  /** Sentences about the rules of a device. */
  public Sentences(Site site, Device device) {
    this(site, device.name());
  }

  Sentences(Site site, String owner) {
    this.site = site;
    this.owner = owner;
  }

  // Words.

  /** A name with what it stands for: {@code ramp (10.77.4.9)}. */
  public String who(AddressTerm term) {
    return switch (term.kind()) {
      case ANY -> "anybody";
      case SELF -> owner + " itself";
      case ZONE ->
          term.text().equals(Site.INTERNET)
              ? "the internet"
              : "zone " + term.text() + " (" + PacketWords.addresses(site.addresses(term)) + ")";
      case LITERAL -> {
        AddressRange only =
            term.literal().ranges().size() == 1 ? term.literal().ranges().get(0) : null;
        Host host =
            only != null && only.first().equals(only.last()) ? site.hostAt(only.first()) : null;
        yield host == null ? term.text() : term.text() + " (" + host.name() + ")";
      }
      case NETWORK, HOST, GROUP, DEVICE ->
          term.text() + " (" + PacketWords.addresses(site.addresses(term)) + ")";
    };
  }

  /** Whom a rule leads to: the one of his addresses that it translates. */
  private String inside(InwardRule rule) {
    AddressTerm term = rule.internal();
    return term.kind() == AddressTerm.Kind.HOST
        ? term.text() + " (" + rule.internalBlock().first() + ")"
        : who(term);
  }

  private String who(List<AddressTerm> terms, String nobody) {
    List<String> texts = new ArrayList<>();
    terms.forEach(term -> texts.add(who(term)));
    return terms.isEmpty() ? nobody : listed(texts, "and");
  }

  /** {@code a, b and c}. */
  public static String listed(List<String> texts, String last) {
    int size = texts.size();
    return size < 2
        ? String.join("", texts)
        : String.join(", ", texts.subList(0, size - 1)) + " " + last + " " + texts.get(size - 1);
  }

  /** Services with their ports: {@code https (443/tcp)}. */
  public static String what(List<ServiceTerm> services) {
    List<String> texts = new ArrayList<>();
    for (ServiceTerm term : services) {
      String ports = ports(term.service().parts());
      boolean literal = term.text().equals(ports) || term.text().equals("any");
      texts.add(literal || ports.equals("ping") ? term.text() : term.text() + " (" + ports + ")");
    }
    return services.isEmpty() ? "every service" : listed(texts, "and");
  }

  /** {@code 53/tcp+udp, 8000-8010/tcp}: protocols that have the same ports stand together. */
  public static String ports(List<ServicePart> parts) {
    Map<PortSet, Set<String>> byPorts = new LinkedHashMap<>();
    Set<String> others = new LinkedHashSet<>();
    for (ServicePart part : parts) {
      if (Protocol.hasPorts(part.protocol()) && !part.ports().equals(PortSet.ALL)) {
        byPorts
            .computeIfAbsent(part.ports(), ports -> new LinkedHashSet<>())
            .add(Protocol.name(part.protocol()));
      } else {
        others.add(part.toString());
      }
    }
    List<String> texts = new ArrayList<>();
    byPorts.forEach((ports, protocols) -> texts.add(ports + "/" + String.join("+", protocols)));
    texts.addAll(others);
    return String.join(", ", texts);
  }

  private static String where(@Nullable InterfaceTerm term) {
    if (term == null || term.text().equals(Site.ANY)) {
      return "any interface";
    }
    List<String> names = new ArrayList<>();
    term.interfaces().forEach(own -> names.add(own.name()));
    return listed(names, "or");
  }

  private static String when(@Nullable Schedule schedule) {
    if (schedule == null) {
      return "";
    }
    String windows =
        schedule.windows().stream().map(Schedule.Window::text).collect(Collectors.joining("; "));
    return ", only within " + schedule.name() + " (" + windows + ")";
  }

  private static String logged(boolean log) {
    return log ? ", and log it" : "";
  }

  private static String said(boolean disabled, String sentence) {
    return disabled ? "Disabled: " + sentence : sentence;
  }

  /** An external address; that of the interface in question is its own. */
  private static String externalOf(External external, InterfaceTerm facing) {
    Interface own = external.ofInterface();
    return own == null ? external.text() : addressOf(own, facing, "its own address");
  }

  private static String addressOf(Interface own, InterfaceTerm there, String itself) {
    boolean only = there.interfaces().size() == 1 && there.names(own);
    String whose = only ? itself : "the address of " + own.name();
    Address now = own.addresses().get(0);
    return own.assigned() == Assignment.BY_CARRIER
        ? whose + " (now " + now + ")"
        : whose + " " + now;
  }

  private static String poolOf(@Nullable Pool pool, InterfaceTerm leaving) {
    if (pool != null) {
      return PacketWords.addresses(pool.addresses());
    }
    List<String> own = new ArrayList<>();
    for (Interface each : leaving.interfaces()) {
      own.add(addressOf(each, leaving, "its address"));
    }
    return own.size() > 2 ? "the address of the interface by which it leaves" : listed(own, "or");
  }

  // Translation.

  /** Explains a translation rule. */
  public String of(TranslationRule rule) {
    String sentence =
        rule.by(
            this::fixed,
            this::destination,
            this::prefix,
            this::lent,
            this::shared,
            this::untouched);
    return said(rule.disabled(), sentence);
  }

  private String lent(DynamicRule rule) {
    return "Each sender of "
        + who(rule.from(), "anybody")
        + " gets an address of its own from the pool "
        + PacketWords.addresses(rule.pool().addresses())
        + " for packets"
        + (rule.to().isEmpty() ? "" : " to " + who(rule.to(), ""))
        + " that leave by "
        + where(rule.leaving())
        + ", until it is idle. When all are in use, the next sender gets none.";
  }

  private String shared(SharedRule rule) {
    return "Packets from "
        + who(rule.from(), "anybody")
        + (rule.to().isEmpty() ? "" : " to " + who(rule.to(), ""))
        + " that leave by "
        + where(rule.leaving())
        + " share "
        + poolOf(rule.pool(), rule.leaving())
        + "; ports tell them apart.";
  }

  private String untouched(UntouchedRule rule) {
    return "Between "
        + who(rule.from(), "anybody")
        + " and "
        + who(rule.to(), "anybody")
        + ", either way, no address is changed, whatever rules follow.";
  }

  private String destination(DestinationRule rule) {
    StringBuilder out = new StringBuilder();
    out.append("Packets that arrive on ").append(where(rule.facing())).append(" for ");
    out.append(externalOf(rule.external(), rule.facing()))
        .append(", ")
        .append(what(rule.services()));
    out.append(rule.from().isEmpty() ? "" : ", from " + who(rule.from(), ""));
    out.append(", go to ").append(inside(rule));
    out.append(rule.internalPorts() == null ? "" : ", port " + rule.internalPorts());
    out.append('.');
    DestinationRule.Sources sources = rule.sources();
    if (sources == null) {
      out.append(" The sender's address is kept.");
    } else {
      out.append(" Their senders share ");
      Pool pool = sources.pool();
      out.append(
          pool == null
              ? owner + "'s own address where they leave"
              : PacketWords.addresses(pool.addresses()));
      out.append("; ports tell them apart.");
    }
    return out.append(inward(rule)).toString();
  }

  private String fixed(StaticRule rule) {
    String ports =
        rule.services().isEmpty()
            ? ""
            : ", "
                + what(rule.services())
                + (rule.internalPorts() == null ? "" : " there, " + rule.internalPorts() + " here");
    return inside(rule)
        + " has the external address "
        + externalOf(rule.external(), rule.facing())
        + " on "
        + where(rule.facing())
        + ports
        + ", in both directions."
        + inward(rule);
  }

  private String prefix(PrefixRule rule) {
    PrefixMapping mapping = rule.mapping();
    if (mapping == null) {
      return "Translates nothing: it has no external prefix.";
    }
    Address one = mapping.from().first().next();
    Address outside = one == null ? null : mapping.moved(one);
    boolean part = !mapping.from().equals(rule.written());
    return "The addresses of "
        + mapping.from()
        + " have external addresses of "
        + mapping.to()
        + " on "
        + where(rule.facing())
        + (outside == null ? "" : ", such as " + outside + " for " + one)
        + ", in both directions. The rule itself keeps"
        + " no session, and every port stays."
        + (part
            ? " The rest of "
                + rule.written()
                + " is not translated: the external prefix is longer."
            : "")
        + inward(rule);
  }

  private String inward(InwardRule rule) {
    StringBuilder out = new StringBuilder();
    InterfaceTerm leaving = rule.leaving();
    if (leaving != null) {
      out.append(" It leaves by ").append(where(leaving)).append(" whatever the routes say.");
    }
    Hairpin hairpin = rule.hairpin();
    if (hairpin != null) {
      out.append(" Clients on ").append(where(hairpin.from()));
      out.append(" may use that address too (hairpin); the server sees ");
      out.append(
          switch (hairpin.source()) {
            case DEVICE -> owner + "'s own address";
            case EXTERNAL -> "the address that they have outside";
            case KEPT -> "their own addresses";
          });
      out.append('.');
    }
    Admission admit = rule.admit();
    out.append(
        admit == null
            ? ""
            : " The rule itself admits "
                + who(admit.from(), "anybody")
                + when(admit.when())
                + (admit.log() ? ", and logs it" : "")
                + "; no access list is asked.");
    return out.toString();
  }

  // Access.

  private static String verb(Action action) {
    return switch (action) {
      case ACCEPT -> "Accept";
      case DROP -> "Drop";
      case REJECT -> "Reject (the sender is told)";
    };
  }

  /** Explains an access rule. */
  public String of(AccessRule rule) {
    return said(
        rule.disabled(),
        verb(rule.action())
            + " "
            + what(rule.services())
            + " from "
            + who(rule.from(), "anybody")
            + (rule.sourcePorts() == null ? "" : ", source port " + rule.sourcePorts() + ",")
            + (rule.flags() == null ? "" : " with the TCP flags " + rule.flags())
            + " to "
            + who(rule.to(), "any destination")
            + when(rule.when())
            + logged(rule.log())
            + ".");
  }

  /** Which ways a list guards, and what becomes of what no rule of it matches. */
  public String of(AccessList list) {
    List<String> guarded = new ArrayList<>();
    for (AccessList.Guard guard : list.guards()) {
      InterfaceTerm arriving = guard.arriving();
      InterfaceTerm leaving = guard.leaving();
      String from = arriving == null ? "" : "arrive on " + where(arriving);
      String to =
          guard.toDevice()
              ? "are for " + owner + " itself"
              : leaving == null ? "" : "leave by " + where(leaving);
      guarded.add(
          from.isEmpty() && to.isEmpty()
              ? "pass at all"
              : from + (from.isEmpty() || to.isEmpty() ? "" : " and ") + to);
    }
    String judged =
        guarded.isEmpty()
            ? "The list guards no traffic, so it filters nothing."
            : "Filters packets that "
                + listed(guarded, "or")
                + (list.stateless()
                    ? ", every packet, replies too"
                    : ", at the first packet of each flow")
                + " (first match wins).";
    return judged + " Default: " + list.otherwiseText() + ".";
  }

  /** Explains the default for traffic that no list guards. */
  public String of(Stance stance) {
    List<String> pairs = new ArrayList<>();
    for (Stance.Pair pair : stance.pairs()) {
      pairs.add(done(pair.action()) + " from " + zone(pair.from()) + " to " + zone(pair.to()));
    }
    String rest = done(stance.otherwise()) + (pairs.isEmpty() ? "" : " otherwise");
    pairs.add(rest);
    return "Traffic that no list guards is " + listed(pairs, "and") + ".";
  }

  private static String done(Action action) {
    return switch (action) {
      case ACCEPT -> "accepted";
      case DROP -> "dropped";
      case REJECT -> "rejected";
    };
  }

  private static String zone(String zone) {
    return zone.equals(Site.ANY)
        ? "anywhere"
        : zone.equals(Site.INTERNET) ? "the internet" : "zone " + zone;
  }

  /** Who may reach a service of the device itself. */
  public String of(OwnService own) {
    return owner
        + " answers "
        + what(List.of(own.service()))
        + " from "
        + who(own.from(), "anybody whom its access lists accept")
        + ".";
  }

  /** Where a route leads. */
  public String of(Route route) {
    String to = route.to().length() == 0 ? "every other address" : route.to().toString();
    Interface leaving = route.leaving();
    return leaving == null
        ? "Packets for " + to + " are discarded."
        : "Packets for " + to + " go to " + route.via() + " by " + leaving.name() + ".";
  }

  /** Explains an interface. */
  public String of(Interface own) {
    return own.name()
        + " has "
        + listed(own.addresses().stream().map(Object::toString).toList(), "and")
        + " on "
        + own.network().name()
        + " ("
        + listed(own.network().prefixes().stream().map(Object::toString).toList(), "and")
        + ", zone "
        + own.network().zone()
        + ")"
        + (own.isUp() ? "" : ", but is " + own.state())
        + "."
        + (facts(own).isEmpty() ? "" : " On the wire: " + String.join(", ", facts(own)) + ".");
  }

  /** The facts about the wire at an interface, each in a few words; often empty. */
  public static List<String> facts(Interface own) {
    List<String> facts = new ArrayList<>();
    if (!own.ports().isEmpty()) {
      facts.add((own.ports().size() == 1 ? "port " : "ports ") + String.join(" and ", own.ports()));
    }
    if (own.network().vlan() != null) {
      facts.add("VLAN " + own.network().vlan());
    }
    if (own.mtu() != null || own.network().mtu() != null) {
      facts.add("MTU " + own.linkMtu());
    }
    if (own.largestSegment() != null) {
      facts.add("TCP segments of " + own.largestSegment() + " bytes at most");
    }
    return facts;
  }

  /** The sentence of any rule, list, route, service or interface of the device. */
  public String of(Placed thing) {
    if (thing instanceof TranslationRule rule) {
      return of(rule);
    }
    if (thing instanceof AccessRule rule) {
      return of(rule);
    }
    if (thing instanceof AccessList list) {
      return of(list);
    }
    if (thing instanceof OwnService own) {
      return of(own);
    }
    if (thing instanceof Route route) {
      return of(route);
    }
    if (thing instanceof Stance stance) {
      return of(stance);
    }
    return of((Interface) Objects.requireNonNull(thing));
  }
}
