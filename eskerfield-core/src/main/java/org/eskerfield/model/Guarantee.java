// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import java.util.List;
import java.util.Objects;
import java.util.Set;
import org.jspecify.annotations.Nullable;

/**
 * A condition on all packets. It speaks of who opens; replies and notices belong to that.
 *
 * @param kind what must hold
 * @param name what it is called: the sentence of the file
 * @param from who sends; empty for everybody. A network or a zone stands for everybody who is on
 *     it, whatever source he writes; a host, a group or an address for packets with its source from
 *     where it is
 * @param to who must, or must not, get it; empty for everybody
 * @param services as the receiver gets it; empty for every one
 * @param except packets that it does not speak of; for {@link Kind#ONLY} those that may
 * @param when the only time that it speaks of; null for always
 * @param sources the sources, as the receiver or whoever is outside sees them, that it speaks of;
 *     for {@link Kind#SEEN_AS} and {@link Kind#ALWAYS} those that it allows. Empty for every one
 * @param leaving for {@link Kind#SEEN_AS}, by which interface packets leave; else null
 * @param through the name of the device that packets must pass for {@link Kind#PASSES}; for others
 *     it speaks only of packets that pass it. Null for none
 * @param honest whether senders write their own address as source
 * @param also what it must outlast; often empty
 * @param note the engineer's remark, or null
 * @param place where it stands
 */
@Built
public record Guarantee(
    Kind kind,
    String name,
    List<AddressTerm> from,
    List<AddressTerm> to,
    List<ServiceTerm> services,
    List<Exempt> except,
    @Nullable Schedule when,
    List<AddressTerm> sources,
    @Nullable Exit leaving,
    @Nullable String through,
    boolean honest,
    Set<Also> also,
    @Nullable String note,
    Place place)
    implements Named, Noted, GuaranteeBuilder.With {
  /** The kinds of guarantees. */
  public enum Kind {
    /** No packet arrives, whether or not anything listens. */
    NEVER("never"),
    /** No packet arrives but those that may. */
    ONLY("only"),
    /** Every sender is answered, at every time, as long as ports are free. */
    ALWAYS("always"),
    /** Every packet that leaves has one of some sources. */
    SEEN_AS("seen-as"),
    /** No packet arrives that did not pass a device. */
    PASSES("passes"),
    /** No packet arrives that no rule logged. */
    LOGGED("logged");

    private final String text;

    Kind(String text) {
      this.text = text;
    }

    /** The word of the site file. */
    @Override
    public String toString() {
      return text;
    }
  }

  /** The events that a guarantee must outlast. */
  public enum Also {
    /** Any one interface is down. */
    ANY_LINK_DOWN("any link down"),
    /** Any address of its network is assigned to an interface by the carrier. */
    ANY_CARRIER_ADDRESS("any carrier address");

    private final String text;

    Also(String text) {
      this.text = text;
    }

    /** The words of the site file. */
    @Override
    public String toString() {
      return text;
    }
  }

  /**
   * Packets that a guarantee does not speak of.
   *
   * @param from who sends them; empty for everybody
   * @param to who gets them; empty for everybody
   * @param services as the receiver gets them; empty for every one
   * @param when the only time at which they are exempt; null for always
   */
  public record Exempt(
      List<AddressTerm> from,
      List<AddressTerm> to,
      List<ServiceTerm> services,
      @Nullable Schedule when) {
    /** Copies the lists. */
    public Exempt {
      from = List.copyOf(from);
      to = List.copyOf(to);
      services = List.copyOf(services);
    }
  }

  /**
   * An interface of a device, by their names.
   *
   * @param device the device
   * @param own its interface
   */
  public record Exit(String device, String own) {}

  /** Begins a guarantee that is made in code. */
  public static GuaranteeBuilder called(Kind kind, String name) {
    return GuaranteeBuilder.builder().kind(kind).name(name).place(Place.IN_CODE);
  }

  /** Copies the lists. */
  public Guarantee {
    Objects.requireNonNull(kind, "kind");
    Objects.requireNonNull(name, "name");
    Objects.requireNonNull(place, "place");
    from = List.copyOf(from);
    to = List.copyOf(to);
    services = List.copyOf(services);
    except = List.copyOf(except);
    sources = List.copyOf(sources);
    also = Set.copyOf(also);
  }
}
