// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.verb;

import org.eskerfield.cli.text.Terminal;
import picocli.AutoComplete;
import picocli.CommandLine;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.ParseResult;

/** {@code eskerfield completion}. */
public final class CompletionVerb extends Verb {
  public CompletionVerb() {
    super("completion", "Prints a completion script for bash and zsh.");
  }

  @Override
  protected void describe(CommandSpec spec) {
    spec.usageMessage().footer("", "Example: source <(eskerfield completion)");
  }

  @Override
  public boolean asksForOthers() {
    return true;
  }

  @Override
  public int run(ParseResult call, Terminal terminal) {
    CommandLine root = call.commandSpec().root().commandLine();
    terminal.out().print(AutoComplete.bash(root.getCommandName(), root));
    return FINE;
  }
}
