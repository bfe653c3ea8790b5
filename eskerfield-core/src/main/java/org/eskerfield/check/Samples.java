// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.check;

import org.eskerfield.set.PacketSet;
import org.jspecify.annotations.Nullable;

/** Sample packets in words. */
final class Samples {
  private Samples() {}

  static String text(PacketSet.@Nullable Member member) {
    return member == null ? "none" : member.packet().header().toString();
  }
}
