// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli;

import java.io.BufferedReader;
import java.io.EOFException;
import java.io.FileDescriptor;
import java.io.FileInputStream;
import java.io.FileOutputStream;
import java.io.IOException;
import java.io.InputStreamReader;
import java.io.OutputStream;
import java.io.PrintWriter;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.FileSystemException;
import java.nio.file.Path;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.zip.ZipException;
import org.eskerfield.cli.text.ProblemText;
import org.eskerfield.cli.text.Style;
import org.eskerfield.cli.text.Terminal;
import org.eskerfield.cli.text.WatchedStream;
import org.eskerfield.cli.verb.CapacityVerb;
import org.eskerfield.cli.verb.CheckVerb;
import org.eskerfield.cli.verb.CompletionVerb;
import org.eskerfield.cli.verb.ConfirmVerb;
import org.eskerfield.cli.verb.DemoVerb;
import org.eskerfield.cli.verb.DiffVerb;
import org.eskerfield.cli.verb.DrawVerb;
import org.eskerfield.cli.verb.ExplainVerb;
import org.eskerfield.cli.verb.HelpVerb;
import org.eskerfield.cli.verb.LedgerVerb;
import org.eskerfield.cli.verb.MatchesVerb;
import org.eskerfield.cli.verb.NewVerb;
import org.eskerfield.cli.verb.OfferVerb;
import org.eskerfield.cli.verb.ReachVerb;
import org.eskerfield.cli.verb.ReplayVerb;
import org.eskerfield.cli.verb.ReportVerb;
import org.eskerfield.cli.verb.SchemaVerb;
import org.eskerfield.cli.verb.ServicesVerb;
import org.eskerfield.cli.verb.SubnetVerb;
import org.eskerfield.cli.verb.TraceVerb;
import org.eskerfield.cli.verb.Verb;
import org.eskerfield.cli.verb.VerifyVerb;
import org.eskerfield.cli.verb.WithdrawVerb;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.capture.UnreadableCaptureException;
import picocli.CommandLine;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Model.OptionSpec;
import picocli.CommandLine.ParseResult;

/** The command {@code eskerfield}. */
public final class Main {
  private Main() {}

  /** Runs a command line and exits with its status. */
  public static void main(String[] args) {
    // People write names in every script, so the encoding does not hang on the machine's settings.
    if (List.of(args).contains("--debug")) {
      Faults.showToo();
    }
    boolean dumb = "dumb".equals(System.getenv("TERM"));
    Terminal terminal =
        new Terminal(
            writer(new WatchedStream(new FileOutputStream(FileDescriptor.out), "the output")),
            writer(new FileOutputStream(FileDescriptor.err)),
            new Style(!dumb && CommandLine.Help.Ansi.AUTO.enabled()),
            Boolean.getBoolean("eskerfield.asks") ? reader() : null);
    int status;
    try {
      status = run(terminal, args);
      terminal.out().flush();
    } catch (Throwable e) { // what comes before a verb or after it, such as help on a full disk
      status = failed(terminal, "eskerfield", e);
    }
    terminal.err().flush();
    System.exit(status);
  }

  private static BufferedReader reader() {
    return new BufferedReader(
        new InputStreamReader(new FileInputStream(FileDescriptor.in), StandardCharsets.UTF_8));
  }

  private static PrintWriter writer(OutputStream stream) {
    return new PrintWriter(stream, false, StandardCharsets.UTF_8);
  }

  /** Runs a command line and returns its exit status. */
  static int run(Terminal terminal, String... args) {
    return run(
        List.of(
            new TraceVerb(),
            new VerifyVerb(),
            new CheckVerb(),
            new ReplayVerb(),
            new NewVerb(),
            new OfferVerb(),
            new WithdrawVerb(),
            new ExplainVerb(),
            new DiffVerb(),
            new DrawVerb(),
            new ReportVerb(),
            new ReachVerb(),
            new LedgerVerb(),
            new MatchesVerb(),
            new CapacityVerb(),
            new ConfirmVerb(),
            new SubnetVerb(),
            new ServicesVerb(),
            new DemoVerb(),
            new SchemaVerb(),
            new CompletionVerb(),
            new HelpVerb()),
        terminal,
        args);
  }

  static int run(List<Verb> all, Terminal terminal, String... args) {
    Map<String, Verb> verbs = new LinkedHashMap<>();
    for (Verb verb : all) {
      verbs.put(verb.name(), verb);
    }
    CommandLine line =
        new CommandLine(spec(described(verbs, args)))
            .setOut(terminal.help())
            .setErr(terminal.err())
            .setCaseInsensitiveEnumValuesAllowed(true)
            .setColorScheme(
                CommandLine.Help.defaultColorScheme(
                    terminal.style().colour()
                        ? CommandLine.Help.Ansi.ON
                        : CommandLine.Help.Ansi.OFF));
    Answers answers = new Answers(verbs, terminal);
    line.setParameterExceptionHandler(answers);
    line.setExecutionExceptionHandler(answers);
    line.setExecutionStrategy(answers);
    return line.execute(args);
  }

  /** The verb of a call where it has one of that name and asks for no other; else all of them. */
  private static Map<String, Verb> described(Map<String, Verb> verbs, String... args) {
    Verb called = args.length == 0 ? null : verbs.get(args[0]);
    return called == null || called.asksForOthers() ? verbs : Map.of(called.name(), called);
  }

