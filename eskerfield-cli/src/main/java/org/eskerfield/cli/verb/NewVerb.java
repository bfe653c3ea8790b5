// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.verb;

import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.FileAlreadyExistsException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.ZoneId;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import org.eskerfield.cli.text.Terminal;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.file.WholeFile;
import org.eskerfield.formats.literal.BlockReader;
import org.eskerfield.formats.schema.Schemas;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.formats.site.write.NewSite;
import org.eskerfield.packet.Prefix;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Model.PositionalParamSpec;
import picocli.CommandLine.ParseResult;

/** {@code eskerfield new}. */
public final class NewVerb extends Verb {
  public NewVerb() {
    super("new", "Creates a commented site file from a few answers.");
  }

  @Override
  protected void describe(CommandSpec spec) {
    spec.addPositional(
        PositionalParamSpec.builder(siteFile()).description("The file to write.").build());
    spec.addOption(option("--site", "TITLE", "What the site is called; the file's name."));
    spec.addOption(option("--time-zone", "ZONE", "As in Europe/London, for schedules; UTC."));
    spec.addOption(option("--device", "NAME", "The device between carrier and zones; edge."));
    spec.addOption(option("--link", "PREFIX", "The link to the carrier, as in 203.0.113.32/28."));
    spec.addOption(option("--carrier", "ADDRESS", "The carrier's router on it."));
    spec.addOption(option("--own", "ADDRESS", "The device's own address on it."));
    spec.addOption(flag("--assigned", "The carrier assigns that address, and may change it."));
    spec.addOption(
        several("--zone", "NAME=PREFIX", "An inner zone; the first one manages the device."));
    spec.addOption(
        several(
            "--host",
            "NAME=ADDRESS[,SERVICE…]",
            "A host with what it listens on; outside the zones it is on the internet."));
    spec.usageMessage()
        .footer(
            "",
            "Example: eskerfield new shop.site.yaml --link 203.0.113.32/28 --carrier 203.0.113.46",
            "           --own 203.0.113.33 --zone shop=10.1.0.0/24 --host till=10.1.0.7,https",
            "At a terminal, what is left out is asked for.");
  }

  @Override
  public int run(ParseResult call, Terminal terminal) throws Exception {
    String name = siteName(call);
    if (name.equals("-")) {
      throw wrong(call, "name the file to write");
    }
    Path path = path(call, name);
    if (Files.exists(path)) {
      throw wrong(call, "'" + name + "' is there already, and is not overwritten");
    }
    NewSite site;
    try {
      site = answers(call, terminal, path);
    } catch (UnusableQuestionException e) {
      throw unusable(call, e);
    }
    String problem = site.problem();
    if (problem != null) {
      throw wrong(call, problem);
    }
    String text = site.text();
    try {
      SiteReader.read(name, new ByteArrayInputStream(text.getBytes(StandardCharsets.UTF_8)));
    } catch (UnreadableSiteException e) {
      var first = e.problems().get(0);
      throw wrong(
          call, "these answers do not fit together: " + first.message() + "; " + first.remedy());
    }
    write(call, name, path, text);
    terminal.out().println(terminal.style().good("written to " + name));
    terminal.out().println("  next: eskerfield check " + name);
    terminal.out().println("        eskerfield offer " + name + " HOST SERVICE");
    return FINE;
  }

  private static void write(ParseResult call, String name, Path path, String text) {
    Path schema = path.toAbsolutePath().resolveSibling(NewSite.SCHEMA);
    try {
      WholeFile.create(path, text.getBytes(StandardCharsets.UTF_8));
      if (!Files.exists(schema)) {
        WholeFile.create(schema, Schemas.SITE.text().getBytes(StandardCharsets.UTF_8));
      }
    } catch (FileAlreadyExistsException e) {
      throw wrong(call, "'" + name + "' is there already, and is not overwritten");
    } catch (IOException e) {
      throw wrong(call, "'" + name + "' cannot be written: is there such a folder, may you write?");
    }
  }

