// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.ask;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.guarantee.Reach;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Place;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.Site;
import org.jspecify.annotations.Nullable;

/** Reads the question who reaches whom. */
public final class ReachReader {
  private ReachReader() {}

  /**
   * Reads a question.
   *
   * @param from the senders, separated by commas; null for every zone on its own
   * @param to the receivers, likewise
   * @param service the services, likewise; null for every one
   * @param at when, such as {@code sunday 10:00}; null for whenever
   * @throws UnusableQuestionException if nothing has one of these names
   */
  public static Reach.Asked read(
      Site site,
      @Nullable String from,
      @Nullable String to,
      @Nullable String service,
      @Nullable String at)
      throws UnusableQuestionException {
    List<AddressTerm> senders =
        from == null ? List.of() : AskedTerm.all(site, "from", from, /* devices= */ false);
    List<AddressTerm> receivers =
        to == null ? List.of() : AskedTerm.all(site, "to", to, /* devices= */ true);
    List<ServiceTerm> services = new ArrayList<>();
    for (String each : service == null ? new String[0] : service.split(",", -1)) {
      services.add(new ServiceTerm(WishReader.service(site, each.strip()), Place.IN_CODE));
    }
    return new Reach.Asked(
        senders, receivers, services, at == null ? null : AskedTime.of(at, site.timeZone()));
  }
}
