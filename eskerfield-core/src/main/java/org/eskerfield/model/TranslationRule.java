package org.eskerfield.model;

import org.jspecify.annotations.Nullable;

/**
 * A rule that rewrites addresses or ports. The rules of a device stand in the order of the file.
 */
public sealed interface TranslationRule extends Named
    permits InwardRule, DynamicRule, SharedRule, UntouchedRule {
  /** The word that names the kind in the site file, such as {@code destination}. */
  String kind();

  /** How state is kept for the rule's flows; null for the way of the device. */
  default @Nullable StateSettings state() {
    return null;
  }

  /** Whether the rule is kept but does not act. */
  boolean disabled();
}
