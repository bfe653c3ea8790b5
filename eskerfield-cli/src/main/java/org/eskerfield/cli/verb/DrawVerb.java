// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.verb;

import java.io.IOException;
import java.util.List;
import java.util.Locale;
import org.eskerfield.cli.text.Screen;
import org.eskerfield.cli.text.Terminal;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.ask.QuestionReader;
import org.eskerfield.model.Device;
import org.eskerfield.model.Site;
import org.eskerfield.report.draw.Picture;
import org.eskerfield.report.draw.Theme;
import org.eskerfield.report.map.SiteMap;
import org.eskerfield.report.page.ConversationPicture;
import org.eskerfield.trace.Tracer;
import org.eskerfield.words.Printable;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.ParseResult;

/** {@code eskerfield draw}. */
public final class DrawVerb extends Verb {
  /** More than this many times the usual size is a mistake in the call. */
  private static final double LARGEST = 8;

  public DrawVerb() {
    super("draw", "Draws the map of a site, or the path of a conversation through it.");
  }

  @Override
  protected void describe(CommandSpec spec) {
    spec.addPositional(siteFile());
    spec.addOption(option("--from", "WHO", "Who sends: a host, a device, or an address."));
    spec.addOption(
        option(
            "--to",
            "WHERE",
            "Destination: a host, a device, a name or an address; :PORT may follow."));
    spec.addOption(
        option("--service", "WHAT", "Service: 443/tcp, the name of a service, or ping."));
    spec.addOption(option("--at", "TIME", "When, by the clock of the site; as for 'trace'."));
    spec.addOption(option("--mode", "MODE", "Who opens the data connection; as for 'trace'."));
    spec.addOption(
        option("--around", "DEVICE", "Only this device, its networks, and the devices on them."));
    spec.addOption(
        option("--only", "PART", "Of a path, only its 'map' or only its 'ladder' of packets."));
    spec.addOption(
        option(
            "--theme",
            "THEME",
            "light, dark, or system (default), which follows the reader's system."));
    spec.addOption(
        option(
            "--scale",
            "N",
            "Pixels of a PNG for each of the picture's (default 1); 2 is sharper."));
    spec.addOption(
        output(
            "Write it to this .svg or .png file; without it, or for -, SVG goes to the output."));
    spec.usageMessage()
        .footer(
            "",
            "Example: eskerfield draw demo/marrowby.site.yaml -o map.svg",
            "         eskerfield draw demo/marrowby.site.yaml --from ferry \\",
            "           --to booking.marrowby.example --service https -o way.png");
  }

  @Override
  public int run(ParseResult call, Terminal terminal) throws Exception {
    String output = output(call);
    boolean png = output != null && output.toLowerCase(Locale.ROOT).endsWith(".png");
    if (output != null && !png && !output.toLowerCase(Locale.ROOT).endsWith(".svg")) {
      throw wrong(call, "--output: '" + output + "' is neither .svg nor .png");
    }
    Theme theme = theme(call);
    double scale = scale(call);
    if (call.hasMatchedOption("--scale") && !png) {
      throw wrong(call, "--scale is for a PNG, such as -o map.png; an SVG has any size");
    }
    Site site = readSite(call);
    String svg = picture(call, site, png && theme == Theme.SYSTEM ? Theme.LIGHT : theme);
    if (output == null) {
      terminal.out().print(svg);
      return FINE;
    }
    write(call, "--output", output, bytes(svg, png, scale, call));
    terminal.out().println("wrote " + output);
    return FINE;
  }

  private static byte[] bytes(String svg, boolean png, double scale, ParseResult call) {
    try {
      return png ? Picture.png(Printable.lines(svg), scale) : Screen.text(svg);
    } catch (IOException e) {
      throw wrong(call, "--output: " + e.getMessage());
    }
  }

  private static String picture(ParseResult call, Site site, Theme theme)
      throws UnusableQuestionException {
    String from = call.matchedOptionValue("--from", null);
    String to = call.matchedOptionValue("--to", null);
    String service = call.matchedOptionValue("--service", null);
    String only = call.matchedOptionValue("--only", null);
    if (only != null && !only.equals("map") && !only.equals("ladder")) {
      throw wrong(call, "--only: '" + only + "' is no part of a way; write map or ladder");
    }
    if (from == null && to == null && service == null) {
      for (String option : List.of("--at", "--mode", "--only")) {
        if (call.hasMatchedOption(option)) {
          throw wrong(call, option + " is for a way; say --from, --to and --service as well");
        }
      }
      return map(call, site).svg(theme);
    }
    if (call.hasMatchedOption("--around")) {
      throw wrong(call, "--around is for a map; leave out --from, --to and --service");
    }
    if (from == null || to == null || service == null) {
      throw wrong(call, "a way needs all of --from, --to and --service");
    }
    List<String> senders = QuestionReader.senders(site, from);
    if (senders.size() > 1) {
      throw wrong(
          call, "--from: '" + from + "' is several senders; draw one, such as " + senders.get(0));
    }
    ConversationPicture picture =
        ConversationPicture.of(
            Tracer.of(site),
            QuestionReader.on(site)
                .from(senders.get(0))
                .to(to)
                .service(service)
                .at(call.matchedOptionValue("--at", null))
                .mode(TraceVerb.mode(call))
                .attempt());
    if (only == null) {
      return picture.svg(theme);
    }
    return only.equals("map") ? picture.map().svg(theme) : picture.ladder().svg(theme);
  }

  private static SiteMap map(ParseResult call, Site site) {
    String around = call.matchedOptionValue("--around", null);
    if (around == null) {
      return SiteMap.of(site);
    }
    Device device = site.devices().get(around);
    if (device == null) {
      List<String> names = List.copyOf(site.devices().keySet());
      throw wrong(call, "--around: no device is called '" + around + "'" + meant(around, names));
    }
    return SiteMap.around(site, device);
  }

  private static Theme theme(ParseResult call) {
    String name = call.matchedOptionValue("--theme", "system");
    for (Theme theme : Theme.values()) {
      if (theme.toString().equals(name.toLowerCase(Locale.ROOT))) {
        return theme;
      }
    }
    throw wrong(call, "--theme: '" + name + "' is none; write light, dark or system");
  }

  private static double scale(ParseResult call) {
    String text = call.matchedOptionValue("--scale", "1");
    double scale;
    try {
      scale = Double.parseDouble(text);
    } catch (NumberFormatException e) {
      scale = 0;
    }
    if (!(scale >= 0.1 && scale <= LARGEST)) {
      throw wrong(call, "--scale: '" + text + "' is no number from 0.1 to " + (int) LARGEST);
    }
    return scale;
  }
}
