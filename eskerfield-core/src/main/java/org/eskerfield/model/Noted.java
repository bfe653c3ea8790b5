// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import org.jspecify.annotations.Nullable;

/** Something of the file that may have a note for whoever reads the policy. */
public interface Noted extends Placed {
  /** The note; null for none. */
  @Nullable String note();
}
