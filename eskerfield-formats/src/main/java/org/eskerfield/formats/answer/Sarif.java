// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.answer;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import org.eskerfield.check.Code;
import org.eskerfield.check.Finding;
import org.eskerfield.check.Severity;
import org.eskerfield.formats.Problem;
import org.eskerfield.model.Place;

/**
 * Writes findings and problems as SARIF 2.1.0 (OASIS Static Analysis Results Interchange Format),
 * from which code hosts annotate the lines of a file.
 */
public final class Sarif {
  /** The rule of what keeps a file from being read. */
  private static final String PROBLEM = "unreadable";

  private Sarif() {}

  /**
   * The document, with a line break at the end.
   *
   * @param file the path of the site file as the caller names it
   * @param problems the problems of the file; empty if it could be read
   * @param findings the findings
   */
  public static String of(String file, List<Problem> problems, List<Finding> findings) {
    String uri = uri(file);
    List<Object> results = new ArrayList<>();
    problems.forEach(each -> results.add(result(uri, each)));
    findings.forEach(each -> results.add(result(uri, each)));
    return Json.of(
        new Tree()
            .with("version", "2.1.0")
            .with("$schema", "https://json.schemastore.org/sarif-2.1.0.json")
            .with(
                "runs",
                List.of(
                    new Tree()
                        .with(
                            "tool",
                            new Tree()
                                .with(
                                    "driver",
                                    new Tree().with("name", "Eskerfield").with("rules", rules())))
                        .with("columnKind", "unicodeCodePoints")
                        .with("results", results))));
  }

  /** A relative reference of RFC 3986: blanks and the like are written as octets. */
  private static String uri(String file) {
    StringBuilder uri = new StringBuilder();
    byte[] octets = file.replace('\\', '/').getBytes(java.nio.charset.StandardCharsets.UTF_8);
    for (byte octet : octets) {
      char c = (char) (octet & 0xff);
      boolean plain = c < 128 && (Character.isLetterOrDigit(c) || "-._~/".indexOf(c) >= 0);
      uri.append(plain ? Character.toString(c) : "%" + hex(octet));
    }
    return uri.toString();
  }

  private static String hex(byte octet) {
    String digits = Integer.toHexString(octet & 0xff).toUpperCase(java.util.Locale.ROOT);
    return digits.length() == 1 ? "0" + digits : digits;
  }

  private static List<Tree> rules() {
    List<Tree> rules = new ArrayList<>();
    rules.add(rule(PROBLEM, "What the file says cannot be understood.", "error"));
    for (Code code : Code.values()) {
      rules.add(rule(code.toString(), code.why(), level(code.severity())));
    }
    return rules;
  }

  private static Tree rule(String id, String why, String level) {
    return new Tree()
        .with("id", id)
        .with("shortDescription", message(why))
        .with("defaultConfiguration", new Tree().with("level", level));
  }

  private static String level(Severity severity) {
    return severity == Severity.ADVICE ? "note" : severity.toString();
  }

  private static Tree message(String text) {
    return new Tree().with("text", text);
  }

  private static Tree result(String uri, Problem problem) {
    String remedy = problem.remedy().isEmpty() ? "." : ". " + problem.remedy() + ".";
    return result(uri, PROBLEM, 0, "error", problem.message() + remedy, problem.place());
  }

  private static Tree result(String uri, Finding finding) {
    Code code = finding.code();
    String cure = finding.cure().summary();
    Tree result =
        result(
                uri,
                code.toString(),
                1 + Arrays.asList(Code.values()).indexOf(code),
                level(finding.severity()),
                finding.message() + ". " + code.why() + " Cure: " + cure + ".",
                finding.place())
            .with("partialFingerprints", new Tree().with("about/v1", code + " " + finding.about()));
    return finding.accepted() == null
        ? result
        : result.with(
            "suppressions",
            List.of(new Tree().with("kind", "external").with("justification", finding.accepted())));
  }

  private static Tree result(
      String uri, String rule, int index, String level, String text, Place place) {
    Tree region = new Tree().with("startLine", place.line()).with("startColumn", place.column());
    return new Tree()
        .with("ruleId", rule)
        .with("ruleIndex", index)
        .with("level", level)
        .with("message", message(text))
        .with(
            "locations",
            List.of(
                new Tree()
                    .with(
                        "physicalLocation",
                        new Tree()
                            .with("artifactLocation", new Tree().with("uri", uri))
                            .with("region", region))));
  }
}
