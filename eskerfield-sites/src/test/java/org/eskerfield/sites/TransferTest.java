// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import org.eskerfield.cause.Diagnosis;
import org.eskerfield.cause.Obstacle;
import org.eskerfield.change.Changes;
import org.eskerfield.formats.ask.QuestionReader;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Device;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Site;
import org.eskerfield.model.StateSettings;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.program.DeviceProgram;
import org.eskerfield.state.SessionRow;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.FileTransfer;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Tracer;
import org.eskerfield.walk.DeviceMachine;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** File transfers: what knows them, and what a gateway does with the text of their connections. */
class TransferTest {
  private static Site site(String state, String at, String becomes) throws Exception {
    return SiteReader.read(
        "x.site.yaml",
        """
        eskerfield: 1
        site: Archive
        networks:
          quay: { prefix: 10.44.20.0/24, zone: quay }
          link: { prefix: 203.0.113.32/28, zone: internet, carrier: 203.0.113.46 }
        hosts:
          archive: { on: quay, at: 10.44.20.134, listens: [21/tcp, 990/tcp, 2100/tcp] }
          auditor: { on: internet, at: 198.51.100.37 }
        devices:
          breakwater:
            stance: { quay to internet: accept, otherwise: drop }
            state: %s
            interfaces:
              uplink: { on: link, at: 203.0.113.33 }
              quay: { on: quay, at: 10.44.20.1 }
            routes: [{ to: any, via: 203.0.113.46 }]
            translation:
              - { destination: archive, arriving: uplink, at: %s, becomes: archive %s, admit: any }
              - { shared: out, from: quay, leaving: uplink }
        """
            .formatted(state, at, becomes));
  }

  private static Conversation asked(Site site, String to, String service, String mode)
      throws Exception {
    QuestionReader reader = QuestionReader.on(site).from("auditor").to(to).service(service);
    for (FileTransfer.Mode each : FileTransfer.Mode.values()) {
      if (each.toString().equals(mode)) {
        reader.mode(each);
      }
    }
    return Tracer.of(site).converse(reader.attempt());
  }

  @ParameterizedTest
  @CsvSource({
    // Offered at another port; the archive's own is 21, and the gateway looks behind the rule.
    "203.0.113.38 2121/tcp, 21,   tcp, '{ file-transfer: true }',                       answered",
    "203.0.113.38 2121/tcp, 21,   tcp, '{ file-transfer: false }',                      dropped",
    "203.0.113.38 2121/tcp, 21,   ftp, '{ file-transfer: true }',                       answered",
    // The archive's own is another one: only who says ftp means a transfer, and a gateway must
    // know.
    "203.0.113.38 2121/tcp, 2100, ftp, '{ file-transfer: true }',                       dropped",
    "203.0.113.38 2121/tcp, 2100, ftp, '{ file-transfer: true, control-ports: 2100 }',  answered",
  })
  void aTransferIsKnownByItsReceiver(
      String at, String becomes, String service, String state, String outcome) throws Exception {
    Site site = site(state, at, becomes);
    Conversation conversation =
        asked(site, "203.0.113.38:2121", service, "passive".repeat(service.equals("ftp") ? 1 : 0));
    assertThat(conversation.transfer()).isNotNull();
    // Without help the client is sent to the archive's private address, which no carrier carries.
    assertThat(conversation.outcome().toString())
        .as(conversation.reason())
        .isEqualTo(outcome.equals("answered") ? "answered" : "unroutable");
  }

