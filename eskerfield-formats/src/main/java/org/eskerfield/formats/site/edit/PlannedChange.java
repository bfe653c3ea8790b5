// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.edit;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.DayOfWeek;
import java.time.LocalDate;
import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Objects;
import java.util.Set;
import org.eskerfield.change.Change;
import org.eskerfield.check.Checker;
import org.eskerfield.check.Code;
import org.eskerfield.check.Finding;
import org.eskerfield.check.Severity;
import org.eskerfield.compare.ChangedFate;
import org.eskerfield.compare.ChangedFate.Kind;
import org.eskerfield.compare.Comparison;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.ask.QuestionReader;
import org.eskerfield.formats.literal.BadLiteralException;
import org.eskerfield.formats.literal.Literals;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.Device;
import org.eskerfield.model.DomainName;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Named;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.Place;
import org.eskerfield.model.Placed;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.Site;
import org.eskerfield.offer.Plan;
import org.eskerfield.offer.Plan.Proof;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Protocol;
import org.eskerfield.set.PacketSet;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Attempt;
import org.eskerfield.trace.Conversation;
import org.eskerfield.trace.Tracer;
import org.eskerfield.verify.Expectation;
import org.eskerfield.verify.Verdict;
import org.eskerfield.verify.Verifier;
import org.jspecify.annotations.Nullable;

/**
 * A change of a site file, worked out and proved before anything is written: the new text, what a
 * check says of it, and conversations that show what it does.
 *
 * @param before the file as it was
 * @param changed the file as it would be
 * @param tidied other objects removed because nothing uses them any more
 * @param proofs conversations that must go in a certain way afterwards, as traced
 * @param management management connections to the devices, as traced
 * @param broken expectations that held before and no longer do
 * @param effect all packets whose fate changes
 * @param besides the part of that which was not meant: other packets that are lost, or that reach
 *     somebody from now on
 * @param contained whether all of that cannot but be, as {@link Plan#inherent} says
 */
