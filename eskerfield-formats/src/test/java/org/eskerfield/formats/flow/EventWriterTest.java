// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.flow;

import static org.assertj.core.api.Assertions.assertThat;
import static org.junit.jupiter.api.Assumptions.assumeTrue;

import java.io.File;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Collection;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.function.Function;
import java.util.function.Predicate;
import java.util.stream.Stream;
import org.eskerfield.formats.replay.Replay;
import org.eskerfield.formats.replay.Resends;
import org.eskerfield.formats.replay.Traffic;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Header;
import org.eskerfield.state.TranslationEvent;
import org.eskerfield.state.TranslationEvent.Kind;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Tracer;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** What devices log, as an independent analyser reads it and as we do. */
class EventWriterTest {
  private static final Map<Kind, Integer> NUMBERS =
      Map.of(
          Kind.SESSION_BEGINS, 4,
          Kind.SESSION_ENDS, 5,
          Kind.BINDING_BEGINS, 8,
          Kind.BINDING_ENDS, 9,
          Kind.ADDRESS_LENT, 14,
          Kind.ADDRESS_RETURNED, 15,
          Kind.ADDRESSES_USED_UP, 3,
          Kind.PORTS_USED_UP, 12,
          Kind.LIMIT_REACHED, 13);

  @TempDir private Path folder;

  private List<TranslationEvent> written(String site, String traffic, Path file) throws Exception {
    Site read = SiteReader.readFile(Path.of(site)).site();
    List<TranslationEvent> events = new ArrayList<>();
    try (InputStream in = Files.newInputStream(Path.of(traffic));
        Traffic flows = Traffic.open(read, traffic, in, null, Resends.NONE, false);
        EventWriter writer = new EventWriter(Files.newOutputStream(file), read)) {
      Run run = Tracer.of(read).run(flows.start());
      run.eventsTo(
          event -> {
            events.add(event);
            writer.accept(event);
          });
      Replay.of(run, flows, List.of(), null, (number, what) -> {});
      run.advance(Duration.ofDays(1));
    }
    return events;
  }

  private static Header after(TranslationEvent event) {
    return event.after() == null ? event.before() : event.after();
  }

  private static boolean isSession(TranslationEvent event) {
    return event.kind() == Kind.SESSION_BEGINS || event.kind() == Kind.SESSION_ENDS;
  }

  private static boolean isBinding(TranslationEvent event) {
    return event.kind() == Kind.BINDING_BEGINS || event.kind() == Kind.BINDING_ENDS;
  }

  /** Each element that the analyser names, with how often each value is there. */
  @Test
  void anIndependentAnalyserReadsEveryFieldBack() throws Exception {
    boolean there =
        Stream.of(System.getenv("PATH").split(File.pathSeparator))
            .anyMatch(each -> Files.isExecutable(Path.of(each, "tshark")));
    assumeTrue(
        there || "true".equals(System.getenv("CI")),
        "no analyser is installed: apt-get install tshark");
    Path file = folder.resolve("events.ipfix");
    List<TranslationEvent> events =
        written("../demo/marrowby.site.yaml", "../demo/marrowby-day.csv.gz", file);
    assertThat(events).extracting(TranslationEvent::kind).contains(Kind.ADDRESSES_USED_UP);
    assertThat(events).hasSizeGreaterThan(2500);
    Function<TranslationEvent, Object> kind = event -> NUMBERS.get(event.kind());
    check(file, "nat_event", events, event -> true, kind);
    check(file, "srcaddr", events, EventWriterTest::hasSource, e -> e.before().source());
    check(
        file,
        "post_natsource_ipv4_address",
        events,
        EventWriterTest::hasSource,
        e -> after(e).source());
    check(file, "srcport", events, e -> isSession(e) || isBinding(e), e -> e.before().sourcePort());
    check(
        file,
        "post_naptsource_transport_port",
        events,
        e -> isSession(e) || isBinding(e),
        e -> after(e).sourcePort());
    check(file, "dstaddr", events, EventWriterTest::isSession, e -> e.before().destination());
    check(
        file,
        "post_natdestination_ipv4_address",
        events,
        EventWriterTest::isSession,
        e -> after(e).destination());
    check(file, "dstport", events, EventWriterTest::isSession, e -> e.before().destinationPort());
    check(
        file,
        "post_naptdestination_transport_port",
        events,
        EventWriterTest::isSession,
        e -> after(e).destinationPort());
    check(file, "protocol", events, e -> isSession(e) || isBinding(e), e -> e.before().protocol());
    assertThat(read(file, "nat_pool_name")).isEqualTo(Map.of("gauges borrow an address", 1L));
  }

