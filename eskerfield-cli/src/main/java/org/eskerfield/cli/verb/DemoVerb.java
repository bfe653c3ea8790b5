// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.verb;

import java.io.InputStream;
import java.io.PrintWriter;
import java.util.List;
import org.eskerfield.cause.Diagnosis;
import org.eskerfield.cli.text.ConversationText;
import org.eskerfield.cli.text.Style;
import org.eskerfield.cli.text.Terminal;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.guarantee.Proof;
import org.eskerfield.guarantee.Prover;
import org.eskerfield.trace.FileTransfer;
import org.eskerfield.trace.Question;
import org.eskerfield.trace.Tracer;
import org.eskerfield.verify.Verdict;
import org.eskerfield.verify.Verifier;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.ParseResult;

/** {@code eskerfield demo}. */
public final class DemoVerb extends Verb {
  private static final String SITE = "marrowby.site.yaml";
  private static final String INDENT = "   ";
  private static final String BOOKING = "booking.marrowby.example";

  /**
   * A stop of the tour.
   *
   * @param title what happens
   * @param call what is asked
   */
  private record Stop(String title, TraceCall call) {
    String commandLine() {
      StringBuilder line = new StringBuilder("./eskerfield trace demo/" + SITE);
      for (String from : call.from()) {
        line.append(" --from ").append(from);
      }
      line.append(" --to ").append(call.to()).append(" --service ").append(call.service());
      line.append(call.at() == null ? "" : " --at '" + call.at() + "'");
      line.append(call.mode() == null ? "" : " --mode " + call.mode());
      return line.append(call.together() ? " --together" : "").toString();
    }
  }

  private static Stop stop(
      String title, List<String> from, String to, String service, @Nullable String at) {
    return new Stop(title, call(from, to, service, at, null, false));
  }

  private static TraceCall call(
      List<String> from,
      String to,
      String service,
      @Nullable String at,
      FileTransfer.@Nullable Mode mode,
      boolean together) {
    return new TraceCall(
        from,
        to,
        service,
        at,
        Question.DEFAULT_SOURCE_PORT,
        /* size= */ null,
        /* mayFragment= */ false,
        mode,
        /* dataTo= */ null,
        together);
  }

  private static final List<Stop> TOUR =
      List.of(
          stop(
              "A passenger at home books: two devices in a row translate and let in.",
              List.of("passenger"),
              BOOKING,
              "https",
              null),
          stop(
              "A passenger on a boat books by the external address, from inside: hairpin.",
              List.of("ferry"),
              BOOKING,
              "https",
              null),
          stop(
              "The same name is another address for who asks another resolver.",
              List.of("clerk", "passenger"),
              BOOKING,
              "8443/tcp",
              null),
          new Stop(
              "Seven tide gauges, four addresses: the pool runs dry.",
              call(List.of("plant"), "hydrographic", "8883/tcp", null, null, true)),
          stop(
              "Office and pier talk through the tunnel, untranslated.",
              List.of("clerk"),
              "kiosk",
              "https",
              null),
          new Stop(
              "The insurers fetch files; the archive opens the data connection.",
              call(
                  List.of("auditor"),
                  "203.0.113.37",
                  "ftp",
                  null,
                  FileTransfer.Mode.ACTIVE,
                  false)),
          stop(
              "The contractor works on the ramp on a Sunday.",
              List.of("contractor"),
              "198.51.100.140",
              "1502/tcp",
              "sunday 10:00"));

  public DemoVerb() {
    super("demo", "A short tour of a firm: what comes through, what does not, and why.");
  }

  @Override
  protected void describe(CommandSpec spec) {
    spec.usageMessage().footer("", "The site of the tour is demo/" + SITE + ".");
  }

  @Override
  public int run(ParseResult call, Terminal terminal) throws Exception {
    PrintWriter out = terminal.out();
    Style style = terminal.style();
    SiteFile file = read();
    out.println(style.strong(file.site().name()) + style.faint("  (demo/" + SITE + ")"));
    int number = 0;
    for (Stop stop : TOUR) {
      title(out, ++number, stop.title(), stop.commandLine(), style);
      List<Diagnosis> answers = stop.call().ask(file.site());
      if (answers.size() > 1) {
        out.print(TraceCall.sideBySide(answers, " ", style));
      } else {
        out.print(new ConversationText(answers.get(0), style).summary(INDENT));
      }
    }
    String verify = "./eskerfield verify demo/" + SITE;
    title(out, ++number, "All that the firm relies on, written down and verified.", verify, style);
    Tracer tracer = Tracer.of(file.site());
    List<Verdict> verdicts = new Verifier(tracer).verify(file.expectations());
    List<Proof> proofs = new Prover(tracer).prove(file.guarantees());
    out.print(INDENT + VerifyVerb.score(verdicts, style));
    out.print(INDENT + VerifyVerb.scoreOf(proofs, style));
    out.println();
    out.println("Without the tour, each command shows every step.");
    return FINE;
  }

  private static void title(
      PrintWriter out, int number, String title, String commandLine, Style style) {
    out.println();
    out.println(style.strong(number + "  " + title));
    out.println(
        INDENT + style.faint("$ ") + Style.wrapped(commandLine, 9, 5).replace("\n", " \\\n"));
  }

  private static SiteFile read() throws Exception {
    try (InputStream in = DemoVerb.class.getResourceAsStream("demo/" + SITE)) {
      if (in == null) {
        throw new IllegalStateException("the demo site is not in the jar");
      }
      return SiteReader.read(SITE, in);
    }
  }
}
