// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.guarantee;

import java.util.List;
import org.eskerfield.model.Place;
import org.eskerfield.model.Placed;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Labels;
import org.eskerfield.trace.Leg;

/**
 * The lines of a site file on which the answer about a guarantee rests: those that stop what must
 * not arrive, that let through what must, or that let a packet through which breaks it.
 *
 * @param lines the lines, each once, in the order in which they were met; empty where nothing could
 *     arrive whatever any rule says
 * @param complete whether the list is complete; false where there are too many kinds of packets
 */
public record Evidence(List<Line> lines, boolean complete) {
  /** Copies the list. */
  public Evidence {
    lines = List.copyOf(lines);
  }

  /**
   * A line that decides.
   *
   * @param where the device or host that has it
   * @param what the rule, list, own service, interface or setting; where no line decides, what
   *     happens to the packet
   * @param place where it stands; that of the device or host where no line decides
   */
  public record Line(String where, String what, Place place) {
    static Line of(String where, Placed by) {
      return new Line(where, Labels.of(by), by.place());
    }

    /** Of a decision that ends a packet; by a list, it is what the list does otherwise. */
    static Line of(Leg leg, Decision decision, Place otherwise) {
      Placed by = decision.by();
      return by == null ? new Line(leg.where(), decision.text(), otherwise) : of(leg.where(), by);
    }

    /** The same in words, with its line. */
    public String text() {
      return where + ": " + what + ", line " + place.line();
    }
  }
}