  private static NewSite answers(ParseResult call, Terminal terminal, Path path)
      throws UnusableQuestionException {
    String file = String.valueOf(path.getFileName());
    String title = file.replaceAll("(\\.site)?\\.ya?ml$", "");
    Prefix link =
        block(
            value(call, terminal, "--link", "The link to the carrier, as in 203.0.113.32/28?", ""));
    String first = link.usable().first().toString();
    String carrier = value(call, terminal, "--carrier", "The carrier's address on it?", "");
    String own = value(call, terminal, "--own", "The device's own address on it?", first);
    String assigned =
        call.hasMatchedOption("--assigned")
            ? "yes"
            : call.hasMatchedOption("--own")
                ? "no"
                : terminal.ask("Does the carrier assign it, so that it may change?", "no");
    Map<String, Prefix> zones = new LinkedHashMap<>();
    for (String text : texts(call, terminal, "--zone", "An inner zone, as in shop=10.1.0.0/24")) {
      zones.put(key(call, "--zone", text), block(text.substring(text.indexOf('=') + 1)));
    }
    if (zones.isEmpty()) {
      throw wrong(call, "--zone: name at least one inner zone, as in --zone shop=10.1.0.0/24");
    }
    List<NewSite.NewHost> hosts = new ArrayList<>();
    for (String text :
        texts(call, terminal, "--host", "A host with its services, as in till=10.1.0.7,https")) {
      String[] parts = text.substring(text.indexOf('=') + 1).split("\\s*,\\s*", -1);
      hosts.add(
          new NewSite.NewHost(
              key(call, "--host", text),
              BlockReader.address(parts[0]),
              List.of(parts).subList(1, parts.length)));
    }
    String zone = call.matchedOptionValue("--time-zone", "UTC");
    if (!ZoneId.getAvailableZoneIds().contains(zone)) {
      List<String> ids = List.copyOf(ZoneId.getAvailableZoneIds());
      throw wrong(call, "--time-zone: there is no time zone '" + zone + "'" + meant(zone, ids));
    }
    return new NewSite(
        call.matchedOptionValue("--site", title),
        zone,
        call.matchedOptionValue("--device", "edge"),
        link,
        BlockReader.address(carrier),
        BlockReader.address(own),
        assigned != null && assigned.toLowerCase(Locale.ROOT).startsWith("y"),
        zones,
        hosts);
  }

  private static String key(ParseResult call, String option, String text) {
    int sign = text.indexOf('=');
    if (sign < 1) {
      throw wrong(call, option + ": '" + text + "' has no name before a '='");
    }
    return text.substring(0, sign).strip();
  }

  private static String value(
      ParseResult call, Terminal terminal, String option, String question, String usual) {
    String given = call.matchedOptionValue(option, null);
    String answer = given != null ? given : terminal.ask(question, usual);
    answer = answer == null ? usual : answer;
    if (answer.isEmpty()) {
      throw wrong(call, option + " is missing: " + question);
    }
    return answer;
  }

  private static List<String> texts(
      ParseResult call, Terminal terminal, String option, String question) {
    String[] given = call.matchedOptionValue(option, null);
    if (given != null) {
      return List.of(given);
    }
    List<String> all = new ArrayList<>();
    for (String answer = terminal.ask(question + "; empty to go on:", "");
        answer != null && !answer.isEmpty();
        answer = terminal.ask("  another one; empty to go on:", "")) {
      all.add(answer);
    }
    return all;
  }

  private static Prefix block(String text) throws UnusableQuestionException {
    List<Prefix> blocks = BlockReader.read(text);
    @Nullable Prefix only = blocks.size() == 1 ? blocks.get(0) : null;
    if (only == null) {
      throw new UnusableQuestionException(
          "prefix", "'" + text + "' is no prefix", "as in 10.1.0.0/24");
    }
    return only;
  }
}
