// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.capture;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.junit.jupiter.api.Assumptions.assumeTrue;

import java.io.ByteArrayInputStream;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Set;
import java.util.concurrent.TimeUnit;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import net.jqwik.api.constraints.IntRange;
import net.jqwik.api.constraints.Size;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.ask.QuestionReader;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Host;
import org.eskerfield.model.Site;
import org.eskerfield.program.SiteProgram;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.FileTransfer;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Tracer;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;

/** What is written is what was seen, others read it, and read back it leads to the same. */
class CaptureTest {
  private static byte[] pcapng(Capture capture) throws IOException {
    ByteArrayOutputStream bytes = new ByteArrayOutputStream();
    CaptureWriter.pcapng(capture, bytes);
    return bytes.toByteArray();
  }

  private static byte[] pcap(Capture capture) throws IOException {
    ByteArrayOutputStream bytes = new ByteArrayOutputStream();
    CaptureWriter.pcap(capture, bytes);
    return bytes.toByteArray();
  }

  private static CaptureReader reader(byte[] bytes) throws Exception {
    return new CaptureReader("x", new ByteArrayInputStream(bytes));
  }

  private static Conversation watched(Site site, Attempt attempt, Capture capture) {
    Run run = Tracer.of(site).run(attempt.at());
    capture.begins(attempt);
    run.watch(capture);
    return run.converse(attempt);
  }

  /** The outcomes of the flows of a capture that are sent through a site. */
  private static List<String> replayed(Site site, byte[] bytes, String where) throws Exception {
    List<String> outcomes = new ArrayList<>();
    Viewpoint view = Viewpoint.of(site, "arriving", where).get(0);
    try (CapturedTraffic traffic = new CapturedTraffic(site, reader(bytes), view)) {
      Run run = null;
      for (CapturedTraffic.Arrival each = traffic.next(); each != null; each = traffic.next()) {
        run = run != null ? run : Tracer.of(site).run(each.at().atZone(site.timeZone()));
        String outcome = each.happen(run).outcome().toString();
        if (each.isFirst()) {
          outcomes.add(outcome);
        }
      }
    }
    return outcomes;
  }

  @Test
  void whatASenderSeesLeadsToTheSameOutcomeWhenItIsSentAgain() throws Exception {
    int compared = 0;
    for (DemoTalks talks : DemoTalks.all()) {
      for (Attempt attempt : talks.attempts()) {
        if (!(attempt.sender() instanceof Host host)
            || !talks.site().hosts().containsKey(host.name())) {
          continue;
        }
        Capture capture =
            new Capture(talks.site(), List.of(new Viewpoint(attempt.sender().name(), null)));
        Conversation talk = watched(talks.site(), attempt, capture);
        List<String> expected = new ArrayList<>();
        if (talk.lookup() != null && talk.lookup().trace() != null) {
          expected.add(talk.lookup().trace().outcome().toString());
        }
        if (talk.opening() != null && talk.opening().request().size() > 1) {
          expected.add(talk.opening().outcome().toString());
        }
        if (talk.transfer() != null
            && talk.transfer().data() != null
            && attempt.manner().mode() == FileTransfer.Mode.PASSIVE) {
          expected.add(talk.transfer().data().outcome().toString());
        }
        if (capture.size() == 0) {
          continue; // it never left the sender
        }
        for (byte[] bytes : List.of(pcapng(capture), pcap(capture))) {
          List<String> again = replayed(talks.site(), bytes, host.name());
          assertThat(again.subList(0, Math.min(again.size(), expected.size())))
              .as(
                  "%s: %s to %s %s",
                  talks.site().name(), host.name(), attempt.to(), attempt.probe())
              .isEqualTo(expected);
        }
        compared++;
      }
    }
    assertThat(compared).isGreaterThan(300);
  }

