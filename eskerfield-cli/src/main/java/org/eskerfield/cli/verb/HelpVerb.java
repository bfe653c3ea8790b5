// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.verb;

import org.eskerfield.cli.text.Terminal;
import picocli.CommandLine;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Model.PositionalParamSpec;
import picocli.CommandLine.ParseResult;

/** {@code eskerfield help}. */
public final class HelpVerb extends Verb {
  public HelpVerb() {
    super("help", "Shows the help of a verb, or lists the verbs.");
  }

  @Override
  protected void describe(CommandSpec spec) {
    spec.addPositional(
        PositionalParamSpec.builder()
            .paramLabel("VERB")
            .type(String.class)
            .arity("0..1")
            .index("0")
            .description("The verb.")
            .build());
  }

  @Override
  public boolean asksForOthers() {
    return true;
  }

  @Override
  public int run(ParseResult call, Terminal terminal) {
    CommandLine root = call.commandSpec().root().commandLine();
    String verb = call.matchedPositionalValue(0, "");
    CommandLine about = verb.isEmpty() ? root : root.getSubcommands().get(verb);
    if (about == null) {
      throw new CommandLine.ParameterException(
          call.commandSpec().commandLine(),
          "there is no verb '"
              + verb
              + "', only "
              + String.join(", ", root.getSubcommands().keySet()));
    }
    about.usage(terminal.help());
    return FINE;
  }
}
