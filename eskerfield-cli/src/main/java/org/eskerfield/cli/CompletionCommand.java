package org.eskerfield.cli;

import java.util.concurrent.Callable;
import org.jspecify.annotations.Nullable;
import picocli.AutoComplete;
import picocli.CommandLine;
import picocli.CommandLine.Command;

/** {@code eskerfield completion}. */
@Command(
    name = "completion",
    mixinStandardHelpOptions = true,
    description = "Prints a completion script for bash and zsh.",
    footer = {"", "Example: source <(eskerfield completion)"})
final class CompletionCommand implements Callable<Integer> {
  @CommandLine.Spec private CommandLine.Model.@Nullable CommandSpec spec;

  @Override
  public Integer call() {
    if (spec != null) {
      CommandLine root = spec.root().commandLine();
      spec.commandLine().getOut().print(AutoComplete.bash(root.getCommandName(), root));
    }
    return Main.FINE;
  }
}
