package org.eskerfield.cli;

import java.io.InputStream;
import java.io.PrintWriter;
import java.util.List;
import org.eskerfield.formats.QuestionReader;
import org.eskerfield.formats.SiteReader;
import org.eskerfield.model.Site;
import org.eskerfield.trace.Tracer;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.ParseResult;

/** {@code eskerfield demo}. */
final class DemoVerb extends Verb {
  private static final String SITE = "skerry.site.yaml";

  /**
   * A stop of the tour.
   *
   * @param title what happens
   * @param from who sends
   * @param to where to
   * @param service what
   * @param at when, or null
   */
  private record Stop(String title, String from, String to, String service, @Nullable String at) {
    String commandLine() {
      return "./eskerfield trace demo/"
          + SITE
          + " --from "
          + from
          + " --to "
          + to
          + " --service "
          + service
          + (at == null ? "" : " --at '" + at + "'");
    }
  }

  private static final List<Stop> TOUR =
      List.of(
          new Stop(
              "The kiosk sends to the hydrographic service, from a private address.",
              "kiosk",
              "hydrographic",
              "8883/tcp",
              null),
          new Stop(
              "The contractor works on the ramp controller, on a Monday morning.",
              "contractor",
              "198.51.100.140",
              "1502/tcp",
              null),
          new Stop("A stranger tries the same.", "stranger", "198.51.100.140", "1502/tcp", null),
          new Stop(
              "A passenger outside tries the private address of the ramp.",
              "passenger",
              "10.77.4.9",
              "502/tcp",
              null),
          new Stop(
              "The contractor tries again on a Sunday.",
              "contractor",
              "198.51.100.140",
              "1502/tcp",
              "sunday 10:00"));

  DemoVerb() {
    super("demo", "A short tour of a small site: what comes through, what does not, and why.");
  }

  @Override
  void describe(CommandSpec spec) {
    spec.usageMessage().footer("", "The site of the tour is demo/" + SITE + ".");
  }

  @Override
  int run(ParseResult call, Terminal terminal) throws Exception {
    PrintWriter out = terminal.out();
    Style style = terminal.style();
    Tracer tracer = Tracer.of(read());
    out.println(style.strong(tracer.site().name()) + style.faint("  (demo/" + SITE + ")"));
    for (int i = 0; i < TOUR.size(); i++) {
      Stop stop = TOUR.get(i);
      out.println();
      out.println(style.strong((i + 1) + "  " + stop.title()));
      out.println("   " + style.faint("$ ") + stop.commandLine());
      out.print(
          new TraceText(
                  tracer.trace(
                      QuestionReader.on(tracer.site())
                          .from(stop.from())
                          .to(stop.to())
                          .service(stop.service())
                          .at(stop.at())
                          .read()),
                  style)
              .summary("   "));
    }
    out.println();
    out.println("Each command above shows every step. Then: ./eskerfield check demo/" + SITE);
    return FINE;
  }

  private static Site read() throws Exception {
    try (InputStream in = DemoVerb.class.getResourceAsStream("demo/" + SITE)) {
      if (in == null) {
        throw new IllegalStateException("the demo site is not in the jar");
      }
      return SiteReader.read(SITE, in).site();
    }
  }
}
