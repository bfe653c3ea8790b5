// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.verb;

import java.io.IOException;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import org.eskerfield.change.Changes;
import org.eskerfield.cli.text.Terminal;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.ask.WishReader;
import org.eskerfield.formats.site.edit.PlannedChange;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.model.Site;
import org.eskerfield.offer.Offer;
import org.eskerfield.offer.Plan;
import org.eskerfield.offer.RefusedChangeException;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.ParseResult;

/** {@code eskerfield offer}. */
public final class OfferVerb extends ChangeVerb {
  public OfferVerb() {
    super("offer", "Offers a host's service to outsiders, on every device on the way.");
  }

  @Override
  protected void describe(CommandSpec spec) {
    describeHost(spec, "https, 8443/tcp, or several as in http,https");
    spec.addOption(
        option(
            "--from", "WHO", "Who may use it: any, or names and addresses separated by commas."));
    spec.addOption(
        option("--at", "WHERE", "External address, port or address:port; proposed if left out."));
    spec.addOption(
        option(
            "--hairpin",
            "WHERE",
            "Inner zones or interfaces from which the external address is used, too; "
                + "default: none."));
    spec.addOption(option("--when", "SCHEDULE", "Accept only within this schedule of the file."));
    spec.addOption(
        flag("--static", "Give the host an external address of its own, in both directions."));
    spec.addOption(flag("--no-log", "Do not log what is accepted."));
    spec.addOption(option("--name", "NAME", "Name of the new rules."));
    describeWriting(spec);
    spec.usageMessage()
        .footer(
            "",
            "Examples: eskerfield offer demo/marrowby.site.yaml manifests ssh --from insurers"
                + " --at 2022 --dry-run",
            "          eskerfield offer demo/skerry.site.yaml kiosk https --from any --dry-run");
  }

  @Override
  Plan plan(ParseResult call, SiteFile file, Terminal terminal)
      throws UnusableQuestionException, RefusedChangeException {
    Site site = file.site();
    List<WishReader> wishes = wishes(call, site);
    String who = wishes.get(0).host().name();
    String what = String.join(", ", wishes.stream().map(each -> each.service().name()).toList());
    String from = call.matchedOptionValue("--from", null);
    boolean asked = from == null;
    from =
        from != null
            ? from
            : terminal.ask(
                "Who may use "
                    + what
                    + " of "
                    + who
                    + "? 'any', or names and addresses with commas:",
                "");
    if (from == null) {
      throw wrong(
          call, "--from: say who may use it: 'any', or names and addresses, separated by commas");
    }
    String hairpin = value(call, "--hairpin");
    List<String> insiders = Offer.insiders(site, wishes.get(0).host());
    if (hairpin == null && asked && !insiders.isEmpty()) {
      hairpin =
          terminal.ask(
              "Which insiders use the external address, too (" + String.join(", ", insiders) + ")?",
              "none");
    }
    String when = value(call, "--when");
    if (when == null && asked && !site.schedules().isEmpty()) {
      when =
          terminal.ask(
              "Only within a schedule (" + String.join(", ", site.schedules().keySet()) + ")?",
              "always");
      when = Objects.equals(when, "always") ? null : when;
    }
    Plan all = null;
    for (WishReader wish : wishes) {
      wish.from(from).hairpin(Objects.requireNonNullElse(hairpin, ""));
      if (when != null) {
        wish.when(when);
      }
      Plan plan = Offer.plan(site, wish.read());
      site = Changes.on(site, plan.changes());
      all = all == null ? plan : all.and(plan);
    }
    return Objects.requireNonNull(all);
  }

  private static List<WishReader> wishes(ParseResult call, Site site)
      throws UnusableQuestionException {
    String[] services = call.matchedPositionalValue(2, "").split(",", -1);
    List<WishReader> wishes = new ArrayList<>();
    for (String service : services) {
      WishReader wish = WishReader.on(site, call.matchedPositionalValue(1, ""), service.strip());
      wish.log(!call.hasMatchedOption("--no-log"));
      wish.whole(call.hasMatchedOption("--static"));
      String name = call.matchedOptionValue("--name", null);
      wish.called(name == null || services.length == 1 ? name : name + " " + service.strip());
      if (call.hasMatchedOption("--at")) {
        wish.at(call.matchedOptionValue("--at", ""));
      }
      wishes.add(wish);
    }
    return wishes;
  }

  private static @Nullable String value(ParseResult call, String option) {
    return call.matchedOptionValue(option, null);
  }

  @Override
  @Nullable PlannedChange change(Path path, String name, SiteFile file, Plan plan)
      throws IOException {
    return PlannedChange.offer(path, name, file, plan);
  }
}
