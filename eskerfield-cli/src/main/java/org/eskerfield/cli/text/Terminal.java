// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.text;

import java.io.BufferedReader;
import java.io.IOException;
import java.io.PrintWriter;
import java.io.UncheckedIOException;
import org.jspecify.annotations.Nullable;

/**
 * What a command talks to.
 *
 * @param out results
 * @param err everything else
 * @param style colours and width
 * @param answers where a person's answers come from; null where nobody can be asked
 */
public record Terminal(
    PrintWriter out, PrintWriter err, Style style, @Nullable BufferedReader answers) {
  /** Whatever is written passes a {@link Screen}. */
  public Terminal {
    out = Screen.before(out);
    err = Screen.before(err);
  }

  /** One at which nobody can be asked. */
  public Terminal(PrintWriter out, PrintWriter err, Style style) {
    this(out, err, style, null);
  }

  /** Where help goes. */
  public PrintWriter help() {
    return Screen.behind(out);
  }

  /**
   * Asks a person.
   *
   * @return the answer without blanks around it; what is usual for an empty line; null where nobody
   *     answers
   */
  public @Nullable String ask(String question, String usual) {
    if (answers == null) {
      return null;
    }
    out.print(question + (usual.isEmpty() ? " " : " [" + usual + "] "));
    out.flush();
    try {
      String line = answers.readLine();
      if (line == null) {
        out.println(); // nobody has pressed Enter
      }
      return line == null ? null : line.isBlank() ? usual : line.strip();
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }
}
