// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli;

import static org.assertj.core.api.Assertions.assertThat;
import static org.eskerfield.cli.MainTest.run;

import java.nio.file.Files;
import java.nio.file.Path;
import org.eskerfield.cli.MainTest.Result;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** What can be asked on the command line, and how a wrong question is answered. */
class AskingTest {
  private static final String SITE = "../demo/skerry.site.yaml";

  private static Result asked(String site, String call) {
    String[] options = call.strip().split(" (?=--)");
    String[] all = new String[2 + 2 * options.length];
    all[0] = "trace";
    all[1] = site;
    for (int i = 0; i < options.length; i++) {
      String[] words = options[i].split(" ", 2);
      all[2 + 2 * i] = words[0];
      all[3 + 2 * i] = words[1];
    }
    return run(all);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        // A device sends from the interface that is named, and is reached there.
        "--from skerry pier --to kiosk --service ping        | answered | 10.77.4.1 → 10.77.4.20 icmp echo request id 50000",
        "--from skerry uplink --to kiosk --service ping      | answered | 198.51.100.140 → 10.77.4.20 icmp echo request id 50000",
        "--from kiosk --to skerry pier --service ssh         | answered | skerry 10.77.4.1:22 answers",
        // A name of two protocols: the one that is tried first, and a word about the other.
        "--from kiosk --to hydrographic --service domain     | refused  | domain is 53/udp and 53/tcp: this is 53/udp, which is tried first",
        "--from kiosk --to hydrographic --service kerberos   | refused  | kerberos is 88/tcp and 88/udp: this is 88/tcp, which is tried first",
        "--from kiosk --to hydrographic --service rdp        | refused  | 3389/tcp",
      })
  void whatEngineersTry(String call, String outcome, String said) {
    Result result = asked(SITE, call);
    assertThat(result.err()).isEmpty();
    assertThat(result.out()).startsWith(outcome);
    assertThat(result.out().replaceAll("\\s+", " ")).contains(said);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "--from skerry peir --to kiosk --service ping             | 'skerry' has no interface 'peir' | did you mean 'pier'?",
        "--from kiosk --to skerry yard --service ping             | 'skerry' has no interface 'yard' | it has: uplink, pier",
        "--from kiosk --to ramp --service 80,443/tcp              | '80,443/tcp' is several services in one | [80/tcp, 443/tcp]",
        "--from kiosk --to ramp --service ssh --mode active       | 'ssh' is no file transfer | write the service ftp",
        "--from kiosk --to ramp --service ping --mode active      | 'ping' is no file transfer | leave it out",
        "--from kiosk --to ramp --service ssh --data-to control   | 'ssh' is no file transfer | write the service ftp",
        "--from kiosk --to ramp --service ftp --data-to somewhere | 'somewhere' is none of answer, control | --data-to",
      })
  void whatCannotBeAskedIsExplained(String call, String message, String remedy) {
    Result result = asked(SITE, call);
    assertThat(result.status()).isEqualTo(2);
    assertThat(result.err().replaceAll("\\s+", " ")).contains(message).contains(remedy);
  }

  @Test
  void aClientThatIgnoresTheAnswerIsToldApart(@TempDir Path folder) throws Exception {
    // The archive is reached on every port, and no gateway rewrites what it says.
    Path file = folder.resolve("archive.site.yaml");
    Files.writeString(
        file,
        """
        eskerfield: 1
        site: Archive
        networks:
          quay: { prefix: 10.44.20.0/24, zone: quay }
          link: { prefix: 203.0.113.32/28, zone: internet, carrier: 203.0.113.46 }
        hosts:
          archive: { on: quay, at: 10.44.20.134, listens: ftp }
          auditor: { on: internet, at: 198.51.100.37 }
        devices:
          breakwater:
            stance: { quay to internet: accept, otherwise: drop }
            interfaces:
              uplink: { on: link, at: 203.0.113.33 }
              quay: { on: quay, at: 10.44.20.1 }
            routes: [{ to: any, via: 203.0.113.46 }]
            translation:
              - destination: archive
                arriving: uplink
                at: 203.0.113.38
                becomes: archive
                admit: any
        """);
    String call = "--from auditor --to 203.0.113.38 --service ftp";
    String plain = asked(file.toString(), call).out().replaceAll("\\s+", " ");
    assertThat(plain)
        .startsWith("unroutable")
        .contains("whatever the answer 227 says, as many do: answered (tried)");
    String other =
        asked(file.toString(), call + " --data-to control").out().replaceAll("\\s+", " ");
    assertThat(other)
        .startsWith("answered")
        .contains("that the answer 227 says: unroutable (tried)");
  }

  @Test
  void servicesStandInListsWhereverOneMay(@TempDir Path folder) throws Exception {
    String text =
        Files.readString(Path.of(SITE))
            .replace("at: uplink 1502/tcp", "at: uplink [1502/tcp, 1602/tcp]");
    Path file = folder.resolve("x.site.yaml");
    Files.writeString(file, text);
    for (String port : new String[] {"1502", "1602"}) {
      assertThat(
              asked(
                      file.toString(),
                      "--from contractor --to 198.51.100.140:" + port + " --service tcp")
                  .out())
          .startsWith("answered");
    }
    assertThat(
            asked(file.toString(), "--from contractor --to 198.51.100.140:1503 --service tcp")
                .out())
        .startsWith("dropped");
    Files.writeString(file, text.replace("[1502/tcp, 1602/tcp]", "1502,1602/tcp"));
    Result wrong = run("check", file.toString());
    assertThat(wrong.status()).isEqualTo(2);
    assertThat(wrong.err()).contains("write 'uplink [1502/tcp, 1602/tcp]', in quotes");
  }
}
