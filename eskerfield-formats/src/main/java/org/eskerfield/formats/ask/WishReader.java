// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.ask;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Objects;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.literal.BadLiteralException;
import org.eskerfield.formats.literal.BlockReader;
import org.eskerfield.formats.literal.Literals;
import org.eskerfield.formats.literal.Similar;
import org.eskerfield.formats.literal.WellKnownServices;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Host;
import org.eskerfield.model.Place;
import org.eskerfield.model.Schedule;
import org.eskerfield.model.Service;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.offer.Wish;
import org.eskerfield.offer.Withdrawal;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.PortSet;
import org.jspecify.annotations.Nullable;

/** Reads what somebody wants to offer, part by part, as it is said on a command line. */
public final class WishReader {
  private final Site site;
  private final Host host;
  private final Service service;
  private Family family;
  private @Nullable Address external;
  private @Nullable PortSet ports;
  private final List<AddressTerm> from = new ArrayList<>();
  private List<String> hairpin = List.of();
  private @Nullable Schedule when;
  private boolean log;
  private boolean whole;
  private @Nullable String name;

  private WishReader(Site site, Host host, Family family, Service service) {
    this.site = site;
    this.host = host;
    this.family = family;
    this.service = service;
  }

  /**
   * Begins with a host's service.
   *
   * @param who the host: its name, a part of it, or its address, which says over which family it is
   *     offered; else that is IPv4, if it has an address of that, or that of {@link #at}
   * @param what the service; empty if the host has only one
   * @throws UnusableQuestionException if there is no such host, or it is not clear which service
   */
  public static WishReader on(Site site, String who, String what) throws UnusableQuestionException {
    Host host = host(site, who);
    if (!what.isEmpty()) {
      return new WishReader(site, host, family(host, who), service(site, what));
    }
    if (host.listens().size() != 1) {
      throw new UnusableQuestionException(
          "service",
          host.listens().isEmpty()
              ? "nothing on " + host.name() + " listens"
              : host.name() + " listens on several services",
          host.listens().isEmpty()
              ? "say what it runs with 'listens' (" + host.place() + ")"
              : "name one of " + listed(host.listens()));
    }
    return new WishReader(site, host, family(host, who), host.listens().get(0).service());
  }

  /**
   * The family over which a host is meant: that of the address by which it is called, else IPv4 if
   * it has an address of that.
   */
  public static Family family(Host host, String who) {
    boolean six = Literals.looksLikeAddress(who) && who.indexOf(':') >= 0;
    return six || host.address(Family.IPV4) == null ? Family.IPV6 : Family.IPV4;
  }

  /**
   * What is to be withdrawn: the same, but a service left out is the only one that is offered.
   *
   * @throws UnusableQuestionException if there is no such host, or it is not clear which service
   */
  public static Service offered(Site site, Host host, String what)
      throws UnusableQuestionException {
    if (!what.isEmpty()) {
      return service(site, what);
    }
    List<List<ServicePart>> offered = Withdrawal.offered(site, host);
    List<List<ServicePart>> distinct = offered.stream().distinct().toList();
    if (distinct.isEmpty() && host.listens().size() == 1) {
      return host.listens().get(0).service(); // no rule translates it: access alone offers it
    }
    if (distinct.size() != 1) {
      throw new UnusableQuestionException(
          "service",
          distinct.isEmpty()
              ? "no rule for a service of " + host.name() + " is known"
              : "several services of " + host.name() + " are offered",
          distinct.isEmpty() ? "name the service" : "name one of " + distinct);
    }
    return new Service(distinct.get(0).toString(), distinct.get(0), Place.IN_CODE);
  }

  private static String listed(List<ServiceTerm> terms) {
    return String.join(", ", terms.stream().map(ServiceTerm::text).toList());
  }

