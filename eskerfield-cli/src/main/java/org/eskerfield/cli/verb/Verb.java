// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.verb;

import java.io.IOException;
import java.nio.file.InvalidPathException;
import java.nio.file.Path;
import java.util.List;
import org.eskerfield.cli.text.ProblemText;
import org.eskerfield.cli.text.Style;
import org.eskerfield.cli.text.Terminal;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.file.WholeFile;
import org.eskerfield.formats.literal.Similar;
import org.eskerfield.formats.site.edit.CuredSite;
import org.eskerfield.formats.site.read.ExpectationReader;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Site;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Model.OptionSpec;
import picocli.CommandLine.Model.PositionalParamSpec;
import picocli.CommandLine.ParseResult;

/**
 * One verb of the command line. Verbs describe themselves in code and not by annotations: reading
 * annotations takes longer than all else that a short command does.
 */
public abstract class Verb {
  /** Everything is fine. */
  public static final int FINE = 0;

  /** The answer is no. */
  static final int NO = 1;

  /** The call or the input cannot be used. */
  public static final int UNUSABLE = 2;

  private final String name;
  private final String description;

  public Verb(String name, String description) {
    this.name = name;
    this.description = description;
  }

  public final String name() {
    return name;
  }

  /** Its options and arguments. */
  public final CommandSpec spec() {
    CommandSpec spec = CommandSpec.create().name(name);
    spec.usageMessage()
        .description(description)
        .width(Style.WIDTH)
        .sortOptions(false)
        .sortSynopsis(false);
    describe(spec);
    return spec.addOption(help());
  }

  /** Adds its own options, arguments and examples. */
  protected abstract void describe(CommandSpec spec);

  /** Whether it tells of other verbs, which are then described too: that takes its time. */
  public boolean asksForOthers() {
    return false;
  }

  /** Does it, and returns the exit status. */
  public abstract int run(ParseResult call, Terminal terminal) throws Exception;

  public static OptionSpec help() {
    return OptionSpec.builder("-h", "--help")
        .usageHelp(true)
        .type(boolean.class)
        .description("Show this help.")
        .build();
  }

  static OptionSpec option(String name, String label, String description) {
    return OptionSpec.builder(name)
        .type(String.class)
        .paramLabel(label)
        .description(description)
        .build();
  }

  /** An option that may be given several times. */
  static OptionSpec several(String name, String label, String description) {
    return OptionSpec.builder(name)
        .type(String[].class)
        .paramLabel(label)
        .description(description + " May be given several times.")
        .build();
  }

  static OptionSpec required(String name, String label, String description) {
    return OptionSpec.builder(option(name, label, description)).required(true).build();
  }

  static OptionSpec flag(String name, String description) {
    return OptionSpec.builder(name).type(boolean.class).description(description).build();
  }

  static PositionalParamSpec siteFile() {
    return PositionalParamSpec.builder()
        .paramLabel("SITE")
        .type(String.class)
        .arity("1")
        .index("0")
        .required(true)
        .description("The site file; - for standard input.")
        .build();
  }

  /** What may follow the site file. */
  static PositionalParamSpec expectationFiles() {
    return PositionalParamSpec.builder()
        .paramLabel("EXPECTATIONS")
        .type(List.class)
        .auxiliaryTypes(String.class)
        .arity("0..*")
        .index("1..*")
        .description("Files with more expectations than the site file has itself.")
        .build();
  }

  /** Reads the site file, and with it the expectations of the files that follow it. */
  static SiteFile readWithExpectations(ParseResult call)
      throws UnreadableSiteException, IOException {
    SiteFile file = readFile(call, siteName(call));
    List<String> more = call.matchedPositionalValue(1, List.of());
    for (String each : more) {
      file = ExpectationReader.read(path(call, each), file);
    }
    return file;
  }

  static String siteName(ParseResult call) {
    return call.matchedPositionalValue(0, "");
  }

  static Site readSite(ParseResult call) throws UnreadableSiteException, IOException {
    return readSite(call, siteName(call));
  }

  /** Reads the site of a file; {@code -} for standard input. */
  static Site readSite(ParseResult call, String file) throws UnreadableSiteException, IOException {
    return readFile(call, file).site();
  }

  /** Reads a site file; {@code -} for standard input. */
  static SiteFile readFile(ParseResult call, String file)
      throws UnreadableSiteException, IOException {
    if (file.equals("-")) {
      return SiteReader.read("standard-input", System.in);
    }
    return SiteReader.readFile(path(call, file));
  }

  /** The path that a text names. */
  static Path path(ParseResult call, String file) {
    try {
      return Path.of(file);
    } catch (InvalidPathException e) {
      throw new CommandLine.ParameterException(
          call.commandSpec().commandLine(), "'" + file + "' is no path of a file", e);
    }
  }

  /** The option that says where an answer goes. */
  static OptionSpec output(String description) {
    return OptionSpec.builder("-o", "--output")
        .type(String.class)
        .paramLabel("FILE")
        .description(description)
        .build();
  }

  /** Where the answer goes; null for standard output. */
  static @Nullable String output(ParseResult call) {
    String name = call.matchedOptionValue("--output", "-");
    return name.equals("-") ? null : name;
  }

  /** Writes the file that an option names, whole or not at all. */
  static void write(ParseResult call, String option, String name, byte[] bytes) {
    try {
      WholeFile.write(path(call, name), bytes);
    } catch (IOException e) {
      throw wrong(call, option + ": " + name + " cannot be written: " + ProblemText.reason(e));
    }
  }

  /** Puts a changed text in the place of a site file, and says so. */
  static String written(ParseResult call, CuredSite site, String name) {
    try {
      String besides = site.write(path(call, name));
      return "written to " + name + (besides == null ? "" : ", " + besides);
    } catch (WholeFile.ChangedException e) {
      throw wrong(call, "'" + name + "' was changed in the meantime; nothing is written");
    } catch (IOException e) {
      throw wrong(call, "'" + name + "' cannot be written: " + ProblemText.reason(e));
    }
  }

  /** What this program calls itself, with its version. */
  public static String version() {
    String version = Verb.class.getPackage().getImplementationVersion();
    return "eskerfield " + (version == null ? "(not packaged)" : version);
  }

  /** A call that cannot be used. */
  static CommandLine.ParameterException wrong(ParseResult call, String message) {
    return new CommandLine.ParameterException(call.commandSpec().commandLine(), message);
  }

  /** A part of a call that cannot be used, with what would be right. */
  static CommandLine.ParameterException unusable(ParseResult call, UnusableQuestionException e) {
    return wrong(call, e.getMessage() + "; " + e.remedy());
  }

  /** What somebody may have meant, to be put behind a message; empty if nothing is near. */
  static String meant(String text, List<String> names) {
    String near = Similar.didYouMean(text, names, "");
    return near.isEmpty() ? "" : "; " + near;
  }
}
