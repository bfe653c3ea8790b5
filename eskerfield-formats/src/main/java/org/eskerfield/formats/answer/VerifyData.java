// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.answer;

import java.util.List;
import org.eskerfield.guarantee.Proof;
import org.eskerfield.model.Guarantee;
import org.eskerfield.verify.Verdict;

/** Verdicts as trees, see {@code verify.schema.json}. */
public final class VerifyData {
  private VerifyData() {}

  /** Which expectations and guarantees of a site hold. */
  public static Tree of(String site, List<Verdict> verdicts, List<Proof> proofs) {
    return new Tree()
        .with("site", site)
        .with("hold", verdicts.stream().filter(Verdict::holds).count())
        .with("of", verdicts.size())
        .with("expectations", Tree.each(verdicts, VerifyData::verdict))
        .with("guarantees", Tree.each(proofs, VerifyData::proof));
  }

  private static Tree proof(Proof proof) {
    Guarantee guarantee = proof.guarantee();
    Proof.Example example = proof.example();
    Tree tree =
        new Tree()
            .with("kind", guarantee.kind())
            .with("name", guarantee.name())
            .with("place", Tree.placeInFile(guarantee.place()))
            .with("holds", proof.holds())
            .with("status", proof.status())
            .with("reason", proof.reason())
            .with("packets", proof.packets())
            .with("assumptions", proof.assumptions());
    return example == null
        ? tree
        : tree.with("senders", example.senders())
            .with("before", Tree.each(example.before(), TraceData::way))
            .with("trace", TraceData.way(example.trace()));
  }

  private static Tree verdict(Verdict verdict) {
    return new Tree()
        .with("text", verdict.expectation().text())
        .with("place", Tree.placeInFile(verdict.expectation().place()))
        .with("holds", verdict.holds())
        .with("results", Tree.each(verdict.results(), VerifyData::result));
  }

  private static Tree result(Verdict.Result result) {
    Tree tree =
        new Tree()
            .with("from", result.conversation().attempt().sender().name())
            .with("outcome", result.conversation().outcome())
            .with("reason", result.conversation().reason())
            .with("differences", result.differences());
    return result.diagnosis() == null ? tree : tree.with(TraceData.obstacles(result.diagnosis()));
  }
}
