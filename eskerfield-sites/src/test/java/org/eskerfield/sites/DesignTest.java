// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Stream;
import org.eskerfield.formats.ask.QuestionReader;
import org.eskerfield.formats.literal.Times;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Site;
import org.eskerfield.trace.Endpoint;
import org.eskerfield.trace.Question;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.Arguments;
import org.junit.jupiter.params.provider.MethodSource;
import org.snakeyaml.engine.v2.api.Load;
import org.snakeyaml.engine.v2.api.LoadSettings;

/** Each sentence about the packet's way with the case that shows it: {@code design.cases.yaml}. */
class DesignTest {
  private static final Pattern STEP =
      Pattern.compile(
          "(?<from>[\\w-]+(?: [a-z]+)??)(?::(?<port>\\d+))? (?<to>\\S+) (?<service>\\S+) = (?<outcome>\\w+)"
              + "(?: by (?<by>\\S+))?(?: as (?<as>.+))?");

  @SuppressWarnings("unchecked")
  private static List<Map<String, Object>> cases() throws Exception {
    try (InputStream in = DesignTest.class.getResourceAsStream("design.cases.yaml")) {
      String text = new String(Objects.requireNonNull(in).readAllBytes(), StandardCharsets.UTF_8);
      LoadSettings settings = LoadSettings.builder().build();
      return (List<Map<String, Object>>) new Load(settings).loadFromString(text);
    }
  }

  static Stream<Arguments> shownHere() throws Exception {
    return cases().stream()
        .filter(each -> each.containsKey("happens"))
        .map(each -> Arguments.of(each.get("says"), each));
  }

  private static String flow(Object value) {
    if (value instanceof Map<?, ?> map) {
      List<String> parts = new ArrayList<>();
      map.forEach((key, each) -> parts.add(key + ": " + flow(each)));
      return "{ " + String.join(", ", parts) + " }";
    }
    if (value instanceof List<?> list) {
      return "[" + String.join(", ", list.stream().map(DesignTest::flow).toList()) + "]";
    }
    return String.valueOf(value);
  }

  private static String items(Object list, String indent, boolean dashes) {
    StringBuilder text = new StringBuilder();
    for (Object item : list == null ? List.of() : (List<?>) list) {
      text.append(indent).append(dashes ? "- { " + item + " }" : item).append('\n');
    }
    return text.toString();
  }

  private static Site site(Map<String, Object> given) throws Exception {
    Map<String, Object> interfaces = new LinkedHashMap<>();
    interfaces.put("uplink", "on: link, at: 203.0.113.33");
    interfaces.put("pier", "on: pier, at: 10.77.4.1");
    interfaces.put("guests", "on: guests, at: 10.77.5.1");
    Object changed = given.get("interfaces");
    if (changed instanceof Map<?, ?> map) {
      map.forEach((key, value) -> interfaces.put(key.toString(), value));
    }
    StringBuilder text =
        new StringBuilder(
            """
            eskerfield: 1
            site: Skerry
            networks:
              pier: { prefix: 10.77.4.0/24, zone: pier }
              guests: { prefix: 10.77.5.0/24, zone: guests }
              link: { prefix: 203.0.113.32/28, zone: internet, carrier: 203.0.113.46, routed: { to: 192.0.2.64/28, via: 203.0.113.33 } }
            """);
    text.append(items(given.get("networks"), "  ", false));
    text.append(
        """
        hosts:
          ramp: { on: pier, at: 10.77.4.9, listens: [22/tcp, 502/tcp, 7000/tcp] }
          kiosk: { on: pier, at: 10.77.4.20, listens: 22/tcp }
          till: { on: pier, at: 10.77.4.21 }
          portal: { on: guests, at: 10.77.5.9, listens: 502/tcp }
          contractor: { on: internet, at: 192.0.2.140 }
          hydrographic: { on: internet, at: 192.0.2.200, listens: [8883/tcp, 8883/udp] }
          stranger: { on: internet, at: 198.51.100.250 }
        """);
    text.append(items(given.get("hosts"), "  ", false));
    text.append("groups: { partners: [contractor, 192.0.2.128/30] }\ndevices:\n  skerry:\n");
    text.append("    stance: ").append(flow(given.getOrDefault("stance", "accept"))).append('\n');
    text.append("    access-sees: ").append(given.getOrDefault("sees", "translated")).append('\n');
    text.append("    verify-source: ").append(given.getOrDefault("verify", false)).append('\n');
    if (given.containsKey("state")) {
      text.append("    state: ").append(flow(given.get("state"))).append('\n');
    }
    text.append("    interfaces:\n");
    interfaces.forEach((key, value) -> text.append("      " + key + ": { " + value + " }\n"));
    text.append("    routes:\n      - { to: any, via: 203.0.113.46 }\n");
    text.append(items(given.get("routes"), "      ", true));
    for (String list : List.of("services", "translation")) {
      if (given.containsKey(list)) {
        text.append("    ")
            .append(list)
            .append(":\n")
            .append(items(given.get(list), "      ", true));
      }
    }
    if (given.containsKey("access")) {
      text.append("    access: ").append(flow(given.get("access"))).append('\n');
    }
    return SiteReader.read("x.site.yaml", text.toString());
  }

