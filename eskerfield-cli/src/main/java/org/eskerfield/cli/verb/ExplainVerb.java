// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.verb;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import org.eskerfield.cli.text.ProgressLine;
import org.eskerfield.cli.text.Style;
import org.eskerfield.cli.text.Terminal;
import org.eskerfield.explain.Explainer;
import org.eskerfield.explain.Explanation;
import org.eskerfield.explain.HostFilter;
import org.eskerfield.explain.RuleDetail;
import org.eskerfield.explain.Statement;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.answer.ExplainData;
import org.eskerfield.formats.answer.Json;
import org.eskerfield.formats.answer.PolicyTemplate;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.Device;
import org.eskerfield.model.Named;
import org.eskerfield.model.Outside;
import org.eskerfield.model.Placed;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Labels;
import org.eskerfield.words.Printable;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Model.PositionalParamSpec;
import picocli.CommandLine.ParseResult;

/** {@code eskerfield explain}. */
public final class ExplainVerb extends Verb {
  private record Found(@Nullable Device device, @Nullable HostFilter filter, Placed rule) {
    boolean isCalled(String rule) {
      String name = name();
      return rule.equals(String.valueOf(this.rule.place().line())) || name.equalsIgnoreCase(rule);
    }

    String name() {
      return rule instanceof Named named ? named.name() : "";
    }
  }

  public ExplainVerb() {
    super("explain", "Explains every rule in plain language, with an example.");
  }

  @Override
  protected void describe(CommandSpec spec) {
    spec.addPositional(siteFile());
    spec.addPositional(
        PositionalParamSpec.builder()
            .paramLabel("RULE")
            .type(String.class)
            .arity("0..1")
            .index("1")
            .description("One rule, list or route in depth: its name, or its line in the file.")
            .build());
    spec.addOption(option("--device", "NAME", "Only one device."));
    spec.addOption(
        flag("--markdown", "Print a work sheet for entering the policy by hand, in Markdown."));
    spec.addOption(flag("--csv", "Print every rule as a line of CSV."));
    spec.addOption(option("--template", "FILE", "Format it by a template of your own (Mustache)."));
    spec.addOption(flag("--json", "Answer as JSON; see 'eskerfield schema explain'."));
    spec.usageMessage()
        .footer(
            "",
            "Examples: eskerfield explain demo/skerry.site.yaml",
            "          eskerfield explain demo/marrowby.site.yaml 'the web shop'",
            "          eskerfield explain demo/marrowby.site.yaml --device skerry --markdown");
  }

  @Override
  public int run(ParseResult call, Terminal terminal) throws Exception {
    String name = siteName(call);
    SiteFile file = readFile(call, name);
    List<Device> devices = devices(call, file);
    if (call.hasMatchedOption("--markdown")) {
      devices = Outside.farthestFirst(file.site(), devices);
    }
    boolean json = call.hasMatchedOption("--json");
    Explainer explainer = Explainer.of(file.site());
    String rule = call.matchedPositionalValue(1, null);
    if (rule != null) {
      List<RuleDetail> details = new ArrayList<>();
      List<HostFilter> filters =
          call.hasMatchedOption("--device") ? List.of() : HostFilter.of(file.site());
      for (Found found : find(call, devices, filters, rule)) {
        details.add(
            found.filter == null
                ? explainer.detail(Objects.requireNonNull(found.device), found.rule)
                : found.filter.detail(file.site(), found.rule));
      }
      terminal
          .out()
          .print(json ? Json.of(ExplainData.details(details)) : details(details, terminal.style()));
      return FINE;
    }
    List<Explanation> explanations = new ArrayList<>();
    try (ProgressLine progress = new ProgressLine(terminal)) {
      for (Device device : devices) {
        progress.begins(device.name(), explanations.size(), devices.size());
        explanations.add(explainer.explain(device));
      }
    }
    List<HostFilter> filters =
        call.hasMatchedOption("--device") ? List.of() : HostFilter.of(file.site());
    String template = template(call);
    if (!json && template == null) {
      for (Explanation each : explanations) {
        terminal.out().print(text(each, terminal.style()));
      }
      for (HostFilter each : filters) {
        StringBuilder out = new StringBuilder(terminal.style().strong(each.host().name()) + '\n');
        section(out, each.section(), terminal.style());
        terminal.out().print(out.append('\n'));
      }
      return FINE;
    }
    String called = name.equals("-") ? "standard input" : Path.of(name).getFileName().toString();
    Map<String, @Nullable Object> data = ExplainData.of(called, file, explanations, filters);
    try {
      terminal
          .out()
          .print(template == null ? Json.of(data) : PolicyTemplate.render(template, data));
    } catch (UnusableQuestionException e) {
      throw wrong(call, "--template: " + e.getMessage() + "; " + e.remedy());
    }
    return FINE;
  }

