package org.eskerfield.formats;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.check.Checker;
import org.eskerfield.check.Finding;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.Arguments;
import org.junit.jupiter.params.provider.MethodSource;

/** Each finding on a site made for it, and silence on the sites next to it. */
class CheckerTest {
  private static List<String> check(String... piecesAndReplacements) throws Exception {
    String text = Sites.skerryText();
    for (int i = 0; i < piecesAndReplacements.length; i += 2) {
      assertThat(text).contains(piecesAndReplacements[i]);
      text = text.replace(piecesAndReplacements[i], piecesAndReplacements[i + 1]);
    }
    List<String> found = new ArrayList<>();
    for (Finding finding : Checker.check(SiteReader.read("x", text))) {
      assertThat(finding.cure()).isNotBlank();
      assertThat(finding.place().line()).isPositive();
      found.add(finding.code() + ": " + finding.message());
    }
    return found;
  }

  private static Arguments row(String finding, String... piecesAndReplacements) {
    return Arguments.of(finding, piecesAndReplacements);
  }

  private static final String NO_ACCESS =
      "translation-without-access: destination rule 'ramp controller' leads to ramp, but ";
  private static final String NO_TRANSLATION =
      "access-without-translation: access rule 'the contractor works on the ramp' lets outsiders reach ramp";
  private static final String OPEN = "stance: { pier to internet: accept, otherwise: drop }";
  private static final String DISABLE = "            log: true\n";
  private static final String RULE_OFF = "            log: true\n            disabled: true\n";
  private static final String TRANSLATION_OFF = "becomes: ramp 502\n        disabled: true";

  private static final String FIRST = "      - destination: ramp controller";
  private static final String STATIC =
      "      - { static: name server, facing: uplink, external: 198.51.100.141, internal: ramp }\n";

  static List<Arguments> findings() {
    return List.of(
        // Translation without access: the rule is missing, off, or for something else.
        row(NO_ACCESS + "list 'from the internet' lets none of it in", DISABLE, RULE_OFF),
        row(
            NO_ACCESS + "list 'from the internet'",
            "service: ramp-control\n",
            "service: 1502/tcp\n"),
        row(
            NO_ACCESS + "list 'from the internet'",
            "service: ramp-control\n",
            "service: 502/udp\n"),
        row(
            NO_ACCESS + "list 'from the internet'",
            "            to: ramp\n",
            "            to: kiosk\n"),
        row(NO_ACCESS + "list 'from the internet'", "- accept: the", "- drop: the"),
        row(
            NO_ACCESS + "list 'from the internet'",
            "        arriving: uplink\n        at",
            "        arriving: uplink\n        from: stranger\n        at"),
        row(
            NO_ACCESS + "list 'from the internet'",
            "stance: {",
            "access-sees: original\n    stance: {"),
        row(
            NO_ACCESS
                + "no list guards the way from internet to pier, and the stance there is drop",
            "{ arriving: uplink }",
            "{ arriving: pier }"),
        row(
            "translation-without-access: static rule 'name server' leads to ramp, but list 'from the internet' lets none of it in",
            FIRST,
            STATIC + FIRST,
            "            to: ramp\n",
            "            to: kiosk\n"),
        row(
            "translation-without-access: static rule 'name server'",
            FIRST,
            STATIC.replace("198.51.100.141", "198.51.100.141 53/udp") + FIRST),
        // Access without translation.
        row(
            NO_TRANSLATION + " on ramp-control, but no translation rule of skerry leads there",
            "becomes: ramp 502",
            TRANSLATION_OFF),
        row(NO_TRANSLATION, "becomes: ramp 502", "becomes: kiosk 502"),
        row(NO_TRANSLATION, "becomes: ramp 502", "becomes: ramp 503"),
        // Objects that nothing uses.
        row(
            "unused: nothing uses service 'spare'",
            "services:\n  ramp",
            "services:\n  spare: 99/tcp\n  ramp"),
        row(
            "unused: nothing uses group 'spare'",
            "services:\n  ramp",
            "groups:\n  spare: ramp\nservices:\n  ramp"),
        row(
            "unused: nothing uses schedule 'spare'",
            "schedules:\n",
            "schedules:\n  spare: { days: sat }\n"),
        row(
            "unused: nothing uses network 'spare'",
            "networks:\n",
            "networks:\n  spare: { prefix: 10.1.0.0/24, zone: spare }\n"),
        row(
            "list-guards-nothing: list 'from the internet' of skerry guards no way",
            "        guards: { arriving: uplink }\n",
            "",
            OPEN,
            "stance: accept"));
  }

