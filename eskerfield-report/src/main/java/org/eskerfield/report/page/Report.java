// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.report.page;

import com.fasterxml.jackson.core.JsonFactory;
import com.fasterxml.jackson.core.JsonGenerator;
import com.samskivert.mustache.Mustache;
import java.io.IOException;
import java.io.InputStream;
import java.io.StringWriter;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.time.ZonedDateTime;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.Base64;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Objects;
import java.util.Set;
import org.eskerfield.check.Checker;
import org.eskerfield.check.Finding;
import org.eskerfield.check.Severity;
import org.eskerfield.explain.Explainer;
import org.eskerfield.explain.Explanation;
import org.eskerfield.explain.Statement;
import org.eskerfield.formats.answer.LedgerData;
import org.eskerfield.formats.site.edit.CuredSite;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.formats.site.write.SiteWriter;
import org.eskerfield.ledger.Block;
import org.eskerfield.ledger.Holding;
import org.eskerfield.ledger.Ledger;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Device;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Route;
import org.eskerfield.model.Site;
import org.eskerfield.model.Stance;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.reach.Reachable;
import org.eskerfield.report.draw.Theme;
import org.eskerfield.report.map.SiteMap;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Tracer;
import org.eskerfield.trace.Transit;
import org.eskerfield.verify.Verdict;
import org.eskerfield.verify.Verifier;
import org.jspecify.annotations.Nullable;

/**
 * The whole state of affairs of a site as one page, which needs nothing but a browser: no other
 * file, no network, no script but its own, whose hash the page's content security policy names (W3C
 * CSP Level 3).
 */
public final class Report {
  /** More rules than this on a device have no examples: to find them would take minutes. */
  private static final int MOST_WITH_EXAMPLES = 400;

  /**
   * More findings than this are cured in words only: each patch is proved by a check of its own.
   */
  private static final int MOST_PATCHES = 30;

  /** How many expectations that hold have a ladder; those that fail all have one. */
  private static final int MOST_LADDERS = 200;

  private static final String UPLOT = "/META-INF/resources/webjars/uplot/";
  private static final String UPLOT_BUILD = "/META-INF/maven/org.webjars.npm/uplot/pom.properties";

  /** With more devices than this, or more rules of one, a device is folded until it is opened. */
  private static final int MOST_OPEN = 6;

  private static final int MOST_OPEN_RULES = 200;

  private static final DateTimeFormatter MINUTE =
      DateTimeFormatter.ofPattern("d MMMM uuuu HH:mm z", Locale.ENGLISH);

  /**
   * Where a page comes from.
   *
   * @param at when it was made
   * @param tool the program and version that made it
   * @param revision the revision of the file, such as a commit; null if unknown
   */
  public record Made(ZonedDateTime at, String tool, @Nullable String revision) {}

  private Report() {}

  /**
   * Writes the page.
   *
   * @param path the site file, for patches; null where the site was not read from a file
   * @param name what the page calls the file
   * @param made the time and the program
   * @param history the history of a replay; null for none
   * @param progress is told what is being done
   * @throws IOException if the file cannot be read
   */
  public static String of(
      @Nullable Path path,
      String name,
      SiteFile file,
      Made made,
      @Nullable History history,
      Checker.Progress progress)
      throws IOException {
    Site site = file.site();
    Map<String, @Nullable Object> page = new LinkedHashMap<>();
    int parts = 6;
    progress.begins("drawing the map", 0, parts);
    page.put("map", SiteMap.of(site).figure());
    page.put("site", site.name());
    page.put("file", name);
    page.put("made", MINUTE.format(made.at()));
    page.put("tool", made.tool());
    page.put("revision", made.revision());
    page.put("note", site.note());
    page.put("networks", site.networks().size());
    page.put("hosts", site.hosts().size());
    progress.begins("putting rules into sentences", 1, parts);
    page.put("devices", devices(site));
    page.put("fewDevices", site.devices().size() <= MOST_OPEN);
    page.put("deviceCount", site.devices().size());
    progress.begins("finding out who reaches whom", 2, parts);
    reachable(page, site);
    Proofs.reach(page, Tracer.of(site));
    page.put("blocks", blocks(site));
    progress.begins("checking", 3, parts);
    findings(page, path, name, file);
    progress.begins("verifying expectations and guarantees", 4, parts);
    expectations(page, file);
    Proofs.guarantees(page, Tracer.of(site), file.guarantees());
    progress.begins("writing", 5, parts);
    history(page, history);
    return rendered(page, history != null);
  }

  // Devices.