  @Test
  void anIndependentAnalyserReadsEveryDemoConversationWithoutAComplaint(@TempDir Path folder)
      throws Exception {
    assumeTrue(
        isThere("tshark") || "true".equals(System.getenv("CI")),
        "no analyser is installed: apt-get install tshark");
    // Of two sites that have a connection in common, one file would have it once and a half.
    for (boolean sized : new boolean[] {false, true}) {
      Path file = folder.resolve(sized + ".pcapng");
      int frames = 0;
      try (OutputStream out = Files.newOutputStream(file)) {
        for (DemoTalks talks : DemoTalks.all()) {
          for (Attempt attempt :
              SiteProgram.saysSizes(talks.site()) == sized
                  ? new LinkedHashSet<>(talks.attempts())
                  : Set.<Attempt>of()) {
            String name = attempt.sender().name();
            List<Viewpoint> views =
                talks.site().devices().containsKey(name)
                    ? Viewpoint.of(talks.site(), "seen-at", name)
                    : List.of(new Viewpoint(name, null));
            Capture capture = new Capture(talks.site(), views);
            watched(talks.site(), attempt, capture);
            frames += capture.size();
            out.write(pcapng(capture)); // a file may have several sections
          }
        }
      }
      assertThat(frames).isPositive();
      anAnalyserHasNoComplaint(file, frames, folder);
      // Who is told to send less sends less here, where TCP would send the rest of it next.
      assertThat(
              run(
                  List.of("tshark", "-r", file.toString(), "-Y", sized ? LOST : LOST + UNSEEN),
                  folder))
          .isEmpty();
    }
  }

  private static void anAnalyserHasNoComplaint(Path file, int frames, Path folder)
      throws Exception {
    List<String> fields =
        List.of(
            "frame.number",
            "_ws.malformed",
            "ip.checksum.status",
            "tcp.checksum.status",
            "udp.checksum.status",
            "icmp.checksum.status",
            "icmpv6.checksum.status",
            "frame.comment",
            "icmp.mtu");
    List<String> command =
        new ArrayList<>(List.of("tshark", "-r", file.toString(), "-T", "fields"));
    for (String protocol : List.of("ip", "tcp", "udp")) {
      command.addAll(List.of("-o", protocol + ".check_checksum:TRUE"));
    }
    fields.forEach(field -> command.addAll(List.of("-e", field)));
    List<String> lines = run(command, folder);
    assertThat(lines).hasSize(frames);
    for (String line : lines) {
      List<String> cells = Arrays.asList(line.split("\t", -1));
      assertThat(cells.get(1)).as(line).isEmpty();
      for (String statuses : cells.subList(2, 7)) {
        // A segment that is cut off in a notice cannot be summed, and the analyser tries it.
        boolean cut = statuses.equals(cells.get(3)) && !cells.get(8).isEmpty();
        assertThat(cut ? "" : statuses.replace("Good", "1")).as(line).matches("(1(,1)*)?");
      }
      assertThat(cells.get(7)).as(line).isNotEmpty();
    }
  }

  private static final String LOST = "tcp.analysis.lost_segment || _ws.expert.severity == 8388608";
  private static final String UNSEEN = " || tcp.analysis.ack_lost_segment";

  private static boolean isThere(String command) {
    return Arrays.stream(System.getenv("PATH").split(":"))
        .anyMatch(folder -> Files.isExecutable(Path.of(folder, command)));
  }

  private static List<String> run(List<String> command, Path folder) throws Exception {
    Path out = folder.resolve("out");
    Process process =
        new ProcessBuilder(command)
            .redirectError(folder.resolve("err").toFile())
            .redirectOutput(out.toFile())
            .start();
    assertThat(process.waitFor(300, TimeUnit.SECONDS)).isTrue();
    assertThat(process.exitValue()).as(Files.readString(folder.resolve("err"))).isZero();
    return Files.readAllLines(out);
  }

  @Test
  void aHairpinFaultShowsAtTheClientItself() throws Exception {
    Site site = SiteReader.read(Path.of("../demo/mistakes/reply-by-other-way.site.yaml"));
    Capture capture = new Capture(site, Viewpoint.of(site, "seen-at", "till"));
    watched(
        site,
        QuestionReader.on(site).from("till").to("192.0.2.66").service("https").attempt(),
        capture);
    List<String> story = new ArrayList<>();
    try (CaptureReader reader = reader(pcap(capture))) {
      for (CapturedPacket each = reader.next(); each != null; each = reader.next()) {
        each.packet().size = null;
        story.add(each.packet().header().line());
      }
    }
    List<String> once =
        List.of(
            "10.44.20.20:50000 → 192.0.2.66:443 tcp SYN",
            "10.44.20.117:8443 → 10.44.20.20:50000 tcp SYN ACK",
            "10.44.20.20:50000 → 10.44.20.117:8443 tcp RST");
    assertThat(story.subList(0, 3)).isEqualTo(once);
    assertThat(story.subList(3, 6)).isEqualTo(once);
    assertThat(story.subList(6, 9)).isEqualTo(once).hasSize(story.size() - 6);
    // On the wire, too: what goes to the gateway comes back from somebody else.
    byte[] asked = capture.sightings().get(0).frame();
    byte[] answered = capture.sightings().get(1).frame();
    byte[] reset = capture.sightings().get(2).frame();
    assertThat(Arrays.copyOfRange(answered, 0, 6)).isEqualTo(Arrays.copyOfRange(asked, 6, 12));
    assertThat(Arrays.copyOfRange(answered, 6, 12))
        .isEqualTo(Arrays.copyOfRange(reset, 0, 6))
        .isNotEqualTo(Arrays.copyOfRange(asked, 0, 6));
  }

