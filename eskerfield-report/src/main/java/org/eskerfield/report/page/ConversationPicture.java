// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.report.page;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.model.Site;
import org.eskerfield.report.draw.Svg;
import org.eskerfield.report.draw.Theme;
import org.eskerfield.report.ladder.Ladder;
import org.eskerfield.report.map.SiteMap;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import org.eskerfield.trace.Transit;

/** A conversation to be looked at: its way on the map of the site, and its packets as a ladder. */
public final class ConversationPicture {
  private static final double BETWEEN = 10;

  private final Conversation conversation;
  private final List<Transit> packets;
  private final SiteMap map;
  private final Ladder ladder;

  /** Of packets that were watched in a conversation on a site. */
  public ConversationPicture(Site site, Conversation conversation, List<Transit> packets) {
    this.conversation = conversation;
    this.packets = List.copyOf(packets);
    Trace trace = conversation.deciding();
    this.map = trace == null ? SiteMap.of(site) : SiteMap.of(site, trace);
    Attempt attempt = conversation.attempt();
    this.ladder =
        Ladder.of(
            attempt.sender().name() + " to " + attempt.to() + ", " + attempt.probe(),
            conversation.outcome() + ": " + conversation.reason(),
            packets);
  }

  /** Leads a conversation through devices without any state, and watches it. */
  public static ConversationPicture of(Tracer tracer, Attempt attempt) {
    Run run = tracer.run(attempt.at());
    List<Transit> packets = new ArrayList<>();
    run.watch(packets::add);
    return new ConversationPicture(tracer.site(), run.converse(attempt), packets);
  }

  /** What became of it. */
  public Conversation conversation() {
    return conversation;
  }

  /** Its packets, in the order in which they were sent. */
  public List<Transit> packets() {
    return packets;
  }

  /** The way on the map; the map alone where no packet was sent. */
  public SiteMap map() {
    return map;
  }

  /** The packets one below the other. */
  public Ladder ladder() {
    return ladder;
  }

  /** Both as one picture in SVG, the map above the ladder. */
  public String svg(Theme theme) {
    Svg svg = new Svg();
    double width = Math.max(map.width(), ladder.width());
    svg.begin(width, map.height() + BETWEEN + ladder.height(), map.title(), theme);
    map.draw(svg);
    svg.group(0, map.height() + BETWEEN);
    ladder.draw(svg);
    svg.close();
    return svg.end();
  }
}
