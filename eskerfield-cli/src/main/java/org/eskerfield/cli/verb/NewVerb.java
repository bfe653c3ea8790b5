// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.verb;

import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.FileAlreadyExistsException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.ZoneId;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.function.Function;
import java.util.function.Supplier;
import org.eskerfield.cli.text.Terminal;
import org.eskerfield.formats.Problem;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.file.WholeFile;
import org.eskerfield.formats.literal.BlockReader;
import org.eskerfield.formats.schema.Schemas;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.formats.site.write.NewSite;
import org.eskerfield.packet.Address;
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
    spec.addOption(option("--site", "TITLE", "Title of the site (default: the name of the file)."));
    spec.addOption(
        option(
            "--time-zone", "ZONE", "Time zone of schedules, such as Europe/London (default UTC)."));
    spec.addOption(
        option("--device", "NAME", "Name of the device between carrier and zones (default edge)."));
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
    Interview interview = new Interview(call, terminal);
    write(interview, name, path, answers(interview, call, path).text());
    terminal.out().println(terminal.style().good("written to " + name));
    terminal.out().println("  next: eskerfield check " + name);
    terminal.out().println("        eskerfield offer " + name + " HOST SERVICE");
    return FINE;
  }

  private static void write(Interview interview, String name, Path path, String text) {
    Path schema = path.toAbsolutePath().resolveSibling(NewSite.SCHEMA);
    try {
      WholeFile.create(path, text.getBytes(StandardCharsets.UTF_8));
      if (!Files.exists(schema)) {
        WholeFile.create(schema, Schemas.SITE.text().getBytes(StandardCharsets.UTF_8));
      }
    } catch (FileAlreadyExistsException e) {
      throw interview.unfinished("'" + name + "' is there already, and is not overwritten");
    } catch (IOException e) {
      throw interview.unfinished(
          "'" + name + "' cannot be written: is there such a folder, may you write?");
    }
  }

  private static NewSite answers(Interview interview, ParseResult call, Path path) {
    String file = String.valueOf(path.getFileName());
    String title = call.matchedOptionValue("--site", file.replaceAll("(\\.site)?\\.ya?ml$", ""));
    String zone = timeZone(call);
    String device = call.matchedOptionValue("--device", "edge");
    Prefix link =
        interview.one(
            "--link",
            "The link to the carrier, as in 203.0.113.32/28?",
            "",
            text -> fitting(block(text), each -> NewSite.problem(each, null, null)));
    Address carrier =
        interview.one(
            "--carrier",
            "The carrier's address on it?",
            "",
            text -> fitting(BlockReader.address(text), each -> NewSite.problem(link, each, null)));
    Address free = link.usable().first();
    Address second = free.equals(carrier) ? free.next() : free;
    Address own =
        interview.one(
            "--own",
            "The device's own address on it?",
            String.valueOf(second),
            text ->
                fitting(BlockReader.address(text), each -> NewSite.problem(link, carrier, each)));
    boolean assigned =
        interview.yes(
            "--assigned",
            "Does the carrier assign it, so that it may change?",
            !call.hasMatchedOption("--own"));
    Map<String, Prefix> zones = new LinkedHashMap<>();
    List<NewSite.NewHost> hosts = new ArrayList<>();
    Supplier<NewSite> site =
        () -> new NewSite(title, zone, device, link, carrier, own, assigned, zones, hosts);
    zones(interview, zones, site);
    hosts(interview, hosts, site);
    return site.get();
  }

  private static String timeZone(ParseResult call) {
    String zone = call.matchedOptionValue("--time-zone", "UTC");
    List<String> ids = List.copyOf(ZoneId.getAvailableZoneIds());
    if (!ids.contains(zone)) {
      throw wrong(call, "--time-zone: there is no time zone '" + zone + "'" + meant(zone, ids));
    }
    return zone;
  }

  private static void zones(
      Interview interview, Map<String, Prefix> zones, Supplier<NewSite> site) {
    interview.several(
        "--zone",
        "An inner zone, as in shop=10.1.0.0/24",
        text -> {
          String name = named(text);
          Prefix prefix = block(text.substring(text.indexOf('=') + 1));
          String problem = NewSite.problem(prefix);
          if (problem != null || zones.containsKey(name)) {
            throw new UnusableQuestionException(
                "zone",
                problem == null ? "zone '" + name + "' is there already" : problem,
                "write another one, as in shop=10.1.0.0/24");
          }
          zones.put(name, prefix);
          readable(site.get(), () -> zones.remove(name));
          return name;
        });
    if (zones.isEmpty()) {
      throw interview.unfinished(
          "--zone: name at least one inner zone, as in --zone shop=10.1.0.0/24");
    }
  }

  private static void hosts(
      Interview interview, List<NewSite.NewHost> hosts, Supplier<NewSite> site) {
    interview.several(
        "--host",
        "A host with its services, as in till=10.1.0.7,https",
        text -> {
          String name = named(text);
          String[] parts = text.substring(text.indexOf('=') + 1).split("\\s*,\\s*", -1);
          List<String> services = List.of(parts).subList(1, parts.length);
          if (hosts.stream().anyMatch(each -> each.name().equals(name))) {
            throw new UnusableQuestionException(
                "host", "host '" + name + "' is there already", "give this one another name");
          }
          hosts.add(new NewSite.NewHost(name, BlockReader.address(parts[0]), services));
          readable(site.get(), () -> hosts.remove(hosts.size() - 1));
          return name;
        });
  }

  private static <T> T fitting(T read, Function<T, @Nullable String> problem)
      throws UnusableQuestionException {
    String wrong = problem.apply(read);
    if (wrong != null) {
      throw new UnusableQuestionException("link", wrong, "write another one");
    }
    return read;
  }

  /**
   * Tries whether a site can be read with the last answer.
   *
   * @param back takes the answer back
   */
  private static void readable(NewSite site, Runnable back) throws UnusableQuestionException {
    try {
      SiteReader.read(
          site.site(), new ByteArrayInputStream(site.text().getBytes(StandardCharsets.UTF_8)));
    } catch (UnreadableSiteException e) {
      back.run();
      Problem first = e.problems().get(0);
      throw new UnusableQuestionException("zone", first.message(), first.remedy());
    } catch (IOException e) {
      throw new UncheckedIOException(e); // text in memory is always read
    }
  }

  private static String named(String text) throws UnusableQuestionException {
    int sign = text.indexOf('=');
    if (sign < 1) {
      throw new UnusableQuestionException(
          "zone", "'" + text + "' has no name before a '='", "write the name first: NAME=" + text);
    }
    return text.substring(0, sign).strip();
  }

  private static Prefix block(String text) throws UnusableQuestionException {
    List<Prefix> blocks = BlockReader.read(text.strip());
    if (blocks.size() != 1) {
      throw new UnusableQuestionException(
          "prefix", "'" + text + "' is no prefix", "write one such as 10.1.0.0/24");
    }
    return blocks.get(0);
  }
}
