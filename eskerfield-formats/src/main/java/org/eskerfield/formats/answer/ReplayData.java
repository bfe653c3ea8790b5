// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.answer;

import java.time.Duration;
import java.time.format.DateTimeFormatter;
import java.util.Arrays;
import java.util.Collection;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import org.eskerfield.model.ServicePart;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.packet.Protocol;
import org.eskerfield.state.BindingRow;
import org.eskerfield.state.PoolFill;
import org.eskerfield.state.SessionRow;
import org.eskerfield.trace.Figures;
import org.eskerfield.trace.Run;

/** Runs as trees, see {@code replay.schema.json}. */
public final class ReplayData {
  private ReplayData() {}

  /**
   * The result of a replay as a tree.
   *
   * @param elapsed the time since its start
   * @param outcomes how many flows ended how
   * @param run the run, for the tables of the devices
   * @param devices the devices whose tables are wanted, in order
   */
  public static Tree of(
      Duration elapsed, Map<Outcome, Long> outcomes, Run run, Collection<String> devices) {
    Tree counts = new Tree();
    Arrays.stream(Outcome.values())
        .forEach(each -> counts.with(each.toString(), outcomes.getOrDefault(each, 0L)));
    return new Tree()
        .with("elapsedMillis", elapsed.toMillis())
        .with("outcomes", counts)
        .with("devices", Tree.each(devices, device -> device(run, device)));
  }

  private static Tree device(Run run, String device) {
    return new Tree()
        .with("device", device)
        .with("bindings", Tree.each(run.bindings(device), ReplayData::binding))
        .with("figures", figures(run.figures(device)))
        .with("sessions", Tree.each(run.sessions(device), ReplayData::session));
  }

  private static Tree binding(BindingRow row) {
    boolean any = row.protocol() == ServicePart.ANY_PROTOCOL;
    return new Tree()
        .with("rule", Tree.rule(row.rule()))
        .with("protocol", any ? null : Protocol.name(row.protocol()))
        .with("internal", row.internal())
        .with("internalPorts", row.internalPorts())
        .with("external", row.external())
        .with("externalPorts", row.externalPorts())
        .with("remotes", Tree.each(row.remotes(), ReplayData::remote))
        .with("ageMillis", Tree.of(row.age(), Duration::toMillis))
        .with("leftMillis", Tree.of(row.left(), Duration::toMillis));
  }

  private static Tree remote(BindingRow.Remote remote) {
    return new Tree().with("inside", remote.inside()).with("outside", remote.outside());
  }

  private static Tree session(SessionRow row) {
    return new Tree()
        .with("arrived", Tree.header(row.arrived()))
        .with("left", Tree.header(row.left()))
        .with("cameBack", row.cameBack())
        .with("destinationRule", Tree.of(row.destinationRule(), Tree::rule))
        .with("sourceRule", Tree.of(row.sourceRule(), Tree::rule))
        .with("ageMillis", row.age().toMillis())
        .with("leftMillis", row.remaining().toMillis());
  }

  private static Tree figures(Figures figures) {
    List<Figures.Hit> hits =
        figures.hits().stream()
            .sorted(Comparator.comparingInt(hit -> hit.by().place().line()))
            .toList();
    return new Tree()
        .with("sessions", level(figures.sessions(), figures.sessionsAged()))
        .with("bindings", level(figures.bindings(), figures.bindingsAged()))
        .with("gotNothing", figures.gotNothing())
        .with("hits", Tree.each(hits, ReplayData::hit))
        .with("pools", Tree.each(figures.pools(), ReplayData::pool))
        .with("bindingsByKind", figures.bindingsByKind())
        .with("packetsByInterface", figures.packetsByInterface())
        .with("packetsEnded", figures.ended());
  }

  private static Tree hit(Figures.Hit hit) {
    return new Tree().with("rule", Tree.rule(hit.by())).with("flows", hit.flows());
  }

  private static Tree pool(Figures.Pool pool) {
    PoolFill fill = pool.fill();
    return new Tree()
        .with("rule", Tree.rule(fill.rule()))
        .with("of", fill.protocol() == 0 ? null : Protocol.name(fill.protocol()))
        .with("taken", fill.taken())
        .with("size", fill.size())
        .with("most", pool.most())
        .with("mostAt", Tree.of(pool.at(), DateTimeFormatter.ISO_OFFSET_DATE_TIME::format))
        .with("refused", pool.refused())
        .with(
            "refusedAt", Tree.of(pool.refusedAt(), DateTimeFormatter.ISO_OFFSET_DATE_TIME::format));
  }

  private static Tree level(Figures.Level level, long aged) {
    return new Tree()
        .with("now", level.now())
        .with("most", level.most())
        .with("mostAt", DateTimeFormatter.ISO_OFFSET_DATE_TIME.format(level.at()))
        .with("agedOut", aged);
  }
}
