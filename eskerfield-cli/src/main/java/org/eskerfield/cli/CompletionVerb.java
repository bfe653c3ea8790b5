// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli;

import picocli.AutoComplete;
import picocli.CommandLine;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.ParseResult;

/** {@code eskerfield completion}. */
final class CompletionVerb extends Verb {
  CompletionVerb() {
    super("completion", "Prints a completion script for bash and zsh.");
  }

  @Override
  void describe(CommandSpec spec) {
    spec.usageMessage().footer("", "Example: source <(eskerfield completion)");
  }

  @Override
  boolean asksForOthers() {
    return true;
  }

  @Override
  int run(ParseResult call, Terminal terminal) {
    CommandLine root = call.commandSpec().root().commandLine();
    terminal.out().print(AutoComplete.bash(root.getCommandName(), root));
    return FINE;
  }
}