  /** The data connection goes by the rule of its control connection, and by no other session's. */
  @Test
  void aDataConnectionBelongsToTheRuleOfItsControlConnection() throws Exception {
    Site site = site("{ file-transfer: true }", "203.0.113.38 2121/tcp", "21");
    Run run = Tracer.of(site).run(VirtualClock.start(site.timeZone()));
    run.converse(
        QuestionReader.on(site)
            .from("archive")
            .to("198.51.100.37")
            .service("https")
            .sourcePort(40_000)
            .attempt());
    run.converse(
        QuestionReader.on(site)
            .from("auditor")
            .to("203.0.113.38:2121")
            .service("ftp")
            .mode(FileTransfer.Mode.PASSIVE)
            .attempt());
    List<String> rules = new ArrayList<>();
    for (SessionRow row : run.sessions("breakwater")) {
      TranslationRule destination = row.destinationRule();
      TranslationRule source = row.sourceRule();
      rules.add(
          (destination == null ? "-" : destination.name())
              + " "
              + (source == null ? "-" : source.name()));
    }
    assertThat(rules).containsExactly("- out", "archive -", "archive -");
  }

  @Test
  void whatIsNoTransferIsToldFromOne() throws Exception {
    Site site = site("{ file-transfer: true }", "203.0.113.38 2121/tcp", "2100");
    assertThat(asked(site, "203.0.113.38:2121", "tcp", "").transfer()).isNull();
    assertThatThrownBy(() -> asked(site, "203.0.113.38:2121", "tcp", "active"))
        .hasMessageContaining("'tcp' is no file transfer, and opens no data connection");
    assertThatThrownBy(() -> asked(site, "203.0.113.38", "ping", "active"))
        .hasMessageContaining("'ping' is no file transfer");
  }

  @Test
  void anEncryptedConnectionIsOpaque() throws Exception {
    Site site =
        site("{ file-transfer: true, control-ports: [21, 990] }", "203.0.113.38 990/tcp", "990");
    Conversation conversation = asked(site, "203.0.113.38", "ftps", "passive");
    assertThat(conversation.transfer()).isNotNull();
    assertThat(conversation.transfer().heard()).contains("(10,44,20,134,");
    assertThat(conversation.outcome()).hasToString("unroutable");
    // A data connection to the address of the control connection is not expected either.
    assertThat(
            Tracer.of(site)
                .converse(
                    QuestionReader.on(site)
                        .from("auditor")
                        .to("203.0.113.38")
                        .service("ftps")
                        .dataTo(FileTransfer.DataTo.CONTROL)
                        .attempt())
                .outcome())
        .hasToString("dropped");
  }

