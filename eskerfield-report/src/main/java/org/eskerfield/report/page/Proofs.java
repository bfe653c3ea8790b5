// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.report.page;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.eskerfield.guarantee.Proof;
import org.eskerfield.guarantee.Prover;
import org.eskerfield.guarantee.Reach;
import org.eskerfield.model.Guarantee;
import org.eskerfield.report.map.SiteMap;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import org.jspecify.annotations.Nullable;

/** The parts of the page that speak of all packets: guarantees, and who reaches whom. */
final class Proofs {
  /** More zones than these are no matrix that anybody could read. */
  private static final int MOST_ZONES = 14;

  private Proofs() {}

  /** Puts the guarantees with their proofs on the page. */
  static void guarantees(
      Map<String, @Nullable Object> page, Tracer tracer, List<Guarantee> guarantees) {
    List<Proof> proofs = new Prover(tracer).prove(guarantees);
    Set<String> assumptions = new LinkedHashSet<>();
    List<Object> rows = new ArrayList<>();
    for (Proof proof : proofs) {
      assumptions.addAll(proof.assumptions());
      Proof.Example example = proof.example();
      Map<String, @Nullable Object> row = new LinkedHashMap<>();
      row.put("holds", proof.holds());
      row.put("word", proof.status().toString());
      row.put("title", proof.guarantee().kind() + ": " + proof.guarantee().name());
      row.put("place", proof.guarantee().place().toString());
      row.put("note", proof.guarantee().note());
      row.put("reason", proof.reason());
      row.put("packets", proof.packets());
      row.put("somePackets", !proof.packets().isEmpty());
      row.put("way", example == null ? null : SiteMap.of(tracer.site(), example.trace()).figure());
      row.put("steps", example == null ? List.of() : steps(example.trace()));
      rows.add(row);
    }
    long kept = proofs.stream().filter(Proof::holds).count();
    page.put("guarantees", rows);
    page.put("someGuarantees", !rows.isEmpty());
    page.put("kept", kept);
    page.put("guaranteed", rows.size());
    page.put("allKept", kept == rows.size());
    page.put("assumptions", List.copyOf(assumptions));
  }

  /** What became of a packet, step by step. */
  private static List<String> steps(Trace trace) {
    List<String> steps = new ArrayList<>();
    for (Leg leg : trace.request()) {
      leg.decisions().forEach(each -> steps.add(leg.where() + " " + each.text()));
    }
    return steps;
  }

  /** Puts on the page who reaches whom: a matrix of zones, and each pair by itself. */
  static void reach(Map<String, @Nullable Object> page, Tracer tracer) {
    List<Reach.Cell> cells = Reach.of(tracer, Reach.Asked.EVERYTHING);
    Set<String> zones = new LinkedHashSet<>();
    cells.forEach(cell -> zones.add(cell.to()));
    Map<String, List<Object>> rows = new LinkedHashMap<>();
    List<Object> pairs = new ArrayList<>();
    int number = 0;
    for (Reach.Cell cell : cells) {
      Map<String, @Nullable Object> data = new LinkedHashMap<>();
      data.put("from", cell.from());
      data.put("to", cell.to());
      data.put("id", "pair-" + ++number);
      boolean some = !cell.received().isEmpty() || !cell.complete();
      data.put("some", some);
      data.put("near", cell.near() && !some);
      data.put("nothing", !some && !cell.near());
      data.put("short", summary(cell));
      data.put("received", cell.received());
      data.put("sent", cell.sent());
      data.put("rules", cell.rules());
      data.put("incomplete", !cell.complete());
      Trace sample = cell.sample();
      data.put(
          "sample",
          sample == null ? null : sample.request().get(0).decisions().get(0).before().line());
      rows.computeIfAbsent(cell.from(), from -> new ArrayList<>()).add(data);
      if (some) {
        pairs.add(data);
      }
    }
    List<Object> matrix = new ArrayList<>();
    rows.forEach(
        (from, all) -> {
          Map<String, @Nullable Object> row = new LinkedHashMap<>();
          row.put("zone", from);
          row.put("cells", all);
          matrix.add(row);
        });
    page.put("matrix", zones.size() > MOST_ZONES ? List.of() : matrix);
    page.put("hasMatrix", zones.size() <= MOST_ZONES);
    page.put("zones", List.copyOf(zones));
    page.put("pairs", pairs);
  }

  /** What a cell of the matrix says. */
  private static String summary(Reach.Cell cell) {
    List<String> lines = cell.received();
    if (lines.isEmpty()) {
      return cell.complete() ? "" : "not all known";
    }
    String first = lines.get(0);
    String what = first.substring(first.lastIndexOf(": ") + 2);
    return lines.size() == 1 && what.length() <= 24
        ? what
        : lines.size() == 1 ? "one entry" : lines.size() + " entries";
  }
}
