// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.verb;

import java.io.IOException;
import java.nio.file.Path;
import org.eskerfield.cli.text.ChangeText;
import org.eskerfield.cli.text.Style;
import org.eskerfield.cli.text.Terminal;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.answer.ChangeData;
import org.eskerfield.formats.answer.Json;
import org.eskerfield.formats.site.edit.PlannedChange;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.offer.Plan;
import org.eskerfield.offer.RefusedChangeException;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Model.PositionalParamSpec;
import picocli.CommandLine.ParseResult;

/** A verb that changes a site file: plans, shows, proves, asks, and only then writes. */
abstract class ChangeVerb extends Verb {
  ChangeVerb(String name, String description) {
    super(name, description);
  }

  static void describeHost(CommandSpec spec, String service) {
    spec.addPositional(siteFile());
    spec.addPositional(
        PositionalParamSpec.builder()
            .paramLabel("HOST")
            .type(String.class)
            .arity("1")
            .index("1")
            .required(true)
            .description(
                "The host: its name, a part of its name, or its address; an IPv6 address means "
                    + "over IPv6.")
            .build());
    spec.addPositional(
        PositionalParamSpec.builder()
            .paramLabel("SERVICE")
            .type(String.class)
            .arity("0..1")
            .index("2")
            .description(
                "The service as the host listens: "
                    + service
                    + "; may be left out if there is only one.")
            .build());
  }

  static void describeWriting(CommandSpec spec) {
    spec.addOption(flag("--yes", "Write without asking, if it is safe."));
    spec.addOption(flag("--dry-run", "Show the change without writing it."));
    spec.addOption(
        flag(
            "--even-so",
            "Write it even if it is not safe: new findings, broken expectations, packets that nobody"
                + " asked for."));
    spec.addOption(flag("--json", "Answer as JSON; see 'eskerfield schema offer'."));
  }

  /** Plans the change. */
  abstract Plan plan(ParseResult call, SiteFile file, Terminal terminal)
      throws UnusableQuestionException, RefusedChangeException;

  /** Works the plan out. */
  abstract @Nullable PlannedChange change(Path path, String name, SiteFile file, Plan plan)
      throws IOException;

  @Override
  public final int run(ParseResult call, Terminal terminal) throws Exception {
    String name = siteName(call);
    if (name.equals("-")) {
      throw wrong(call, "standard input cannot be changed; name a file");
    }
    Path path = path(call, name);
    SiteFile file = readFile(call, name);
    Style style = terminal.style();
    boolean json = call.hasMatchedOption("--json");
    Plan plan;
    try {
      plan =
          plan(call, file, json ? new Terminal(terminal.out(), terminal.err(), style) : terminal);
    } catch (UnusableQuestionException e) {
      throw unusable(call, e);
    } catch (RefusedChangeException e) {
      terminal
          .err()
          .println(style.bad("refused: ") + Style.wrapped(String.valueOf(e.getMessage()), 2, 9));
      terminal.err().println("  " + Style.wrapped(e.remedy(), 2, 2));
      terminal.err().println("  nothing was changed");
      return NO;
    }
    PlannedChange change = change(path, name, file, plan);
    if (change == null) {
      throw wrong(
          call, "the change cannot be written into this file as it is; nothing was changed");
    }
    if (!json) {
      terminal.out().print(new ChangeText(style).of(plan, change));
      terminal.out().println();
    }
    boolean same = change.changed().patch().isEmpty();
    if (same && !json) {
      terminal
          .out()
          .println(
              change.isSafe()
                  ? style.good("nothing has to be changed")
                  : style.bad("not as asked, and there is no rule to add that would change that"));
    }
    boolean writes = !same && writes(call, terminal, change, json);
    if (writes) {
      String written = written(call, change.changed(), name);
      terminal.out().print(json ? "" : style.good(written) + "\n");
    }
    if (json) {
      terminal.out().print(Json.of(ChangeData.of(plan, change, writes)));
    }
    return change.isSafe() || writes ? FINE : NO;
  }

  private static boolean writes(
      ParseResult call, Terminal terminal, PlannedChange change, boolean json) {
    boolean forced = call.hasMatchedOption("--even-so");
    boolean dry = call.hasMatchedOption("--dry-run");
    if (dry || (!change.isSafe() && !forced)) {
      if (!json) {
        terminal
            .out()
            .println(
                dry
                    ? "nothing was written (--dry-run)"
                    : terminal.style().bad("not safe, so nothing was written")
                        + "; --even-so writes it anyway");
      }
      return false;
    }
    if (call.hasMatchedOption("--yes")) {
      return true;
    }
    String answer = json ? null : terminal.ask("Write it?", "no");
    if (answer == null && !json) {
      terminal.out().println("nothing was written; --yes writes it");
    } else if (answer != null && !isYes(answer)) {
      terminal.out().println("nothing is written");
    }
    return answer != null && isYes(answer);
  }

  private static boolean isYes(String answer) {
    return answer.equalsIgnoreCase("y") || answer.equalsIgnoreCase("yes");
  }
}
