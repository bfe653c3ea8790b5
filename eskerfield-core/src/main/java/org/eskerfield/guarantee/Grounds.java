// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.guarantee;

import java.util.LinkedHashSet;
import java.util.List;
import java.util.Set;
import org.eskerfield.model.Device;
import org.eskerfield.model.Guarantee;
import org.eskerfield.model.Host;
import org.eskerfield.model.Named;
import org.eskerfield.model.Place;
import org.eskerfield.model.Placed;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.outcome.Step;
import org.eskerfield.set.PacketSet;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Leg;
import org.eskerfield.trace.Trace;

/**
 * Finds the lines on which a proof rests.
 *
 * <p>Idea: what would get to a receiver if nothing filtered at all is known as a set, by the same
 * way back as in the proof itself. One packet of each kind of it is sent on the site as it is: the
 * line that ends it there is one on which the proof rests.
 */
final class Grounds {
  private static final int MOST_KINDS = 200;

  private final Proving on;
  private final Guarantee guarantee;
  private final Set<Evidence.Line> lines = new LinkedHashSet<>();
  private int left = MOST_KINDS;

  Grounds(Proving on, Guarantee guarantee) {
    this.on = on;
    this.guarantee = guarantee;
  }

  /** The lines that stop what must not arrive; for {@code logged} those that log as well. */
  Evidence stopping() {
    Proving open = new Proving(on.tracer, on.tracer.on(FailedOpen.everywhere(on.site)).program());
    Meant meant = new Meant(open, guarantee);
    return all(open, meant, each -> meant.breaking(each, false));
  }

  /** The lines that give another source to what leaves, or keep it from leaving. */
  Evidence disguising(Disguise disguise, Meant meant) {
    return all(on, meant, disguise::leaving);
  }

  /** The packets that count, as they come in. */
  interface Coming {
    PacketSet by(Ways.Entry entry);
  }

  private Evidence all(Proving followed, Meant meant, Coming coming) {
    Tries tries = new Tries(followed, meant);
    boolean complete = true;
    for (Ways.Entry each : followed.ways().entries()) {
      complete &=
          new Kinds(followed, each, false)
              .of(
                  coming.by(each),
                  rest -> tries.choice(each.own().network(), rest),
                  left,
                  kind -> {
                    left--;
                    note(kind.trace());
                    return true;
                  });
    }
    return new Evidence(List.copyOf(lines), complete);
  }

  private void note(Trace trace) {
    List<Leg> legs = trace.request();
    Leg leg = legs.get(legs.size() - 1);
    Decision end = Leg.last(legs);
    boolean received = end.ruling().step() == Step.RECEIVE && end.ruling() != Ruling.HOST_FILTERED;
    if (end.ruling().ends() != null && !received) {
      lines.add(Evidence.Line.of(leg, end, place(leg.where())));
      return;
    }
    for (Leg each : legs) {
      for (Decision decision : each.decisions()) {
        Placed by = decision.by();
        if (by != null && counts(decision)) {
          lines.add(Evidence.Line.of(each.where(), by));
        }
      }
    }
  }

  private boolean counts(Decision decision) {
    return switch (guarantee.kind()) {
      case LOGGED -> decision.logged();
      case SEEN_AS -> decision.ruling() == Ruling.SOURCE_TRANSLATED;
      default -> false;
    };
  }

  private Place place(String where) {
    Device device = on.site.devices().get(where);
    Host host = on.site.hosts().get(where);
    Named named = device != null ? device : host;
    return named == null ? Place.IN_CODE : named.place();
  }
}