  @ParameterizedTest(name = "{0}")
  @MethodSource("findings")
  void eachIsFound(String finding, String[] edits) throws Exception {
    assertThat(check(edits)).anySatisfy(found -> assertThat(found).startsWith(finding));
  }

  static List<Arguments> healthy() {
    return List.of(
        row("the demo"),
        row("a static rule whose host is let in", FIRST, STATIC + FIRST),
        row(
            "a static rule leads outsiders as a destination rule does",
            "becomes: ramp 502",
            TRANSLATION_OFF,
            FIRST,
            STATIC + FIRST),
        row(
            "groups of dynamic and untouched rules are used",
            "services:\n  ramp",
            "groups:\n  a: kiosk\n  b: stranger\nservices:\n  ramp",
            FIRST,
            "      - { untouched: x, from: a, to: b }\n" + FIRST),
        row(
            "a pool uses no name",
            FIRST,
            "      - { dynamic: x, from: kiosk, leaving: uplink, pool: 198.51.100.150 }\n" + FIRST),
        row(
            "a way that is open needs no access rule",
            DISABLE,
            RULE_OFF,
            "        otherwise: drop\n",
            "        otherwise: accept\n"),
        row(
            "so does a plain router",
            "{ arriving: uplink }",
            "{ arriving: pier }",
            OPEN,
            "stance: accept"),
        row(
            "an admission is an access rule",
            DISABLE,
            RULE_OFF,
            "becomes: ramp 502",
            "becomes: ramp 502\n        admit: contractor"),
        row(
            "a disabled rule asks for nothing",
            "becomes: ramp 502",
            TRANSLATION_OFF,
            DISABLE,
            RULE_OFF),
        row(
            "a rule without service lets the port in",
            "            service: ramp-control\n",
            "            note: all\n"),
        row(
            "originals are seen where the device says so",
            "stance: {",
            "access-sees: original\n    stance: {",
            "            to: ramp\n            service: ramp-control\n",
            "            to: skerry\n            service: 1502/tcp\n"),
        row(
            "an inner rule needs no translation",
            "{ arriving: uplink }",
            "{ arriving: pier }",
            OPEN,
            "stance: accept",
            "becomes: ramp 502",
            TRANSLATION_OFF),
        row(
            "a rule for replies from inside is none for outsiders",
            "from: contractor\n",
            "from: pier\n",
            "becomes: ramp 502",
            TRANSLATION_OFF),
        row(
            "a group used by a group is used",
            "services:\n  ramp",
            "groups:\n  a: ramp\n  b: a\nservices:\n  ramp",
            "            to: ramp\n",
            "            to: b\n"),
        row(
            "an open destination is no host",
            "            to: ramp\n",
            "            to: any\n",
            "becomes: ramp 502",
            TRANSLATION_OFF),
        row(
            "a network that a rule names is used",
            "networks:\n",
            "networks:\n  far: { prefix: 10.1.0.0/24, zone: far }\n",
            "from: pier\n        leaving",
            "from: [pier, far]\n        leaving"));
  }

  @ParameterizedTest(name = "{0}")
  @MethodSource("healthy")
  void nothingIsSaidOfWhatIsFine(String why, String[] edits) throws Exception {
    List<String> found = check(edits);
    // Taking the only use of a service away is no fault of the rule under test.
    found.removeIf(f -> f.equals("unused: nothing uses schedule 'working hours'"));
    assertThat(found).isEmpty();
  }

  @Test
  void theWorstComesFirst() throws Exception {
    assertThat(check("services:\n  ramp", "services:\n  spare: 99/tcp\n  ramp", DISABLE, RULE_OFF))
        .extracting(f -> f.substring(0, f.indexOf(':')))
        .containsExactly("translation-without-access", "unused");
  }
}