  @Test
  void clientsThatIgnoreTheAnswerAreToldApart() throws Exception {
    // Every port is offered: who keeps to the address of the control connection gets there.
    Site site = site("{ file-transfer: false }", "203.0.113.38", "");
    Conversation obeys = asked(site, "203.0.113.38", "ftp", "passive");
    assertThat(obeys.outcome()).hasToString("unroutable");
    assertThat(obeys.hints())
        .anyMatch(
            hint ->
                hint.contains("to the address of the control connection")
                    && hint.endsWith("answered (tried)"));
    Conversation keeps =
        Tracer.of(site)
            .converse(
                QuestionReader.on(site)
                    .from("auditor")
                    .to("203.0.113.38")
                    .service("ftp")
                    .dataTo(FileTransfer.DataTo.CONTROL)
                    .attempt());
    assertThat(keeps.outcome()).as(keeps.reason()).hasToString("answered");
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        // The segments of the server as they come, and the text that leaves: one line in one
        // segment.
        "227 x (10,44,20,134,195,100)$ | 227 x (203,0,113,38,195,100)$",
        // Several lines in one segment.
        "230 ok$227 x (10,44,20,134,195,100)$ | 230 ok$227 x (203,0,113,38,195,100)$",
        // One line over two and three segments: kept back until it is whole.
        "227 x (10,44,2;0,134,195,100)$ | ;227 x (203,0,113,38,195,100)$",
        "22;7 x (10,44,20,134,;195,100)$226 done$ | ;;227 x (203,0,113,38,195,100)$226 done$",
        // What cannot become an announcement passes at once; an endpoint of somebody else's stays.
        "150 he;re it comes$ | 150 he;re it comes$",
        "227 x (10,44,20,99,195,100)$ | 227 x (10,44,20,99,195,100)$",
      })
  void theGatewayReadsAStreamOfLines(String sent, String left) throws Exception {
    Site site = site("{ file-transfer: true }", "203.0.113.38 2121/tcp", "21");
    Device device = Objects.requireNonNull(site.devices().get("breakwater"));
    Interface uplink = device.interfaces().get(0);
    Interface quay = device.interfaces().get(1);
    DeviceMachine machine =
        new DeviceMachine(
            DeviceProgram.compile(site, device),
            new VirtualClock(VirtualClock.start(site.timeZone())));
    Address auditor = Address.ipv4(198, 51, 100, 37);
    Address archive = Address.ipv4(10, 44, 20, 134);
    machine.arrive(
        new Packet(
            auditor,
            5000,
            Address.ipv4(203, 0, 113, 38),
            2121,
            Protocol.TCP,
            Icmp.NO_TYPE,
            Packet.SYN),
        uplink,
        null);
    StringBuilder out = new StringBuilder();
    for (String segment : List.of(sent.split(";", -1))) {
      Packet packet =
          new Packet(archive, 21, auditor, 5000, Protocol.TCP, Icmp.NO_TYPE, Packet.ACK);
      packet.payload = segment.replace("$", "\r\n");
      assertThat(machine.arrive(packet, quay, null).ends()).isNull();
      out.append(out.isEmpty() && segment.equals(sent.split(";", -1)[0]) ? "" : ";")
          .append(packet.payload);
    }
    assertThat(out.toString().replace("\r\n", "$")).isEqualTo(left);
    // The data connection is let in where it was announced.
    Packet data =
        new Packet(
            auditor,
            5001,
            Address.ipv4(203, 0, 113, 38),
            195 * 256 + 100,
            Protocol.TCP,
            Icmp.NO_TYPE,
            Packet.SYN);
    assertThat(machine.arrive(data, uplink, null).ends() == null)
        .isEqualTo(left.contains("203,0,113,38"));
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        // The gateway, the archive's own port, what is asked, the cause, what it says, the cure.
        "{ file-transfer: false }                           | 21   | ftp  | transfer-not-helped |"
            + " gateway for file transfer switched on | state/file-transfer",
        "{ file-transfer: true, control-ports: [21, 990] }  | 2100 | ftp  | transfer-not-helped |"
            + " with 2100 among the control ports of breakwater (state: { control-ports: [21, 990,"
            + " 2100] }) | state/control-ports",
        "{ file-transfer: false }                           | 2100 | ftp  | transfer-not-helped |"
            + " gateway for file transfer switched on | state/file-transfer state/control-ports",
        "{ file-transfer: true, control-ports: [21, 990] }  | 990  | ftps | transfer-encrypted  |"
            + " the same in plain text comes through (tried) | none",
        "{ file-transfer: false }                           | 990  | ftps | transfer-encrypted  |"
            + " the same in plain text comes through with the gateway for file transfer | none",
      })
  void whyADataConnectionDoesNotOpen(
      String state, String own, String service, String cause, String detail, String keys)
      throws Exception {
    Site site = site(state, "203.0.113.38 2121/tcp", own);
    Attempt attempt =
        QuestionReader.on(site)
            .from("auditor")
            .to("203.0.113.38:2121")
            .service(service)
            .mode(FileTransfer.Mode.PASSIVE)
            .attempt();
    Diagnosis diagnosis = Diagnosis.of(site, attempt);
    Obstacle obstacle = diagnosis.obstacles().get(0);
    assertThat(obstacle.cause()).hasToString(cause);
    assertThat(obstacle.detail()).contains(detail);
    StateSettings before = site.devices().get("breakwater").state();
    StateSettings after =
        Changes.on(site, obstacle.cure().changes()).devices().get("breakwater").state();
    String put =
        (after.fileTransfer() == before.fileTransfer() ? "" : "state/file-transfer ")
            + (after.controlPorts().equals(before.controlPorts()) ? "" : "state/control-ports");
    assertThat(put.strip()).isEqualTo(keys.replace("none", ""));
  }
}