  private static boolean hasSource(TranslationEvent event) {
    return event.kind() != Kind.ADDRESSES_USED_UP;
  }

  private void check(
      Path file,
      String field,
      List<TranslationEvent> events,
      Predicate<TranslationEvent> which,
      Function<TranslationEvent, Object> value)
      throws Exception {
    Map<String, Long> wanted = new TreeMap<>();
    events.stream()
        .filter(which)
        .forEach(event -> wanted.merge(value.apply(event).toString(), 1L, Long::sum));
    assertThat(read(file, field)).as(field).isEqualTo(wanted);
  }

  private static Map<String, Long> read(Path file, String field) throws Exception {
    Process process =
        new ProcessBuilder(
                "tshark",
                "-r",
                file.toString(),
                "-T",
                "fields",
                "-E",
                "occurrence=a",
                "-e",
                "cflow." + field)
            .redirectError(ProcessBuilder.Redirect.DISCARD)
            .start();
    String out = new String(process.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
    assertThat(process.waitFor()).isZero();
    Map<String, Long> found = new TreeMap<>();
    Stream.of(out.split("[,\n\t]"))
        .filter(each -> !each.isEmpty())
        .forEach(each -> found.merge(each, 1L, Long::sum));
    return found;
  }

  /** Every session that begins is there with both headers, and with its end. */
  @Test
  void sessionsAreReadBackWhole() throws Exception {
    for (String name : List.of("harbour", "ipv6", "gauges")) {
      Path file = folder.resolve(name + ".ipfix");
      String traffic = name.equals("ipv6") ? six() : "../demo/" + name + ".csv";
      List<TranslationEvent> events = written("../demo/" + name + ".site.yaml", traffic, file);
      List<String> wanted = new ArrayList<>();
      for (TranslationEvent event : events) {
        if (event.kind() == Kind.SESSION_BEGINS) {
          wanted.add(
              event.at().toInstant()
                  + " "
                  + FlowHeader.of(event.before())
                  + " "
                  + FlowHeader.of(after(event))
                  + " "
                  + event.device());
        }
      }
      List<String> found = new ArrayList<>();
      Collection<Duration> lasted = new ArrayList<>();
      try (FlowRecords records =
          new SessionRecords(
              new FlowSorter(new IpfixReader(name, Files.newInputStream(file), true)))) {
        for (FlowRecord each = records.next(); each != null; each = records.next()) {
          Translated translated = each.translated();
          assertThat(translated.event()).isEqualTo(Translated.Event.SESSION);
          found.add(
              each.start()
                  + " "
                  + each.key()
                  + " "
                  + translated.after()
                  + " "
                  + translated.device());
          lasted.add(Duration.between(each.start(), each.end()));
        }
      }
      assertThat(found).as(name).containsExactlyInAnyOrderElementsOf(wanted);
      assertThat(wanted).isNotEmpty();
      assertThat(lasted).allMatch(each -> each.compareTo(Duration.ofMinutes(1)) >= 0);
      assertThat(events)
          .extracting(event -> event.before().source().family())
          .containsOnly(name.equals("ipv6") ? Family.IPV6 : Family.IPV4);
    }
  }

  private String six() throws Exception {
    Path file = folder.resolve("six.csv");
    Files.writeString(file, "at,from,to,service\n1s,clerk,hydrographic,8883/tcp\n");
    return file.toString();
  }
}
