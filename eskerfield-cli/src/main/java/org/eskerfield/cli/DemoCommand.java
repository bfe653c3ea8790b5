package org.eskerfield.cli;

import java.io.InputStream;
import java.io.PrintWriter;
import java.util.List;
import java.util.concurrent.Callable;
import org.eskerfield.formats.QuestionReader;
import org.eskerfield.formats.SiteReader;
import org.eskerfield.model.Site;
import org.eskerfield.trace.Tracer;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine;
import picocli.CommandLine.Command;

/** {@code eskerfield demo}. */
@Command(
    name = "demo",
    mixinStandardHelpOptions = true,
    description = "A short tour of a small site: what comes through, what does not, and why.")
final class DemoCommand implements Callable<Integer> {
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

  private final Style style;

  @CommandLine.Spec private CommandLine.Model.@Nullable CommandSpec spec;

  DemoCommand(Style style) {
    this.style = style;
  }

  @Override
  public Integer call() throws Exception {
    if (spec == null) {
      throw new IllegalStateException("picocli runs commands with their spec");
    }
    PrintWriter out = spec.commandLine().getOut();
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
    return Main.FINE;
  }

  private static Site read() throws Exception {
    try (InputStream in = DemoCommand.class.getResourceAsStream("demo/" + SITE)) {
      if (in == null) {
        throw new IllegalStateException("the demo site is not in the jar");
      }
      return SiteReader.read(SITE, in);
    }
  }
}
