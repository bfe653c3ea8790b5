package org.eskerfield.formats;

import static org.eskerfield.formats.LedgerData.place;
import static org.eskerfield.formats.LedgerData.texts;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import org.eskerfield.compare.Change;
import org.eskerfield.compare.Comparison;
import org.eskerfield.compare.Difference;
import org.eskerfield.model.Site;
import org.eskerfield.set.PacketWords;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Trace;

/**
 * What differs between two sites as a tree for {@link JsonWriter#tree}, see {@link Schemas#DIFF}.
 */
public final class DiffData {
  private DiffData() {}

  /** All of a comparison; {@code site} is the new one, for names. */
  public static Tree of(Comparison comparison, Site site) {
    List<Object> said = new ArrayList<>();
    for (Difference each : comparison.differences()) {
      List<Object> fields = new ArrayList<>();
      each.fields()
          .forEach(
              f ->
                  fields.add(
                      new Tree()
                          .with("name", f.name())
                          .with("before", f.before())
                          .with("after", f.after())));
      said.add(
          new Tree()
              .with("kind", each.kind())
              .with("what", each.what())
              .with("where", each.where())
              .with("fields", fields)
              .with("before", each.before() == null ? null : place(each.before()))
              .with("after", each.after() == null ? null : place(each.after())));
    }
    List<Object> packets = new ArrayList<>();
    for (Change each : comparison.reach().changes()) {
      packets.add(
          new Tree()
              .with("kind", each.kind().name().toLowerCase(Locale.ROOT).replace('_', '-'))
              .with("packets", new PacketWords(site).of(each.packets()))
              .with("before", trace(each.before(), each.rulesBefore()))
              .with("after", trace(each.after(), each.rulesAfter())));
    }
    List<Object> expectations = new ArrayList<>();
    for (Comparison.ExpectationChange each : comparison.expectations()) {
      expectations.add(
          new Tree()
              .with("expectation", each.expectation().text())
              .with("before", texts(each.before()))
              .with("after", texts(each.after()))
              .with("held", each.held())
              .with("holds", each.holds())
              .with("place", place(each.expectation().place())));
    }
    List<Object> pools = new ArrayList<>();
    comparison
        .pools()
        .forEach(
            each ->
                pools.add(
                    new Tree()
                        .with("rule", each.rule())
                        .with("before", each.before())
                        .with("after", each.after())));
    return new Tree()
        .with("same", comparison.changesNothing())
        .with("complete", comparison.reach().complete())
        .with("kindsOfPackets", comparison.reach().kinds())
        .with("differences", said)
        .with("packets", packets)
        .with("expectations", expectations)
        .with("appeared", ChangeData.findings(comparison.appeared()))
        .with("gone", ChangeData.findings(comparison.gone()))
        .with("pools", pools);
  }

  private static Tree trace(Trace trace, List<String> rules) {
    List<String> way = trace.request().stream().map(Leg::where).toList();
    var question = trace.question();
    return new Tree()
        .with("from", question.sender().name())
        .with("source", question.source())
        .with("to", question.to())
        .with("service", question.probe())
        .with("at", question.at())
        .with("outcome", trace.outcome())
        .with("reason", trace.reason())
        .with("way", way)
        .with("rules", rules)
        .with("deliveredTo", trace.deliveredTo())
        .with("seenAs", trace.seenAs());
  }
}
