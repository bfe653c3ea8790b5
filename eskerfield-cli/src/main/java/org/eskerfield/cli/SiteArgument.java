package org.eskerfield.cli;

import java.io.IOException;
import java.nio.file.InvalidPathException;
import java.nio.file.Path;
import org.eskerfield.formats.SiteReader;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.model.Site;
import picocli.CommandLine;
import picocli.CommandLine.Parameters;

/** The argument that names the site file. */
final class SiteArgument {
  @Parameters(
      paramLabel = "SITE",
      description = "The site file; - for standard input.",
      index = "0")
  private String file = "";

  @CommandLine.Spec(CommandLine.Spec.Target.MIXEE)
  private CommandLine.Model.CommandSpec spec;

  @SuppressWarnings("NullAway.Init") // picocli sets it before anything asks
  SiteArgument() {}

  /** The name as given. */
  String file() {
    return file;
  }

  Site read() throws UnreadableSiteException, IOException {
    if (file.equals("-")) {
      return SiteReader.read("standard-input", System.in);
    }
    try {
      return SiteReader.read(Path.of(file));
    } catch (InvalidPathException e) {
      throw new CommandLine.ParameterException(
          spec.commandLine(), "'" + file + "' is no path of a file");
    }
  }
}
