// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.explain;

import java.util.List;
import java.util.Locale;
import org.eskerfield.model.Device;

/**
 * The policy of a device in plain sentences, in the order in which it acts.
 *
 * @param device the device
 * @param sections the steps of the device, in the order in which packets pass them
 */
public record Explanation(Device device, List<Section> sections) {
  /**
   * The statements about one step of a device.
   *
   * @param step the step
   * @param title the heading
   * @param name the rule list that it is; empty for other sections
   * @param statements in the order in which they act; may be empty
   */
  public record Section(Part step, String title, String name, List<Statement> statements) {
    /** Copies the list. */
    public Section {
      statements = List.copyOf(statements);
    }
  }

  /** The parts of a policy, in the order in which they act. */
  public enum Part {
    /** The interfaces. */
    INTERFACES,
    /** Rules that change the destination of what arrives, or leave it. */
    DESTINATION,
    /** Services of the device itself. */
    SERVICES,
    /** Routes. */
    ROUTES,
    /** A rule list. */
    ACCESS,
    /** The default for traffic that no list guards. */
    STANCE,
    /** Rules that change the source of what leaves. */
    SOURCE,
    /** The filter of a host. */
    FILTER;

    /** The word of the data, in lower case. */
    @Override
    public String toString() {
      return name().toLowerCase(Locale.ROOT);
    }
  }

  /** Copies the list. */
  public Explanation {
    sections = List.copyOf(sections);
  }
}
