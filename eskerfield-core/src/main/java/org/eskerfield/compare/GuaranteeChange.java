// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.compare;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.eskerfield.guarantee.Proof;
import org.eskerfield.guarantee.Prover;
import org.eskerfield.model.Guarantee;
import org.eskerfield.trace.Tracer;

/**
 * A guarantee that holds on one of two sites only, or that does not hold and is not on the old one.
 *
 * @param guarantee the guarantee, of the new file if that has it
 * @param held whether it held on the old site
 * @param holds whether it holds on the new one
 * @param reason why it does not hold, in a sentence; for one that holds, what was examined
 */
public record GuaranteeChange(Guarantee guarantee, boolean held, boolean holds, String reason) {
  /** The guarantee, and why it does not hold. */
  public String text() {
    return guarantee.kind() + ": " + guarantee.name() + (holds ? "" : ": " + reason);
  }

  /** Proves the guarantees of both files on both sites. */
  static List<GuaranteeChange> between(
      Tracer was, List<Guarantee> before, Tracer is, List<Guarantee> after) {
    Map<String, Guarantee> all = new LinkedHashMap<>();
    before.forEach(each -> all.put(each.name(), each));
    after.forEach(each -> all.put(each.name(), each));
    List<GuaranteeChange> changes = new ArrayList<>();
    Prover old = new Prover(was);
    Prover now = new Prover(is);
    for (Guarantee each : all.values()) {
      if (!Prover.speaksOf(each, was.site()) || !Prover.speaksOf(each, is.site())) {
        continue; // whom it names is on one of them only
      }
      boolean held = old.prove(each).holds();
      Proof proof = now.prove(each);
      boolean fresh = !proof.holds() && !before.contains(each);
      if (held != proof.holds() || fresh) {
        changes.add(new GuaranteeChange(each, held, proof.holds(), proof.reason()));
      }
    }
    return changes;
  }
}
