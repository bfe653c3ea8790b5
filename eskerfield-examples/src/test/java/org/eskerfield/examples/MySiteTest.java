// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.examples;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Path;
import java.util.stream.Stream;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.trace.Tracer;
import org.eskerfield.verify.Verdict;
import org.eskerfield.verify.Verifier;
import org.junit.jupiter.api.DynamicTest;
import org.junit.jupiter.api.TestFactory;

/** An example: the expectations of one's own site file as JUnit tests, one each. */
class MySiteTest {
  @TestFactory
  Stream<DynamicTest> expectations() throws Exception {
    SiteFile file = SiteReader.readFile(Path.of("../demo/marrowby.site.yaml"));
    Verifier verifier = new Verifier(Tracer.of(file.site()));
    return file.expectations().stream()
        .map(
            expectation ->
                DynamicTest.dynamicTest(
                    expectation.place() + " " + expectation.text(),
                    () ->
                        assertThat(verifier.verify(expectation).results())
                            .allMatch(Verdict.Result::holds)));
  }
}
