// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.state;

/**
 * By what a rule is known that state hangs on, whatever object it is.
 *
 * @param policy the number of the policy that had it first, from 0 on: a run may have gone on with
 *     others
 * @param kind its kind, such as {@code shared}
 * @param name its name
 * @param nth the number of rules of the same kind and name above it
 */
public record RuleName(int policy, String kind, String name, int nth) {}
