// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import java.time.Duration;
import java.util.List;
import org.eskerfield.packet.Address;
import org.jspecify.annotations.Nullable;

/**
 * A name of the DNS (RFC 1034) and who answers what for it.
 *
 * @param name the name
 * @param answers one for each resolver that answers in its own way, and one of the internet's
 * @param ttl how long the answer is cached (RFC 1035 section 3.2.1); null where it is not
 * @param place where it stands
 */
public record DomainName(String name, List<Answer> answers, @Nullable Duration ttl, Place place)
    implements Named {
  /**
   * An answer of one or all resolvers.
   *
   * @param resolver the host that says it; null for every resolver that has no answer of its own
   * @param addresses the addresses; empty if there is no such name
   * @param follows the interface whose current address is the answer, or null
   * @param texts the same as written: addresses, names of hosts, a device with an interface, or
   *     {@code none}
   * @param place where it stands
   */
  public record Answer(
      @Nullable String resolver,
      List<Address> addresses,
      @Nullable Interface follows,
      List<String> texts,
      Place place)
      implements Placed {
    /** The same resolver with another answer. */
    public Answer saying(List<Address> others, @Nullable Interface followed, String text) {
      return new Answer(resolver, others, followed, List.of(text), place);
    }

    /** Copies the lists. */
    public Answer {
      addresses = List.copyOf(addresses);
      texts = List.copyOf(texts);
    }
  }

  /** Copies the answers. */
  public DomainName {
    answers = List.copyOf(answers);
  }

  /** The same name with other answers. */
  public DomainName saying(List<Answer> others) {
    return new DomainName(name, others, ttl, place);
  }

  /**
   * The answer of a resolver: its own, else that of the internet; null if it has neither.
   *
   * @param resolver the name of the host that is asked
   */
  public @Nullable Answer by(String resolver) {
    Answer ofAll = null;
    for (Answer answer : answers) {
      if (resolver.equals(answer.resolver())) {
        return answer;
      }
      ofAll = answer.resolver() == null ? answer : ofAll;
    }
    return ofAll;
  }
}