  private static String as(Endpoint seen) {
    Endpoint unnamed = new Endpoint(null, seen.address(), seen.port(), seen.protocol());
    return unnamed.toString();
  }

  @ParameterizedTest(name = "{0}")
  @MethodSource("shownHere")
  void everySentenceHolds(String says, Map<String, Object> given) throws Exception {
    Site site = site(given);
    Run run =
        Tracer.of(site)
            .run(QuestionReader.on(site).from("kiosk").to("ramp").service("ping").read().at());
    for (Object each : (List<?>) given.get("happens")) {
      String step = each.toString();
      if (step.equals("forget")) {
        run.forget("skerry");
        continue;
      }
      if (step.startsWith("wait ")) {
        run.advance(Objects.requireNonNull(Times.duration(step.substring(5))));
        continue;
      }
      String[] words = step.split(" ");
      if (words.length == 3 && words[0].equals("sessions")) {
        assertThat(run.sessionCount(words[1])).as(step).isEqualTo(Integer.parseInt(words[2]));
        continue;
      }
      if (words.length == 3 && words[0].equals("bindings")) {
        assertThat(run.bindings(words[1]).stream().filter(row -> !row.isPermanent()))
            .as(step)
            .hasSize(Integer.parseInt(words[2]));
        continue;
      }
      Matcher matcher = STEP.matcher(step);
      assertThat(matcher.matches()).as(step).isTrue();
      QuestionReader reader =
          QuestionReader.on(site)
              .from(matcher.group("from"))
              .to(matcher.group("to"))
              .service(matcher.group("service"));
      if (matcher.group("port") != null) {
        reader.sourcePort(Integer.parseInt(matcher.group("port")));
      }
      Question question = reader.read();
      Trace trace = run.open(question);
      assertThat(trace.outcome())
          .as("%s: %s", step, trace.reason())
          .hasToString(matcher.group("outcome"));
      if (matcher.group("by") != null) {
        assertThat(Objects.requireNonNull(trace.deliveredTo()).name())
            .as(step)
            .isEqualTo(matcher.group("by"));
      }
      if (matcher.group("as") != null) {
        assertThat(as(Objects.requireNonNull(trace.seenAs())))
            .as(step)
            .isEqualTo(matcher.group("as"));
      }
    }
  }

  @Test
  void whatIsShownElsewhereIsThere() throws Exception {
    int here = 0;
    for (Map<String, Object> each : cases()) {
      Object shown = each.get("shown");
      if (shown == null) {
        here++;
        continue;
      }
      String[] parts = shown.toString().split("\\.");
      assertThat(methods(parts[0])).as("%s shows: %s", shown, each.get("says")).contains(parts[1]);
    }
    assertThat(here).isGreaterThan(60);
  }

  /** The tests of a class of any module, by its source. */
  private static List<String> methods(String type) throws Exception {
    List<String> names = new ArrayList<>();
    for (String module : List.of("core", "formats", "sites")) {
      try (Stream<Path> files = Files.walk(Path.of("../eskerfield-" + module + "/src/test/java"))) {
        for (Path file : files.filter(each -> each.endsWith(type + ".java")).toList()) {
          Matcher matcher = Pattern.compile("void (\\w+)\\(").matcher(Files.readString(file));
          while (matcher.find()) {
            names.add(matcher.group(1));
          }
        }
      }
    }
    return names;
  }
}
