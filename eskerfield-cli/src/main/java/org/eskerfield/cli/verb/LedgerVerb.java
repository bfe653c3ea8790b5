// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.verb;

import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Objects;
import java.util.Set;
import org.eskerfield.cli.text.Style;
import org.eskerfield.cli.text.TableText;
import org.eskerfield.cli.text.Terminal;
import org.eskerfield.explain.Sentences;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.answer.Json;
import org.eskerfield.formats.answer.LedgerData;
import org.eskerfield.formats.literal.BlockReader;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.ledger.Block;
import org.eskerfield.ledger.Contest;
import org.eskerfield.ledger.Holding;
import org.eskerfield.ledger.Ledger;
import org.eskerfield.ledger.NamedUse;
import org.eskerfield.model.Assignment;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Network;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Route;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Prefix;
import org.eskerfield.program.DeviceProgram;
import org.eskerfield.verify.Expectation;
import org.eskerfield.words.Printable;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.ParseResult;

/** {@code eskerfield ledger}. */
public final class LedgerVerb extends Verb {
  public LedgerVerb() {
    super(
        "ledger",
        "Lists interfaces, routes and external addresses: what uses each, and what is free.");
  }

  @Override
  protected void describe(CommandSpec spec) {
    spec.addPositional(siteFile());
    spec.addOption(option("--ports", "ADDRESS", "What uses each port of one address."));
    spec.addOption(
        option("--network", "NAME", "Only the addresses of one network, inner ones included."));
    spec.addOption(
        option("--uses", "NAME", "Where a host, network, zone, group, service … is used."));
    spec.addOption(option("--route", "ADDRESS", "Which route each device takes to an address."));
    spec.addOption(flag("--json", "Answer as JSON; see 'eskerfield schema ledger'."));
    spec.usageMessage()
        .footer(
            "",
            "Examples: eskerfield ledger demo/marrowby.site.yaml",
            "          eskerfield ledger demo/marrowby.site.yaml --ports 203.0.113.33",
            "          eskerfield ledger demo/marrowby.site.yaml --uses insurers");
  }

  @Override
  public int run(ParseResult call, Terminal terminal) throws Exception {
    SiteFile file = readFile(call, siteName(call));
    Site site = file.site();
    Style style = terminal.style();
    boolean json = call.hasMatchedOption("--json");
    if (call.hasMatchedOption("--uses")) {
      String name = call.matchedOptionValue("--uses", "");
      if (!NamedUse.names(site).contains(name)) {
        throw wrong(
            call, "--uses: nothing is called '" + name + "'" + meant(name, NamedUse.names(site)));
      }
      List<NamedUse> uses = new ArrayList<>(NamedUse.of(site, name));
      file.expectations().forEach(each -> expected(uses, name, each));
      terminal.out().print(json ? Json.of(LedgerData.uses(name, uses)) : uses(name, uses, style));
      return FINE;
    }
    Ledger ledger = Ledger.of(site);
    if (call.hasMatchedOption("--ports")) {
      Address address = address(call, "--ports");
      List<Holding> holders = ledger.at(address);
      List<Contest> contests = Contest.at(site, address, holders);
      List<Object> tree = new ArrayList<>();
      holders.forEach(holding -> tree.add(LedgerData.holding(holding, contests)));
      terminal.out().print(json ? Json.of(tree) : ports(address, holders, contests, style));
      return FINE;
    }
    if (call.hasMatchedOption("--route")) {
      Address to = address(call, "--route");
      List<Object> routes = new ArrayList<>();
      for (Device device : site.devices().values()) {
        routes.add(LedgerData.route(device, DeviceProgram.compile(site, device).leading(to)));
        if (!json) {
          terminal.out().println(route(site, device, to, style));
        }
      }
      terminal.out().print(json ? Json.of(routes) : "");
      return FINE;
    }
    List<Block> blocks = blocks(call, site, ledger);
    if (json) {
      terminal.out().print(Json.of(LedgerData.ledger(site, blocks)));
      return FINE;
    }
    if (!call.hasMatchedOption("--network")) {
      for (Device device : site.devices().values()) {
        terminal.out().println(device(device, style));
      }
    }
    for (int i = 0; i < blocks.size(); i++) {
      terminal.out().print((i == 0 ? "" : "\n") + block(site, blocks.get(i), style));
    }
    return FINE;
  }

  /** Adds where an expectation names an object. */
  private static void expected(List<NamedUse> uses, String name, Expectation expected) {
    String by = "expectation '" + expected.text() + "'";
    boolean from = expected.attempts().stream().anyMatch(a -> a.sender().name().equals(name));
    boolean to = expected.attempts().stream().anyMatch(a -> a.to().equals(name));
    if (from) {
      uses.add(new NamedUse(by, "from", expected));
    }
    if (to || name.equals(expected.by())) {
      uses.add(new NamedUse(by, to ? "to" : "outcome", expected));
    }
  }

  private static Address address(ParseResult call, String option) {
    try {
      return BlockReader.address(call.matchedOptionValue(option, ""));
    } catch (UnusableQuestionException e) {
      throw unusable(call, e);
    }
  }

  private static List<Block> blocks(ParseResult call, Site site, Ledger ledger) {
    if (!call.hasMatchedOption("--network")) {
      return ledger.external();
    }
    String name = call.matchedOptionValue("--network", "");
    Network network = site.networks().get(name);
    if (network == null) {
      List<String> names = List.copyOf(site.networks().keySet());
      throw wrong(call, "--network: no network is called '" + name + "'" + meant(name, names));
    }
    return ledger.of(network);
  }

