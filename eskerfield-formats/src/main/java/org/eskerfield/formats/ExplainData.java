package org.eskerfield.formats;

import static org.eskerfield.formats.LedgerData.place;
import static org.eskerfield.formats.LedgerData.texts;

import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Set;
import org.eskerfield.explain.Explanation;
import org.eskerfield.explain.Explanation.Part;
import org.eskerfield.explain.RuleDetail;
import org.eskerfield.explain.Sentences;
import org.eskerfield.explain.Statement;
import org.eskerfield.ledger.NamedUse;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Admission;
import org.eskerfield.model.Device;
import org.eskerfield.model.Group;
import org.eskerfield.model.Hairpin;
import org.eskerfield.model.Interface;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.OutwardRule;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Pool;
import org.eskerfield.model.Schedule;
import org.eskerfield.model.Service;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.PortSet;
import org.eskerfield.set.PacketWords;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Moments;
import org.eskerfield.trace.Trace;
import org.eskerfield.verify.Expectation;
import org.jspecify.annotations.Nullable;

/**
 * The policy of a site as a tree: what {@code explain --json} answers, and what templates are
 * given. Its shape is {@link Schemas#EXPLAIN}, explained in {@code docs/templates.md}.
 */
public final class ExplainData {
  private final Site site;

  private ExplainData(Site site) {
    this.site = site;
  }

  /**
   * The policy of some devices.
   *
   * @param name what the file is called
   */
  public static Tree of(String name, SiteFile file, List<Explanation> devices) {
    ExplainData data = new ExplainData(file.site());
    Site site = file.site();
    List<Object> all = new ArrayList<>();
    devices.forEach(each -> all.add(data.device(each)));
    List<Object> tests = new ArrayList<>();
    file.expectations().forEach(each -> tests.add(test(each)));
    return new Tree()
        .with("file", name)
        .with("site", site.name())
        .with("timeZone", site.timeZone())
        .with("note", site.note())
        .with("devices", all)
        .with("tests", tests);
  }

  private static Tree test(Expectation expected) {
    List<String> from = new ArrayList<>();
    expected.attempts().forEach(attempt -> from.add(attempt.sender().name()));
    var first = expected.attempts().get(0);
    return new Tree()
        .with("from", String.join(", ", from))
        .with("to", first.to())
        .with("service", first.probe())
        .with("at", Moments.text(first.at()))
        .with("outcome", expected.outcome() + (expected.by() == null ? "" : " by " + expected.by()))
        .with("note", expected.note())
        .with("place", place(expected.place()));
  }

  private Tree device(Explanation explanation) {
    Device device = explanation.device();
    List<Object> translation = new ArrayList<>();
    List<Object> lists = new ArrayList<>();
    List<Object> services = new ArrayList<>();
    List<Object> routes = new ArrayList<>();
    String stance = "";
    List<Object> order = new ArrayList<>();
    for (Explanation.Section section : explanation.sections()) {
      List<Object> sentences = new ArrayList<>();
      for (Statement each : section.statements()) {
        sentences.add(statement(each));
        Tree own = statement(each);
        switch (section.step()) {
          case DESTINATION, SOURCE -> {
            own.put("device", device.name());
            own.putAll(translation((TranslationRule) each.of()));
            if (section.step() == Part.DESTINATION || !isTwice(each.of())) {
              own.put("number", device.translation().indexOf(each.of()) + 1);
              translation.add(own);
            }
          }
          case SERVICES -> services.add(own);
          case ROUTES -> routes.add(own);
          case STANCE -> stance = each.sentence();
          default -> {
            // interfaces come from the ledger, and lists below
          }
        }
      }
      if (section.step() == Part.ACCESS) {
        lists.add(list(device, section));
      }
      order.add(
          new Tree()
              .with("step", section.step())
              .with("title", section.title())
              .with("name", section.name())
              .with("statements", sentences));
    }
    translation.sort((a, b) -> Integer.compare((Integer) number(a), (Integer) number(b)));
    Tree map = LedgerData.device(device);
    map.put("order", order);
    map.put("objects", objects(device));
    map.put("ownServices", services);
    map.put("management", management(device));
    map.put("lists", lists);
    map.put("stance", stance);
    map.put("translation", translation);
    map.put("routesRead", routes);
    return map;
  }

  private static Object number(Object row) {
    return Objects.requireNonNull(((Map<?, ?>) row).get("number"));
  }

  /** Whether a rule acts on both sides, and was told with the first. */
  private static boolean isTwice(Placed rule) {
    return InwardRule.of(rule) != null;
  }

