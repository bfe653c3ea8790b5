// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.text;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.cause.Diagnosis;
import org.eskerfield.model.Placed;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Lookup;
import org.eskerfield.trace.Moments;
import org.eskerfield.trace.Segment;
import org.eskerfield.trace.Trace;
import org.jspecify.annotations.Nullable;

/**
 * Lays out a conversation for people: the outcome and its reason first, then what stands in the
 * way, the story, and the way of the packets that decided.
 */
public final class ConversationText {
  private static final int NAME_COLUMN = 14;

  private final Conversation conversation;
  private final Diagnosis diagnosis;
  private final Style style;
  private final StringBuilder out = new StringBuilder();

  public ConversationText(Diagnosis diagnosis, Style style) {
    this.conversation = diagnosis.conversation();
    this.diagnosis = diagnosis;
    this.style = style;
  }

  /**
   * All of it.
   *
   * @param packets whether the way of each packet is shown, not only of those that decide
   */
  public String whole(boolean packets) {
    outcome("");
    out.append('\n');
    fields();
    causes();
    Trace deciding = conversation.deciding();
    if (packets && conversation.opening() != null) {
      int number = 1;
      for (Segment segment : conversation.segments()) {
        String title = "Packet " + number++ + ", " + (segment.isReply() ? "back: " : "there: ");
        out.append(
            TraceText.direction(
                title + segment.what(), segment.legs(), conversation.opening(), style));
      }
    } else if (deciding != null) {
      out.append(new TraceText(deciding, style).legs());
      if (deciding.outcome() == Outcome.ANSWERED) {
        lost(deciding);
      }
    }
    return out.toString();
  }

  /** The way of what was lost though the connection was open. */
  private void lost(Trace opening) {
    for (Segment segment : conversation.lost()) {
      String title = (segment.isReply() ? "Lost on the way back: " : "Lost: ") + segment.what();
      out.append(TraceText.direction(title, segment.legs(), opening, style));
    }
  }

  /** The outcome, the reason, the way and the rules that had a part in it. */
  public String summary(String indent) {
    Trace trace = conversation.deciding();
    if (conversation.lookup() != null) {
      out.append(indent).append(style.faint("name: "));
      out.append(
          Style.wrapped(conversation.lookup().reason(), indent.length() + 2, indent.length() + 6));
      out.append('\n');
    }
    if (trace == null
        || conversation.outcome() != trace.outcome()
        || !conversation.reason().equals(trace.reason())) {
      outcome(indent);
      return out.toString();
    }
    return out + new TraceText(trace, style).summary(indent);
  }

  private void outcome(String indent) {
    String word = conversation.outcome().toString();
    int column = indent.length() + word.length() + 2;
    out.append(indent).append(style.outcome(conversation.outcome())).append("  ");
    String place = place(conversation.decidedBy());
    out.append(style.placed(conversation.reason(), place, column, column)).append('\n');
  }

  public static @Nullable String place(@Nullable Placed by) {
    return by == null || by.place().line() == 0 ? null : by.place().toString();
  }

  private void fields() {
    Attempt attempt = conversation.attempt();
    Trace trace = conversation.opening();
    String sent =
        trace == null
            ? attempt.probe() + " to " + attempt.to()
            : conversation.segments().get(0).legs().get(0).decisions().get(0).before().toString();
    field("first packet", attempt.sender().name() + ", " + sent);
    Lookup lookup = conversation.lookup();
    if (lookup != null) {
      field("name", lookup.reason());
      if (lookup.trace() != null) {
        field("", "by " + TraceText.names(lookup.trace().request()));
      }
    }
    field("at", Moments.text(attempt.at()) + " (" + attempt.at().getZone() + ")");
    if (trace != null && trace.deliveredTo() != null) {
      field("delivered to", trace.deliveredTo().toString());
    }
    if (trace != null && trace.seenAs() != null) {
      field("seen as", trace.seenAs().toString());
    }
    if (!conversation.segments().isEmpty()) {
      field("packets", attempt.talk() + ": " + story());
    }
    if (conversation.transfer() != null) {
      String heard = conversation.transfer().heard();
      field(
          "announced",
          "'"
              + conversation.transfer().said()
              + (conversation.transfer().encrypted() ? "', encrypted" : "'")
              + (heard == null
                  ? ", and not heard"
                  : heard.equals(conversation.transfer().said())
                      ? ", heard as it was said"
                      : ", heard as '" + heard + "'"));
    }
    if (!conversation.notThere().isEmpty()) {
      field("not passed", String.join(", ", conversation.notThere()));
    }
    for (String hint : conversation.hints()) {
      field("mind", hint);
    }
  }

  private String story() {
    List<String> packets = new ArrayList<>();
    for (Segment segment : conversation.segments()) {
      String lost = segment.delivered() ? "" : " (lost)";
      packets.add((segment.isReply() ? "← " : "→ ") + segment.what() + lost);
    }
    return String.join(", ", packets);
  }

  private void field(String name, String value) {
    int column = NAME_COLUMN + 4;
    out.append("  ").append(style.faint(TraceText.padded(name, NAME_COLUMN))).append("  ");
    out.append(Style.wrapped(value, column, column)).append('\n');
  }

  private void causes() {
    if (conversation.outcome() == Outcome.ANSWERED || diagnosis.obstacles().isEmpty()) {
      return;
    }
    out.append('\n').append(style.strong("Why")).append('\n');
    out.append(CauseText.of(diagnosis, "  ", style));
  }
}