  @ParameterizedTest
  @CsvSource({
    // Nothing listens: port unreachable. The pool is used up: host unreachable. No route: net
    // unreachable. A rule rejects: prohibited.
    "desk, 10.1.0.9, 99/udp, 3 3",
    "desk, 192.0.2.9, 443/tcp, 3 1",
    "desk, 10.9.0.1, 443/tcp, 3 0",
    "desk, 10.2.0.7, 99/udp, 3 13",
    "desk6, 2001:db8:2::7, 99/udp, 1 4",
    "desk6, 2001:db8:9::1, 99/udp, 1 0",
  })
  void noticesSayWhyThereIsNoDelivery(String from, String to, String service, String codes)
      throws Exception {
    Site site =
        SiteReader.read(
            "x",
            """
            eskerfield: 1
            site: X
            networks:
              lan: { prefix: [10.1.0.0/24, '2001:db8:1::/64'], zone: lan }
              other: { prefix: [10.2.0.0/24, '2001:db8:2::/64'], zone: other }
              link: { prefix: 203.0.113.0/28, zone: internet, carrier: 203.0.113.14 }
            hosts:
              first: { on: lan, at: 10.1.0.4 }
              desk: { on: lan, at: 10.1.0.5 }
              desk6: { on: lan, at: '2001:db8:1::5' }
              near: { on: lan, at: 10.1.0.9 }
              far: { on: other, at: [10.2.0.7, '2001:db8:2::7'] }
            devices:
              edge:
                stance: accept
                interfaces:
                  up: { on: link, at: 203.0.113.1 }
                  in: { on: lan, at: [10.1.0.1, '2001:db8:1::1'] }
                  side: { on: other, at: [10.2.0.1, '2001:db8:2::1'] }
                routes: [{ to: 192.0.2.0/24, via: 203.0.113.14 }]
                translation:
                  - { dynamic: one, from: lan, leaving: up, pool: 203.0.113.5 }
                access:
                  l:
                    guards: { arriving: in, leaving: side }
                    rules: [{ reject: no, to: 10.2.0.7 }]
                    otherwise: accept
            """);
    Run run =
        Tracer.of(site)
            .run(
                QuestionReader.on(site).from("desk").to("10.1.0.9").service("ping").attempt().at());
    run.open(QuestionReader.on(site).from("first").to("192.0.2.9").service("443/tcp").read());
    Capture capture = new Capture(site, Viewpoint.of(site, "x", from));
    run.watch(capture);
    run.open(QuestionReader.on(site).from(from).to(to).service(service).read());
    byte[] notice = capture.sightings().get(1).frame();
    int icmp = notice[12] == 8 ? 14 + 20 : 14 + 40;
    assertThat(notice[icmp] + " " + notice[icmp + 1]).isEqualTo(codes);
  }

  // Frames of others, byte by byte.

  private static final String MACS = "020000000001 020000000002 ";
  private static final String IP = "4500001c 00010000 4011 0000 c0000201 c6336401 ";
  private static final String UDP = "c350 0035 0008 0000";
  private static final String TCP = "c350 01bb 00000001 00000000 5002 faf0 0000 0000";
  private static final String V6 =
      "20010db8000000000000000000000001 20010db8000000000000000000000002 ";

  private static byte[] hex(String text) {
    String digits = text.replace(" ", "");
    byte[] bytes = new byte[digits.length() / 2];
    for (int i = 0; i < bytes.length; i++) {
      bytes[i] = (byte) Integer.parseInt(digits.substring(2 * i, 2 * i + 2), 16);
    }
    return bytes;
  }

