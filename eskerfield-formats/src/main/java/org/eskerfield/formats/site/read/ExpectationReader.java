// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.read;

import java.io.IOException;
import java.io.InputStream;
import java.nio.file.Files;
import java.nio.file.InvalidPathException;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Objects;
import org.eskerfield.formats.Problem;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.ask.QuestionReader;
import org.eskerfield.formats.literal.BadLiteralException;
import org.eskerfield.formats.literal.Literals;
import org.eskerfield.formats.literal.Problems;
import org.eskerfield.formats.literal.Times;
import org.eskerfield.formats.site.shape.ExpectationShapes;
import org.eskerfield.formats.yaml.Node;
import org.eskerfield.formats.yaml.SourceText;
import org.eskerfield.formats.yaml.YamlParser;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Device;
import org.eskerfield.model.Guarantee;
import org.eskerfield.model.Place;
import org.eskerfield.model.Site;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.packet.Address;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.FileTransfer;
import org.eskerfield.verify.Expectation;
import org.jspecify.annotations.Nullable;

/** Reads expectations: those of a site file, and files that hold nothing else. */
public final class ExpectationReader {
  private final Site site;
  private final Problems problems;
  private final @Nullable Path folder;

  /** Sites of which earlier traffic is, by file name, since many expectations may name one. */
  private final Map<String, Site> sites = new LinkedHashMap<>();

  private final List<String> rules = new ArrayList<>();

  ExpectationReader(Site site, Problems problems, @Nullable Path folder) {
    this.site = site;
    this.problems = problems;
    this.folder = folder;
    for (Device device : site.devices().values()) {
      device.translation().stream().map(TranslationRule::name).forEach(rules::add);
      for (AccessList list : device.access()) {
        rules.add(list.name());
        list.rules().stream().map(AccessRule::name).forEach(rules::add);
      }
    }
  }

  /**
   * Reads a file of expectations and guarantees about a site.
   *
   * @return the site with those that it had and those of the file
   * @throws UnreadableSiteException if the file is not there or has any problem
   */
  public static SiteFile read(Path file, SiteFile of) throws UnreadableSiteException {
    Site site = of.site();
    String name = String.valueOf(file.getFileName());
    try (InputStream in = Files.newInputStream(file)) {
      SourceText source = SourceText.read(name, in);
      Problems problems = new Problems(source);
      YamlParser.Parsed parsed = YamlParser.parse(source);
      for (YamlParser.Slip slip : parsed.slips()) {
        problems.add(slip.place(), slip.message(), slip.remedy());
      }
      List<Expectation> expectations = new ArrayList<>(of.expectations());
      List<Guarantee> guarantees = new ArrayList<>(of.guarantees());
      Place start = new Place(name, 1, 1);
      if (parsed.root() == null && problems.isEmpty()) {
        problems.add(start, "the file is empty", "write expect: or guarantees:, and a list");
      } else if (problems.isEmpty()) {
        Fields fields =
            Fields.check(
                Objects.requireNonNull(parsed.root()),
                ExpectationShapes.EXPECTATIONS,
                start,
                problems);
        expectations.addAll(new ExpectationReader(site, problems, file.getParent()).read(fields));
        guarantees.addAll(new GuaranteeReader(site, problems).read(fields));
      }
      if (!problems.isEmpty()) {
        throw new UnreadableSiteException(name, problems.sorted());
      }
      return new SiteFile(site, expectations, guarantees, of.policy());
    } catch (SourceText.UnusableTextException e) {
      throw new UnreadableSiteException(
          name, List.of(new Problem(e.place(), Objects.toString(e.getMessage()), e.remedy(), "")));
    } catch (IOException e) {
      throw new UnreadableSiteException(
          name,
          List.of(
              new Problem(
                  new Place(name, 1, 1),
                  Files.exists(file) ? file + " cannot be read" : "there is no file " + file,
                  "check the path",
                  "")));
    }
  }

  List<Expectation> read(Fields fields) {
    List<Expectation> expectations = new ArrayList<>();
    for (Fields each : fields.children("expect")) {
      Expectation read = expectation(each);
      if (read != null) {
        expectations.add(read);
      }
    }
    return expectations;
  }

  private @Nullable Expectation expectation(Fields fields) {
    List<Attempt> attempts = attempts(fields, fields.text("at"));
    String outcome = fields.text("outcome");
    if (attempts.isEmpty() || outcome == null) {
      return null;
    }
    String[] words = outcome.split(" by ", 2);
    String by = words.length < 2 ? null : words[1];
    if (by != null && !isSomebody(by)) {
      List<String> known = new ArrayList<>(site.hosts().keySet());
      known.addAll(site.devices().keySet());
      problems.add(
          fields.place("outcome"),
          "no host or device is called '" + by + "'",
          problems.didYouMean(by, known, "name one, or an address"));
    }
    Node.Scalar rule = fields.scalar("rule");
    if (rule != null && !rules.contains(rule.text())) {
      problems.add(
          rule,
          "no rule or list is called '" + rule.text() + "'",
          problems.didYouMean(rule.text(), rules, "name one of a device"));
    }
    return new Expectation(
        text(fields, outcome),
        attempts,
        Outcome.valueOf(words[0].toUpperCase(Locale.ROOT)),
        by,
        address(fields.scalar("seen-as")),
        rule == null ? null : rule.text(),
        earlier(fields),
        before(fields.scalar("before-change")),
        fields.text("note"),
        fields.place());
  }

