// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

/** Something of a site file that has a name. */
public interface Named extends Placed {
  /** The name as written. */
  String name();
}
