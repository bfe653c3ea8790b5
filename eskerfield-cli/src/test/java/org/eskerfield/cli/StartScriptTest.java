// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assumptions.assumeThat;

import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.FileTime;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.Map;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** The script that starts the tool, in surroundings of all kinds, with a Java that only tells. */
class StartScriptTest {
  @TempDir private Path folder;
  private Path script;
  private Path java;

  @BeforeEach
  void installed() throws Exception {
    assumeThat(Path.of("/bin/sh")).exists();
    script = folder.resolve("home/eskerfield");
    Path target = Files.createDirectories(folder.resolve("home/eskerfield-cli/target"));
    Files.copy(Path.of("../eskerfield"), script);
    executable(script);
    Files.createFile(target.resolve("eskerfield.jar"));
    Files.createFile(target.resolve("eskerfield.jsa"));
    java = Files.createDirectories(folder.resolve("java/bin")).resolve("java");
    Files.writeString(
        java,
        """
        #!/bin/sh
        echo "LC_ALL ${LC_ALL:-none}"
        cat | sed 's/^/read /'
        for each in "$@"; do echo "<$each>"; done
        """);
    executable(java);
  }

  private static void executable(Path file) throws Exception {
    Files.setPosixFilePermissions(file, PosixFilePermissions.fromString("rwxr-xr-x"));
  }

  private String run(Map<String, String> environment, String line) throws Exception {
    ProcessBuilder builder = new ProcessBuilder("/bin/sh", "-c", script + " " + line);
    builder.redirectErrorStream(true);
    builder.environment().keySet().removeIf(name -> name.matches("LC_.*|LANG|JAVA_HOME"));
    builder.environment().put("JAVA_HOME", folder.resolve("java").toString());
    builder.environment().putAll(environment);
    Process process = builder.start();
    process.getOutputStream().close();
    return ProcessTest.output(process);
  }

  @ParameterizedTest
  @CsvSource({
    "LC_ALL, C, C.UTF-8",
    "LANG, C, C.UTF-8",
    "LANG, POSIX, C.UTF-8",
    "LANG, '', C.UTF-8",
    "LANG, de_DE.UTF-8, none",
    "LC_CTYPE, en_GB.utf8, none",
  })
  void namesOfFilesAreUtf8(String name, String value, String seen) throws Exception {
    assertThat(run(Map.of(name, value), "check a.yaml"))
        .startsWith("LC_ALL " + seen + "\n")
        .contains("<check>\n<a.yaml>\nexit 0");
  }

  /** The descriptor of what is closed would be given to the next file that is opened. */
  @Test
  void whatIsClosedIsNotReadOrWritten() throws Exception {
    assertThat(run(Map.of(), "check - <&-")).doesNotContain("read ").endsWith("<->\nexit 0");
    assertThat(run(Map.of(), "check - >&-"))
        .isEqualTo("eskerfield: the output cannot be written: it is closed\nexit 2");
    assertThat(run(Map.of(), "check - 2>&-")).endsWith("<->\nexit 0");
  }

  @ParameterizedTest
  @CsvSource({
    "11.0.2, the Java at .* is version 11; install a JDK 17 or newer.*exit 2",
    "1.8.0_392, the Java at .* is version 8; install a JDK 17 or newer.*exit 2",
    "17.0.1, <check>.*exit 0",
    "25, <check>.*exit 0",
  })
  void aJavaThatIsTooOldIsNamed(String version, String expected) throws Exception {
    Path release = folder.resolve("java/release");
    Files.writeString(release, "IMPLEMENTOR=\"x\"\nJAVA_VERSION=\"" + version + "\"\n");
    assertThat(run(Map.of(), "check")).containsPattern("(?s)" + expected);
  }

  @Test
  void aJavaThatIsGoneIsNamed() throws Exception {
    Files.delete(java);
    assertThat(run(Map.of(), "check"))
        .contains("no Java found at " + java)
        .contains("install a JDK 17 or newer")
        .endsWith("exit 2");
  }

  @Test
  void aCheckoutThatCannotBeWrittenUsesWhatWasBuilt() throws Exception {
    Path target = folder.resolve("home/eskerfield-cli/target");
    Files.createFile(folder.resolve("home/pom.xml"));
    Files.setLastModifiedTime(target.resolve("eskerfield.jar"), FileTime.fromMillis(1_000));
    Files.setPosixFilePermissions(target, PosixFilePermissions.fromString("r-xr-xr-x"));
    assumeThat(Files.isWritable(target)).as("the superuser may write anywhere").isFalse();
    assertThat(run(Map.of(), "check")).contains("what was built before is used").endsWith("exit 0");
    Files.setPosixFilePermissions(target, PosixFilePermissions.fromString("rwxr-xr-x"));
  }
}