  private static @Nullable String template(ParseResult call) throws Exception {
    int chosen = 0;
    for (String option : List.of("--markdown", "--csv", "--template", "--json")) {
      chosen += call.hasMatchedOption(option) ? 1 : 0;
    }
    if (chosen > 1) {
      throw wrong(call, "--markdown, --csv, --template and --json are several formats: choose one");
    }
    if (call.hasMatchedOption("--markdown")) {
      return PolicyTemplate.Shipped.WORKSHEET.text();
    }
    if (call.hasMatchedOption("--csv")) {
      return PolicyTemplate.Shipped.RULES.text();
    }
    String file = call.matchedOptionValue("--template", null);
    if (file == null) {
      return null;
    }
    try {
      return Files.readString(path(call, file), StandardCharsets.UTF_8);
    } catch (IOException e) {
      throw wrong(call, "--template: '" + file + "' cannot be read as text");
    }
  }

  private static List<Device> devices(ParseResult call, SiteFile file) {
    String name = call.matchedOptionValue("--device", null);
    if (name == null) {
      return List.copyOf(file.site().devices().values());
    }
    Device device = file.site().devices().get(name);
    if (device == null) {
      List<String> names = List.copyOf(file.site().devices().keySet());
      throw wrong(call, "--device: no device is called '" + name + "'" + meant(name, names));
    }
    return List.of(device);
  }

  private static List<Found> find(
      ParseResult call, List<Device> devices, List<HostFilter> filters, String rule) {
    List<Found> known = new ArrayList<>();
    for (Device device : devices) {
      List<Placed> all = new ArrayList<>(device.translation());
      for (AccessList list : device.access()) {
        all.addAll(list.rules());
        all.add(list);
      }
      all.addAll(device.services());
      all.addAll(device.routes());
      all.forEach(each -> known.add(new Found(device, null, each)));
    }
    for (HostFilter filter : filters) {
      filter.section().statements().forEach(each -> known.add(new Found(null, filter, each.of())));
    }
    List<Found> found = known.stream().filter(each -> each.isCalled(rule)).toList();
    if (found.isEmpty()) {
      boolean line = rule.matches("[0-9]+");
      throw wrong(
          call,
          line
              ? "no rule, list, route or own service begins in line " + rule
              : "no rule or list is called '"
                  + rule
                  + "'"
                  + meant(rule, known.stream().map(Found::name).toList()));
    }
    return found;
  }

  private static String text(Explanation explanation, Style style) {
    Device device = explanation.device();
    StringBuilder out = new StringBuilder(style.strong(device.name()));
    out.append(device.note() == null ? "" : ", " + Printable.line(device.note())).append('\n');
    for (Explanation.Section section : explanation.sections()) {
      if (!section.statements().isEmpty()) {
        section(out, section, style);
      }
    }
    return out.append('\n').toString();
  }

