// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.verb;

import java.io.IOException;
import java.nio.file.Path;
import java.util.Objects;
import org.eskerfield.change.Changes;
import org.eskerfield.cli.text.Terminal;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.ask.WishReader;
import org.eskerfield.formats.site.edit.PlannedChange;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.model.Host;
import org.eskerfield.model.Site;
import org.eskerfield.offer.Plan;
import org.eskerfield.offer.RefusedChangeException;
import org.eskerfield.offer.Withdrawal;
import org.eskerfield.packet.Family;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.ParseResult;

/** {@code eskerfield withdraw}. */
public final class WithdrawVerb extends ChangeVerb {
  public WithdrawVerb() {
    super("withdraw", "Removes an offer, and leaves nothing unused behind.");
  }

  @Override
  protected void describe(CommandSpec spec) {
    describeHost(spec, "https, 8443/tcp, or several as in http, https");
    describeWriting(spec);
    spec.usageMessage()
        .footer("", "Example: eskerfield withdraw demo/marrowby.site.yaml archive --dry-run");
  }

  @Override
  Plan plan(ParseResult call, SiteFile file, Terminal terminal)
      throws UnusableQuestionException, RefusedChangeException {
    String who = call.matchedPositionalValue(1, "");
    Site site = file.site();
    Plan all = null;
    for (String service : call.matchedPositionalValue(2, "").split(",", -1)) {
      Host host = WishReader.host(site, who);
      Family family = WishReader.family(host, who);
      Plan plan =
          Withdrawal.plan(site, host, family, WishReader.offered(site, host, service.strip()));
      site = Changes.on(site, plan.changes());
      all = all == null ? plan : all.and(plan);
    }
    return Objects.requireNonNull(all);
  }

  @Override
  @Nullable PlannedChange change(Path path, String name, SiteFile file, Plan plan)
      throws IOException {
    return PlannedChange.withdrawal(path, name, file, plan);
  }
}
