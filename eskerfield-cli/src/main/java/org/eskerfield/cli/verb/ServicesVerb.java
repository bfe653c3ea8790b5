// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.verb;

import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Set;
import org.eskerfield.cli.text.TableText;
import org.eskerfield.cli.text.Terminal;
import org.eskerfield.formats.answer.Json;
import org.eskerfield.formats.answer.LedgerData;
import org.eskerfield.formats.literal.WellKnownServices;
import org.eskerfield.model.Service;
import org.eskerfield.model.ServicePart;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Protocol;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Model.PositionalParamSpec;
import picocli.CommandLine.ParseResult;

/** {@code eskerfield services}. */
public final class ServicesVerb extends Verb {
  private record Row(Service service, String also, String description) {}

  public ServicesVerb() {
    super("services", "Looks up the names and ports of services that a site file may name.");
  }

  @Override
  protected void describe(CommandSpec spec) {
    spec.addPositional(
        PositionalParamSpec.builder()
            .paramLabel("TEXT")
            .type(String.class)
            .arity("0..1")
            .index("0")
            .description("Part of a name or description, or a port as in 443 or 443/tcp.")
            .build());
    spec.addOption(option("--site", "SITE", "Also look among the services of a site file."));
    spec.addOption(flag("--json", "Answer as JSON; see 'eskerfield schema services'."));
    spec.usageMessage()
        .footer("", "Examples: eskerfield services mail", "          eskerfield services 3389/tcp");
  }

  @Override
  public int run(ParseResult call, Terminal terminal) throws Exception {
    String text = call.matchedPositionalValue(0, "").strip().toLowerCase(Locale.ROOT);
    String site = call.matchedOptionValue("--site", null);
    List<Row> rows = new ArrayList<>();
    if (site != null) {
      for (Service own : readSite(call, site).services().values()) {
        rows.add(new Row(own, "", "of " + site));
      }
    }
    for (String name : List.of("ping", "icmp", "gre", "esp", "ah", "sctp", "any")) {
      Service service = WellKnownServices.find(name);
      if (service != null) {
        rows.add(new Row(service, "", PLAIN.getOrDefault(name, "")));
      }
    }
    for (WellKnownServices.Entry entry : WellKnownServices.entries()) {
      rows.add(new Row(entry.service(), entry.also(), entry.description()));
    }
    rows.removeIf(row -> !matches(row, text));
    if (call.hasMatchedOption("--json")) {
      List<Object> answer = new ArrayList<>();
      for (Row row : rows) {
        answer.add(LedgerData.service(row.service, row.also, row.description));
      }
      terminal.out().print(Json.of(answer));
      return rows.isEmpty() ? NO : FINE;
    }
    if (rows.isEmpty()) {
      terminal.out().println("No service is known by '" + text + "'.");
      terminal
          .out()
          .println("A site file may name any by its ports, as in 8443/tcp or 10000-10039/udp.");
      return NO;
    }
    TableText table = new TableText("name", "ports", "also", "what");
    for (Row row : rows) {
      Set<String> ports = new LinkedHashSet<>(); // a ping is one of each family
      row.service.parts().forEach(part -> ports.add(part.toString()));
      table.add(row.service.name(), joined(row.service, ports), row.also, row.description);
    }
    terminal.out().print(table.text(terminal.style()));
    return FINE;
  }

  private static final Map<String, String> PLAIN =
      Map.of(
          "ping", "ICMP echo, both families",
          "icmp", "All of ICMP for IPv4",
          "gre", "Generic routing encapsulation (IP protocol 47); has no ports",
          "esp", "Encrypted payloads (IP protocol 50); has no ports",
          "ah", "Authentication header (IP protocol 51); has no ports",
          "sctp", "Stream control transmission (IP protocol 132)",
          "any", "Everything");

  /** {@code 53/tcp+udp} for two parts with the same ports. */
  private static String joined(Service service, Set<String> ports) {
    List<ServicePart> parts = service.parts();
    boolean both =
        parts.size() == 2
            && parts.get(0).protocol() == Protocol.TCP
            && parts.get(1).protocol() == Protocol.UDP
            && parts.get(0).ports().equals(parts.get(1).ports())
            && !parts.get(0).ports().equals(PortSet.ALL);
    return both ? parts.get(0).ports() + "/tcp+udp" : String.join(", ", ports);
  }

  private static boolean matches(Row row, String text) {
    if (text.matches("[0-9]+(/[a-z]+)?")) {
      int slash = text.indexOf('/');
      @Nullable String protocol = slash < 0 ? null : text.substring(slash + 1);
      String port = slash < 0 ? text : text.substring(0, slash);
      for (ServicePart part : row.service.parts()) {
        boolean has = Protocol.hasPorts(part.protocol()) && port.length() <= 5;
        if (has
            && !part.ports().equals(PortSet.ALL)
            && part.ports().contains(Integer.parseInt(port))
            && (protocol == null || Protocol.name(part.protocol()).equals(protocol))) {
          return true;
        }
      }
      return false;
    }
    String all = row.service.name() + " " + row.also + " " + row.description;
    return all.toLowerCase(Locale.ROOT).contains(text);
  }
}
