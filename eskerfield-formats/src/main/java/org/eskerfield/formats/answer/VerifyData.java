// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.answer;

import java.util.List;
import org.eskerfield.compare.ExplainedProof;
import org.eskerfield.compare.GuaranteeCure;
import org.eskerfield.guarantee.Evidence;
import org.eskerfield.guarantee.Proof;
import org.eskerfield.model.Guarantee;
import org.eskerfield.verify.Verdict;
import org.jspecify.annotations.Nullable;

/** Verdicts as trees, see {@code verify.schema.json}. */
public final class VerifyData {
  private VerifyData() {}

  /**
   * Which text was proved.
   *
   * @param commit the commit that has it, as {@code commit 1a2b3c4d5e6f}; null if none has
   * @param digest its SHA-256 in hexadecimal digits; null where it was read from standard input
   */
  public record Revision(@Nullable String commit, @Nullable String digest) {}

  /** Which expectations and guarantees of a site hold. */
  public static Tree of(
      String site, Revision revision, List<Verdict> verdicts, List<ExplainedProof> proofs) {
    return new Tree()
        .with("site", site)
        .with("commit", revision.commit())
        .with("sha-256", revision.digest())
        .with("hold", verdicts.stream().filter(Verdict::holds).count())
        .with("of", verdicts.size())
        .with("expectations", Tree.each(verdicts, VerifyData::verdict))
        .with("guarantees", Tree.each(proofs, VerifyData::proof));
  }

  private static Tree proof(ExplainedProof explained) {
    Proof proof = explained.proof();
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
            .with("assumptions", proof.assumptions())
            .with("rests-on", Tree.of(explained.evidence(), VerifyData::evidence))
            .with("cures", Tree.of(explained.cures(), all -> Tree.each(all, VerifyData::cure)));
    return example == null
        ? tree
        : tree.with("senders", example.senders())
            .with("before", Tree.each(example.before(), TraceData::way))
            .with("trace", TraceData.way(example.trace()));
  }

  private static Tree evidence(Evidence evidence) {
    return new Tree()
        .with(
            "lines",
            Tree.each(
                evidence.lines(),
                each ->
                    new Tree()
                        .with("where", each.where())
                        .with("what", each.what())
                        .with("place", Tree.placeInFile(each.place()))))
        .with("complete", evidence.complete());
  }

  private static Tree cure(GuaranteeCure cure) {
    return new Tree()
        .with("cure", cure.cure().summary())
        .with("clean", cure.isClean())
        .with("objections", cure.objections());
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
