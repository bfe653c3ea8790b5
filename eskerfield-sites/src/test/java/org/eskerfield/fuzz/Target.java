// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.fuzz;

import static java.nio.charset.StandardCharsets.UTF_8;

import java.io.ByteArrayInputStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import org.eskerfield.check.Checker;
import org.eskerfield.check.Policy;
import org.eskerfield.explain.Explainer;
import org.eskerfield.formats.Problem;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.answer.PolicyTemplate;
import org.eskerfield.formats.ask.QuestionReader;
import org.eskerfield.formats.capture.CaptureReader;
import org.eskerfield.formats.capture.CapturedTraffic;
import org.eskerfield.formats.capture.UnreadableCaptureException;
import org.eskerfield.formats.capture.Viewpoint;
import org.eskerfield.formats.site.edit.Edit;
import org.eskerfield.formats.site.edit.SiteEditor;
import org.eskerfield.formats.site.read.ExpectationReader;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.formats.site.write.SiteWriter;
import org.eskerfield.formats.traffic.TrafficReader;
import org.eskerfield.formats.yaml.SourceText;
import org.eskerfield.formats.yaml.YamlParser;
import org.eskerfield.git.RevisionReader;
import org.eskerfield.guarantee.Prover;
import org.eskerfield.model.Place;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Tracer;
import org.eskerfield.verify.Verifier;
import org.eskerfield.words.Printable;

/**
 * What a stranger may send, by kind. Each takes any bytes: what is no such input is refused by the
 * documented exception, whose message a terminal can show, and what is one is put to use. Anything
 * else that is thrown is a fault.
 */
enum Target {
  /** A site file: read, written, read back, checked, explained, its expectations verified. */
  SITE {
    @Override
    void take(byte[] input, Ground ground) throws Exception {
      SiteFile file;
      try {
        file = SiteReader.read("x.site.yaml", new ByteArrayInputStream(input));
      } catch (UnreadableSiteException e) {
        shown(e);
        return;
      }
      String written = SiteWriter.write(file.site());
      String again = SiteWriter.write(SiteReader.read("x.site.yaml", written));
      if (!again.equals(written)) {
        throw new IllegalStateException("written otherwise when read back:\n" + written + again);
      }
      Checker.check(file.site(), file.policy(), (what, done, of) -> {});
      new Verifier(Tracer.of(file.site())).verify(file.expectations());
      Explainer explainer = Explainer.of(file.site());
      file.site().devices().values().forEach(explainer::explain);
    }
  },

  /** A list of flows, CSV or YAML, sent through the demo site. */
  TRAFFIC {
    @Override
    void take(byte[] input, Ground ground) throws Exception {
      String name = input.length > 0 && input[0] == '-' ? "x.yaml" : "x.csv";
      try (TrafficReader reader =
          TrafficReader.open(ground.site(), name, new ByteArrayInputStream(input))) {
        while (reader.next() != null) {
          reader.ahead();
        }
      } catch (UnreadableSiteException e) {
        shown(e);
      }
    }
  },

  /** A file of expectations about the demo site, verified. */
  EXPECTATIONS {
    @Override
    void take(byte[] input, Ground ground) throws Exception {
      Path file = ground.folder().resolve("x.expect.yaml");
      Files.write(file, input);
      try {
        SiteFile read =
            ExpectationReader.read(
                file, new SiteFile(ground.site(), List.of(), List.of(), Policy.NONE));
        new Verifier(ground.tracer()).verify(read.expectations());
        new Prover(ground.tracer()).prove(read.guarantees());
      } catch (UnreadableSiteException e) {
        shown(e);
      }
    }
  },

  /** A capture from the uplink of the demo site, or one that names its interfaces; replayed. */
  CAPTURE {
    @Override
    void take(byte[] input, Ground ground) throws Exception {
      for (Viewpoint where : new Viewpoint[] {ground.uplink(), null}) {
        try (CaptureReader reader = new CaptureReader("x.pcap", new ByteArrayInputStream(input));
            CapturedTraffic traffic = new CapturedTraffic(ground.site(), reader, where)) {
          Run run = ground.tracer().run(VirtualClock.start(ground.site().timeZone()));
          for (var each = traffic.next(); each != null; each = traffic.next()) {
            each.happen(run);
          }
        } catch (UnreadableCaptureException e) {
          shown(e.getMessage());
        } catch (UnusableQuestionException e) {
          shown(e.getMessage());
        }
      }
    }
  },