  private static List<Object> devices(Site site) {
    List<Object> devices = new ArrayList<>();
    Explainer whole = null;
    Explainer plain = null;
    int number = 0;
    for (Device device : site.devices().values()) {
      int rules = device.translation().size();
      for (AccessList list : device.access()) {
        rules += list.rules().size();
      }
      boolean examples = rules <= MOST_WITH_EXAMPLES;
      if (examples) {
        whole = whole == null ? Explainer.of(site) : whole;
      } else {
        plain = plain == null ? Explainer.withoutExamples(site) : plain;
      }
      Explanation said = Objects.requireNonNull(examples ? whole : plain).explain(device);
      Map<String, @Nullable Object> data = new LinkedHashMap<>();
      data.put("id", "device-" + ++number);
      data.put("name", device.name());
      data.put("note", device.note());
      data.put("rules", rules);
      data.put("open", site.devices().size() <= MOST_OPEN && rules <= MOST_OPEN_RULES);
      data.put(
          "around",
          site.devices().size() > MOST_OPEN ? SiteMap.around(site, device).figure() : null);
      data.put("interfaces", counted(device.interfaces().size(), "interface"));
      data.put("translations", counted(device.translation().size(), "translation rule"));
      data.put("accesses", counted(rules - device.translation().size(), "access rule"));
      data.put("unexampled", !examples);
      List<Object> sections = new ArrayList<>();
      for (Explanation.Section section : said.sections()) {
        if (!section.statements().isEmpty()) {
          sections.add(section(device, section));
        }
      }
      data.put("sections", sections);
      devices.add(data);
    }
    return devices;
  }

  private static String counted(int count, String what) {
    return count + " " + what + (count == 1 ? "" : "s");
  }

  private static Map<String, @Nullable Object> section(Device device, Explanation.Section section) {
    Map<String, @Nullable Object> data = new LinkedHashMap<>();
    data.put("device", device.name());
    data.put("title", section.title());
    data.put("list", section.name());
    List<Object> rows = new ArrayList<>();
    for (Statement each : section.statements()) {
      Map<String, @Nullable Object> row = new LinkedHashMap<>();
      row.put("number", each.number());
      row.put("kind", kind(each.of()));
      row.put("name", each.name());
      row.put("keys", SiteWriter.keys(each.of()).entrySet());
      row.put("sentence", each.sentence());
      row.put("line", each.of().place().line());
      row.put("disabled", each.of() instanceof TranslationRule rule && rule.disabled());
      Statement.Example example = each.example();
      row.put("example", example == null ? null : example.sentence());
      rows.add(row);
    }
    data.put("rows", rows);
    return data;
  }

  private static String kind(Placed thing) {
    if (thing instanceof TranslationRule rule) {
      return rule.kind();
    }
    if (thing instanceof AccessRule rule) {
      return rule.action().toString();
    }
    if (thing instanceof AccessList list) {
      return list.otherwise().toString();
    }
    if (thing instanceof Interface own) {
      return own.isUp() ? "interface" : own.state().toString();
    }
    if (thing instanceof Stance.Pair pair) {
      return pair.action().toString();
    }
    return thing instanceof Route ? "route" : thing instanceof Stance ? "stance" : "service";
  }

  // What is reached, and who has what.

  private static void reachable(Map<String, @Nullable Object> page, Site site) {
    Reachable reachable = Reachable.fromOutside(site);
    List<Object> rows = new ArrayList<>();
    for (Reachable.Entry entry : reachable.entries()) {
      Map<String, @Nullable Object> row = new LinkedHashMap<>();
      row.put("receiver", entry.receiver());
      row.put("outcome", entry.outcome().toString());
      row.put("packets", entry.packets());
      row.put("because", entry.sample().reason());
      rows.add(row);
    }
    page.put("reachable", rows);
    page.put("someReachable", !rows.isEmpty());
    page.put("reachableIncomplete", !reachable.complete());
    page.put("nothingReachable", rows.isEmpty() && reachable.complete());
  }

  private static List<Object> blocks(Site site) {
    List<Object> blocks = new ArrayList<>();
    for (Block block : Ledger.of(site).external()) {
      Map<String, @Nullable Object> data = new LinkedHashMap<>();
      data.put("prefix", block.prefix().toString());
      data.put(
          "where",
          block.via() == null
              ? block.network().name()
              : "routed to " + block.via() + " by " + block.network().name());
      List<Object> rows = new ArrayList<>();
      for (Block.Stretch stretch : block.stretches()) {
        Map<String, @Nullable Object> row = new LinkedHashMap<>();
        row.put("addresses", stretch.addresses().toString());
        row.put("free", stretch.isFree());
        row.put("word", block.assigned() ? "not ours" : "free");
        row.put("style", block.assigned() ? "faint" : "good");
        row.put("count", LedgerData.count(stretch.addresses()).toString());
        List<String> holdings = new ArrayList<>();
        for (Holding holding : stretch.holdings()) {
          Set<String> ports = new LinkedHashSet<>();
          holding.services().forEach(part -> ports.add(part.toString()));
          holdings.add((ports.isEmpty() ? "" : String.join(", ", ports) + ": ") + holding.who());
        }
        row.put("holdings", holdings);
        rows.add(row);
      }
      data.put("rows", rows);
      blocks.add(data);
    }
    return blocks;
  }

