// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.verb;

import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Locale;
import java.util.Set;
import org.eskerfield.cause.Diagnosis;
import org.eskerfield.cli.text.ConversationText;
import org.eskerfield.cli.text.CureText;
import org.eskerfield.cli.text.Terminal;
import org.eskerfield.formats.answer.CureData;
import org.eskerfield.formats.answer.Json;
import org.eskerfield.formats.answer.TraceData;
import org.eskerfield.formats.answer.Tree;
import org.eskerfield.formats.capture.Viewpoint;
import org.eskerfield.formats.site.edit.SmallestChange;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.model.Device;
import org.eskerfield.model.Named;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Endpoint;
import org.eskerfield.trace.FileTransfer;
import org.eskerfield.trace.Question;
import org.eskerfield.trace.Trace;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Model.OptionSpec;
import picocli.CommandLine.ParseResult;

/** {@code eskerfield trace}. */
public final class TraceVerb extends Verb {
  public TraceVerb() {
    super(
        "trace",
        "Follows a conversation through the site, there and back, and gives the reason for its fate.");
  }

  @Override
  protected void describe(CommandSpec spec) {
    spec.addPositional(siteFile());
    spec.addOption(senders());
    spec.addOption(
        required(
            "--to",
            "WHERE",
            "Destination: a host, a device, a name or an address; :PORT may follow."));
    spec.addOption(
        required("--service", "WHAT", "Service: 443/tcp, the name of a service, or ping."));
    spec.addOption(
        option(
            "--at",
            "TIME",
            "Time, in the time zone of the site: 2026-11-23T10:00, 'sunday 10:00', 10:00. "
                + "Default: a Monday at 09:00."));
    spec.addOption(
        OptionSpec.builder("--source-port")
            .paramLabel("PORT")
            .type(int.class)
            .defaultValue(Integer.toString(Question.DEFAULT_SOURCE_PORT))
            .description(
                "The port of the sender, or the identifier of its ping (default "
                    + "${DEFAULT-VALUE}).")
            .build());
    describeSize(spec);
    describeTransfer(spec);
    spec.addOption(
        flag(
            "--packets",
            "Show the path of every packet, not only of those that decide the outcome."));
    spec.addOption(
        flag(
            "--together",
            "Send one after the other: what each sender opens stays open for the next ones."));
    spec.addOption(
        option(
            "--expect",
            "OUTCOME",
            "Exit with status 1 unless the outcome is this one: answered, refused, "
                + "dropped, exhausted, unroutable or unanswered; by whom may follow, as in "
                + "'answered by ramp'."));
    spec.addOption(
        flag(
            "--cure",
            "If it is not answered, show the smallest change of the file that lets it "
                + "through, and what else it would let in."));
    CaptureFile.describe(spec, "at the sender");
    spec.addOption(flag("--json", "Answer as JSON; see 'eskerfield schema trace'."));
    spec.usageMessage()
        .footer(
            "",
            "Example: eskerfield trace demo/marrowby.site.yaml --from passenger \\",
            "           --to booking.marrowby.example --service https");
  }

  private static void describeSize(CommandSpec spec) {
    spec.addOption(
        OptionSpec.builder("--size")
            .paramLabel("BYTES")
            .type(Integer.class)
            .description(
                "Size of the packet in bytes, with its IP header; for TCP each full segment of the"
                    + " connection.")
            .build());
    spec.addOption(
        flag(
            "--may-fragment",
            "Let devices fragment a packet whose size is given: IPv4 without the "
                + "don't-fragment bit."));
  }

  private static OptionSpec senders() {
    return OptionSpec.builder("--from")
        .type(List.class)
        .auxiliaryTypes(String.class)
        .arity("1")
        .required(true)
        .paramLabel("WHO")
        .description(
            "Who sends: a host, a device, a device with one of its interfaces ('skerry "
                + "pier'), or an address. For several side by side: a group, network or zone, or "
                + "the option again.")
        .build();
  }

  private static void describeTransfer(CommandSpec spec) {
    spec.addOption(
        option(
            "--mode",
            "MODE",
            "Who opens the data connection of a file transfer: passive, active,"
                + " extended-passive, extended-active."));
    spec.addOption(
        option(
            "--data-to",
            "WHERE",
            "Where a passive client opens the data connection to: 'answer', the address that the"
                + " answer 227 says, or 'control', that of the control connection, as many clients"
                + " do now."));
  }

