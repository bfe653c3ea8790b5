// SPDX-License-Identifier: Apache-2.0
/**
 * A site as the engineer wrote it: networks, hosts, devices and their rules, as immutable records.
 *
 * <p>Nothing here acts. Every object knows its {@link org.eskerfield.model.Place} in the file, so
 * that whatever is later said about it can point there.
 */
@NullMarked
package org.eskerfield.model;

import org.jspecify.annotations.NullMarked;
