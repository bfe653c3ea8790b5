// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.answer;

import java.util.List;
import org.eskerfield.compare.ChangedFlows;
import org.eskerfield.compare.Comparison;
import org.eskerfield.compare.Difference;
import org.eskerfield.compare.GuaranteeChange;
import org.eskerfield.compare.MovedEnds;
import org.eskerfield.compare.Transfers;
import org.eskerfield.model.Site;
import org.eskerfield.set.PacketWords;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Passed;
import org.eskerfield.trace.Question;
import org.eskerfield.trace.Trace;

/** The differences between two sites as a tree for {@link Json}, see {@code diff.schema.json}. */
public final class DiffData {
  private DiffData() {}

  /** All of a comparison; {@code site} is the new one, for names. */
  public static Tree of(Comparison comparison, Site site) {
    return new Tree()
        .with("same", comparison.changesNothing())
        .with("complete", comparison.changedFates().complete())
        .with("kindsOfPackets", comparison.changedFates().kinds())
        .with("uncovered", comparison.changedFates().uncovered())
        .with("differences", Tree.each(comparison.differences(), DiffData::difference))
        .with(
            "packets",
            Tree.each(
                comparison.changedFates().changes(),
                each ->
                    new Tree()
                        .with("kind", EffectData.kind(each.kind()))
                        .with("packets", new PacketWords(site).of(each.packets()))
                        .with("before", trace(each.before(), each.rulesBefore()))
                        .with("after", trace(each.after(), each.rulesAfter()))))
        .with("expectations", Tree.each(comparison.expectations(), DiffData::expectation))
        .with("guarantees", Tree.each(comparison.guarantees(), DiffData::guarantee))
        .with("appeared", ChangeData.findings(comparison.appeared()))
        .with("gone", ChangeData.findings(comparison.resolved()))
        .with(
            "transfers",
            new Tree()
                .with("tried", comparison.transfers().tried())
                .with("changes", Tree.each(comparison.transfers().changes(), DiffData::transfer)))
        .with(
            "pools",
            Tree.each(
                comparison.pools(),
                each ->
                    new Tree()
                        .with("rule", each.rule())
                        .with("before", each.before())
                        .with("after", each.after())))
        .with(
            "names",
            Tree.each(
                comparison.names(),
                each ->
                    new Tree()
                        .with("name", each.name())
                        .with("hosts", each.hosts())
                        .with("before", each.before())
                        .with("after", each.after())))
        .with(
            "moved",
            new Tree()
                .with("tried", comparison.moved().tried())
                .with("complete", comparison.moved().complete())
                .with("changes", Tree.each(comparison.moved().changes(), DiffData::moved)));
  }

  /** The flows of some traffic that change; {@code site} is the new one, for names. */
  public static Tree flows(ChangedFlows changed, Site site, List<String> remarks) {
    return new Tree()
        .with("compared", changed.flows())
        .with("changed", changed.changed())
        .with("remarks", remarks)
        .with(
            "changes",
            Tree.each(
                changed.changes(),
                each ->
                    new Tree()
                        .with("kind", EffectData.kind(each.kind()))
                        .with("flows", each.flows())
                        .with("first", each.first().toSeconds())
                        .with("last", each.last().toSeconds())
                        .with("senders", MatchesData.ends(site, each.senders()))
                        .with("before", trace(each.before(), each.rulesBefore()))
                        .with("after", trace(each.after(), each.rulesAfter()))));
  }

  private static Tree moved(MovedEnds.Change change) {
    return new Tree()
        .with("from", change.from())
        .with("to", change.to())
        .with("service", change.before().attempt().probe())
        .with("before", ended(change.before()))
        .with("after", ended(change.after()));
  }

  private static Tree ended(Conversation conversation) {
    return new Tree()
        .with("address", conversation.attempt().to())
        .with("outcome", conversation.outcome())
        .with("reason", conversation.reason());
  }

  private static Tree transfer(Transfers.Change change) {
    return new Tree()
        .with("from", change.attempt().sender().name())
        .with("to", change.attempt().to())
        .with("service", change.attempt().probe())
        .with(
            "mode", change.attempt().talk().isTransfer() ? change.attempt().manner().mode() : null)
        .with("before", carried(change.before()))
        .with("after", carried(change.after()));
  }

  private static Tree carried(Conversation conversation) {
    Passed passed = conversation.passedOrUsual();
    return new Tree()
        .with("outcome", conversation.outcome())
        .with("reason", conversation.reason())
        .with("there", Tree.of(passed, Passed::there))
        .with("back", Tree.of(passed, Passed::back));
  }

  private static Tree difference(Difference difference) {
    return new Tree()
        .with("kind", difference.kind())
        .with("what", difference.what())
        .with("where", difference.where())
        .with(
            "fields",
            Tree.each(
                difference.fields(),
                field ->
                    new Tree()
                        .with("name", field.name())
                        .with("before", field.before())
                        .with("after", field.after())))
        .with("before", Tree.of(difference.before(), Tree::place))
        .with("after", Tree.of(difference.after(), Tree::place));
  }

  private static Tree guarantee(GuaranteeChange change) {
    return new Tree()
        .with("name", change.guarantee().name())
        .with("held", change.held())
        .with("holds", change.holds())
        .with("reason", change.reason())
        .with("place", Tree.place(change.guarantee().place()));
  }

  private static Tree expectation(Comparison.ExpectationChange change) {
    return new Tree()
        .with("expectation", change.expectation().text())
        .with("before", Tree.texts(change.before()))
        .with("after", Tree.texts(change.after()))
        .with("held", change.held())
        .with("holds", change.holds())
        .with("place", Tree.place(change.expectation().place()));
  }

  private static Tree trace(Trace trace, List<String> rules) {
    Question question = trace.question();
    return new Tree()
        .with("from", question.sender().name())
        .with("source", question.source())
        .with("to", question.to())
        .with("service", question.probe())
        .with("at", question.at())
        .with("outcome", trace.outcome())
        .with("reason", trace.reason())
        .with("way", Tree.each(trace.request(), Leg::where))
        .with("rules", rules)
        .with("deliveredTo", trace.deliveredTo())
        .with("seenAs", trace.seenAs());
  }
}
