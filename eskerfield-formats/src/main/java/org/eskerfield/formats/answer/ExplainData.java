// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.answer;

import static java.util.stream.Collectors.joining;

import java.util.ArrayList;
import java.util.Collection;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.SortedMap;
import java.util.TreeMap;
import java.util.function.Function;
import org.eskerfield.explain.Explanation;
import org.eskerfield.explain.Explanation.Part;
import org.eskerfield.explain.HostFilter;
import org.eskerfield.explain.RuleDetail;
import org.eskerfield.explain.Sentences;
import org.eskerfield.explain.Statement;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.ledger.NamedUse;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Admission;
import org.eskerfield.model.Assignment;
import org.eskerfield.model.Device;
import org.eskerfield.model.Hairpin;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.Named;
import org.eskerfield.model.Network;
import org.eskerfield.model.OutwardRule;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.Pool;
import org.eskerfield.model.Schedule;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Protocol;
import org.eskerfield.set.PacketWords;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Moments;
import org.eskerfield.trace.Probe;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import org.eskerfield.verify.Expectation;
import org.jspecify.annotations.Nullable;

/**
 * The policy of a site as a tree: what {@code explain --json} answers, and what templates are
 * given. Its shape is {@code explain.schema.json}, explained in {@code docs/templates.md}.
 */
public final class ExplainData {
  /** So many of those whom a service is for try its addresses. */
  private static final int MOST_TRIED = 4;

  private final Site site;
  private final Tracer tracer;

  private ExplainData(Site site) {
    this.site = site;
    this.tracer = Tracer.of(site);
  }

  /**
   * The policy of some devices.
   *
   * @param name the name of the site file
   * @param filters of hosts; often empty
   */
  public static Tree of(
      String name, SiteFile file, List<Explanation> devices, List<HostFilter> filters) {
    ExplainData data = new ExplainData(file.site());
    Site site = file.site();
    return new Tree()
        .with("file", name)
        .with("site", site.name())
        .with("timeZone", site.timeZone())
        .with("note", site.note())
        .with("devices", Tree.each(devices, data::device))
        .with("filters", Tree.each(filters, data::filter))
        .with("tests", Tree.each(file.expectations(), ExplainData::test));
  }

  private Tree filter(HostFilter filter) {
    List<Tree> rules = new ArrayList<>();
    Statement end = null;
    for (Statement each : filter.section().statements()) {
      if (each.of() instanceof AccessRule rule) {
        rules.add(statement(each).with(fields(rule)));
      } else {
        end = each;
      }
    }
    AccessList list = Objects.requireNonNull(filter.host().filter());
    return new Tree()
        .with("host", filter.host().name())
        .with("rules", rules)
        .with("otherwise", list.otherwiseText())
        .with("end", Tree.of(end, ExplainData::statement))
        .with("note", list.note());
  }

  private static Tree test(Expectation expected) {
    Attempt first = expected.attempts().get(0);
    return new Tree()
        .with(
            "from",
            expected.attempts().stream().map(each -> each.sender().name()).collect(joining(", ")))
        .with("to", first.to())
        .with("service", first.probe())
        .with("at", VirtualClock.isStart(first.at()) ? "" : Moments.text(first.at()))
        .with("outcome", expected.outcome() + (expected.by() == null ? "" : " by " + expected.by()))
        .with("note", expected.note())
        .with("place", Tree.place(expected.place()));
  }

  private Tree device(Explanation explanation) {
    Device device = explanation.device();
    return LedgerData.device(device)
        .with("leases", leases(device))
        .with("order", Tree.each(explanation.sections(), ExplainData::section))
        .with("objects", objects(device))
        .with("ownServices", Tree.each(said(explanation, Part.SERVICES), ExplainData::statement))
        .with("management", Tree.each(device.services(), own -> management(device, own)))
        .with("outside", outside(device))
        .with(
            "lists",
            explanation.sections().stream()
                .filter(section -> section.step() == Part.ACCESS)
                .map(section -> list(device, section))
                .toList())
        .with("stance", stance(explanation))
        .with("translation", translation(device, explanation))
        .with("routesRead", Tree.each(said(explanation, Part.ROUTES), ExplainData::statement));
  }

