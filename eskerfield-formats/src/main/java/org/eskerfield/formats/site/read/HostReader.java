// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.read;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import org.eskerfield.formats.literal.Problems;
import org.eskerfield.formats.yaml.Node;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Assignment;
import org.eskerfield.model.HostBuilder;
import org.eskerfield.model.Network;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.SpecialAddresses;
import org.jspecify.annotations.Nullable;

/** Reads hosts. */
final class HostReader {
  private final SiteReader site;
  private final Problems problems;
  private final Terms terms;

  HostReader(SiteReader site) {
    this.site = site;
    this.problems = site.problems();
    this.terms = site.terms();
  }

  void read(Fields.NamedNode named, Fields fields) {
    Node.Scalar name = named.name();
    String who = "host '" + name.text() + "'";
    List<Node.Scalar> on = fields.texts("on");
    boolean outside = on.stream().anyMatch(each -> each.text().equals(Site.INTERNET));
    List<Network> ownNetworks = outside ? outsideOnly(on, who) : networks(on);
    if (DeviceReader.isHandedOut(
        fields, problems, "assigned: leased (or reserved), and at: the address of " + who)) {
      return;
    }
    List<Address> addresses = terms.literals(fields.texts("at"));
    checkAddresses(fields, who, outside, ownNetworks, addresses);
    List<Prefix> ownPrefixes = new ArrayList<>();
    for (Node.Scalar text : fields.texts("own-prefix")) {
      Prefix prefix = site.prefix(text);
      if (prefix != null) {
        ownPrefixes.add(prefix);
      }
    }
    List<Address> gateways = gateways(fields, who, ownNetworks);
    String assigned = fields.text("assigned");
    List<ServiceTerm> listens = terms.services(fields.texts("listens"));
    List<ServiceTerm> blocked = terms.services(fields.texts("network-blocks"));
    AddressTerm resolver = site.resolver(fields);
    List<Fields> filters = fields.children("filter");
    Fields filter = filters.isEmpty() ? null : filters.get(0);
    site.hosts()
        .put(
            name.text(),
            HostBuilder.builder()
                .name(name.text())
                .networks(ownNetworks)
                .addresses(addresses)
                .assigned(
                    assigned == null
                        ? Assignment.FIXED
                        : Assignment.valueOf(assigned.toUpperCase(Locale.ROOT)))
                .hardware(hardware(fields, who, ownNetworks))
                .ownPrefixes(ownPrefixes)
                .gateways(gateways)
                .resolver(resolver)
                .listens(listens)
                .answersPing(fields.isTrue("answers-ping", true))
                .filter(
                    filter == null
                        ? null
                        : new RuleReader(terms, problems).filter(name.text(), filter))
                .blocked(blocked)
                .off(fields.isTrue("off", false))
                .note(fields.text("note"))
                .place(name.place())
                .build());
  }

  private List<Address> gateways(Fields fields, String who, List<Network> networks) {
    for (Node.Scalar text : networks.isEmpty() ? List.<Node.Scalar>of() : fields.texts("gateway")) {
      Address address = SiteReader.readable(text);
      if (address == null || networks.stream().noneMatch(each -> Neighbours.isOn(each, address))) {
        checkOn(networks, text, "the gateway of " + who);
      }
    }
    return terms.literals(fields.texts("gateway"));
  }

  private @Nullable String hardware(Fields fields, String who, List<Network> networks) {
    Node.Scalar text = fields.scalar("hardware");
    if (text == null) {
      return null;
    }
    String digits = text.text().replaceAll("[^0-9A-Fa-f]", "").toLowerCase(Locale.ROOT);
    if (Integer.parseInt(digits.substring(0, 2), 16) % 2 == 1) {
      problems.add(
          text,
          text.text() + " is an address of a group, which no network card has (IEEE 802)",
          "write the one that stands on the card: its second digit is even");
    }
    String hardware = String.join(":", digits.split("(?<=\\G..)"));
    networks.forEach(network -> site.hold(network.name(), hardware, who, text));
    return hardware;
  }

  /** Reports addresses that are in no network of the host, and networks without an address. */
  private void checkAddresses(
      Fields fields,
      String who,
      boolean outside,
      List<Network> ownNetworks,
      List<Address> addresses) {
    for (Node.Scalar text : fields.texts("at")) {
      if (outside) {
        checkOutside(text, who);
      } else {
        checkOn(ownNetworks, text, who);
      }
    }
    for (int i = 0; i < addresses.size(); i++) {
      Network network = holding(ownNetworks, addresses.get(i));
      if (network != null || outside) {
        site.hold(
            network == null ? Site.INTERNET : network.name(),
            addresses.get(i),
            who,
            fields.texts("at").get(Math.min(i, fields.texts("at").size() - 1)));
      }
    }
    for (Network network : ownNetworks) {
      if (!addresses.isEmpty()
          && !network.prefixes().isEmpty() // else its prefix cannot be used, which was said
          && addresses.stream().noneMatch(address -> network.prefixOf(address) != null)
          && ownNetworks.size() > 1) {
        problems.add(
            fields.place("at"),
            who + " is on network '" + network.name() + "', but has no address there",
            "add one of " + network.prefixes().get(0));
      }
    }
  }

  private List<Network> networks(List<Node.Scalar> names) {
    List<Network> found = new ArrayList<>();
    for (Node.Scalar name : names) {
      Network network = site.network(name);
      if (network != null && !found.contains(network)) {
        found.add(network);
      }
    }
    return found;
  }

  private List<Network> outsideOnly(List<Node.Scalar> on, String who) {
    if (on.size() > 1) {
      problems.add(
          on.get(0),
          who + " is on the internet and on networks of the site at once",
          "describe two hosts, or leave 'internet' out");
    }
    return List.of();
  }

  private static @Nullable Network holding(List<Network> networks, Address address) {
    for (Network network : networks) {
      if (network.prefixOf(address) != null) {
        return network;
      }
    }
    return networks.size() == 1 ? networks.get(0) : null;
  }

  /** Reports an address that is a member of none of the networks. */
  private void checkOn(List<Network> own, Node.Scalar text, String who) {
    Address address = SiteReader.readable(text);
    if (address == null) {
      return;
    }
    Network network = holding(own, address);
    if (network != null) {
      site.checkOn(network, text, who);
    } else if (!own.isEmpty()) {
      problems.add(
          text,
          "the address "
              + text.text()
              + " of "
              + who
              + " is in none of its networks "
              + String.join(", ", own.stream().map(Network::name).toList()),
          "correct the address or name its network under 'on'");
    }
  }

  private void checkOutside(Node.Scalar text, String who) {
    Address address = SiteReader.readable(text);
    if (address == null) {
      return;
    }
    Network network = networkOf(address);
    if (SpecialAddresses.NOT_ON_THE_INTERNET.contains(address)) {
      problems.add(
          text,
          "the address " + address + " of " + who + " is private, and the internet carries none",
          "write its public address, or put it on a network");
    } else if (network != null) {
      problems.add(
          text,
          "the address " + address + " of " + who + " belongs to network '" + network.name() + "'",
          "write on: " + network.name());
    }
  }

  private @Nullable Network networkOf(Address address) {
    for (Network network : site.networks().values()) {
      if (network.prefixOf(address) != null) {
        return network;
      }
    }
    return null;
  }
}