public record PlannedChange(
    SiteFile before,
    CuredSite changed,
    List<String> tidied,
    List<Proved> proofs,
    List<Proved> management,
    List<Verdict> broken,
    Comparison effect,
    List<ChangedFate> besides,
    boolean contained) {
  private static final int MOST_ROUNDS = 8;

  /**
   * A conversation on the changed site.
   *
   * @param what what the conversation shows
   * @param conversation the conversation as traced
   * @param holds whether it went as it must
   */
  public record Proved(String what, Conversation conversation, boolean holds) {}

  /** Copies the lists. */
  public PlannedChange {
    tidied = List.copyOf(tidied);
    proofs = List.copyOf(proofs);
    management = List.copyOf(management);
    broken = List.copyOf(broken);
    besides = List.copyOf(besides);
  }

  /**
   * Whether it may be written: it does what is meant, to other packets only what cannot but be, and
   * brings no error and no warning.
   */
  public boolean isSafe() {
    return broken.isEmpty()
        && effect.guarantees().stream().noneMatch(each -> each.held() && !each.holds())
        && contained
        && effect.changedFates().complete()
        && proofs.stream().allMatch(Proved::holds)
        && management.stream().allMatch(Proved::holds)
        && effect.appeared().stream().allMatch(each -> each.severity() == Severity.ADVICE);
  }

  /**
   * Works out an offer: the steps of the plan, and an expectation for each of its proofs.
   *
   * @param path the site file
   * @param name what messages and the patch call it
   * @return null if the edits do not fit this file
   * @throws IOException if the file cannot be read
   */
  public static @Nullable PlannedChange offer(Path path, String name, SiteFile before, Plan plan)
      throws IOException {
    String text = Files.readString(path);
    Path folder = path.toAbsolutePath().getParent();
    CuredSite first =
        plan.changes().isEmpty()
            ? new CuredSite(text, text, before, "") // it is offered like that already
            : CuredSite.changed(text, folder, name, plan.changes());
    if (first == null) {
      return null;
    }
    List<Edit> edits = new ArrayList<>(ChangeEdits.of(plan.changes()));
    // What holds already is nothing that this offer brings about, and none of its to take away.
    for (Proof proof : plan.changes().isEmpty() ? List.<Proof>of() : plan.proofs()) {
      boolean said =
          before.expectations().stream().anyMatch(each -> isSame(each, proof, before.site()));
      if (!said) {
        Conversation conversation = converse(first.file().site(), proof);
        edits.add(
            new Edit.Insert(
                before.site().place(), "expect", null, expectation(proof, conversation.outcome())));
      }
    }
    CuredSite changed = edits.isEmpty() ? first : CuredSite.edited(text, folder, name, edits);
    List<Change> gone = new ArrayList<>();
    List<String> tidied = new ArrayList<>();
    if (changed != null && plan.isOfStanding()) {
      // What was expected of the offer as it was is not expected any more.
      for (Verdict verdict : broken(before, changed.file())) {
        if (isAbout(verdict.expectation(), plan)) {
          gone.add(new Change.Remove(verdict.expectation()));
          tidied.add("expectation: " + verdict.expectation().text());
        }
      }
    }
    if (changed != null && !gone.isEmpty()) {
      CuredSite last = CuredSite.changed(changed.after(), folder, name, gone);
      changed = last == null ? null : whole(text, last, name);
    }
    return changed == null ? null : of(before, changed, tidied, plan);
  }

  /** Whether an expectation says of one conversation what a proof does. */
  private static boolean isSame(Expectation expected, Proof proof, Site site) {
    if (expected.attempts().size() != 1 || !expected.after().isEmpty()) {
      return false;
    }
    Attempt attempt = expected.attempts().get(0);
    ZonedDateTime at = proof.at() == null ? VirtualClock.start(site.timeZone()) : proof.at();
    return attempt.sender().name().equals(proof.from())
        && attempt.addresses().contains(proof.to())
        && attempt.probe().equals(proof.probe())
        && attempt.at().equals(at)
        && (expected.outcome() == Outcome.ANSWERED) == (proof.by() != null);
  }

  /**
   * Works out a withdrawal: the steps of the plan, and what is left unused by them: objects,
   * acceptances, and expectations that told of what is gone.
   *
   * @param path the site file
   * @param name what messages and the patch call it
   * @return null if the edits do not fit this file
   * @throws IOException if the file cannot be read
   */
  public static @Nullable PlannedChange withdrawal(
      Path path, String name, SiteFile before, Plan plan) throws IOException {
    String text = Files.readString(path);
    Path folder = path.toAbsolutePath().getParent();
    List<String> tidied = new ArrayList<>();
    List<Change> changes = new ArrayList<>(plan.changes());
    // With what they name goes what could not be read without it.
    boolean behind = false;
    Set<String> let = new HashSet<>();
    for (Expectation each : before.expectations()) {
      // An answer that is still given is told by tracing it afterwards. That others are denied goes
      // if it is what the offer said of them, behind its answers; all else stood before.
      boolean answered = each.outcome() == Outcome.ANSWERED;
      boolean about = isAbout(each, plan);
      String sender = each.attempts().get(0).sender().name();
      behind = about && (answered || behind);
      boolean denial =
          behind
              && !answered
              && each.note() == null
              && (plan.denied().contains(sender) || let.contains(sender));
      if (about && answered) {
        let.add(sender);
      }
      if (denial || needs(each, before.site(), plan)) {
        changes.add(new Change.Remove(each));
        tidied.add("expectation: " + each.text());
      }
    }
    CuredSite changed = CuredSite.changed(text, folder, name, changes);
    List<Finding> old = Checker.open(before.site(), before.policy());
    for (int round = 0; changed != null && round < MOST_ROUNDS; round++) {
      List<Change> more = new ArrayList<>();
      for (Verdict verdict : broken(before, changed.file())) {
        more.add(new Change.Remove(verdict.expectation()));
        tidied.add("expectation: " + verdict.expectation().text());
      }
      if (more.isEmpty()) {
        for (Finding finding :
            Checker.without(Checker.open(changed.file().site(), changed.file().policy()), old)) {
          boolean left = finding.code() == Code.UNUSED || finding.code() == Code.ACCEPTANCE_UNUSED;
          if (left && !finding.cure().changes().isEmpty()) {
            more.addAll(finding.cure().changes());
            tidied.add(finding.message());
          }
        }
      }
      if (more.isEmpty()) {
        CuredSite all = whole(text, changed, name);
        return of(before, all, tidied, plan);
      }
      changed = CuredSite.changed(changed.after(), folder, name, more);
    }
    return null;
  }

  /** Whether an expectation asks for nothing but an end that the plan takes away. */
  private static boolean isAbout(Expectation expected, Plan plan) {
    for (Attempt attempt : expected.attempts()) {
      boolean about = false;
      for (Proof proof : plan.proofs()) {
        about |= attempt.addresses().contains(proof.to()) && attempt.probe().equals(proof.probe());
      }
      if (!about) {
        return false;
      }
    }
    return true;
  }

  /** Whether an expectation names a rule, or asks for a name, that the plan takes away. */
  private static boolean needs(Expectation expected, Site site, Plan plan) {
    Set<Place> resolved = new HashSet<>();
    for (Change change : plan.changes()) {
      if (change instanceof Change.Remove removal) {
        resolved.add(removal.object().place());
        if (removal.object() instanceof AccessList list) {
          list.rules().forEach(rule -> resolved.add(rule.place()));
        }
      }
    }
    Set<Place> called = new HashSet<>();
    for (Device device : site.devices().values()) {
      List<Placed> rules = new ArrayList<>(device.translation());
      device.access().forEach(list -> rules.addAll(list.rules()));
      device.access().forEach(rules::add);
      for (Placed rule : rules) {
        if (rule instanceof Named named && named.name().equals(expected.rule())) {
          called.add(rule.place());
        }
      }
    }
    boolean needs = !called.isEmpty() && resolved.containsAll(called);
    List<Attempt> attempts = new ArrayList<>(expected.attempts());
    expected.after().forEach(each -> attempts.add(each.attempt()));
    for (Attempt attempt : attempts) {
      DomainName asked = attempt.name() == null ? null : site.names().get(attempt.name());
      needs |= asked != null && resolved.contains(asked.place());
    }
    return needs;
  }

  private static CuredSite whole(String text, CuredSite last, String name) {
    return new CuredSite(
        text, last.after(), last.file(), SiteEditor.patch(name, text, last.after()));
  }

  private static PlannedChange of(
      SiteFile before, CuredSite changed, List<String> tidied, Plan plan) {
    SiteFile after = changed.file();
    List<Finding> old = Checker.open(before.site(), before.policy());
    List<Finding> now = Checker.open(after.site(), after.policy());
    List<Proved> proofs = new ArrayList<>();
    for (Proof proof : plan.proofs()) {
      Conversation conversation = converse(after.site(), proof);
      boolean holds =
          proof.by() == null
              ? conversation.outcome() != Outcome.ANSWERED
              : conversation.isAnsweredBy(proof.by());
      proofs.add(new Proved(proof.what(), conversation, holds));
    }
    Comparison effect =
        Comparison.of(
            CuredSite.side(before), old, CuredSite.side(after), now, (who, done, of) -> {});
    List<ChangedFate> besides = besides(effect, plan);
    boolean contained =
        besides.stream()
            .map(ChangedFate::packets)
            .allMatch(each -> plan.inherent(each.space(), before.site()).covers(each));
    return new PlannedChange(
        before,
        changed,
        tidied,
        proofs,
        management(before.site(), after.site()),
        broken(before, after),
        effect,
        besides,
        contained);
  }

  /** What was not meant, of what is lost or reaches somebody from now on. */
  private static List<ChangedFate> besides(Comparison effect, Plan plan) {
    List<ChangedFate> besides = new ArrayList<>();
    for (ChangedFate each : effect.noticed()) {
      boolean reaches = each.kind() == Kind.OPENED || each.kind() == Kind.REACHED;
      if (reaches || effect.losses().contains(each)) {
        PacketSet others = each.packets().minus(plan.meant(each.packets().space()));
        if (!others.isEmpty()) {
          besides.add(each.of(others));
        }
      }
    }
    return besides;
  }

  private static Conversation converse(Site site, Proof proof) {
    Host known = site.hosts().get(proof.from());
    Host sender = known;
    if (sender == null) {
      try {
        Address address = Literals.address(proof.from());
        sender = Host.unnamed(address, site.networkOf(address));
      } catch (BadLiteralException e) {
        throw new IllegalArgumentException(e.message(), e);
      }
    }
    ZonedDateTime at = proof.at() == null ? VirtualClock.start(site.timeZone()) : proof.at();
    return Tracer.of(site).converse(Attempt.at(sender, proof.to(), proof.probe(), at));
  }

  private static Map<String, Object> expectation(Proof proof, Outcome outcome) {
    Map<String, Object> item = new LinkedHashMap<>();
    item.put("from", proof.from());
    boolean ports = Protocol.hasPorts(proof.probe().protocol());
    item.put("to", proof.to().toString());
    item.put("service", proof.probe().toString());
    if (ports && proof.to().family() == Family.IPV4) {
      item.put("to", proof.to() + ":" + proof.probe().port());
      item.put("service", Protocol.name(proof.probe().protocol()));
    }
    ZonedDateTime at = proof.at();
    if (at != null && !VirtualClock.isStart(at)) {
      item.put("at", moment(at));
    }
    // What is wished for, whether it happens or not; how it fails where it must fail is not wished.
    boolean fails = outcome != Outcome.ANSWERED;
    item.put(
        "outcome",
        proof.by() != null
            ? Outcome.ANSWERED + " by " + proof.by()
            : (fails ? outcome : Outcome.DROPPED).toString());
    return item;
  }

  /** {@code sunday 10:00} for a moment of the usual week, else the date. */
  private static String moment(ZonedDateTime at) {
    LocalDate usual = VirtualClock.start(at.getZone()).toLocalDate().with(DayOfWeek.MONDAY);
    LocalDate day = at.toLocalDate();
    return day.isBefore(usual) || day.isAfter(usual.plusDays(6))
        ? day + "T" + at.toLocalTime()
        : at.getDayOfWeek().name().toLowerCase(Locale.ROOT) + " " + at.toLocalTime();
  }

  // Findings and expectations.

  private static List<Verdict> broken(SiteFile before, SiteFile after) {
    Verifier verifier = new Verifier(Tracer.of(before.site()));
    Set<String> held = new HashSet<>();
    for (Expectation each : before.expectations()) {
      if (verifier.verify(each).holds()) {
        held.add(each.text());
      }
    }
    Verifier now = new Verifier(Tracer.of(after.site()));
    List<Verdict> broken = new ArrayList<>();
    for (Expectation each : after.expectations()) {
      Verdict verdict = held.contains(each.text()) ? now.verify(each) : null;
      if (verdict != null && !verdict.holds()) {
        broken.add(verdict);
      }
    }
    return broken;
  }

  // Management.

  private static List<Proved> management(Site before, Site after) {
    List<Proved> all = new ArrayList<>();
    for (Device device : before.devices().values()) {
      for (OwnService own : device.services()) {
        ServicePart part = own.service().service().parts().get(0);
        Host manager = manager(before, own);
        if (manager == null || !Protocol.hasPorts(part.protocol())) {
          continue;
        }
        Attempt attempt = attempt(before, manager, device, own);
        if (attempt == null) {
          continue;
        }
        Conversation was = Tracer.of(before).converse(attempt);
        Conversation is = Tracer.of(after).converse(attempt.on(after));
        if (was.outcome() == Outcome.ANSWERED) {
          all.add(
              new Proved(
                  own.service().text()
                      + " of "
                      + device.name()
                      + " still answers those who manage it",
                  is,
                  is.outcome() == Outcome.ANSWERED));
        }
      }
    }
    return all;
  }

  private static @Nullable Host manager(Site site, OwnService own) {
    AddressSet from = site.matched(own.from());
    for (Host host : site.hosts().values()) {
      Address address = host.address(Family.IPV4);
      if (!host.isOutside() && !host.off() && address != null && from.contains(address)) {
        return host;
      }
    }
    return null;
  }

  private static @Nullable Attempt attempt(Site site, Host manager, Device device, OwnService own) {
    Address to = null;
    for (Interface each : device.interfaces()) {
      Address address = each.address(Family.IPV4);
      to =
          to == null || manager.isOn(each.network()) ? Objects.requireNonNullElse(address, to) : to;
    }
    try {
      return to == null
          ? null
          : QuestionReader.on(site)
              .from(manager.name())
              .to(to.toString())
              .service(own.service().text())
              .attempt();
    } catch (UnusableQuestionException e) {
      return null; // a service without a port to try
    }
  }
}