  /** The interfaces that lead straight to the internet; null where none does. */
  private static @Nullable String outside(Device device) {
    String names =
        device.interfaces().stream()
            .filter(Interface::isOutside)
            .map(Interface::name)
            .collect(joining(", "));
    return names.isEmpty() ? null : names;
  }

  /** What a device hands out, for each network that the file says it of. */
  private List<Tree> leases(Device device) {
    List<Tree> all = new ArrayList<>();
    for (Network network : site.networks().values()) {
      Network.Lease lease = network.lease();
      if (lease == null || !lease.device().equals(device.name())) {
        continue;
      }
      List<Host> reserved =
          site.hosts().values().stream()
              .filter(each -> each.isOn(network) && each.assigned() == Assignment.RESERVED)
              .toList();
      AddressTerm resolver = lease.resolver() == null ? network.resolver() : lease.resolver();
      List<Address> gateways =
          lease.gateways().isEmpty() ? site.gateways(network, Family.IPV4) : lease.gateways();
      all.add(
          new Tree()
              .with("network", network.name())
              .with("addresses", PacketWords.addresses(network.leases()))
              .with("gateways", Tree.texts(gateways))
              .with("resolver", resolver == null ? null : resolver.text())
              .with("time", lease.time())
              .with(
                  "reserved",
                  Tree.each(
                      reserved,
                      each ->
                          new Tree()
                              .with("host", each.name())
                              .with("addresses", Tree.texts(each.addresses()))
                              .with("hardware", each.hardware()))));
    }
    return all;
  }

  private static String stance(Explanation explanation) {
    String last = "";
    for (Statement each : said(explanation, Part.STANCE)) {
      last = each.sentence();
    }
    return last;
  }

  private static List<Statement> said(Explanation explanation, Part step) {
    return explanation.sections().stream()
        .filter(section -> section.step() == step)
        .flatMap(section -> section.statements().stream())
        .toList();
  }

  private static Tree section(Explanation.Section section) {
    return new Tree()
        .with("step", section.step())
        .with("title", section.title())
        .with("name", section.name())
        .with("statements", Tree.each(section.statements(), ExplainData::statement));
  }

  /** The translation rules as the device tries them; one that acts on both sides is told once. */
  private List<Tree> translation(Device device, Explanation explanation) {
    SortedMap<Integer, Tree> rules = new TreeMap<>();
    for (Part step : List.of(Part.DESTINATION, Part.SOURCE)) {
      for (Statement each : said(explanation, step)) {
        int number = device.translation().indexOf(each.of()) + 1;
        rules.putIfAbsent(
            number,
            statement(each)
                .with("device", device.name())
                .with(translation((TranslationRule) each.of()))
                .with("number", number));
      }
    }
    return List.copyOf(rules.values());
  }

  /** A statement with its example. */
  public static Tree statement(Statement statement) {
    return new Tree()
        .with("number", statement.number())
        .with("name", statement.name())
        .with("sentence", statement.sentence())
        .with("note", statement.note())
        .with("example", Tree.of(statement.example(), ExplainData::example))
        .with("place", Tree.place(statement.of().place()));
  }

  private static Tree example(Statement.Example example) {
    Trace trace = example.trace();
    Decision decision = example.decision();
    return new Tree()
        .with("from", trace.question().sender().name())
        .with("source", trace.question().source())
        .with("to", trace.question().to())
        .with("service", trace.question().probe())
        .with("sourcePort", trace.question().sourcePort())
        .with("at", trace.question().at())
        .with("before", example.arrived().line())
        .with("after", decision.after().line())
        .with("changed", !example.arrived().line().equals(decision.after().line()))
        .with("ruling", decision.ruling().code())
        .with("outcome", trace.outcome())
        .with("sentence", example.sentence());
  }

  // The fields of rules, as somebody who types them needs them.

  private static @Nullable String terms(List<AddressTerm> terms) {
    return terms.isEmpty()
        ? null
        : String.join(", ", terms.stream().map(AddressTerm::text).toList());
  }

  private @Nullable String addresses(List<AddressTerm> terms) {
    return terms.isEmpty() ? null : PacketWords.addresses(site.addresses(terms));
  }

