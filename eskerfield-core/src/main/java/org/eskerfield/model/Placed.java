// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

/** Something that stands somewhere in a site file. */
public interface Placed {
  /** Where it stands. */
  Place place();
}
