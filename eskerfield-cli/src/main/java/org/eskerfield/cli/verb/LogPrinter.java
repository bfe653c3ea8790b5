// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.verb;

import java.io.Closeable;
import java.io.IOException;
import java.io.PrintWriter;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.time.ZonedDateTime;
import java.util.List;
import java.util.Locale;
import java.util.function.Consumer;
import org.eskerfield.cli.text.ProblemText;
import org.eskerfield.cli.text.Screen;
import org.eskerfield.cli.text.Style;
import org.eskerfield.cli.text.Terminal;
import org.eskerfield.cli.text.WatchedStream;
import org.eskerfield.formats.file.WholeFile;
import org.eskerfield.formats.log.LogLines;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Named;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Header;
import org.eskerfield.trace.LogEntry;
import org.eskerfield.trace.Moments;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.ParseResult;

/** Writes the lines of the log that a call asks for, as they happen. */
final class LogPrinter implements Consumer<LogEntry>, Closeable {
  private static final List<String> FORMATS = List.of("text", "rfc5424", "jsonl");

  private final @Nullable PrintWriter out;
  private final @Nullable WholeFile whole;
  private final String format;
  private final Style style;
  private final ZonedDateTime start;
  private final @Nullable String list;
  private final @Nullable String rule;
  private final @Nullable String done;
  private final @Nullable String hostName;
  private final List<String> addresses;

  private LogPrinter(
      ParseResult call,
      Site site,
      ZonedDateTime start,
      @Nullable PrintWriter out,
      @Nullable WholeFile whole,
      Style style) {
    this.out = out;
    this.whole = whole;
    this.style = style;
    this.start = start;
    format = oneOf(call, "--log-as", FORMATS, "text");
    list = call.matchedOptionValue("--log-list", null);
    rule = call.matchedOptionValue("--log-rule", null);
    done =
        call.hasMatchedOption("--log-done")
            ? oneOf(
                call,
                "--log-done",
                List.of("accepted", "dropped", "rejected", "exhausted"),
                "accepted")
            : null;
    hostName = call.matchedOptionValue("--log-host", null);
    Host host = hostName == null ? null : site.hosts().get(hostName);
    addresses =
        host != null
            ? host.addresses().stream().map(Object::toString).toList()
            : hostName == null ? List.of() : List.of(hostName);
    if (list != null) {
      mustExist(call, "--log-list", list, site, false);
    }
    if (rule != null) {
      mustExist(call, "--log-rule", rule, site, true);
    }
    if (hostName != null
        && host == null
        && !hostName.matches("[0-9A-Fa-f.:]*[0-9:][0-9A-Fa-f.:]*")) {
      throw wrong(call, "--log-host: no host is called '" + hostName + "'");
    }
  }

  /** Adds the options that ask for the log. */
  static void describe(CommandSpec spec) {
    spec.addOption(
        Verb.flag(
            "--log",
            "Show what rules asked to be logged, and senders for whom no port or address was left, as it happens."));
    spec.addOption(
        Verb.option("--log-as", "FORMAT", "text (if left out), rfc5424 or jsonl, one line each."));
    spec.addOption(
        Verb.option("--log-to", "FILE", "Write the log to a file, and not to the screen."));
    spec.addOption(Verb.option("--log-list", "NAME", "Only what rules of this list log."));
    spec.addOption(Verb.option("--log-rule", "NAME", "Only what this rule logs."));
    spec.addOption(
        Verb.option("--log-host", "HOST", "Only packets from or to this host or address."));
    spec.addOption(
        Verb.option(
            "--log-done", "DONE", "Only accepted, dropped, rejected or exhausted packets."));
  }

  /**
   * What a call wants of the log.
   *
   * @throws CommandLine.ParameterException if that cannot be
   */
  static LogPrinter of(ParseResult call, Site site, ZonedDateTime start, Terminal terminal) {
    String file = call.matchedOptionValue("--log-to", null);
    boolean wanted = false;
    for (String option :
        List.of("--log", "--log-as", "--log-list", "--log-rule", "--log-host", "--log-done")) {
      wanted |= call.hasMatchedOption(option);
    }
    if (file == null) {
      PrintWriter out = wanted ? terminal.out() : null;
      return new LogPrinter(call, site, start, out, null, terminal.style());
    }
    // Looked at before the file is touched, so that a wrong call costs nobody a file.
    new LogPrinter(call, site, start, null, null, terminal.style());
    if (Files.isDirectory(Path.of(file))) {
      throw wrong(call, "--log-to: " + file + " is a folder");
    }
    try {
      WholeFile whole = WholeFile.open(Path.of(file));
      WatchedStream stream = new WatchedStream(whole.stream(), "--log-to: " + file);
      PrintWriter out = Screen.before(new PrintWriter(stream, false, StandardCharsets.UTF_8));
      return new LogPrinter(call, site, start, out, whole, Style.PLAIN);
    } catch (IOException e) {
      throw wrong(call, "--log-to: " + file + " cannot be written: " + ProblemText.reason(e));
    }
  }

  private static CommandLine.ParameterException wrong(ParseResult call, String message) {
    return new CommandLine.ParameterException(call.commandSpec().commandLine(), message);
  }

  private static String oneOf(
      ParseResult call, String option, List<String> words, String otherwise) {
    String word = call.matchedOptionValue(option, otherwise).toLowerCase(Locale.ROOT);
    if (!words.contains(word)) {
      throw wrong(call, option + ": '" + word + "' is none of " + String.join(", ", words));
    }
    return word;
  }

  private static void mustExist(
      ParseResult call, String option, String name, Site site, boolean isRule) {
    for (Device device : site.devices().values()) {
      boolean found =
          isRule
              ? device.translation().stream().anyMatch(each -> each.name().equals(name))
                  || device.access().stream()
                      .flatMap(each -> each.rules().stream())
                      .map(AccessRule::name)
                      .anyMatch(name::equals)
              : device.access().stream().anyMatch(each -> each.name().equals(name));
      if (found) {
        return;
      }
    }
    throw wrong(call, option + ": no " + (isRule ? "rule" : "list") + " is called '" + name + "'");
  }

  @Override
  public void accept(LogEntry entry) {
    if (out != null && matches(entry)) {
      out.println(
          switch (format) {
            case "rfc5424" -> LogLines.rfc5424(entry).replace('\ufeff', Screen.MARK);
            case "jsonl" -> LogLines.json(entry);
            default -> text(entry);
          });
    }
  }

  private boolean matches(LogEntry entry) {
    Placed by = entry.decision().by();
    Header header = entry.decision().before();
    return (list == null || (entry.list() != null && entry.list().name().equals(list)))
        && (rule == null || (by instanceof Named named && named.name().equals(rule)))
        && (done == null || entry.done().toString().equals(done))
        && (hostName == null
            || addresses.contains(header.source().toString())
            || addresses.contains(header.destination().toString()));
  }

  private String text(LogEntry entry) {
    String time = Moments.text(Duration.between(start, entry.at()));
    String before = "log  " + time + " ".repeat(Math.max(1, 10 - time.length()));
    Placed by = entry.decision().by();
    String text =
        entry.device() + " " + entry.decision().text() + ": " + entry.decision().before().line();
    String place = by == null ? null : by.place().toString();
    return before + style.placed(text, place, before.length(), before.length());
  }

  /** Everything has been logged: now the file that an option names stands there. */
  void complete() throws IOException {
    if (whole != null && out != null) {
      out.flush();
      whole.complete();
    }
  }

  /** Takes away a file that is not complete. */
  @Override
  public void close() throws IOException {
    if (whole != null) {
      whole.close();
    }
  }
}
