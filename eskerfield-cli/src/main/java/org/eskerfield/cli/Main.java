package org.eskerfield.cli;

import java.io.FileDescriptor;
import java.io.FileOutputStream;
import java.io.PrintStream;
import java.io.PrintWriter;
import java.nio.charset.StandardCharsets;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.UnusableQuestionException;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine;
import picocli.CommandLine.Command;

/** The command {@code eskerfield}. */
@Command(
    name = "eskerfield",
    description = "Checks and traces the address translation and access rules of a site.",
    mixinStandardHelpOptions = true,
    versionProvider = Main.Version.class,
    synopsisSubcommandLabel = "VERB",
    subcommands = {
      TraceCommand.class,
      CheckCommand.class,
      DemoCommand.class,
      SchemaCommand.class,
      CompletionCommand.class,
      CommandLine.HelpCommand.class
    },
    commandListHeading = "%nVerbs:%n",
    footer = {
      "",
      "Begin with 'eskerfield demo'. 'eskerfield VERB --help' tells more of each verb.",
      "Exit status: 0 fine; 1 the answer is no; 2 the call or the input cannot be used."
    })
public final class Main implements Runnable {
  /** Everything is fine. */
  static final int FINE = 0;

  /** The answer is no. */
  static final int NO = 1;

  /** The call or the input cannot be used. */
  static final int UNUSABLE = 2;

  @CommandLine.Spec private CommandLine.Model.@Nullable CommandSpec spec;

  private Main() {}

  /** The version in the manifest of the jar. */
  static final class Version implements CommandLine.IVersionProvider {
    @Override
    public String[] getVersion() {
      String version = Main.class.getPackage().getImplementationVersion();
      return new String[] {"eskerfield " + (version == null ? "(not packaged)" : version)};
    }
  }

  /** Runs a command line and exits with its status. */
  public static void main(String[] args) {
    // People write names in every script, so the encoding does not hang on the machine's settings.
    PrintWriter out = writer(FileDescriptor.out);
    PrintWriter err = writer(FileDescriptor.err);
    int status = run(out, err, new Style(CommandLine.Help.Ansi.AUTO.enabled()), args);
    out.flush();
    err.flush();
    System.exit(status);
  }

  private static PrintWriter writer(FileDescriptor descriptor) {
    return new PrintWriter(
        new PrintStream(new FileOutputStream(descriptor), false, StandardCharsets.UTF_8),
        false,
        StandardCharsets.UTF_8);
  }

  /** Runs a command line and returns its exit status. */
  static int run(PrintWriter out, PrintWriter err, Style style, String... args) {
    CommandLine line =
        new CommandLine(new Main(), new Factory(style))
            .setOut(out)
            .setErr(err)
            .setColorScheme(CommandLine.Help.defaultColorScheme(style.ansi()))
            .setUsageHelpWidth(100)
            .setCaseInsensitiveEnumValuesAllowed(true);
    line.setParameterExceptionHandler((e, given) -> explainCall(err, style, e));
    line.setExecutionExceptionHandler((e, command, result) -> explainInput(err, style, e));
    return line.execute(args);
  }

  /** Hands the style to the verbs, which picocli makes. */
  private record Factory(Style style) implements CommandLine.IFactory {
    @Override
    public <K> K create(Class<K> type) throws Exception {
      if (type.equals(TraceCommand.class)) {
        return type.cast(new TraceCommand(style));
      }
      if (type.equals(CheckCommand.class)) {
        return type.cast(new CheckCommand(style));
      }
      if (type.equals(DemoCommand.class)) {
        return type.cast(new DemoCommand(style));
      }
      return CommandLine.defaultFactory().create(type);
    }
  }

  private static int explainCall(PrintWriter err, Style style, CommandLine.ParameterException e) {
    err.println(style.bad("eskerfield: ") + e.getMessage());
    CommandLine.UnmatchedArgumentException.printSuggestions(e, err);
    String name = e.getCommandLine().getCommandSpec().qualifiedName();
    err.println("See '" + name + " --help'.");
    return UNUSABLE;
  }

  private static int explainInput(PrintWriter err, Style style, Exception e) {
    if (e instanceof UnreadableSiteException site) {
      err.print(ProblemText.of(site.problems(), style));
    } else if (e instanceof UnusableQuestionException question) {
      err.println(
          style.bad("eskerfield: ") + "--" + question.part() + ": " + question.getMessage());
      err.println("  " + question.remedy());
    } else {
      err.println(
          style.bad("eskerfield: ") + "a fault of Eskerfield itself, not of your file: " + e);
      err.println("  Please report it together with the command and the file.");
    }
    return UNUSABLE;
  }

  /** Without a verb, tells what there is. */
  @Override
  public void run() {
    if (spec != null) {
      spec.commandLine().usage(spec.commandLine().getOut());
    }
  }
}
