// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.answer;

import java.io.StringWriter;
import java.util.List;
import javax.xml.stream.XMLOutputFactory;
import javax.xml.stream.XMLStreamException;
import javax.xml.stream.XMLStreamWriter;
import org.eskerfield.cause.Obstacle;
import org.eskerfield.guarantee.Proof;
import org.eskerfield.model.Guarantee;
import org.eskerfield.verify.Verdict;
import org.eskerfield.words.Printable;

/** Writes verdicts as JUnit XML, which build servers show as tests. */
public final class JUnitXml {
  private JUnitXml() {}

  /**
   * The document, with a line break at the end.
   *
   * @param site the name of the test suite
   */
  public static String of(String site, List<Verdict> verdicts, List<Proof> proofs) {
    StringWriter text = new StringWriter();
    try {
      XMLStreamWriter xml = XMLOutputFactory.newInstance().createXMLStreamWriter(text);
      xml.writeStartDocument("UTF-8", "1.0");
      xml.writeCharacters("\n");
      xml.writeStartElement("testsuite");
      xml.writeAttribute("name", Printable.lines(site));
      xml.writeAttribute("tests", Integer.toString(verdicts.size() + proofs.size()));
      long failures =
          verdicts.stream().filter(verdict -> !verdict.holds()).count()
              + proofs.stream().filter(proof -> !proof.holds()).count();
      xml.writeAttribute("failures", Long.toString(failures));
      xml.writeAttribute("errors", "0");
      for (Verdict verdict : verdicts) {
        write(xml, site, verdict);
      }
      for (Proof proof : proofs) {
        write(xml, site, proof);
      }
      xml.writeCharacters("\n");
      xml.writeEndElement();
      xml.writeEndDocument();
    } catch (XMLStreamException e) {
      throw new IllegalStateException("writing to memory does not fail", e);
    }
    return text.append('\n').toString();
  }

  private static void write(XMLStreamWriter xml, String site, Proof proof)
      throws XMLStreamException {
    xml.writeCharacters("\n  ");
    xml.writeStartElement("testcase");
    xml.writeAttribute("classname", Printable.lines(site));
    Guarantee guarantee = proof.guarantee();
    xml.writeAttribute(
        "name",
        Printable.lines(
            guarantee.kind() + ": " + guarantee.name() + " (" + guarantee.place() + ")"));
    if (!proof.holds()) {
      xml.writeCharacters("\n    ");
      xml.writeStartElement("failure");
      xml.writeAttribute("message", proof.status().toString());
      xml.writeCharacters(Printable.lines(proof.reason()));
      xml.writeEndElement();
      xml.writeCharacters("\n  ");
    }
    xml.writeEndElement();
  }

  private static void write(XMLStreamWriter xml, String site, Verdict verdict)
      throws XMLStreamException {
    xml.writeCharacters("\n  ");
    xml.writeStartElement("testcase");
    xml.writeAttribute("classname", Printable.lines(site));
    xml.writeAttribute(
        "name",
        Printable.lines(verdict.expectation().text() + " (" + verdict.expectation().place() + ")"));
    for (Verdict.Result result : verdict.results()) {
      if (result.holds()) {
        continue;
      }
      xml.writeCharacters("\n    ");
      xml.writeStartElement("failure");
      xml.writeAttribute("message", Printable.lines(String.join("; ", result.differences())));
      StringBuilder body = new StringBuilder(result.conversation().attempt().sender().name());
      body.append(": ").append(result.conversation().reason());
      if (result.diagnosis() != null) {
        for (Obstacle obstacle : result.diagnosis().obstacles()) {
          body.append("\n").append(obstacle.cause()).append(": ").append(obstacle.title());
          body.append(obstacle.detail().isEmpty() ? "" : "; " + obstacle.detail());
        }
      }
      xml.writeCharacters(Printable.lines(body.toString()));
      xml.writeEndElement();
    }
    if (!verdict.holds()) {
      xml.writeCharacters("\n  ");
    }
    xml.writeEndElement();
  }
}
