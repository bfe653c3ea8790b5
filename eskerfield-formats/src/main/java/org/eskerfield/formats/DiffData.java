package org.eskerfield.formats;

import static org.eskerfield.formats.LedgerData.map;
import static org.eskerfield.formats.LedgerData.place;
import static org.eskerfield.formats.LedgerData.texts;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import org.eskerfield.compare.Change;
import org.eskerfield.compare.Comparison;
import org.eskerfield.compare.Difference;
import org.eskerfield.model.Site;
import org.eskerfield.set.PacketWords;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Trace;
import org.jspecify.annotations.Nullable;

/**
 * What differs between two sites as a tree for {@link JsonWriter#tree}, see {@link Schemas#DIFF}.
 */
public final class DiffData {
  private DiffData() {}

  /** All of a comparison; {@code site} is the new one, for names. */
  public static Map<String, @Nullable Object> of(Comparison comparison, Site site) {
    List<Object> said = new ArrayList<>();
    for (Difference each : comparison.differences()) {
      List<Object> fields = new ArrayList<>();
      each.fields()
          .forEach(
              f -> fields.add(map("name", f.name(), "before", f.before(), "after", f.after())));
      said.add(
          map(
              "kind",
              each.kind(),
              "what",
              each.what(),
              "where",
              each.where(),
              "fields",
              fields,
              "before",
              each.before() == null ? null : place(each.before()),
              "after",
              each.after() == null ? null : place(each.after())));
    }
    List<Object> packets = new ArrayList<>();
    for (Change each : comparison.reach().changes()) {
      packets.add(
          map(
              "kind",
              each.kind().name().toLowerCase(Locale.ROOT).replace('_', '-'),
              "packets",
              new PacketWords(site).of(each.packets()),
              "before",
              trace(each.before(), each.rulesBefore()),
              "after",
              trace(each.after(), each.rulesAfter())));
    }
    List<Object> expectations = new ArrayList<>();
    for (Comparison.ExpectationChange each : comparison.expectations()) {
      expectations.add(
          map(
              "expectation",
              each.expectation().text(),
              "before",
              texts(each.before()),
              "after",
              texts(each.after()),
              "held",
              each.held(),
              "holds",
              each.holds(),
              "place",
              place(each.expectation().place())));
    }
    List<Object> pools = new ArrayList<>();
    comparison
        .pools()
        .forEach(
            each ->
                pools.add(
                    map("rule", each.rule(), "before", each.before(), "after", each.after())));
    return map(
        "same",
        comparison.changesNothing(),
        "complete",
        comparison.reach().complete(),
        "kindsOfPackets",
        comparison.reach().kinds(),
        "differences",
        said,
        "packets",
        packets,
        "expectations",
        expectations,
        "appeared",
        ChangeData.findings(comparison.appeared()),
        "gone",
        ChangeData.findings(comparison.gone()),
        "pools",
        pools);
  }

  private static Map<String, @Nullable Object> trace(Trace trace, List<String> rules) {
    List<String> way = trace.request().stream().map(Leg::where).toList();
    var question = trace.question();
    return map(
        "from",
        question.sender().name(),
        "source",
        question.source(),
        "to",
        question.to(),
        "service",
        question.probe(),
        "at",
        question.at(),
        "outcome",
        trace.outcome(),
        "reason",
        trace.reason(),
        "way",
        way,
        "rules",
        rules,
        "deliveredTo",
        trace.deliveredTo(),
        "seenAs",
        trace.seenAs());
  }
}