  // What is wrong.

  private static void findings(
      Map<String, @Nullable Object> page, @Nullable Path path, String name, SiteFile file)
      throws IOException {
    List<Finding> findings =
        new ArrayList<>(Checker.check(file.site(), file.policy(), (what, done, of) -> {}));
    findings.sort(
        Comparator.comparing((Finding each) -> each.accepted() != null)
            .thenComparing(Finding::severity)); // the gravest first
    boolean patches = path != null && findings.size() <= MOST_PATCHES;
    List<Object> rows = new ArrayList<>();
    Map<String, Integer> counts = new LinkedHashMap<>();
    for (Severity each : Severity.values()) {
      counts.put(each.toString(), 0);
    }
    int accepted = 0;
    for (Finding finding : findings) {
      Map<String, @Nullable Object> row = new LinkedHashMap<>();
      boolean open = finding.accepted() == null;
      row.put("severity", open ? finding.severity().toString() : "accepted");
      row.put("style", open ? finding.severity().toString() : "faint");
      row.put("code", finding.code().toString());
      row.put("message", finding.message());
      row.put("why", finding.code().why());
      row.put("place", finding.place().toString());
      row.put("accepted", finding.accepted());
      row.put("cure", finding.cure().summary());
      Conversation sample = finding.sample();
      row.put(
          "sample",
          sample == null
              ? null
              : sample.attempt().sender().name()
                  + " to "
                  + sample.attempt().to()
                  + " "
                  + sample.attempt().probe()
                  + ": "
                  + sample.outcome()
                  + ", "
                  + sample.reason());
      CuredSite cured =
          patches && finding.accepted() == null
              ? CuredSite.of(Objects.requireNonNull(path), name, finding, findings)
              : null;
      row.put("patch", cured == null ? null : cured.patch());
      if (open) {
        counts.merge(finding.severity().toString(), 1, Integer::sum);
      }
      accepted += open ? 0 : 1;
      rows.add(row);
    }
    page.put("findings", rows);
    page.put("counts", cards(counts, accepted));
    page.put("noFindings", rows.isEmpty());
  }

  private static List<Object> cards(Map<String, Integer> counts, int accepted) {
    List<Object> cards = new ArrayList<>();
    for (Map.Entry<String, Integer> each : counts.entrySet()) {
      boolean none = each.getValue() == 0;
      String what = each.getKey().equals("advice") ? "Advice" : counting(each.getKey());
      cards.add(
          Map.of("what", what, "count", each.getValue(), "style", none ? "good" : each.getKey()));
    }
    cards.add(Map.of("what", "Accepted findings", "count", accepted, "style", "faint"));
    return cards;
  }

  private static String counting(String severity) {
    return severity.substring(0, 1).toUpperCase(Locale.ROOT) + severity.substring(1) + "s";
  }

  private static void expectations(Map<String, @Nullable Object> page, SiteFile file) {
    Tracer tracer = Tracer.of(file.site());
    Verifier verifier = new Verifier(tracer);
    List<Verdict> verdicts = verifier.verify(file.expectations());
    List<Object> rows = new ArrayList<>();
    int held = 0;
    int ladders = 0;
    for (Verdict verdict : verdicts) {
      held += verdict.holds() ? 1 : 0;
      boolean drawn = !verdict.holds() || ladders++ < MOST_LADDERS;
      Map<String, @Nullable Object> row = new LinkedHashMap<>();
      row.put("holds", verdict.holds());
      row.put("word", verdict.holds() ? "holds" : "fails");
      row.put("text", verdict.expectation().text());
      row.put("note", verdict.expectation().note());
      row.put("place", verdict.expectation().place().toString());
      List<Object> results = new ArrayList<>();
      for (Verdict.Result result : verdict.results()) {
        Map<String, @Nullable Object> told = new LinkedHashMap<>();
        Attempt attempt = result.conversation().attempt();
        told.put("sender", attempt.sender().name());
        told.put("outcome", result.conversation().outcome().toString());
        told.put("reason", result.conversation().reason());
        told.put("differences", result.differences());
        List<String> causes = new ArrayList<>();
        if (result.diagnosis() != null) {
          result
              .diagnosis()
              .obstacles()
              .forEach(each -> causes.add(each.cause() + ": " + each.sentence()));
        }
        told.put("causes", causes);
        if (drawn) {
          List<Transit> packets = new ArrayList<>();
          Conversation watched = verifier.watch(verdict.expectation(), attempt, packets::add);
          told.put(
              "ladder", new ConversationPicture(file.site(), watched, packets).ladder().figure());
        }
        results.add(told);
      }
      row.put("results", results);
      rows.add(row);
    }
    page.put("expectations", rows);
    page.put("held", held);
    page.put("expected", verdicts.size());
    page.put("allHold", held == verdicts.size());
    page.put("noExpectations", verdicts.isEmpty());
    page.put("laddersLeftOut", ladders > MOST_LADDERS ? ladders - MOST_LADDERS : null);
    page.put("mostLadders", MOST_LADDERS);
  }