  private static @Nullable String services(List<ServiceTerm> terms) {
    List<String> ports = new ArrayList<>();
    terms.forEach(term -> ports.add(Sentences.ports(term.service().parts())));
    return terms.isEmpty() ? null : String.join(", ", ports);
  }

  private static @Nullable String sides(@Nullable InterfaceTerm term) {
    return term == null
        ? null
        : String.join(", ", term.interfaces().stream().map(Interface::name).toList());
  }

  private static @Nullable String name(@Nullable Schedule schedule) {
    return schedule == null ? null : schedule.name();
  }

  private Tree translation(TranslationRule rule) {
    InwardRule inward = rule.inward();
    OutwardRule outward = rule.outward();
    Hairpin hairpin = rule.hairpin();
    Admission admit = rule.admit();
    String external = inward == null ? null : external(inward);
    String internal = inward == null ? null : inward.internalBlock().toString();
    return new Tree()
        .with("kind", rule.kind())
        .with("disabled", rule.disabled())
        .with("from", terms(rule.from()))
        .with("fromAddresses", addresses(rule.from()))
        .with("to", terms(rule.to()))
        .with("toAddresses", addresses(rule.to()))
        .with("arriving", sides(rule.facing()))
        .with("leaving", sides(rule.leaving()))
        .with("external", outward == null ? external : pool(outward.pool(), outward.leaving()))
        .with("externalPorts", inward == null ? null : services(inward.services()))
        .with("internal", internal == null ? null : internal.replaceAll("/32$", ""))
        .with("internalPorts", inward == null ? null : inward.internalPorts())
        .with("sharesByPort", outward != null && !outward.lends())
        .with("bothSides", rule.rewritesSources())
        .with("hairpin", hairpin == null ? null : sides(hairpin.from()))
        .with("admit", admit == null ? null : terms(admit.from()))
        .with("admitAddresses", admit == null ? null : addresses(admit.from()))
        .with("when", admit == null ? null : name(admit.when()))
        .with("log", admit != null && admit.log());
  }

  private static String external(InwardRule rule) {
    Interface own = rule.external().ofInterface();
    return own == null ? rule.external().text() : own.addresses().get(0).toString();
  }

  private static String pool(@Nullable Pool pool, InterfaceTerm leaving) {
    return pool == null
        ? "the address of " + sides(leaving)
        : PacketWords.addresses(pool.addresses());
  }

  private Tree list(Device device, Explanation.Section section) {
    AccessList list =
        device.access().stream()
            .filter(each -> each.name().equals(section.name()))
            .findFirst()
            .orElseThrow();
    return new Tree()
        .with("name", list.name())
        .with("sentence", section.title())
        .with("guards", Tree.each(list.guards(), ExplainData::guard))
        .with(
            "rules",
            section.statements().stream()
                .filter(each -> each.of() instanceof AccessRule)
                .map(each -> rule(device, list, each, (AccessRule) each.of()))
                .toList())
        .with("otherwise", list.otherwise())
        .with("stateless", list.stateless())
        .with("note", list.note())
        .with("place", Tree.place(list.place()));
  }

  private static Tree guard(AccessList.Guard guard) {
    return new Tree()
        .with("arriving", sides(guard.arriving()))
        .with("leaving", guard.toDevice() ? null : sides(guard.leaving()))
        .with("toDevice", guard.toDevice());
  }

  private Tree rule(Device device, AccessList list, Statement said, AccessRule rule) {
    return statement(said)
        .with("device", device.name())
        .with("list", list.name())
        .with(fields(rule));
  }

  private Tree fields(AccessRule rule) {
    return new Tree()
        .with("action", rule.action())
        .with("from", terms(rule.from()))
        .with("fromAddresses", addresses(rule.from()))
        .with("to", terms(rule.to()))
        .with("toAddresses", addresses(rule.to()))
        .with("service", services(rule.services()))
        .with("sourcePort", rule.sourcePorts())
        .with("flags", rule.flags())
        .with("when", name(rule.when()))
        .with("log", rule.log())
        .with("disabled", rule.disabled());
  }

