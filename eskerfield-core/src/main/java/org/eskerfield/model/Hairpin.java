// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import java.util.Locale;
import org.jspecify.annotations.Nullable;

/**
 * Insiders may use the external address of a rule (RFC 4787 section 6).
 *
 * @param from where their packets arrive
 * @param source what the source becomes on the way to the server
 * @param place where it stands
 */
@Built
public record Hairpin(InterfaceTerm from, Source source, Place place)
    implements Placed, HairpinBuilder.With {
  /** The source that a hairpinned packet gets. */
  public enum Source {
    /**
     * The device's own address towards the server, so that replies come back to the device even
     * where client and server share a network. Departs from RFC 4787 REQ-9 on purpose.
     */
    DEVICE,
    /** The external endpoint that the client would have outside, as RFC 4787 REQ-9 asks. */
    EXTERNAL,
    /** The source as it was. */
    KEPT;

    /** The word of the site file. */
    @Override
    public String toString() {
      return name().toLowerCase(Locale.ROOT);
    }
  }

  /** Whether a hairpin, if there is one, takes packets that arrive on an interface. */
  public static boolean covers(@Nullable Hairpin hairpin, Interface arriving) {
    return hairpin != null && hairpin.from.names(arriving);
  }
}
