// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.edit;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Random;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import org.eskerfield.formats.Sites;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Device;
import org.eskerfield.model.Place;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Site;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.MethodSource;

/** Edits change what they name and nothing else: comments, order, blank lines, quotes. */
class SiteEditorTest {
  private static final String TEXT =
      """
      # A file with everything that an edit must leave alone.
      hosts:
        till: { on: shop, at: 10.1.0.7 } # the old one

        web:
          on: store # the store
          at: [10.2.0.10, '2001:db8::7']   # two families
          filter:
            rules:
              # everybody
              - accept: all
                service: https

              - { drop: rest }
      groups: { some: [a, "b c", d] }
      """;

  /** Where the only place of a text is. */
  private static Place at(String piece) {
    int index = TEXT.indexOf(piece);
    assertThat(index).as(piece).isNotNegative();
    int line = (int) TEXT.substring(0, index).chars().filter(c -> c == '\n').count() + 1;
    return new Place("x", line, index - TEXT.lastIndexOf('\n', index - 1));
  }

  /**
   * An edit.
   *
   * @param before what stands there
   * @param after what stands there afterwards
   */
  record Case(String before, String after, Edit edit) {
    @Override
    public String toString() {
      return edit.getClass().getSimpleName() + ": " + after.strip();
    }
  }

  private static Map<String, Object> rule() {
    Map<String, Object> rule = new LinkedHashMap<>();
    rule.put("accept", "it's: new");
    rule.put("to", List.of("web", "2001:db8::/32"));
    return rule;
  }

  private static final Place RULE = at("accept: all");

  private static final String ADDED =
      "        - accept: 'it''s: new'\n          to: [web, '2001:db8::/32']\n";

  static List<Case> cases() {
    return List.of(
        new Case("at: 10.1.0.7 }", "at: 10.1.0.8 }", new Edit.Put(at("till:"), "at", "10.1.0.8")),
        new Case("10.1.0.7 }", "10.1.0.7, off: true }", new Edit.Put(at("till:"), "off", "true")),
        new Case(
            "on: store #",
            "on: [store, shop] #",
            new Edit.Put(at("web:"), "on", List.of("store", "shop"))),
        new Case(
            "        - { drop: rest }\n",
            "        - { drop: rest }\n      otherwise: drop\n",
            new Edit.Put(at("web:"), "filter/otherwise", "drop")),
        new Case("on: store # the store\n    at", "at", new Edit.Take(at("web:"), "on")),
        new Case("on: shop, ", "", new Edit.Take(at("till:"), "on")),
        new Case(", at: 10.1.0.7 }", " }", new Edit.Take(at("till:"), "at")),
        new Case("accept: all", "reject: all", new Edit.Rename(RULE, "accept", "reject")),
        new Case("- accept: all\n          service", "- service", new Edit.Take(RULE, "accept")),
        new Case("'2001:db8::7'", "none", new Edit.Replace(at("'2001:db8::7'"), "none")),
        new Case(
            "  till: { on: shop, at: 10.1.0.7 } # the old one\n", "", new Edit.Remove(at("till:"))),
        new Case("\"b c\", ", "", new Edit.Remove(at("\"b c\""))),
        new Case(", d]", "]", new Edit.Remove(at("d] }"))),
        new Case(
            "        # everybody\n",
            ADDED + "        # everybody\n",
            new Edit.Insert(at("web:"), "filter/rules", RULE, rule())),
        new Case(
            "        - { drop: rest }\n",
            "        - { drop: rest }\n        - { accept: 'it''s: new', to: [web, '2001:db8::/32'] }\n",
            new Edit.Insert(at("web:"), "filter/rules", null, rule())),
        new Case(
            "10.1.0.7 }",
            "10.1.0.7, listens: [https] }",
            new Edit.Insert(at("till:"), "listens", null, "https")),
        new Case(
            "on: shop,", "on: [shop, store],", new Edit.Insert(at("till:"), "on", null, "store")),
        new Case("[a, \"b c\", d]", "[d, a, \"b c\"]", new Edit.Move(at("d] }"), at("a, \"b c\""))),
        new Case(
            "        # everybody\n        - accept: all\n          service: https\n\n        - { drop: rest }\n",
            "\n        - { drop: rest }\n        # everybody\n        - accept: all\n          service: https\n",
            new Edit.Move(RULE, null)),
        new Case(
            "        - { drop: rest }\n",
            "        - { drop: rest }\n    more:\n      x:\n        of: it\n        only:\n"
                + ADDED.replace("\n ", "\n   ").replaceFirst("^", "  "),
            new Edit.Define(at("web:"), "more", "x", more())));
  }

  private static Map<String, Object> more() {
    Map<String, Object> more = new LinkedHashMap<>();
    more.put("of", "it");
    more.put("only", List.of(rule()));
    return more;
  }

  @ParameterizedTest
  @MethodSource("cases")
  void anEditChangesWhatItNames(Case each) {
    String wanted = TEXT.replace(each.before, each.after);
    assertThat(SiteEditor.edited(TEXT, List.of(each.edit))).isEqualTo(wanted);
    // So does the same text with the line breaks of another system.
    assertThat(SiteEditor.edited(TEXT.replace("\n", "\r\n"), List.of(each.edit)))
        .isEqualTo(wanted.replace("\n", "\r\n"));
  }

  @Test
  void editsAreCarriedOutTogetherOrNotAtAll() {
    Edit one = new Edit.Put(at("till:"), "at", "10.1.0.99");
    Edit two = new Edit.Remove(RULE);
    assertThat(SiteEditor.edited(TEXT, List.of(two, one)))
        .isEqualTo(SiteEditor.edited(TEXT, List.of(one, two)))
        .contains("10.1.0.99")
        .doesNotContain("accept: all");
    assertThatThrownBy(
            () -> SiteEditor.edited(TEXT, List.of(one, new Edit.Remove(new Place("x", 2, 3)))))
        .hasMessageContaining("nothing begins at");
    assertThat(SiteEditor.patch("x", TEXT, TEXT)).isEmpty();
  }