  /**
   * The host that somebody means.
   *
   * @param who its name, a part of it that no other has, or its address
   * @throws UnusableQuestionException if there is none, or several
   */
  public static Host host(Site site, String who) throws UnusableQuestionException {
    Host exact = site.hosts().get(who);
    if (exact != null) {
      return exact;
    }
    List<String> names = List.copyOf(site.hosts().keySet());
    if (Literals.looksLikeAddress(who)) {
      Host at = site.hostAt(BlockReader.address(who));
      if (at != null) {
        return at;
      }
      throw new UnusableQuestionException(
          "host", "no host has the address " + who, "describe it under 'hosts' first");
    }
    String part = who.toLowerCase(Locale.ROOT);
    List<String> found =
        names.stream().filter(each -> each.toLowerCase(Locale.ROOT).contains(part)).toList();
    if (found.size() == 1 && !who.isEmpty()) {
      return Objects.requireNonNull(site.hosts().get(found.get(0)));
    }
    throw new UnusableQuestionException(
        "host",
        found.isEmpty() || who.isEmpty()
            ? "no host is called '" + who + "'"
            : "several hosts are called so: " + String.join(", ", found),
        found.isEmpty() || who.isEmpty()
            ? Similar.didYouMean(
                who,
                names,
                names.isEmpty()
                    ? "describe it under 'hosts' first"
                    : "there is: "
                        + String.join(", ", names.subList(0, Math.min(20, names.size()))))
            : "name one of them");
  }

  static Service service(Site site, String text) throws UnusableQuestionException {
    Service known = site.services().get(text);
    known = known == null ? WellKnownServices.find(text) : known;
    if (known != null) {
      return known;
    }
    if (!Literals.looksLikeService(text)) {
      List<String> names = new ArrayList<>(site.services().keySet());
      names.addAll(WellKnownServices.names());
      throw new UnusableQuestionException(
          "service",
          "no service is called '" + text + "'",
          Similar.didYouMean(
              text, names, "write it as in 443/tcp; 'eskerfield services' has names"));
    }
    try {
      return new Service(text, Literals.service(text), Place.IN_CODE);
    } catch (BadLiteralException e) {
      throw new UnusableQuestionException("service", e.message(), e.remedy());
    }
  }

  /** The host. */
  public Host host() {
    return host;
  }

  /** The service. */
  public Service service() {
    return service;
  }

  /**
   * Where it is to be offered: an address, a port or range of ports, or {@code address:port}.
   *
   * @throws UnusableQuestionException if it is none of these
   */
  public WishReader at(String text) throws UnusableQuestionException {
    try {
      int colon = text.indexOf(':') == text.lastIndexOf(':') ? text.indexOf(':') : -1;
      if (text.matches("[0-9]+(-[0-9]+)?")) {
        ports = Literals.ports(text);
      } else if (colon >= 0) {
        external = Literals.address(text.substring(0, colon));
        ports = Literals.ports(text.substring(colon + 1));
      } else {
        external = Literals.address(text);
      }
    } catch (BadLiteralException e) {
      throw new UnusableQuestionException("at", e.message(), e.remedy());
    }
    family = external == null ? family : external.family();
    return this;
  }

  /**
   * Who may use it: {@code any}, or names and addresses, separated by commas.
   *
   * @throws UnusableQuestionException if nothing has this name
   */
  public WishReader from(String texts) throws UnusableQuestionException {
    from.addAll(AskedTerm.all(site, "from", texts, /* devices= */ false));
    return this;
  }

  /** Which insiders may use the external address, separated by commas; {@code none} for nobody. */
  public WishReader hairpin(String texts) {
    hairpin =
        texts.isBlank() || texts.strip().equals("none")
            ? List.of()
            : List.of(texts.strip().split("\\s*,\\s*", -1));
    return this;
  }

  /**
   * The schedule within which it is open.
   *
   * @throws UnusableQuestionException if there is none of that name
   */
  public WishReader when(String text) throws UnusableQuestionException {
    when = site.schedules().get(text);
    if (when == null) {
      List<String> names = List.copyOf(site.schedules().keySet());
      throw new UnusableQuestionException(
          "when",
          "no schedule is called '" + text + "'",
          Similar.didYouMean(
              text,
              names,
              names.isEmpty()
                  ? "define it under 'schedules' first"
                  : "there is: " + String.join(", ", names)));
    }
    return this;
  }

  /** Whether what is let in is logged. */
  public WishReader log(boolean logged) {
    log = logged;
    return this;
  }

  /** Whether the host gets an external address of its own. */
  public WishReader whole(boolean itself) {
    whole = itself;
    return this;
  }

  /** The name of the rules; null to propose one. */
  public WishReader called(@Nullable String text) {
    name = text;
    return this;
  }

  /**
   * The wish.
   *
   * @throws UnusableQuestionException if it is not said who may use it
   */
  public Wish read() throws UnusableQuestionException {
    if (from.isEmpty()) {
      throw new UnusableQuestionException(
          "from", "say who may use it", "name a host, group or network, an address, or 'any'");
    }
    return new Wish(host, family, service, external, ports, from, hairpin, when, log, whole, name);
  }
}
