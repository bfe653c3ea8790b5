// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.verb;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import org.eskerfield.cli.text.Terminal;
import org.eskerfield.formats.UnusableQuestionException;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine;
import picocli.CommandLine.ParseResult;

/**
 * What a person is asked who has left out options: each answer is tried at once, and asked for
 * again until it fits. What was answered so far is never lost: it is told as options.
 */
final class Interview {
  /** Reads an answer. */
  interface Reading<T> {
    /**
     * What an answer says.
     *
     * @throws UnusableQuestionException if it does not fit
     */
    T of(String answer) throws UnusableQuestionException;
  }

  private final ParseResult call;
  private final Terminal terminal;

  /** The options that say what was answered. */
  private final List<String> answered = new ArrayList<>();

  Interview(ParseResult call, Terminal terminal) {
    this.call = call;
    this.terminal = terminal;
  }

  /**
   * The value of an option, which is asked for where it is left out.
   *
   * @param usual the answer that an empty line stands for; empty for none
   */
  <T> T one(String option, String question, String usual, Reading<T> reading) {
    String given = call.matchedOptionValue(option, null);
    if (given != null) {
      return given(option, given, reading);
    }
    while (true) {
      String answer = terminal.ask(question, usual);
      if (answer == null && !usual.isEmpty()) {
        return given(option, usual, reading); // nobody can be asked
      }
      if (answer == null) {
        throw unfinished(option + " is missing: " + question);
      }
      T read = answer.isEmpty() ? null : tried(option, answer, reading);
      if (read != null) {
        return read;
      }
    }
  }

  /** Reads all values of an option; where it is left out they are asked for. */
  <T> List<T> several(String option, String question, Reading<T> reading) {
    List<T> all = new ArrayList<>();
    String[] given = call.matchedOptionValue(option, null);
    if (given != null) {
      for (String each : given) {
        all.add(given(option, each, reading));
      }
      return all;
    }
    String asked = question + "; empty to go on:";
    for (String answer = terminal.ask(asked, "");
        answer != null && !answer.isEmpty();
        answer = terminal.ask(asked, "")) {
      T read = tried(option, answer, reading);
      if (read != null) {
        all.add(read);
        asked = "  another one; empty to go on:";
      }
    }
    return all;
  }

  /** Whether an option is given or a person says yes. */
  boolean yes(String option, String question, boolean asked) {
    if (call.hasMatchedOption(option) || !asked) {
      return call.hasMatchedOption(option);
    }
    while (true) {
      String answer = terminal.ask(question, "no");
      if (answer == null || "no".startsWith(answer.toLowerCase(Locale.ROOT))) {
        return false;
      }
      if ("yes".startsWith(answer.toLowerCase(Locale.ROOT))) {
        answered.add(option);
        return true;
      }
      terminal.out().println("  answer yes or no");
    }
  }

  private <T> T given(String option, String text, Reading<T> reading) {
    try {
      return reading.of(text);
    } catch (UnusableQuestionException e) {
      throw unfinished(option + ": " + e.getMessage() + "; " + e.remedy());
    }
  }

  private <T> @Nullable T tried(String option, String answer, Reading<T> reading) {
    try {
      T read = reading.of(answer);
      answered.add(option + " " + (answer.contains(" ") ? "'" + answer + "'" : answer));
      return read;
    } catch (UnusableQuestionException e) {
      terminal.out().println("  " + e.getMessage());
      terminal.out().println("  " + e.remedy());
      return null;
    }
  }

  /** The call cannot be carried out; what a person has answered is told with it. */
  CommandLine.ParameterException unfinished(String why) {
    return Verb.wrong(
        call,
        answered.isEmpty()
            ? why
            : why
                + System.lineSeparator()
                + "  answers so far, as options: "
                + String.join(" ", answered));
  }
}
