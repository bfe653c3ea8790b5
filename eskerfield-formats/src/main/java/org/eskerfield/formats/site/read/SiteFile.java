// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.read;

import java.util.List;
import org.eskerfield.check.Policy;
import org.eskerfield.model.Site;
import org.eskerfield.verify.Expectation;

/**
 * All that a site file says.
 *
 * @param site the site
 * @param expectations what must happen on it, in the order of the file; empty if it says nothing
 * @param policy what it says of the findings of a check
 */
public record SiteFile(Site site, List<Expectation> expectations, Policy policy) {
  /** Copies the list. */
  public SiteFile {
    expectations = List.copyOf(expectations);
  }
}