  private static CommandSpec spec(Map<String, Verb> verbs) {
    CommandSpec root = CommandSpec.create().name("eskerfield");
    root.usageMessage()
        .width(Style.WIDTH)
        .description("Checks and traces the address translation and access rules of a site.")
        .synopsisSubcommandLabel("VERB")
        .commandListHeading("%nVerbs:%n")
        .footer(
            "",
            "Start with 'eskerfield demo'. 'eskerfield VERB --help' explains each verb.",
            "Exit status: 0 yes or done; 1 no (a finding, a failed expectation); 2 "
                + "unusable call or input.");
    root.addOption(Verb.help());
    root.addOption(
        OptionSpec.builder("--debug")
            .type(boolean.class)
            .scopeType(CommandLine.ScopeType.INHERIT)
            .hidden(true)
            .description("Show where in the program a fault happened.")
            .build());
    root.addOption(
        OptionSpec.builder("-V", "--version")
            .versionHelp(true)
            .type(boolean.class)
            .description("Show the version.")
            .build());
    root.version(Verb.version());
    for (Verb verb : verbs.values()) {
      root.addSubcommand(verb.name(), new CommandLine(verb.spec()));
    }
    return root;
  }

  /**
   * Runs the verb, and puts into words what keeps it from running. A class and not lambdas: those
   * for the interfaces of picocli cannot be in the archive of classes.
   */
  private record Answers(Map<String, Verb> verbs, Terminal terminal)
      implements CommandLine.IExecutionStrategy,
          CommandLine.IParameterExceptionHandler,
          CommandLine.IExecutionExceptionHandler {
    @Override
    public int execute(ParseResult call) {
      try {
        return answer(call);
      } catch (CommandLine.ParameterException e) {
        throw e;
      } catch (Throwable e) { // an error such as a full stack is no "no" either
        throw new CommandLine.ExecutionException(last(call), "failed", e);
      }
    }

    private int answer(ParseResult call) throws Exception {
      Integer helped = CommandLine.executeHelpRequest(call);
      if (helped != null) {
        return helped;
      }
      ParseResult part = call.subcommand();
      Verb verb = part == null ? null : verbs.get(part.commandSpec().name());
      if (part == null || verb == null) {
        call.commandSpec().commandLine().usage(terminal.help());
        return Verb.FINE;
      }
      return verb.run(part, terminal);
    }

    private static CommandLine last(ParseResult call) {
      ParseResult part = call.subcommand();
      return (part == null ? call : part).commandSpec().commandLine();
    }

    @Override
    public int handleParseException(CommandLine.ParameterException e, String[] args) {
      terminal.err().println(terminal.style().bad("eskerfield: ") + Misuse.of(e, args));
      String name = e.getCommandLine().getCommandSpec().qualifiedName();
      terminal.err().println("See '" + name + " --help'.");
      return Verb.UNUSABLE;
    }

    @Override
    public int handleExecutionException(Exception thrown, CommandLine command, ParseResult call) {
      return failed(terminal, command.getCommandSpec().qualifiedName(), thrown);
    }
  }

  /** Says in a sentence why a command failed, and returns its exit status. */
  private static int failed(Terminal terminal, String command, Throwable thrown) {
    String start = terminal.style().bad("eskerfield: ");
    Throwable e = thrown;
    while (e.getCause() != null
        && (e instanceof CommandLine.ExecutionException || e instanceof UncheckedIOException)) {
      e = e.getCause();
    }
    if (e instanceof WatchedStream.LostException output) {
      if (!output.isPipeClosed()) {
        terminal.err().println(start + output.getMessage());
      }
    } else if (e instanceof UnreadableSiteException site) {
      terminal.err().print(ProblemText.of(site.problems(), terminal.style()));
    } else if (e instanceof UnusableQuestionException question) {
      terminal.err().println(start + "--" + question.part() + ": " + question.getMessage());
      terminal.err().println("  " + question.remedy());
    } else if (e instanceof UnreadableCaptureException capture) {
      terminal.err().println(start + capture.getMessage());
      terminal.err().println("  " + capture.remedy());
    } else if (e instanceof EOFException || e instanceof ZipException) {
      terminal.err().println(start + "what is packed there is damaged, or cut off at its end");
      terminal.err().println("  take or pack it anew");
    } else if (e instanceof FileSystemException file) {
      String reason = ProblemText.reason(file);
      terminal.err().println(start + file.getFile() + " cannot be used: " + reason);
      terminal.err().println("  look whether it is there, and who may read it");
    } else if (e instanceof IOException io) {
      terminal.err().println(start + "reading or writing failed: " + ProblemText.reason(io));
      terminal.err().println("  look whether the input is open, and whether the disk is full");
    } else if (e instanceof OutOfMemoryError) {
      terminal.err().println(start + "the memory that Java may use is not enough for this");
      terminal.err().println("  give it more, such as JAVA_TOOL_OPTIONS=-Xmx4g");
    } else if (e instanceof StackOverflowError) {
      terminal.err().println(start + "something in the input stands too deep in itself");
      terminal.err().println("  take it apart, or give Java JAVA_TOOL_OPTIONS=-Xss16m");
      note(terminal, command, e);
    } else {
      terminal.err().println(start + "a fault of Eskerfield itself, not of your file: " + e);
      note(terminal, command, e);
    }
    return Verb.UNUSABLE;
  }

  /** Writes down where a fault happened, for those who can mend it. */
  private static void note(Terminal terminal, String command, Throwable e) {
    Path file = Faults.record(command, e);
    terminal
        .err()
        .println(
            file == null
                ? "  Please report it together with the command and the file."
                : "  Please report it together with the command, the file, and the end of " + file);
  }
}