  private static String device(Device device, Style style) {
    StringBuilder out = new StringBuilder(style.strong(device.name()));
    out.append(device.note() == null ? "" : ", " + Printable.line(device.note())).append('\n');
    TableText table =
        new TableText("interface", "address", "network", "zone", "assigned", "state", "note");
    for (Interface own : device.interfaces()) {
      Network network = own.network();
      List<String> addresses = new ArrayList<>();
      for (Address address : own.addresses()) {
        Prefix prefix = network.prefixOf(address);
        addresses.add(address + (prefix == null ? "" : "/" + prefix.length()));
      }
      List<String> notes = new ArrayList<>();
      if (!network.carrier().isEmpty()) {
        notes.add("faces the carrier");
      }
      Sentences.facts(own).forEach(fact -> notes.add(Printable.line(fact)));
      if (own.note() != null) {
        notes.add(Printable.line(own.note()));
      }
      table.add(
          own.name(),
          String.join(", ", addresses),
          network.name(),
          network.zone(),
          own.assigned() == Assignment.BY_CARRIER ? "by the carrier" : own.assigned().toString(),
          own.state().toString(),
          String.join("; ", notes));
    }
    out.append(table.text(style));
    if (!device.routes().isEmpty()) {
      TableText routes = new TableText("route to", "via", "leaving", "preference", "note");
      for (Route route : device.routes()) {
        Interface leaving = route.leaving();
        routes.add(
            route.to().length() == 0 ? "any (" + route.to() + ")" : route.to().toString(),
            route.via() == null ? "thrown away" : route.via().toString(),
            leaving == null ? "" : leaving.name(),
            String.valueOf(route.preference()),
            Printable.line(Objects.requireNonNullElse(route.note(), "")));
      }
      out.append('\n').append(routes.text(style));
    }
    return out.toString();
  }

  private static String route(Site site, Device device, Address to, Style style) {
    Placed by = DeviceProgram.compile(site, device).leading(to);
    String told =
        by == null
            ? style.bad("no route leads to " + to)
            : by instanceof Route route
                ? "route to "
                    + route.to()
                    + (route.leaving() == null
                        ? ": discarded"
                        : " via " + route.via() + ", leaves by " + route.leaving().name())
                : "connected, leaves by " + ((Interface) by).name();
    String where = by == null ? "" : "  " + style.place(by.place().toString());
    return style.strong(device.name()) + "  " + told + where;
  }

  private static String block(Site site, Block block, Style style) {
    StringBuilder out = new StringBuilder(style.strong(block.prefix().toString()));
    Address via = block.via();
    out.append(
        via == null
            ? ", " + block.network().name()
            : ", routed to " + via + " by " + block.network().name());
    out.append(": ").append(LedgerData.count(block.usable())).append(" usable of ");
    out.append(block.prefix().size());
    out.append(via == null ? "" : ", since it is not connected");
    out.append(block.assigned() ? "; the carrier assigns single addresses of it" : "");
    out.append('\n');
    for (Block.Stretch stretch : block.stretches()) {
      String range = stretch.addresses().toString();
      out.append("  ").append(range).append(" ".repeat(Math.max(2, 33 - range.length())));
      int indent = 35;
      if (stretch.isFree()) {
        String size = LedgerData.count(stretch.addresses()).toString();
        out.append(block.assigned() ? style.faint("not ours") : style.good("free") + "  " + size);
        out.append('\n');
        continue;
      }
      boolean first = true;
      List<Contest> contests = Contest.at(site, stretch.addresses().first(), stretch.holdings());
      for (Holding holding : stretch.holdings()) {
        String text = (holding.services().isEmpty() ? "" : ports(holding) + ": ") + holding.who();
        text += behind(holding, contests);
        if (holding.by() instanceof Host host && host.hardware() != null) {
          text += ", " + host.assigned() + ", hardware " + host.hardware();
        }
        out.append(first ? "" : " ".repeat(indent));
        out.append(Style.wrapped(text, indent + 2, indent)).append('\n');
        first = false;
      }
    }
    return out.toString();
  }

  /** Who gets what is sent to the ports of a holder, where it is not he. */
  private static String behind(Holding holding, List<Contest> contests) {
    List<Holding> before = Contest.before(holding, contests);
    return before.isEmpty()
        ? ""
        : "; receives nothing from outside, since it comes after " + before.get(0).who();
  }

  private static String ports(Holding holding) {
    Set<String> ports = new LinkedHashSet<>(); // a ping is one of each family
    holding.services().forEach(part -> ports.add(part.toString()));
    return String.join(", ", ports);
  }

  private static String ports(
      Address address, List<Holding> holders, List<Contest> contests, Style style) {
    if (holders.isEmpty()) {
      return "Nothing in this file has " + address + ".\n";
    }
    StringBuilder out = new StringBuilder(style.strong(address.toString())).append('\n');
    TableText table = new TableText("ports", "used by", "where");
    for (Holding holding : holders) {
      boolean shared = holding.kind() == Holding.Kind.SHARED;
      String ports = holding.services().isEmpty() ? shared ? "others" : "all" : ports(holding);
      table.add(ports, holding.who(), "line " + holding.by().place().line());
    }
    out.append(table.text(style));
    for (Contest contest : contests) {
      String text = contest.loser().who() + behind(contest.loser(), List.of(contest));
      out.append("  ").append(Style.wrapped(text, 4, 2)).append('\n');
    }
    return out.toString();
  }

  private static String uses(String name, List<NamedUse> uses, Style style) {
    if (uses.isEmpty()) {
      return "Nothing uses " + name + ".\n";
    }
    TableText table = new TableText("used by", "as", "where");
    for (NamedUse use : uses) {
      table.add(use.by(), use.as(), "line " + use.at().place().line());
    }
    return style.strong(name) + "\n" + table.text(style);
  }
}