  private static void section(StringBuilder out, Explanation.Section section, Style style) {
    String title =
        section.name().isEmpty()
            ? section.title()
            : "List '" + section.name() + "'. " + section.title();
    out.append('\n').append("  ").append(Style.wrapped(title, 4, 2)).append('\n');
    for (Statement each : section.statements()) {
      String lead = "  " + (each.number() < 10 ? " " : "") + each.number() + "  ";
      String name =
          each.name().isEmpty()
                  || each.name().equals(section.name())
                  || each.sentence().startsWith(each.name() + " ")
              ? ""
              : each.name() + ": ";
      out.append(lead);
      out.append(
          style.placed(
              name + each.sentence(), "line " + each.of().place().line(), 6, lead.length()));
      out.append('\n');
      note(out, each, 6);
      Statement.Example example = each.example();
      if (example != null) {
        out.append("      ");
        out.append(style.faint(Style.wrapped("e.g. " + example.sentence(), 11, 6))).append('\n');
      }
    }
  }

  private static void note(StringBuilder out, Statement statement, int indent) {
    if (statement.note() != null) {
      out.append(" ".repeat(indent));
      String text = "note: " + Printable.line(statement.note());
      out.append(Style.wrapped(text, indent + 2, indent)).append('\n');
    }
  }

  private static String details(List<RuleDetail> details, Style style) {
    StringBuilder out = new StringBuilder();
    for (RuleDetail detail : details) {
      Statement statement = detail.statement();
      String list = detail.list() == null ? "" : " in list '" + detail.list() + "'";
      String position = detail.of() > 1 ? ", " + statement.number() + " of " + detail.of() : "";
      out.append(out.length() == 0 ? "" : "\n");
      out.append(style.strong(Labels.of(statement.of()) + list + " of " + detail.holder().name()));
      out.append(position).append("  ").append(style.place(statement.of().place().toString()));
      out.append("\n\n  ").append(Style.wrapped(statement.sentence(), 2, 2)).append('\n');
      note(out, statement, 2);
      Statement.Example example = statement.example();
      out.append("\n  ").append(style.strong("For example")).append('\n');
      if (example == null) {
        out.append("  ");
        out.append(
            Style.wrapped(
                "No packet that the site can send is decided by it; 'eskerfield check' may say why.",
                2,
                2));
        out.append('\n');
      } else {
        String before = example.arrived().line();
        boolean same = before.equals(example.decision().after().line());
        out.append("  from ").append(example.trace().question().sender().name()).append('\n');
        out.append("    ").append(before).append('\n');
        out.append(same ? "" : "    " + example.decision().after().line() + "\n");
        out.append("  ").append(Style.wrapped(example.decision().text(), 2, 2)).append('\n');
        out.append("  result: ").append(style.outcome(example.trace().outcome())).append(": ");
        out.append(Style.wrapped(example.trace().reason(), 2, 20)).append('\n');
      }
      out.append(earlier(detail, style)).append(letBy(detail, style));
    }
    return out.toString();
  }

  private static String earlier(RuleDetail detail, Style style) {
    StringBuilder out = new StringBuilder("\n  ").append(style.strong("Before it")).append('\n');
    for (RuleDetail.Earlier each : detail.before()) {
      String all = each.all() ? "matches all of its packets, so it never acts" : "matches some";
      out.append("  ");
      out.append(
          style.placed(
              Labels.of(each.rule()) + " " + all + ": " + each.sentence(),
              each.rule().place().toString(),
              4,
              2));
      out.append('\n');
    }
    return detail.before().isEmpty()
        ? out.append("  no earlier rule matches any of its packets\n").toString()
        : out.toString();
  }

  private static String letBy(RuleDetail detail, Style style) {
    StringBuilder out = new StringBuilder();
    for (Decision decision : detail.letBy()) {
      Placed by = decision.by();
      out.append(
          out.length() == 0
              ? "\n  " + style.strong("Rules that let the example through") + "\n"
              : "");
      out.append("  ");
      out.append(style.placed(decision.text(), by == null ? null : by.place().toString(), 2, 2));
      out.append('\n');
    }
    return out.toString();
  }
}