  @ParameterizedTest
  @CsvSource({
    // link, frame, what it is
    "1, M 0800 I U, 192.0.2.1:50000 → 198.51.100.1:53 udp",
    "1, M 8100 0064 0800 I U, 192.0.2.1:50000 → 198.51.100.1:53 udp",
    "1, M 88a8 0064 8100 0065 0800 I U 0000000000000000, 192.0.2.1:50000 → 198.51.100.1:53 udp",
    "1, M 8100 0064 8100 0064 8100 0064 8100 0064 8100 0064 0800 I U, with lengths that contradict",
    "1, M 0806 0001080006040001, neither IPv4 nor IPv6",
    "1, M 0800 I c350, cut off before the ports",
    "1, M 08, cut off before the ports",
    "1, M 0800 4400001c 00010000 4011 0000 c0000201 c6336401 U, with lengths that contradict",
    "1, M 0800 45000010 00010000 4011 0000 c0000201 c6336401 U, with lengths that contradict",
    "1, M 0800 4500001c 00010001 403a 0000 c0000201 c6336401 U, with lengths that contradict",
    "1, M 0800 45000000 00010000 4011 0000 c0000201 c6336401 U, 192.0.2.1:50000 → 198.51.100.1:53 udp",
    "1, M 0800 4500001c 000100b9 4011 0000 c0000201 c6336401 U, '192.0.2.1:0 → 198.51.100.1:0 udp, fragment of 28 bytes at 1480'",
    "1, M 0800 4500001c 00012000 4011 0000 c0000201 c6336401 U, '192.0.2.1:50000 → 198.51.100.1:53 udp, fragment of 28 bytes at 0'",
    "1, M 0800 4500001c 00014000 4011 0000 c0000201 c6336401 U, '192.0.2.1:50000 → 198.51.100.1:53 udp, 28 bytes'",
    "1, M 0800 I U, '192.0.2.1:50000 → 198.51.100.1:53 udp, 28 bytes, may be fragmented'",
    "1, M 0800 4600002c 00010000 4006 0000 c0000201 c6336401 01010101 T, 192.0.2.1:50000 → 198.51.100.1:443 tcp SYN",
    "101, I U, 192.0.2.1:50000 → 198.51.100.1:53 udp",
    "113, 0000 0001 0006 020000000001 0000 0800 I U, 192.0.2.1:50000 → 198.51.100.1:53 udp",
    "101, 60000000 0008 11 40 V U, [2001:db8::1]:50000 → [2001:db8::2]:53 udp",
    "101, 60000000 0010 3c 40 V 1100010400000000 U, [2001:db8::1]:50000 → [2001:db8::2]:53 udp",
    "101, 60000000 0010 2c 40 V 1100000800000001 U, '[2001:db8::1]:0 → [2001:db8::2]:0 udp, fragment of 56 bytes at 8'",
    "101, 60000000 0010 2c 40 V 1100000100000001 U, '[2001:db8::1]:50000 → [2001:db8::2]:53 udp, fragment of 56 bytes at 0'",
    // An atomic fragment is a whole packet (RFC 6946).
    "101, 60000000 0010 2c 40 V 1100000000000001 U, '[2001:db8::1]:50000 → [2001:db8::2]:53 udp, 56 bytes'",
    // SYN with a largest segment of 1400, and the notices that a packet is too large.
    "101, 4500002c 00010000 4006 0000 c0000201 c6336401 c350 01bb 00000001 00000000 6002 faf0 0000 0000 02040578, 192.0.2.1:50000 → 198.51.100.1:443 tcp SYN",
    "101, 45000038 00010000 4001 0000 c6336401 c0000201 0304 0000 0000 0578 I U, '198.51.100.1 → 192.0.2.1 icmp packet too large, MTU 1400 about 192.0.2.1:50000 → 198.51.100.1:53 udp'",
    "101, 60000000 0038 3a 40 V 0200 0000 00000578 60000000 0008 11 40 V U, '2001:db8::1 → 2001:db8::2 icmpv6 packet too large, MTU 1400 about [2001:db8::1]:50000 → [2001:db8::2]:53 udp'",
    "101, 60000000 0008 01 40 V 0800 0000 0001 0001, with lengths that contradict",
    "101, 4500001c 00010000 4001 0000 c0000201 c6336401 0800 0000 0007 0001, 192.0.2.1 → 198.51.100.1 icmp echo request id 7",
    "101, 45000038 00010000 4001 0000 c6336401 c0000201 0303 0000 0000 0000 I U, 198.51.100.1 → 192.0.2.1 icmp port unreachable about 192.0.2.1:50000 → 198.51.100.1:53 udp",
    "101, 00, neither IPv4 nor IPv6",
    "101, '', cut off before the ports",
  })
  void framesOfEveryKindAreTold(int link, String frame, String told) throws Exception {
    String whole =
        frame
            .replace("M", MACS)
            .replace("I", IP)
            .replace("U", UDP)
            .replace("T", TCP)
            .replace("V", V6);
    byte[] bytes = hex(whole);
    Bytes file = new Bytes().put32(0xa1b23c4dL).put16(2).put16(4).put32(0).put32(0).put32(65535);
    file.put32(link).put32(1_700_000_000L).put32(500).put32(bytes.length).put32(bytes.length);
    try (CaptureReader reader = reader(file.put(bytes).toArray())) {
      CapturedPacket read = reader.next();
      String seen =
          read.packet() == null ? read.skipped().toString() : read.packet().header().toString();
      assertThat(seen).startsWith(told);
      assertThat(read.at()).hasToString("2023-11-14T22:13:20.000000500Z");
      assertThat(reader.next()).isNull();
    }
  }