  @Override
  public int run(ParseResult call, Terminal terminal) throws Exception {
    SiteFile file = readFile(call, siteName(call));
    Site site = file.site();
    Expected expected = expected(call);
    TraceCall asked =
        new TraceCall(
            call.matchedOptionValue("--from", List.of()),
            call.matchedOptionValue("--to", ""),
            call.matchedOptionValue("--service", ""),
            call.matchedOptionValue("--at", null),
            call.matchedOptionValue("--source-port", Question.DEFAULT_SOURCE_PORT),
            call.matchedOptionValue("--size", null),
            call.hasMatchedOption("--may-fragment"),
            mode(call),
            dataTo(call),
            call.hasMatchedOption("--together"));
    List<Diagnosis> diagnoses = asked.ask(site);
    CaptureFile capture = CaptureFile.of(call, site, senders(diagnoses));
    if (capture != null) {
      asked.watch(site, capture.capture());
      capture.write(terminal);
    }
    boolean packets = call.hasMatchedOption("--packets");
    List<@Nullable SmallestChange> changes = changes(call, file, diagnoses);
    if (call.hasMatchedOption("--json")) {
      List<Tree> trees = new ArrayList<>();
      for (int i = 0; i < diagnoses.size(); i++) {
        SmallestChange change = changes.get(i);
        Tree tree = TraceData.of(diagnoses.get(i));
        trees.add(change == null ? tree : tree.with("change", CureData.of(change)));
      }
      terminal.out().print(Json.of(trees.size() == 1 ? trees.get(0) : trees));
    } else {
      terminal
          .out()
          .print(
              diagnoses.size() == 1
                  ? new ConversationText(diagnoses.get(0), terminal.style()).whole(packets)
                  : TraceCall.sideBySide(diagnoses, "", terminal.style()));
      for (SmallestChange change : changes) {
        terminal.out().print(change == null ? "" : "\n" + CureText.of(change, terminal.style()));
      }
    }
    boolean asExpected = true;
    for (Diagnosis diagnosis : diagnoses) {
      asExpected &= expected == null || expected.holds(diagnosis.conversation());
    }
    return asExpected ? FINE : NO;
  }

  /** The smallest change for each attempt that fails, if it is asked for; null for the others. */
  private static List<@Nullable SmallestChange> changes(
      ParseResult call, SiteFile site, List<Diagnosis> diagnoses) throws Exception {
    String name = siteName(call);
    boolean asked = call.hasMatchedOption("--cure");
    if (asked && name.equals("-")) {
      throw new CommandLine.ParameterException(
          call.commandSpec().commandLine(),
          "--cure: standard input cannot be patched; name a file");
    }
    List<@Nullable SmallestChange> changes = new ArrayList<>();
    for (Diagnosis diagnosis : diagnoses) {
      boolean fails = diagnosis.conversation().outcome() != Outcome.ANSWERED;
      Path path = asked && fails ? path(call, name).toAbsolutePath() : null;
      changes.add(
          path == null
              ? null
              : SmallestChange.of(Files.readString(path), path.getParent(), name, site, diagnosis));
    }
    return changes;
  }

  /** What must be so: an outcome, and by whom if that is asked. */
  private record Expected(Outcome outcome, @Nullable String by) {
    boolean holds(Conversation conversation) {
      Trace trace = conversation.opening();
      Endpoint receiver = trace == null ? null : trace.deliveredTo();
      return conversation.outcome() == outcome
          && (by == null || (receiver != null && receiver.isCalled(by)));
    }
  }

  private static @Nullable Expected expected(ParseResult call) {
    String text = call.matchedOptionValue("--expect", null);
    if (text == null) {
      return null;
    }
    String[] words = text.strip().split(" by ", 2);
    return new Expected(
        chosen(call, "--expect", words[0], Outcome.values()), words.length < 2 ? null : words[1]);
  }

  /** Where the senders capture: a host itself, a device at each of its interfaces. */
  private static List<Viewpoint> senders(List<Diagnosis> diagnoses) {
    Set<String> known = new HashSet<>();
    List<Viewpoint> views = new ArrayList<>();
    for (Diagnosis diagnosis : diagnoses) {
      Named sender = diagnosis.conversation().attempt().sender();
      if (!known.add(sender.name())) {
        continue;
      }
      if (sender instanceof Device device) {
        device.interfaces().forEach(own -> views.add(new Viewpoint(device.name(), own)));
      } else {
        views.add(new Viewpoint(sender.name(), null));
      }
    }
    return views;
  }

  static FileTransfer.@Nullable Mode mode(ParseResult call) {
    String word = call.matchedOptionValue("--mode", null);
    return word == null ? null : chosen(call, "--mode", word, FileTransfer.Mode.values());
  }

  private static FileTransfer.@Nullable DataTo dataTo(ParseResult call) {
    String word = call.matchedOptionValue("--data-to", null);
    return word == null ? null : chosen(call, "--data-to", word, FileTransfer.DataTo.values());
  }

  /** The value that is written so. */
  private static <T> T chosen(ParseResult call, String option, String word, T[] values) {
    List<String> words = new ArrayList<>();
    for (T value : values) {
      if (value.toString().equals(word.toLowerCase(Locale.ROOT))) {
        return value;
      }
      words.add(value.toString());
    }
    throw new CommandLine.ParameterException(
        call.commandSpec().commandLine(),
        option + ": '" + word + "' is none of " + String.join(", ", words));
  }
}
