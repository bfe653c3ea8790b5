// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.verb;

import org.eskerfield.cli.text.Terminal;
import org.eskerfield.formats.schema.Schemas;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Model.PositionalParamSpec;
import picocli.CommandLine.ParseResult;

/** {@code eskerfield schema}. */
public final class SchemaVerb extends Verb {
  public SchemaVerb() {
    super(
        "schema", "Prints the JSON Schema of what Eskerfield reads or writes, for editors and CI.");
  }

  @Override
  protected void describe(CommandSpec spec) {
    spec.addPositional(
        PositionalParamSpec.builder()
            .paramLabel("OF")
            .type(Schemas.class)
            .arity("0..1")
            .index("0")
            .description("One of: ${COMPLETION-CANDIDATES}; the site file if left out.")
            .build());
  }

  @Override
  public int run(ParseResult call, Terminal terminal) {
    terminal.out().print(call.matchedPositionalValue(0, Schemas.SITE).text());
    return FINE;
  }
}
