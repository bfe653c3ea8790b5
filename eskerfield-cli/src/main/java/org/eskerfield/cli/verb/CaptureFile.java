// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.verb;

import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import org.eskerfield.cli.text.Terminal;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.capture.Capture;
import org.eskerfield.formats.capture.CaptureWriter;
import org.eskerfield.formats.capture.Viewpoint;
import org.eskerfield.model.Site;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Model.OptionSpec;
import picocli.CommandLine.ParseResult;

/** The file that a call wants a capture in. */
final class CaptureFile {
  private final ParseResult call;
  private final String name;
  private final boolean blocks;
  private final Capture capture;

  private CaptureFile(ParseResult call, String name, boolean blocks, Capture capture) {
    this.call = call;
    this.name = name;
    this.blocks = blocks;
    this.capture = capture;
  }

  /** Adds the options of a capture. */
  static void describe(CommandSpec spec, String otherwise) {
    spec.addOption(
        Verb.option(
            "--capture",
            "FILE",
            "Write the packets as a capture there would have them: a file of type .pcapng, "
                + "or of type .pcap for one place."));
    spec.addOption(
        OptionSpec.builder("--seen-at")
            .type(List.class)
            .auxiliaryTypes(String.class)
            .arity("1")
            .paramLabel("WHERE")
            .description(
                "Where to capture: a host, a device, or one of its interfaces such as 'edge "
                    + "uplink'. May be given several times; default: "
                    + otherwise
                    + ".")
            .build());
  }

  /**
   * The file of a call; null if it wants none.
   *
   * @param otherwise where to capture if the call does not say; empty for everywhere
   */
  static @Nullable CaptureFile of(ParseResult call, Site site, List<Viewpoint> otherwise)
      throws UnusableQuestionException {
    String name = call.matchedOptionValue("--capture", null);
    List<String> places = call.matchedOptionValue("--seen-at", List.of());
    if (name == null) {
      if (!places.isEmpty()) {
        throw Verb.wrong(call, "--seen-at is for a capture; say --capture FILE as well");
      }
      return null;
    }
    String end = name.toLowerCase(Locale.ROOT);
    boolean blocks = end.endsWith(".pcapng");
    if (!blocks && !end.endsWith(".pcap")) {
      throw Verb.wrong(call, "--capture: '" + name + "' is neither .pcapng nor .pcap");
    }
    List<Viewpoint> views = new ArrayList<>(places.isEmpty() ? otherwise : List.of());
    for (String place : places) {
      for (Viewpoint view : Viewpoint.of(site, "seen-at", place)) {
        if (!views.contains(view)) {
          views.add(view);
        }
      }
    }
    if (!blocks && views.size() != 1) {
      throw Verb.wrong(
          call,
          "--capture: a .pcap cannot say where each packet was seen; name one place with --seen-at,"
              + " such as --seen-at "
              + (views.isEmpty() ? "a host" : "'" + views.get(0) + "'")
              + ", or write .pcapng");
    }
    return new CaptureFile(call, name, blocks, new Capture(site, views));
  }

  /** What is to be watched with. */
  Capture capture() {
    return capture;
  }

  /** Writes the file, all of it or nothing, and says so. */
  void write(Terminal terminal) throws IOException {
    ByteArrayOutputStream bytes = new ByteArrayOutputStream();
    if (blocks) {
      CaptureWriter.pcapng(capture, bytes);
    } else {
      CaptureWriter.pcap(capture, bytes);
    }
    Verb.write(call, "--capture", name, bytes.toByteArray());
    terminal
        .err()
        .println(
            "wrote "
                + capture.size()
                + (capture.size() == 1 ? " packet" : " packets")
                + ", as seen at "
                + places()
                + ", to "
                + name);
  }

  private String places() {
    List<String> names = new ArrayList<>();
    capture.views().forEach(view -> names.add(view.toString()));
    return names.isEmpty() ? "no place" : String.join(", ", names);
  }
}