  /** A statement with its example. */
  public static Tree statement(Statement statement) {
    Statement.Example example = statement.example();
    return new Tree()
        .with("number", statement.number())
        .with("name", statement.name())
        .with("sentence", statement.sentence())
        .with("example", example == null ? null : example(example))
        .with("place", place(statement.of().place()));
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
        .with("before", decision.before().line())
        .with("after", decision.after().line())
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
    Tree map = new Tree().with("kind", rule.kind()).with("disabled", rule.disabled());
    InwardRule inward = rule.inward();
    OutwardRule outward = rule.outward();
    Hairpin hairpin = rule.hairpin();
    Admission admit = rule.admit();
    String external = inward == null ? null : external(inward);
    map.put("from", terms(rule.from()));
    map.put("fromAddresses", addresses(rule.from()));
    map.put("to", terms(rule.to()));
    map.put("toAddresses", addresses(rule.to()));
    map.put("arriving", sides(rule.facing()));
    map.put("leaving", sides(rule.leaving()));
    map.put("external", outward == null ? external : pool(outward.pool(), outward.leaving()));
    map.put("externalPorts", inward == null ? null : services(inward.services()));
    map.put(
        "internal",
        inward == null ? null : inward.internalBlock().toString().replaceAll("/32$", ""));
    PortSet ports = inward == null ? null : inward.internalPorts();
    map.put("internalPorts", ports == null ? null : ports.toString());
    map.put("sharesByPort", outward != null && !outward.lends());
    map.put("bothSides", rule.rewritesSources());
    map.put("hairpin", hairpin == null ? null : sides(hairpin.from()));
    map.put("admit", admit == null ? null : terms(admit.from()));
    map.put("admitAddresses", admit == null ? null : addresses(admit.from()));
    map.put("when", admit == null ? null : name(admit.when()));
    map.put("log", admit != null && admit.log());
    return map;
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
    List<Object> guards = new ArrayList<>();
    for (AccessList.Guard guard : list.guards()) {
      guards.add(
          new Tree()
              .with("arriving", sides(guard.arriving()))
              .with("leaving", guard.toDevice() ? null : sides(guard.leaving()))
              .with("toDevice", guard.toDevice()));
    }
    List<Object> rules = new ArrayList<>();
    for (Statement each : section.statements()) {
      if (each.of() instanceof AccessRule rule) {
        Tree map = statement(each);
        map.put("device", device.name());
        map.put("list", list.name());
        map.put("action", rule.action());
        map.put("from", terms(rule.from()));
        map.put("fromAddresses", addresses(rule.from()));
        map.put("to", terms(rule.to()));
        map.put("toAddresses", addresses(rule.to()));
        map.put("service", services(rule.services()));
        map.put("sourcePort", rule.sourcePorts() == null ? null : rule.sourcePorts().toString());
        map.put("when", name(rule.when()));
        map.put("log", rule.log());
        map.put("disabled", rule.disabled());
        map.put("note", rule.note());
        rules.add(map);
      }
    }
    return new Tree()
        .with("name", list.name())
        .with("sentence", section.title())
        .with("guards", guards)
        .with("rules", rules)
        .with("otherwise", list.otherwise())
        .with("stateless", list.stateless())
        .with("note", list.note())
        .with("place", place(list.place()));
  }

  /** The named objects that the rules of a device use. */
  private Tree objects(Device device) {
    Set<String> names = new LinkedHashSet<>();
    names.addAll(site.networks().keySet());
    names.addAll(site.hosts().keySet());
    names.addAll(site.groups().keySet());
    List<Object> addresses = new ArrayList<>();
    for (String name : names) {
      if (isUsed(device, name)) {
        Group group = site.groups().get(name);
        var network = site.networks().get(name);
        var host = site.hosts().get(name);
        AddressSet all =
            group != null
                ? site.addresses(group.members())
                : network != null
                    ? AddressSet.ofPrefixes(network.prefixes())
                    : AddressSet.ofAddresses(Objects.requireNonNull(host).addresses());
        addresses.add(new Tree().with("name", name).with("addresses", PacketWords.addresses(all)));
      }
    }
    List<Object> services = new ArrayList<>();
    for (Service service : site.services().values()) {
      if (isUsed(device, service.name())) {
        services.add(
            new Tree()
                .with("name", service.name())
                .with("ports", Sentences.ports(service.parts())));
      }
    }
    List<Object> schedules = new ArrayList<>();
    for (Schedule schedule : site.schedules().values()) {
      if (isUsed(device, schedule.name())) {
        List<String> windows = schedule.windows().stream().map(Schedule.Window::text).toList();
        schedules.add(
            new Tree().with("name", schedule.name()).with("windows", String.join("; ", windows)));
      }
    }
    return new Tree()
        .with("any", !addresses.isEmpty() || !services.isEmpty() || !schedules.isEmpty())
        .with("addresses", addresses)
        .with("services", services)
        .with("schedules", schedules);
  }

  private boolean isUsed(Device device, String name) {
    return NamedUse.of(site, name).stream()
        .anyMatch(use -> !use.as().equals("on") && use.by().endsWith(" of " + device.name()));
  }

  /** Where each service of the device itself answers, for whom. */
  private static List<Object> management(Device device) {
    List<Object> all = new ArrayList<>();
    for (OwnService own : device.services()) {
      all.add(
          new Tree()
              .with("service", own.service().text())
              .with("ports", Sentences.ports(own.service().service().parts()))
              .with("from", own.from().isEmpty() ? "anybody" : terms(own.from()))
              .with(
                  "addresses",
                  String.join(
                      ", ", texts(device.addresses()).stream().map(Object::toString).toList())));
    }
    return all;
  }

  /** Rules in depth. */
  public static List<Object> details(List<RuleDetail> details) {
    List<Object> all = new ArrayList<>();
    for (RuleDetail detail : details) {
      List<Object> before = new ArrayList<>();
      for (RuleDetail.Earlier earlier : detail.before()) {
        before.add(
            new Tree()
                .with("sentence", earlier.sentence())
                .with("takesAll", earlier.all())
                .with("place", place(earlier.rule().place())));
      }
      List<Object> letBy = new ArrayList<>();
      for (Decision decision : detail.letBy()) {
        letBy.add(
            new Tree()
                .with("text", decision.text())
                .with("place", decision.by() == null ? null : place(decision.by().place())));
      }
      Tree map = statement(detail.statement());
      map.put("device", detail.device().name());
      map.put("list", detail.list());
      map.put("of", detail.of());
      map.put("before", before);
      map.put("letBy", letBy);
      all.add(map);
    }
    return all;
  }
}
