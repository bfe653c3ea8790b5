// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.answer;

import java.time.format.DateTimeFormatter;
import java.util.List;
import java.util.Locale;
import org.eskerfield.cause.Diagnosis;
import org.eskerfield.cause.Obstacle;
import org.eskerfield.model.Interface;
import org.eskerfield.outcome.MatchField;
import org.eskerfield.packet.Protocol;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Endpoint;
import org.eskerfield.trace.FileTransfer;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Lookup;
import org.eskerfield.trace.NearMiss;
import org.eskerfield.trace.Passed;
import org.eskerfield.trace.Segment;
import org.eskerfield.trace.Trace;
import org.jspecify.annotations.Nullable;

/** Conversations as trees, see {@code trace.schema.json}. */
public final class TraceData {
  private TraceData() {}

  /** A conversation and what stands in its way. */
  public static Tree of(Diagnosis diagnosis) {
    Conversation conversation = diagnosis.conversation();
    Attempt attempt = conversation.attempt();
    Trace trace = conversation.deciding();
    Trace opening = conversation.opening();
    Passed passed = conversation.passed();
    Tree sizes =
        passed == null
            ? new Tree()
            : new Tree()
                .with(
                    "passed", new Tree().with("there", passed.there()).with("back", passed.back()));
    return new Tree()
        .with("outcome", conversation.outcome())
        .with("reason", conversation.reason())
        .with("decidedBy", Tree.of(conversation.decidedBy(), Tree::rule))
        .with("deliveredTo", opening == null ? null : endpoint(opening.deliveredTo()))
        .with("seenAs", opening == null ? null : endpoint(opening.seenAs()))
        .with(
            "question",
            new Tree()
                .with("from", attempt.sender().name())
                .with("source", opening == null ? null : opening.question().source())
                .with("to", opening == null ? null : opening.question().to())
                .with("service", attempt.probe())
                .with("at", DateTimeFormatter.ISO_OFFSET_DATE_TIME.format(attempt.at())))
        .with("lookup", Tree.of(conversation.lookup(), TraceData::lookup))
        .with("request", legs(trace == null ? List.of() : trace.request()))
        .with("reply", legs(trace == null ? List.of() : trace.reply()))
        .with("packets", Tree.each(conversation.segments(), TraceData::packet))
        .with("transfer", Tree.of(conversation.transfer(), TraceData::transfer))
        .with("notMet", conversation.notThere())
        .with("hints", conversation.hints())
        .with(sizes)
        .with(obstacles(diagnosis));
  }

  /** Several of them. */
  public static List<?> of(List<Diagnosis> diagnoses) {
    return Tree.each(diagnoses, TraceData::of);
  }

  /** One packet on its way, there and back. */
  static Tree way(Trace trace) {
    return new Tree()
        .with("outcome", trace.outcome())
        .with("reason", trace.reason())
        .with("at", DateTimeFormatter.ISO_OFFSET_DATE_TIME.format(trace.question().at()))
        .with("request", legs(trace.request()))
        .with("reply", legs(trace.reply()));
  }

  /** What stands in the way, and whether it is all. */
  static Tree obstacles(Diagnosis diagnosis) {
    return new Tree()
        .with("causes", Tree.each(diagnosis.obstacles(), TraceData::obstacle))
        .with("complete", diagnosis.complete());
  }

  static Tree obstacle(Obstacle obstacle) {
    return new Tree()
        .with("code", obstacle.cause())
        .with("title", obstacle.title())
        .with("sentence", obstacle.sentence())
        .with("detail", obstacle.detail())
        .with("by", Tree.of(obstacle.place(), Tree::rule));
  }

  private static Tree lookup(Lookup lookup) {
    return new Tree()
        .with("name", lookup.name())
        .with("answeredBy", lookup.answeredBy())
        .with("addresses", Tree.texts(lookup.addresses()))
        .with("reason", lookup.reason());
  }

  private static Tree packet(Segment segment) {
    return new Tree()
        .with("what", segment.what())
        .with("back", segment.isReply())
        .with("delivered", segment.delivered())
        .with("way", legs(segment.legs()));
  }

  private static Tree transfer(FileTransfer transfer) {
    return new Tree()
        .with("mode", transfer.mode())
        .with("encrypted", transfer.encrypted())
        .with("said", transfer.said())
        .with("heard", transfer.heard());
  }

  private static @Nullable Object endpoint(@Nullable Endpoint endpoint) {
    return Tree.of(
        endpoint,
        end ->
            new Tree()
                .with("host", end.name())
                .with("address", end.address())
                .with("port", Protocol.hasPorts(end.protocol()) ? end.port() : null));
  }

  private static Tree legs(List<Leg> legs) {
    return new Tree().with("legs", Tree.each(legs, TraceData::leg));
  }

  private static Tree leg(Leg leg) {
    return new Tree()
        .with("where", leg.where())
        .with("kind", leg.kind().name().toLowerCase(Locale.ROOT))
        .with("arriving", Tree.of(leg.arriving(), Interface::name))
        .with("leaving", Tree.of(leg.leaving(), Interface::name))
        .with("decisions", Tree.each(leg.decisions(), TraceData::decision));
  }

  private static Tree decision(Decision decision) {
    return new Tree()
        .with("step", decision.ruling().step())
        .with("ruling", decision.ruling().code())
        .with("text", decision.text())
        .with("by", Tree.of(decision.by(), Tree::rule))
        .with("logged", decision.logged())
        .with("nearMiss", Tree.of(decision.near(), TraceData::near))
        .with("before", Tree.header(decision.before()))
        .with("after", Tree.header(decision.after()));
  }

  private static Tree near(NearMiss near) {
    return new Tree()
        .with("rule", Tree.rule(near.rule()))
        .with("fields", Tree.each(near.fields(), TraceData::field))
        .with("text", near.text());
  }

  private static String field(MatchField field) {
    return field.name().toLowerCase(Locale.ROOT).replace('_', '-');
  }
}
