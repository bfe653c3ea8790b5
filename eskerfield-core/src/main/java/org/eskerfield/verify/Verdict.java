// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.verify;

import java.util.List;
import org.eskerfield.cause.Diagnosis;
import org.eskerfield.trace.Conversation;
import org.jspecify.annotations.Nullable;

/**
 * Whether an expectation holds.
 *
 * @param expectation the expectation
 * @param results one for each of its attempts, in order
 */
public record Verdict(Expectation expectation, List<Result> results) {
  /**
   * The result of one attempt.
   *
   * @param conversation the conversation as traced
   * @param differences what differs from the expectation; empty if it is met
   * @param diagnosis the reasons; null if the expectation is met
   */
  public record Result(
      Conversation conversation, List<String> differences, @Nullable Diagnosis diagnosis) {
    /** Copies the list. */
    public Result {
      differences = List.copyOf(differences);
    }

    /** Whether all is as expected. */
    public boolean holds() {
      return differences.isEmpty();
    }
  }

  /** Copies the list. */
  public Verdict {
    results = List.copyOf(results);
  }

  /** Whether it holds for every sender. */
  public boolean holds() {
    return results.stream().allMatch(Result::holds);
  }
}