  @ParameterizedTest
  @ValueSource(booleans = {true, false})
  void bothByteOrdersUnknownBlocksAndPacketsWithoutTimesAreRead(boolean big) throws Exception {
    byte[] frame = hex("4500001c000100004011 0000c0000201c6336401" + UDP);
    List<byte[]> words = new ArrayList<>();
    words.add(word(big, 0x0a0d0d0a, 28, 0x1a2b3c4d, big ? 1 << 16 : 1, -1, -1, 28));
    words.add(word(big, 1, 28, big ? 101 << 16 : 101, 0, big ? 9 << 16 | 1 : 1 << 16 | 9));
    words.add(new byte[] {3, 0, 0, 0});
    words.add(word(big, 28));
    words.add(word(big, 0x0bad, 16, 7, 16));
    words.add(word(big, 6, 60, 0, 0, 90_061_001, 28, 28));
    words.add(frame);
    words.add(word(big, 60));
    words.add(word(big, 3, 44, 28));
    words.add(frame);
    words.add(word(big, 44));
    Bytes file = new Bytes();
    words.forEach(file::put);
    try (CaptureReader reader = reader(file.toArray())) {
      for (int i = 1; i <= 2; i++) {
        CapturedPacket read = reader.next();
        assertThat(read.packet().header().line())
            .isEqualTo("192.0.2.1:50000 → 198.51.100.1:53 udp, 28 bytes, may be fragmented");
        assertThat(read.at()).hasToString("1970-01-02T01:01:01.001Z");
        assertThat(read.number()).isEqualTo(i);
      }
      assertThat(reader.next()).isNull();
    }
  }

  private static byte[] word(boolean big, int... words) {
    Bytes bytes = new Bytes();
    for (int word : words) {
      bytes.put32(big ? word : Integer.reverseBytes(word));
    }
    return bytes.toArray();
  }

  @ParameterizedTest
  @CsvSource({
    "'', ends at byte 0",
    "6869206d6f6d, is no capture",
    "a1b2c3d4 0002 0004 00000000 00000000 0000ffff 00000069, link type 105",
    "a1b2c3d4 0002 0004 00000000 00000000 0000ffff 00000001 00000000, in the middle of the header of packet 1",
    "a1b2c3d4 0002 0004 00000000 00000000 0000ffff 00000001 00000000 00000000 ffffffff ffffffff, claims to have 4294967295 bytes",
    "0a0d0d0a 0000001c 12345678, in which order its bytes are",
    "0a0d0d0a 0000001d 1a2b3c4d, claims to have 29 bytes",
    "0a0d0d0a 0000001c 1a2b3c4d 0002 0000 ffffffffffffffff 0000001c, version 2",
    "S 00000006 00000020 00000000 00000000 00000000 00000000 00000000 00000020, 'interface 0, which nothing describes'",
    "S 00000001 0000000c 0000000c, too short",
    "S 00000001 00000020 0065 0000 00000000 0009 0001 7f000000 00000000 00000020, too small",
    "S 00000001 00000014 0001 0000 00000000 00000018, something else at its end",
    "S 00000001 00000020 0001 0000 00000000 0002 ffff 00000000 00000000 00000020, longer than the block",
    "S 00000006 7fffffff, claims to have 2147483647 bytes",
  })
  void whatIsDamagedIsSaidWithItsPlaceAndARemedy(String file, String message) {
    byte[] bytes =
        hex(file.replace("S", "0a0d0d0a 0000001c 1a2b3c4d 00010000 ffffffffffffffff 0000001c"));
    assertThatThrownBy(
            () -> {
              try (CaptureReader reader = reader(bytes)) {
                while (reader.next() != null) {
                  continue;
                }
              }
            })
        .isInstanceOfSatisfying(
            UnreadableCaptureException.class,
            e -> {
              assertThat(e).hasMessageContaining(message);
              assertThat(e.remedy()).isNotEmpty();
            });
  }

