// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.state;

import org.eskerfield.model.TranslationRule;

/**
 * How much of what a rule can give out is given out.
 *
 * @param rule the dynamic or shared rule
 * @param protocol the protocol whose ports or identifiers are counted; 0 where whole addresses are
 * @param taken the number given out
 * @param size the number in all, without those reserved by rules and own services
 */
public record PoolFill(TranslationRule rule, int protocol, long taken, long size) {}
