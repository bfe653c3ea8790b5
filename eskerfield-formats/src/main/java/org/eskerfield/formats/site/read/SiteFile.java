// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.read;

import java.util.List;
import org.eskerfield.check.Policy;
import org.eskerfield.model.Guarantee;
import org.eskerfield.model.Site;
import org.eskerfield.verify.Expectation;
import org.eskerfield.verify.Wanted;

/**
 * A site file: the site, its expectations, guarantees and acceptances.
 *
 * @param site the site
 * @param expectations its expectations, in the order of the file; often empty
 * @param guarantees its guarantees, in the order of the file; often empty
 * @param policy its severities and acceptances
 */
public record SiteFile(
    Site site, List<Expectation> expectations, List<Guarantee> guarantees, Policy policy) {
  /** Copies the lists. */
  public SiteFile {
    expectations = List.copyOf(expectations);
    guarantees = List.copyOf(guarantees);
  }

  /** The expectations and guarantees. */
  public Wanted wanted() {
    return new Wanted(expectations, guarantees);
  }
}
