// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.check;

import java.util.List;
import org.eskerfield.change.Cure;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Conversation;
import org.eskerfield.verify.Expectation;
import org.eskerfield.verify.Verifier;

/** The expectations of a file that do not hold. */
final class Expected {
  private final Inspection check;

  Expected(Inspection check) {
    this.check = check;
  }

  void inspect(List<Expectation> expectations) {
    Verifier verifier = new Verifier(check.tracer);
    Expectation first = null;
    Conversation sample = null;
    String difference = "";
    int failed = 0;
    for (Expectation each : expectations) {
      for (Attempt attempt : each.attempts()) {
        Conversation conversation = verifier.rehearse(each, attempt);
        List<String> differences = Verifier.differences(each, conversation);
        if (differences.isEmpty()) {
          continue;
        }
        failed++;
        if (first == null) {
          first = each;
          sample = each.after().isEmpty() ? conversation : null;
          String clause = differences.get(0);
          // A sample tells the reason itself; what comes after other traffic is no sample.
          difference =
              clause.substring(clause.indexOf(", but"))
                  + (sample == null ? ": " + conversation.reason() : "");
        }
        break;
      }
    }
    if (first == null) {
      return;
    }
    check.add(
        Code.EXPECTATION_FAILS,
        first,
        first.text(),
        (failed == 1
                ? "an expectation does not hold: "
                : failed + " of " + expectations.size() + " expectations do not hold, the first: ")
            + first.text()
            + difference,
        sample,
        Cure.byHand("run 'eskerfield verify' on the file: it explains each of them"));
  }
}