  /** The named objects that the rules of a device use. */
  private Tree objects(Device device) {
    Map<String, AddressSet> named = new LinkedHashMap<>();
    site.networks()
        .forEach((name, each) -> named.put(name, AddressSet.ofPrefixes(each.prefixes())));
    site.hosts().forEach((name, each) -> named.put(name, AddressSet.ofAddresses(each.addresses())));
    site.groups().forEach((name, each) -> named.put(name, site.addresses(each.members())));
    named.keySet().removeIf(name -> !isUsed(device, name));
    List<?> services =
        used(
            device,
            site.services().values(),
            each ->
                new Tree().with("name", each.name()).with("ports", Sentences.ports(each.parts())));
    List<?> schedules =
        used(
            device,
            site.schedules().values(),
            each ->
                new Tree()
                    .with("name", each.name())
                    .with(
                        "windows",
                        each.windows().stream().map(Schedule.Window::text).collect(joining("; "))));
    return new Tree()
        .with("any", !named.isEmpty() || !services.isEmpty() || !schedules.isEmpty())
        .with(
            "addresses",
            Tree.each(
                named.entrySet(),
                each ->
                    new Tree()
                        .with("name", each.getKey())
                        .with("addresses", PacketWords.addresses(each.getValue()))))
        .with("services", services)
        .with("schedules", schedules);
  }

  private <T extends Named> List<?> used(Device device, Collection<T> all, Function<T, Tree> told) {
    return Tree.each(all.stream().filter(each -> isUsed(device, each.name())).toList(), told);
  }

  private boolean isUsed(Device device, String name) {
    return NamedUse.of(site, name).stream()
        .anyMatch(use -> !use.as().equals("on") && use.by().endsWith(" of " + device.name()));
  }

  /** Where a service of the device itself answers, for whom. */
  private Tree management(Device device, OwnService own) {
    String ports = Sentences.ports(own.service().service().parts());
    return new Tree()
        .with("service", own.service().text())
        .with("ports", ports.equals(own.service().text()) ? null : ports)
        .with("login", Protocol.hasPorts(own.service().service().parts().get(0).protocol()))
        .with("from", own.from().isEmpty() ? "anybody" : terms(own.from()))
        .with(
            "addresses",
            answering(device, own).stream().map(Address::toString).collect(joining(", ")));
  }

  /**
   * The addresses at which those whom a service is for reach it; all where none of them is known.
   */
  private List<Address> answering(Device device, OwnService own) {
    AddressSet from = site.matched(own.from());
    ServicePart part = own.service().service().parts().get(0);
    List<Host> senders =
        site.hosts().values().stream()
            .filter(host -> !host.off() && !host.isOutside())
            .filter(host -> host.addresses().stream().anyMatch(from::contains))
            .limit(MOST_TRIED)
            .toList();
    List<Address> answering = new ArrayList<>();
    for (Address to : device.addresses()) {
      Probe probe = Probe.of(part, to.family());
      boolean answers =
          senders.stream()
              .filter(host -> host.address(to.family()) != null)
              .map(host -> Attempt.at(host, to, probe, VirtualClock.start(site.timeZone())))
              .anyMatch(each -> tracer.converse(each).outcome() == Outcome.ANSWERED);
      if (answers || senders.isEmpty()) {
        answering.add(to);
      }
    }
    return answering;
  }

  /** Rules in depth. */
  public static List<?> details(List<RuleDetail> details) {
    return Tree.each(details, ExplainData::detail);
  }

  private static Tree detail(RuleDetail detail) {
    return statement(detail.statement())
        .with("device", detail.holder() instanceof Device device ? device.name() : null)
        .with("host", detail.holder() instanceof Host host ? host.name() : null)
        .with("list", detail.list())
        .with("of", detail.of())
        .with(
            "before",
            Tree.each(
                detail.before(),
                earlier ->
                    new Tree()
                        .with("sentence", earlier.sentence())
                        .with("takesAll", earlier.all())
                        .with("place", Tree.place(earlier.rule().place()))))
        .with(
            "letBy",
            Tree.each(
                detail.letBy(),
                decision ->
                    new Tree()
                        .with("text", decision.text())
                        .with("place", Tree.of(decision.by(), each -> Tree.place(each.place())))));
  }
}