  @Test
  void aFileIsReplacedAtOnceAndKeepsItsPermissions(@TempDir Path folder) throws Exception {
    Path file = folder.resolve("x.site.yaml");
    Files.writeString(file, Sites.skerryText());
    Files.setPosixFilePermissions(file, PosixFilePermissions.fromString("rw-r-----"));
    Path link = Files.createSymbolicLink(folder.resolve("link.yaml"), file);
    Edit edit = new Edit.Put(new Place("x", 17, 3), "note", "far away");
    CuredSite cured = Objects.requireNonNull(CuredSite.edited(link, "x", List.of(edit)));
    cured.write(link);
    assertThat(Files.isSymbolicLink(link)).isTrue();
    assertThat(Files.readString(file)).isEqualTo(cured.after()).contains("note: far away }");
    assertThat(PosixFilePermissions.toString(Files.getPosixFilePermissions(file)))
        .isEqualTo("rw-r-----");
    try (var all = Files.list(folder)) {
      assertThat(all).hasSize(2);
    }
    // What cannot be read afterwards is no cure.
    assertThat(CuredSite.edited(file, "x", List.of(new Edit.Put(new Place("x", 17, 3), "at", "?"))))
        .isNull();
  }

  /** A comment, or what stands behind a key on its line. */
  private static List<String> comments(String text) {
    List<String> found = new ArrayList<>();
    text.lines()
        .filter(line -> line.matches("(^|.*\\s)#.*"))
        .forEach(line -> found.add(line.substring(line.indexOf('#'))));
    return found;
  }

  private static boolean isWithin(List<String> some, List<String> all) {
    int at = 0;
    for (String line : all) {
      at += at < some.size() && some.get(at).equals(line) ? 1 : 0;
    }
    return at == some.size();
  }

  /** 500 edits by lot of the sites of the demo, each with comments and a layout of its own. */
  @Property(tries = 500, seed = "20260105")
  void everyCommentBlankLineAndUntouchedKeySurvives(@ForAll long seed) throws Exception {
    Random random = new Random(seed);
    List<Path> files =
        Sites.all().filter(f -> !f.toString().matches(".*(every|old-session).*")).toList();
    String text = Files.readString(files.get(random.nextInt(files.size())));
    text = text.replace("    access:\n", "    access:  # in order\n");
    Site site = SiteReader.read("x", text);
    List<Device> devices = List.copyOf(site.devices().values());
    Device device = devices.get(random.nextInt(devices.size()));
    List<Placed> rules = new ArrayList<>(device.translation());
    List<Placed> row = rules;
    if (random.nextBoolean() && !device.access().isEmpty()) {
      row = new ArrayList<>(device.access().get(0).rules());
    }
    Placed some = row.isEmpty() ? device : row.get(random.nextInt(row.size()));
    Placed other = row.isEmpty() ? device : row.get(random.nextInt(row.size()));
    String name = "edit " + random.nextInt(1000);
    Map<String, Object> untouched = new LinkedHashMap<>();
    untouched.put("untouched", name);
    untouched.put("from", "10.200.0.0/24");
    untouched.put("to", List.of("10.201.0.0/24", "any"));
    Map<String, Object> expected = new LinkedHashMap<>();
    expected.put("from", "198.51.100.9");
    expected.put("to", "203.0.113.33:" + (1 + random.nextInt(65000)));
    expected.put("service", "tcp");
    expected.put("outcome", "dropped");
    Place first = rules.isEmpty() ? null : rules.get(random.nextInt(rules.size())).place();
    Edit edit =
        switch (random.nextInt(6)) {
          case 0 -> new Edit.Put(some.place(), "note", name + ": with # and 'quotes'");
          case 1 -> new Edit.Insert(device.place(), "translation", first, untouched);
          case 2 -> new Edit.Insert(device.place(), "translation", null, untouched);
          case 3 -> new Edit.Insert(site.place(), "expect", null, expected);
          case 4 -> row.size() < 2 ? null : new Edit.Remove(some.place());
          default ->
              row.size() < 2 || some == other ? null : new Edit.Move(some.place(), other.place());
        };
    if (edit == null) {
      return;
    }
    String after = SiteEditor.edited(text, List.of(edit));
    List<String> old = text.lines().toList();
    List<String> now = after.lines().toList();
    assertThat(comments(after)).as("%s", edit).containsAll(comments(text));
    assertThat(now.stream().filter(String::isBlank).count())
        .isGreaterThanOrEqualTo(old.stream().filter(String::isBlank).count());
    if (edit instanceof Edit.Remove) {
      assertThat(isWithin(now, old))
          .as("%s\n%s", edit, SiteEditor.patch("x", text, after))
          .isTrue();
    } else if (edit instanceof Edit.Move) {
      assertThat(now).containsExactlyInAnyOrderElementsOf(old);
    } else {
      List<String> kept = new ArrayList<>(old);
      kept.removeIf(line -> !now.contains(line)); // a line in braces that something was put into
      assertThat(old.size() - kept.size()).isLessThanOrEqualTo(1);
      assertThat(isWithin(kept, now)).isTrue();
    }
    Site read = SiteReader.read("x", after); // and it is a site as before
    assertThat(read.hosts().keySet()).isEqualTo(site.hosts().keySet());
    assertThat(read.devices().keySet()).isEqualTo(site.devices().keySet());
  }
}
