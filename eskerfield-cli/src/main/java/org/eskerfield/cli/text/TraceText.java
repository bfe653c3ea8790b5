// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.text;

import java.util.ArrayList;
import java.util.EnumSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Set;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Placed;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Header;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Endpoint;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Trace;
import org.jspecify.annotations.Nullable;

/** Lays out a trace for people: the outcome and its reason first, then the way there and back. */
public final class TraceText {
  private static final int TEXT_COLUMN = 18;

  /** Decisions that change nothing and only say that the packet went on. */
  private static final Set<Ruling> QUIET =
      EnumSet.of(
          Ruling.ARRIVED,
          Ruling.FLOW_IS_NEW,
          Ruling.DESTINATION_KEPT,
          Ruling.SOURCE_KEPT,
          Ruling.SESSION_NOT_NEEDED,
          Ruling.SESSION_RECORDED);

  /** Decisions of the site's own policy, which a summary shows. */
  private static final Set<Ruling> POLICY =
      EnumSet.of(
          Ruling.DESTINATION_TRANSLATED,
          Ruling.SOURCE_TRANSLATED,
          Ruling.UNTOUCHED,
          Ruling.ADMITTED,
          Ruling.ACCEPTED_BY_RULE,
          Ruling.ACCEPTED_OTHERWISE,
          Ruling.ACCEPTED_BY_STANCE);

  private final Trace trace;
  private final Style style;
  private final StringBuilder out = new StringBuilder();

  public TraceText(Trace trace, Style style) {
    this.trace = trace;
    this.style = style;
  }

  /** The way there and back, decision by decision. */
  public String legs() {
    direction("Request", trace.request());
    if (trace.reply().isEmpty()) {
      out.append('\n').append(style.strong("Reply")).append("  none\n");
    } else {
      direction("Reply", trace.reply());
    }
    return out.toString();
  }

  /** The way of one packet, decision by decision. */
  static String direction(String title, List<Leg> legs, Trace trace, Style style) {
    TraceText text = new TraceText(trace, style);
    text.direction(title, legs);
    return text.out.toString();
  }

  /** The outcome in short, the way, and the rules that had a part in it. */
  String summary(String indent) {
    outcome(indent);
    out.append(indent).append("  ").append(style.faint("way: ")).append(names(trace.request()));
    out.append(trace.reply().isEmpty() ? "" : ", and back").append('\n');
    for (Leg leg : trace.request()) {
      Map<Placed, String> effects = new LinkedHashMap<>(); // a rule may do several things
      for (Decision decision : leg.decisions()) {
        Placed by = decision.by();
        if (by != null && POLICY.contains(decision.ruling())) {
          String before = effects.get(by);
          effects.put(by, before == null ? effect(decision) : before + ", " + effect(decision));
        }
      }
      for (Map.Entry<Placed, String> entry : effects.entrySet()) {
        String place = entry.getKey().place().toString();
        int column = indent.length() + 2 + place.length() + 2;
        String text = leg.where() + ", " + Labels.of(entry.getKey()) + ": " + entry.getValue();
        out.append(indent).append("  ").append(style.place(place)).append("  ");
        out.append(Style.wrapped(text, column, column)).append('\n');
      }
    }
    return out.toString();
  }

  private static String effect(Decision decision) {
    return switch (decision.ruling()) {
      case DESTINATION_TRANSLATED -> "now to " + decision.after().destinationText();
      case SOURCE_TRANSLATED -> "now from " + decision.after().sourceText();
      case UNTOUCHED -> "left as it is";
      default -> "accepted";
    };
  }

  public static String names(List<Leg> legs) {
    List<String> names = new ArrayList<>();
    for (Leg leg : legs) {
      names.add(leg.where());
    }
    return String.join(" → ", names);
  }

  private void outcome(String indent) {
    String word = trace.outcome().toString();
    int column = indent.length() + word.length() + 2;
    out.append(indent).append(style.outcome(trace.outcome())).append("  ");
    Endpoint by = trace.deliveredTo();
    Endpoint seenAs = trace.seenAs();
    if (trace.outcome() == Outcome.ANSWERED && by != null && seenAs != null) {
      // The rules follow, so the reason need not name them.
      String text = "by " + by + ", which sees the sender as " + seenAs;
      out.append(Style.wrapped(text, column, column)).append('\n');
      return;
    }
    String place = ConversationText.place(trace.decidedBy());
    out.append(style.placed(trace.reason(), place, column, column)).append('\n');
  }

  static String padded(String text, int width) {
    return text + " ".repeat(Math.max(0, width - text.length()));
  }

  private void direction(String title, List<Leg> legs) {
    out.append('\n').append(style.strong(title)).append('\n');
    int number = 1;
    for (Leg leg : legs) {
      out.append(number < 10 ? "  " : " ").append(number++).append(' ');
      out.append(style.strong(leg.where()));
      out.append(interfaces(leg));
      List<Decision> decisions = leg.decisions();
      Header before = decisions.get(0).before();
      Header after = decisions.get(decisions.size() - 1).after();
      out.append("  ").append(style.faint(before.line())).append('\n');
      for (Decision decision : decisions) {
        line(
            decision.ruling().step().toString(),
            decision.text() + (decision.logged() ? ", and logs it" : ""),
            placeOf(decision),
            QUIET.contains(decision.ruling()));
      }
      if (!before.sourceText().equals(after.sourceText())
          || !before.destinationText().equals(after.destinationText())
          || before.sourcePort() != after.sourcePort()
          || !Objects.equals(before.size(), after.size())) {
        line("now", after.toString(), null, false);
      }
    }
  }

  private String interfaces(Leg leg) {
    if (leg.kind() != Leg.Kind.DEVICE) {
      return "";
    }
    String in = leg.arriving() == null ? "itself" : leg.arriving().name();
    Interface leaving = leg.leaving();
    return "  " + in + " → " + (leaving == null ? "ends here" : leaving.name());
  }

  private static @Nullable String placeOf(Decision decision) {
    Placed by = decision.by();
    Ruling ruling = decision.ruling();
    return by == null
            || by.place().line() == 0
            || ruling == Ruling.ARRIVED
            || ruling == Ruling.CARRIED
        ? null
        : by.place().toString();
  }

  private void line(String step, String text, @Nullable String place, boolean quiet) {
    out.append("      ").append(style.faint(padded(step, TEXT_COLUMN - 6)));
    String laid = style.placed(text, place, TEXT_COLUMN, TEXT_COLUMN);
    out.append(quiet ? style.faint(laid) : laid).append('\n');
  }
}