  /** Whatever is done to a capture, it is read or refused, and what is read goes its way. */
  @Property(tries = 400, seed = "20260105")
  void hostileFilesEndInAMessage(
      @ForAll @Size(max = 12) List<@IntRange(max = 3000) Integer> places,
      @ForAll byte value,
      @ForAll @IntRange(max = 4000) int length,
      @ForAll boolean blocks)
      throws Exception {
    byte[] bytes = blocks ? Sample.BLOCKS : Sample.PLAIN;
    byte[] hostile = Arrays.copyOf(bytes, Math.min(length + 100, bytes.length));
    for (int place : places) {
      hostile[place % hostile.length] ^= value;
    }
    Run run = Tracer.of(Sample.SITE).run(Sample.ATTEMPT.at());
    try (CapturedTraffic traffic =
        new CapturedTraffic(Sample.SITE, reader(hostile), Sample.UPLINK)) {
      for (CapturedTraffic.Arrival each = traffic.next(); each != null; each = traffic.next()) {
        assertThat(each.happen(run).outcome()).isNotNull();
      }
    } catch (UnreadableCaptureException e) {
      assertThat(e.getMessage()).startsWith("x ");
    }
  }

  /** A file transfer as the uplink of the office sees it, in both formats. */
  private static final class Sample {
    static final Site SITE;
    static final Attempt ATTEMPT;
    static final Viewpoint UPLINK;
    static final byte[] BLOCKS;
    static final byte[] PLAIN;

    static {
      try {
        SITE = SiteReader.read(Path.of("../demo/marrowby.site.yaml"));
        ATTEMPT =
            QuestionReader.on(SITE).from("auditor").to("203.0.113.37").service("ftp").attempt();
        UPLINK = Viewpoint.of(SITE, "x", "breakwater uplink").get(0);
        Capture capture = new Capture(SITE, List.of(UPLINK));
        watched(SITE, ATTEMPT, capture);
        BLOCKS = pcapng(capture);
        PLAIN = pcap(capture);
      } catch (Exception e) {
        throw new IllegalStateException(e);
      }
    }
  }

  @Test
  void packetsThatLeaveAreToldFromThoseThatArrive() throws Exception {
    for (byte[] bytes : List.of(Sample.BLOCKS, Sample.PLAIN)) {
      try (CapturedTraffic traffic =
          new CapturedTraffic(Sample.SITE, reader(bytes), Sample.UPLINK)) {
        Run run = Tracer.of(Sample.SITE).run(Sample.ATTEMPT.at());
        List<String> first = new ArrayList<>();
        for (CapturedTraffic.Arrival each = traffic.next(); each != null; each = traffic.next()) {
          String outcome = each.happen(run).outcome().toString();
          if (each.isFirst()) {
            first.add(outcome + " " + each.packet().destination());
          }
        }
        assertThat(first).isEqualTo(List.of("answered 203.0.113.37", "answered 203.0.113.37"));
        assertThat(traffic.notSent()).containsOnlyKeys("that left there");
      }
    }
  }

  @ParameterizedTest
  @CsvSource({
    "uplnk, did you mean",
    "breakwater uplinks, did you mean 'breakwater uplink'",
    "x, write a host"
  })
  void placesThatDoNotExistAreSaid(String text, String remedy) {
    assertThatThrownBy(() -> Viewpoint.of(Sample.SITE, "seen-at", text))
        .isInstanceOfSatisfying(
            UnusableQuestionException.class,
            e -> assertThat(e.remedy()).contains(remedy.equals("did you mean") ? "'" : remedy));
    assertThat(new String(Sample.BLOCKS, StandardCharsets.UTF_8)).contains("breakwater uplink");
  }
}