  /** The expectation in one line: no two that differ have the same, but for remarks. */
  private static String text(Fields fields, String outcome) {
    StringBuilder text = new StringBuilder(asked(fields));
    List<String> more = new ArrayList<>();
    for (Fields each : fields.children("after")) {
      String wait = each.text("wait");
      more.add("after " + asked(each) + (wait == null ? "" : " and " + wait));
    }
    String before = fields.text("before-change");
    if (before != null) {
      more.add("before the change from " + before);
    }
    text.append(more.isEmpty() ? "" : ", " + String.join(", ", more));
    text.append(": ").append(outcome);
    String seenAs = fields.text("seen-as");
    text.append(seenAs == null ? "" : ", seen as " + seenAs);
    String rule = fields.text("rule");
    return text.append(rule == null ? "" : ", by '" + rule + "'").toString();
  }

  /** What is tried, with all that is said of it. */
  private static String asked(Fields fields) {
    StringBuilder text = new StringBuilder();
    text.append(String.join(", ", fields.texts("from").stream().map(Node.Scalar::text).toList()));
    text.append(" to ").append(fields.text("to")).append(", ").append(fields.text("service"));
    said(text, fields, "size", " of ", " bytes");
    text.append(fields.isTrue("may-fragment", false) ? ", may be fragmented" : "");
    said(text, fields, "mode", ", ", "");
    said(text, fields, "data-to", ", data to ", "");
    said(text, fields, "source-port", ", from port ", "");
    return said(text, fields, "at", ", ", "").toString();
  }

  private static StringBuilder said(
      StringBuilder text, Fields fields, String key, String before, String behind) {
    String value = fields.text(key);
    return value == null ? text : text.append(before).append(value).append(behind);
  }

  private boolean isSomebody(String name) {
    return site.hosts().containsKey(name)
        || site.devices().containsKey(name)
        || Literals.looksLikeAddress(name);
  }

  private @Nullable Address address(Node.@Nullable Scalar text) {
    if (text == null) {
      return null;
    }
    try {
      return Literals.address(text.text());
    } catch (BadLiteralException e) {
      problems.add(text, e.message(), e.remedy());
      return null;
    }
  }

  private List<Expectation.Earlier> earlier(Fields fields) {
    List<Expectation.Earlier> earlier = new ArrayList<>();
    for (Fields each : fields.children("after")) {
      Node.Scalar wait = each.scalar("wait");
      Duration pause = Duration.ZERO;
      if (wait != null) {
        Duration read = Times.duration(wait.text());
        pause = read == null ? pause : read;
        if (read == null) {
          problems.add(wait, "'" + wait.text() + "' is no time", "write 90s, 5m or 2h4m");
        }
      }
      List<Attempt> attempts = attempts(each, fields.text("at"));
      for (int i = 0; i < attempts.size(); i++) {
        boolean last = i == attempts.size() - 1;
        earlier.add(new Expectation.Earlier(attempts.get(i), last ? pause : Duration.ZERO));
      }
    }
    if (fields.has("before-change") && earlier.isEmpty()) {
      problems.add(
          fields.place("before-change"),
          "without earlier traffic it makes no difference what the file was before",
          "add after: and what happened before the change");
    }
    return earlier;
  }

  private @Nullable Site before(Node.@Nullable Scalar file) {
    if (file == null) {
      return null;
    }
    Site known = sites.get(file.text());
    if (known != null) {
      return known;
    }
    try {
      Site read =
          SiteReader.readWithoutExpectations(
              folder == null ? Path.of(file.text()) : folder.resolve(file.text()));
      if (!read.devices().keySet().equals(site.devices().keySet())) {
        problems.add(file, "the site before the change has other devices", "compare their names");
      }
      sites.put(file.text(), read);
      return read;
    } catch (UnreadableSiteException | IOException | InvalidPathException e) {
      problems.add(
          file,
          "the site before the change cannot be read: " + e.getMessage(),
          "name a site file, from the folder of this one");
      return null;
    }
  }

  private List<Attempt> attempts(Fields fields, @Nullable String at) {
    Node.Scalar to = fields.scalar("to");
    Node.Scalar service = fields.scalar("service");
    String mode = fields.text("mode");
    String dataTo = fields.text("data-to");
    List<Attempt> attempts = new ArrayList<>();
    if (to == null || service == null) {
      return attempts;
    }
    for (Node.Scalar from : fields.texts("from")) {
      try {
        for (String sender : QuestionReader.senders(site, from.text())) {
          Node.Scalar port = fields.scalar("source-port");
          QuestionReader reader =
              QuestionReader.on(site)
                  .from(sender)
                  .to(to.text())
                  .service(service.text())
                  .at(at)
                  .mode(mode == null ? null : mode(mode))
                  .dataTo(dataTo == null ? null : dataTo(dataTo));
          if (port != null) {
            reader.sourcePort(Integer.parseInt(port.text()));
          }
          Integer size = fields.whole("size");
          if (size != null) {
            reader.size(size);
          }
          if (fields.isTrue("may-fragment", false)) {
            reader.mayFragment();
          }
          attempts.add(reader.attempt());
        }
      } catch (UnusableQuestionException e) {
        Place place = e.part().equals("from") ? from.place() : fields.place(e.part());
        problems.add(place, Objects.toString(e.getMessage()), e.remedy());
        return List.of();
      }
    }
    return attempts;
  }

  private static FileTransfer.DataTo dataTo(String word) {
    return FileTransfer.DataTo.valueOf(word.toUpperCase(Locale.ROOT));
  }

  private static FileTransfer.Mode mode(String word) {
    return FileTransfer.Mode.valueOf(word.toUpperCase(Locale.ROOT).replace('-', '_'));
  }
}
