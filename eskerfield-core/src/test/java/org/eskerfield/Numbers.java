// SPDX-License-Identifier: Apache-2.0
package org.eskerfield;

import java.net.InetAddress;
import java.net.UnknownHostException;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Prefix;

/** Addresses from text by the platform's own parser, which looks nothing up for literals. */
public final class Numbers {
  private Numbers() {}

  /** An address. */
  public static Address a(String text) {
    try {
      return Address.ofBytes(InetAddress.getByName(text).getAddress());
    } catch (UnknownHostException e) {
      throw new AssertionError(text, e);
    }
  }

  /** A prefix. */
  public static Prefix p(String text) {
    String[] parts = text.split("/");
    return new Prefix(a(parts[0]), Integer.parseInt(parts[1]));
  }
}
