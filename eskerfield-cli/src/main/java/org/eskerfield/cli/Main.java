package org.eskerfield.cli;

import java.io.BufferedReader;
import java.io.EOFException;
import java.io.FileDescriptor;
import java.io.FileInputStream;
import java.io.FileOutputStream;
import java.io.InputStreamReader;
import java.io.PrintWriter;
import java.nio.charset.StandardCharsets;
import java.nio.file.FileSystemException;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.zip.ZipException;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.UnusableQuestionException;
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
    Terminal terminal =
        new Terminal(
            writer(FileDescriptor.out),
            writer(FileDescriptor.err),
            new Style(CommandLine.Help.Ansi.AUTO.enabled()),
            Boolean.getBoolean("eskerfield.asks") ? reader() : null);
    int status = run(terminal, args);
    terminal.out().flush();
    terminal.err().flush();
    System.exit(status);
  }

  private static BufferedReader reader() {
    return new BufferedReader(
        new InputStreamReader(new FileInputStream(FileDescriptor.in), StandardCharsets.UTF_8));
  }

  private static PrintWriter writer(FileDescriptor descriptor) {
    return new PrintWriter(new FileOutputStream(descriptor), false, StandardCharsets.UTF_8);
  }

  /** Runs a command line and returns its exit status. */
  static int run(Terminal terminal, String... args) {
    Map<String, Verb> verbs = new LinkedHashMap<>();
    for (Verb verb :
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
            new LedgerVerb(),
            new SubnetVerb(),
            new ServicesVerb(),
            new DemoVerb(),
            new SchemaVerb(),
            new CompletionVerb(),
            new HelpVerb())) {
      verbs.put(verb.name(), verb);
    }
    CommandLine line =
        new CommandLine(spec(verbs))
            .setOut(terminal.out())
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

  private static CommandSpec spec(Map<String, Verb> verbs) {
    CommandSpec root = CommandSpec.create().name("eskerfield");
    root.usageMessage()
        .width(Style.WIDTH)
        .description("Checks and traces the address translation and access rules of a site.")
        .synopsisSubcommandLabel("VERB")
        .commandListHeading("%nVerbs:%n")
        .footer(
            "",
            "Begin with 'eskerfield demo'. 'eskerfield VERB --help' tells more of each verb.",
            "Exit status: 0 fine; 1 the answer is no; 2 the call or the input cannot be used.");
    root.addOption(Verb.help());
    root.addOption(
        OptionSpec.builder("-V", "--version")
            .versionHelp(true)
            .type(boolean.class)
            .description("Show the version.")
            .build());
    String version = Main.class.getPackage().getImplementationVersion();
    root.version("eskerfield " + (version == null ? "(not packaged)" : version));
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
      Integer helped = CommandLine.executeHelpRequest(call);
      if (helped != null) {
        return helped;
      }
      ParseResult part = call.subcommand();
      Verb verb = part == null ? null : verbs.get(part.commandSpec().name());
      if (part == null || verb == null) {
        call.commandSpec().commandLine().usage(terminal.out());
        return Verb.FINE;
      }
      try {
        return verb.run(part, terminal);
      } catch (CommandLine.ParameterException e) {
        throw e;
      } catch (Exception e) {
        throw new CommandLine.ExecutionException(part.commandSpec().commandLine(), verb.name(), e);
      }
    }

    @Override
    public int handleParseException(CommandLine.ParameterException e, String[] args) {
      terminal.err().println(terminal.style().bad("eskerfield: ") + e.getMessage());
      CommandLine.UnmatchedArgumentException.printSuggestions(e, terminal.err());
      String name = e.getCommandLine().getCommandSpec().qualifiedName();
      terminal.err().println("See '" + name + " --help'.");
      return Verb.UNUSABLE;
    }

    @Override
    public int handleExecutionException(Exception thrown, CommandLine command, ParseResult call) {
      String start = terminal.style().bad("eskerfield: ");
      Throwable e = thrown instanceof CommandLine.ExecutionException ? thrown.getCause() : thrown;
      if (e instanceof UnreadableSiteException site) {
        terminal.err().print(ProblemText.of(site.problems(), terminal.style()));
      } else if (e instanceof UnusableQuestionException question) {
        terminal.err().println(start + "--" + question.part() + ": " + question.getMessage());
        terminal.err().println("  " + question.remedy());
      } else if (e instanceof EOFException || e instanceof ZipException) {
        terminal.err().println(start + "what is packed there is damaged, or cut off at its end");
        terminal.err().println("  take or pack it anew");
      } else if (e instanceof FileSystemException file) {
        String reason = Verb.reason(file);
        terminal.err().println(start + file.getFile() + " cannot be used: " + reason);
        terminal.err().println("  look whether it is there, and who may read it");
      } else {
        terminal.err().println(start + "a fault of Eskerfield itself, not of your file: " + e);
        terminal.err().println("  Please report it together with the command and the file.");
      }
      return Verb.UNUSABLE;
    }
  }
}
