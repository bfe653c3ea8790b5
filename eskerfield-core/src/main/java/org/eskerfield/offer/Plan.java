// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.offer;

import java.time.ZonedDateTime;
import java.util.List;
import java.util.Objects;
import org.eskerfield.change.Change;
import org.eskerfield.packet.Address;
import org.eskerfield.trace.Probe;
import org.jspecify.annotations.Nullable;

/**
 * What is changed, and what then must be so.
 *
 * @param steps the changes, from the outermost device inwards
 * @param proofs conversations that show that it does what is meant, and nothing else
 */
public record Plan(List<Step> steps, List<Proof> proofs) {
  /**
   * A change at one device.
   *
   * @param device its name; empty for what belongs to no device
   * @param what what is done, in one sentence
   * @param where where in the order it goes and why; empty where that does not matter
   * @param change the same as a change of the site; null where nothing has to be done
   */
  public record Step(String device, String what, String where, @Nullable Change change) {}

  /**
   * A conversation whose end is known before it is tried.
   *
   * @param from the host or address that tries
   * @param to the address that it tries
   * @param probe what it tries there
   * @param at when; null for the start of a working day
   * @param by the host that must answer; null where nobody may
   * @param what what it shows, in a few words
   */
  public record Proof(
      String from,
      Address to,
      Probe probe,
      @Nullable ZonedDateTime at,
      @Nullable String by,
      String what) {}

  /** Copies the lists. */
  public Plan {
    steps = List.copyOf(steps);
    proofs = List.copyOf(proofs);
  }

  /** The changes of all steps, in their order. */
  public List<Change> changes() {
    return steps.stream().map(Step::change).filter(Objects::nonNull).toList();
  }
}
