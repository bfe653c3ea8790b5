// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.answer;

import java.util.List;
import java.util.Locale;
import java.util.Map;
import org.eskerfield.compare.DeviceComparison;
import org.eskerfield.compare.DeviceComparison.Difference;
import org.eskerfield.compare.DeviceComparison.Session;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Protocol;

/** What a real device decided otherwise, as a tree (see {@code confirm.schema.json}). */
public final class ConfirmData {
  private ConfirmData() {}

  /**
   * The comparison of a site with real devices.
   *
   * @param name the name of the site file
   * @param found the comparisons by device
   * @param remarks what could not be read or is to be known; often empty
   */
  public static Tree of(String name, Map<String, DeviceComparison> found, List<String> remarks) {
    return new Tree()
        .with("site", name)
        .with("remarks", remarks)
        .with(
            "devices",
            Tree.each(
                found.entrySet(),
                each ->
                    new Tree()
                        .with("device", each.getKey())
                        .with("sessions", each.getValue().sessions())
                        .with("alike", each.getValue().agreeing())
                        .with("withoutEnd", each.getValue().endless())
                        .with(
                            "differences",
                            Tree.each(each.getValue().differences(), ConfirmData::difference))));
  }

  private static Tree difference(Difference each) {
    return new Tree()
        .with("kind", each.kind().name().toLowerCase(Locale.ROOT).replace('_', '-'))
        .with("sessions", each.sessions())
        .with("first", each.first())
        .with("last", each.last())
        .with("rule", Tree.of(each.rule(), Tree::rule))
        .with("fitting", Tree.of(each.fitting(), Tree::rule))
        .with("real", Tree.of(each.real(), ConfirmData::session))
        .with("here", Tree.of(each.here(), ConfirmData::session))
        .with(
            "instead",
            Tree.of(
                each.instead(),
                trace ->
                    new Tree().with("outcome", trace.outcome()).with("reason", trace.reason())));
  }

  private static Tree session(Session session) {
    return new Tree()
        .with("start", session.start())
        .with("end", session.end())
        .with("protocol", Protocol.name(session.before().protocol()))
        .with("before", header(session.before()))
        .with("after", header(session.after()));
  }

  private static Tree header(Header header) {
    boolean ports = Protocol.hasPorts(header.protocol());
    return new Tree()
        .with("from", header.source())
        .with("fromPort", ports ? header.sourcePort() : null)
        .with("to", header.destination())
        .with("toPort", ports ? header.destinationPort() : null);
  }
}
