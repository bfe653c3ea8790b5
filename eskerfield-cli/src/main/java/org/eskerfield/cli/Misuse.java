// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Locale;
import org.eskerfield.explain.Sentences;
import org.eskerfield.formats.literal.Similar;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine;
import picocli.CommandLine.Model.ArgSpec;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Model.OptionSpec;
import picocli.CommandLine.Model.PositionalParamSpec;

/** Says what is wrong with the words of a call, and what to write instead. */
final class Misuse {
  private final CommandLine.ParameterException thrown;
  private final CommandSpec command;
  private final List<String> words;

  private Misuse(CommandLine.ParameterException thrown, String[] args) {
    this.thrown = thrown;
    this.command = thrown.getCommandLine().getCommandSpec();
    this.words = Arrays.asList(args);
  }

  static String of(CommandLine.ParameterException thrown, String[] args) {
    return new Misuse(thrown, args).text();
  }

  private String text() {
    if (thrown instanceof CommandLine.UnmatchedArgumentException unmatched) {
      return unmatched(unmatched.getUnmatched().get(0));
    }
    if (thrown instanceof CommandLine.MissingParameterException missing) {
      String unknown = unknownOption();
      return unknown == null ? missing(missing.getMissing()) : noSuch(unknown);
    }
    if (thrown instanceof CommandLine.OverwrittenOptionException twice) {
      return name(twice.getOverwritten()) + " stands there twice; name it once";
    }
    ArgSpec spec = thrown.getArgSpec();
    if (spec != null && thrown.getValue() != null && !isOurs()) {
      return wrongValue(spec, thrown.getValue());
    }
    return String.valueOf(thrown.getMessage());
  }

  /** Whether a verb has said it, and not the parser. */
  private boolean isOurs() {
    return thrown.getClass() == CommandLine.ParameterException.class
        && !String.valueOf(thrown.getMessage()).startsWith("Invalid value");
  }

  private String unmatched(String word) {
    if (word.length() > 1 && word.startsWith("-")) {
      return noSuch(word);
    }
    if (command.parent() == null) {
      return "there is no verb '"
          + word
          + "'; "
          + Similar.didYouMean(
              word, command.subcommands().keySet(), "'eskerfield --help' names them all");
    }
    List<String> takes = command.positionalParameters().stream().map(ArgSpec::paramLabel).toList();
    return "'"
        + word
        + "' is one word too many: "
        + command.name()
        + " takes "
        + (takes.isEmpty() ? "options only" : Sentences.listed(takes, "and"))
        + "; a value with blanks stands in quotes";
  }

  private String noSuch(String word) {
    String option = option(word);
    List<String> names = new ArrayList<>();
    for (OptionSpec each : command.options()) {
      List<String> all = each.hidden() ? List.of() : List.of(each.names());
      all.stream()
          .filter(name -> name.startsWith("--") == option.startsWith("--"))
          .forEach(names::add);
    }
    String remedy = option.length() < 3 ? "" : Similar.didYouMean(option, names, "");
    return command.name() + " has no option " + option + (remedy.isEmpty() ? "" : "; " + remedy);
  }

  /** A word without the value that is joined to it. */
  private static String option(String word) {
    return word.indexOf('=') < 0 ? word : word.substring(0, word.indexOf('='));
  }

  /** A word of the call that looks like an option and is none. */
  private @Nullable String unknownOption() {
    for (String word : words) {
      String option = option(word);
      if (option.matches("--[a-z-]+") && !command.optionsMap().containsKey(option)) {
        return word;
      }
    }
    return null;
  }

  private String missing(List<ArgSpec> missing) {
    List<String> all = new ArrayList<>();
    for (ArgSpec each : missing) {
      if (each instanceof OptionSpec option
          && Arrays.stream(option.names()).anyMatch(words::contains)) {
        return option.longestName() + " needs a value: " + option.paramLabel();
      }
      if (each instanceof PositionalParamSpec && missing.size() == 1) {
        return command.name() + " needs " + each.paramLabel() + ": " + described(each);
      }
      all.add(
          each instanceof OptionSpec option
              ? option.longestName() + " " + option.paramLabel()
              : each.paramLabel());
    }
    return command.name() + " needs " + Sentences.listed(all, "and");
  }

  private static String described(ArgSpec spec) {
    String first = String.join(" ", spec.description()).split("\\.( |$)|;", 2)[0];
    boolean word = first.length() > 1 && Character.isLowerCase(first.charAt(1));
    return word ? first.substring(0, 1).toLowerCase(Locale.ROOT) + first.substring(1) : first;
  }

  private static String wrongValue(ArgSpec spec, String value) {
    Class<?> type = spec.type();
    String start = name(spec) + ": '" + value + "' is ";
    if (type.isEnum()) {
      List<String> words = new ArrayList<>();
      for (Object each : type.getEnumConstants()) {
        words.add(each.toString().toLowerCase(Locale.ROOT));
      }
      return start + "none of " + String.join(", ", words);
    }
    return type == boolean.class || type == Boolean.class
        ? name(spec) + " takes no value; write it alone"
        : start + "no number";
  }

  private static String name(ArgSpec spec) {
    return spec instanceof OptionSpec option ? option.longestName() : spec.paramLabel();
  }
}