  /** Words of a question, one a line: from, to, service, time. */
  QUESTION {
    @Override
    void take(byte[] input, Ground ground) throws Exception {
      String[] words = (new String(input, UTF_8) + "\n\n\n\n").split("\n", 5);
      try {
        QuestionReader reader =
            QuestionReader.on(ground.site()).from(words[0]).to(words[1]).service(words[2]);
        ground.tracer().converse(reader.at(words[3].isEmpty() ? null : words[3]).attempt());
      } catch (UnusableQuestionException e) {
        shown(e.getMessage());
      }
    }
  },

  /** An edit, in a first line {@code KIND LINE COLUMN LINE COLUMN VALUE}, and the file below it. */
  EDIT {
    @Override
    void take(byte[] input, Ground ground) throws Exception {
      String[] parts = (new String(input, UTF_8) + "\n").split("\n", 2);
      String[] words = (parts[0] + " . . . . . .").split(" ", 6);
      Place one = new Place("x", number(words[1]), number(words[2]));
      Place two = new Place("x", number(words[3]), number(words[4]));
      String value = words[5];
      Edit edit =
          switch (words[0]) {
            case "put" -> new Edit.Put(one, "note", value);
            case "deep" -> new Edit.Put(one, "state/" + value, List.of(value, Map.of("to", value)));
            case "take" -> new Edit.Take(one, value);
            case "rename" -> new Edit.Rename(one, "from", value);
            case "replace" -> new Edit.Replace(one, List.of(value));
            case "insert" -> new Edit.Insert(one, "rules", two, Map.of("accept", value));
            case "append" -> new Edit.Insert(one, "rules", null, value);
            case "define" -> new Edit.Define(one, "access", value, Map.of("otherwise", "drop"));
            case "move" -> new Edit.Move(one, two);
            default -> new Edit.Remove(one);
          };
      try {
        String edited = SiteEditor.edited(parts[1], List.of(edit));
        SiteEditor.patch("x", parts[1], edited);
        if (!YamlParser.parse(new SourceText("x", edited)).slips().isEmpty()) {
          throw new IllegalStateException("no YAML after the edit:\n" + edited);
        }
      } catch (IllegalArgumentException e) {
        shown(String.valueOf(e.getMessage()));
      }
    }
  },

  /** A template for the policy of the demo site. */
  TEMPLATE {
    @Override
    void take(byte[] input, Ground ground) throws Exception {
      try {
        PolicyTemplate.render(new String(input, UTF_8), ground.policy());
      } catch (UnusableQuestionException e) {
        shown(e.getMessage());
      }
    }
  },

  /** A revision of a repository. */
  REVISION {
    @Override
    void take(byte[] input, Ground ground) throws Exception {
      String text = new String(input, UTF_8);
      if (!RevisionReader.isRevision(text)) {
        return;
      }
      try {
        RevisionReader.read(text, ground.repository());
      } catch (UnusableQuestionException e) {
        shown(e.getMessage());
      } catch (UnreadableSiteException e) {
        shown(e);
      }
    }
  };

  /** Where its inputs are kept. */
  Path corpus() {
    return Path.of("src/test/resources/corpus", name().toLowerCase(Locale.ROOT));
  }

  abstract void take(byte[] input, Ground ground) throws Exception;

  private static int number(String text) {
    try {
      return Math.max(1, Integer.parseInt(text));
    } catch (NumberFormatException e) {
      return 1;
    }
  }

  private static void shown(UnreadableSiteException refused) {
    if (refused.problems().isEmpty()) {
      throw new IllegalStateException("refused without a reason");
    }
    for (Problem each : refused.problems()) {
      shown(each.message());
      shown(each.remedy());
    }
  }

  /** A message is one short line that a terminal can show. */
  private static void shown(String message) {
    if (message.isBlank() || message.length() > 2000 || Printable.firstThatIsNot(message) >= 0) {
      throw new IllegalStateException("no message for a screen: " + message);
    }
  }
}
