// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.verb;

import java.io.IOException;
import java.nio.file.Path;
import org.eskerfield.cli.text.Terminal;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.ask.WishReader;
import org.eskerfield.formats.site.edit.PlannedChange;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.model.Host;
import org.eskerfield.offer.Plan;
import org.eskerfield.offer.RefusedChangeException;
import org.eskerfield.offer.Withdrawal;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.ParseResult;

/** {@code eskerfield withdraw}. */
public final class WithdrawVerb extends ChangeVerb {
  public WithdrawVerb() {
    super("withdraw", "Takes an offer away again, and leaves nothing unused behind.");
  }

  @Override
  protected void describe(CommandSpec spec) {
    describeHost(spec, "https, 8443/tcp");
    describeWriting(spec);
    spec.usageMessage()
        .footer("", "Example: eskerfield withdraw demo/marrowby.site.yaml archive --dry-run");
  }

  @Override
  Plan plan(ParseResult call, SiteFile file, Terminal terminal)
      throws UnusableQuestionException, RefusedChangeException {
    Host host = WishReader.host(file.site(), call.matchedPositionalValue(1, ""));
    return Withdrawal.plan(
        file.site(),
        host,
        WishReader.offered(file.site(), host, call.matchedPositionalValue(2, "")));
  }

  @Override
  @Nullable PlannedChange change(Path path, String name, SiteFile file, Plan plan)
      throws IOException {
    return PlannedChange.withdrawal(path, name, file, plan);
  }
}
