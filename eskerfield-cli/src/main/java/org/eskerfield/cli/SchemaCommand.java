package org.eskerfield.cli;

import java.util.concurrent.Callable;
import org.eskerfield.formats.Schemas;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** {@code eskerfield schema}. */
@Command(
    name = "schema",
    mixinStandardHelpOptions = true,
    description = "Prints the JSON Schema of what Eskerfield reads or writes, for editors and CI.")
final class SchemaCommand implements Callable<Integer> {
  @Parameters(
      arity = "0..1",
      paramLabel = "OF",
      defaultValue = "site",
      description = "One of: ${COMPLETION-CANDIDATES} (${DEFAULT-VALUE}).")
  private Schemas of = Schemas.SITE;

  @CommandLine.Spec private CommandLine.Model.@Nullable CommandSpec spec;

  @Override
  public Integer call() {
    if (spec != null) {
      spec.commandLine().getOut().print(of.text());
    }
    return Main.FINE;
  }
}