  // What a replay has shown.

  private static void history(Map<String, @Nullable Object> page, @Nullable History history) {
    if (history == null) {
      page.put("history", null);
      return;
    }
    Map<String, @Nullable Object> data = new LinkedHashMap<>();
    List<Object> outcomes = new ArrayList<>();
    history
        .outcomes()
        .forEach((outcome, count) -> outcomes.add(Map.of("outcome", outcome, "count", count)));
    data.put("outcomes", outcomes);
    List<Object> rows = new ArrayList<>();
    history
        .series()
        .forEach(
            (name, values) -> {
              Map<String, @Nullable Object> row = new LinkedHashMap<>();
              row.put("name", name);
              row.put("most", history.most(name));
              row.put("end", values.get(values.size() - 1).longValue());
              Long size = history.sizes().get(name);
              row.put("size", size == null ? "" : size.toString());
              rows.add(row);
            });
    data.put("rows", rows);
    data.put("thinned", history.isThinned());
    data.put("data", json(history));
    page.put("history", data);
  }

  /** The samples as JSON that can stand in a page (HTML, 4.12.1). */
  private static String json(History history) {
    StringWriter text = new StringWriter();
    try (JsonGenerator json = new JsonFactory().createGenerator(text)) {
      json.writeStartObject();
      json.writeArrayFieldStart("seconds");
      for (double second : history.seconds()) {
        json.writeNumber(second);
      }
      json.writeEndArray();
      json.writeArrayFieldStart("series");
      for (Map.Entry<String, List<Double>> each : history.series().entrySet()) {
        json.writeStartObject();
        json.writeStringField("name", each.getKey());
        Long size = history.sizes().get(each.getKey());
        if (size != null) {
          json.writeNumberField("size", size);
        }
        json.writeArrayFieldStart("values");
        for (double value : each.getValue()) {
          json.writeNumber(value);
        }
        json.writeEndArray();
        json.writeEndObject();
      }
      json.writeEndArray();
      json.writeEndObject();
    } catch (IOException e) {
      throw new UncheckedIOException("writing to memory does not fail", e);
    }
    return text.toString().replace("<", "\\u003c").replace("&", "\\u0026");
  }

  // The page.

  private static String rendered(Map<String, @Nullable Object> page, boolean plots) {
    String style = Theme.pageCss() + resource("report.css");
    String script = resource("report.js");
    if (plots) {
      String files = UPLOT + plotVersion() + "/dist/";
      style += resource(files + "uPlot.min.css");
      script = resource(files + "uPlot.iife.min.js") + "\n" + script;
    }
    page.put("style", style);
    page.put("script", script);
    page.put("styleHash", hash(style));
    page.put("scriptHash", hash(script));
    return Mustache.compiler()
        .escapeHTML(true)
        .nullValue("")
        .defaultValue("")
        .emptyStringIsFalse(true)
        .compile(resource("report.html.mustache"))
        .execute(page);
  }

  /** The version of the plotting library, which its files have in their path. */
  private static String plotVersion() {
    return resource(UPLOT_BUILD)
        .lines()
        .filter(line -> line.startsWith("version="))
        .map(line -> line.substring("version=".length()).strip())
        .findFirst()
        .orElseThrow();
  }

  /** A text beside this class, or by a path from the root, in whichever library it is. */
  private static String resource(String name) {
    try (InputStream in =
        name.startsWith("/")
            ? Report.class.getClassLoader().getResourceAsStream(name.substring(1))
            : Report.class.getResourceAsStream(name)) {
      return new String(Objects.requireNonNull(in, name).readAllBytes(), StandardCharsets.UTF_8);
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  private static String hash(String text) {
    try {
      byte[] digest =
          MessageDigest.getInstance("SHA-256").digest(text.getBytes(StandardCharsets.UTF_8));
      return "sha256-" + Base64.getEncoder().encodeToString(digest);
    } catch (NoSuchAlgorithmException e) {
      throw new IllegalStateException("every Java has SHA-256", e);
    }
  }
}
