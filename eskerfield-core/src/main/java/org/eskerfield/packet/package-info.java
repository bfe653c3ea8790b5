// SPDX-License-Identifier: Apache-2.0
/**
 * The ground floor: addresses, prefixes, port sets and packet headers, as plain values.
 *
 * <p>Every type serves IPv4 and IPv6 alike. Text is turned into these values by the formats module;
 * here they are made from numbers only.
 */
@NullMarked
package org.eskerfield.packet;

import org.jspecify.annotations.NullMarked;
