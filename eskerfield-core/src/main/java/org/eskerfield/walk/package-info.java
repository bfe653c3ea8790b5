// SPDX-License-Identifier: Apache-2.0
/**
 * The one telling of what happens to packets: through a device, step by step, in {@code
 * DeviceWalk}, and across the site in {@link org.eskerfield.walk.SiteWalk}. One packet goes with
 * {@link org.eskerfield.walk.DeviceMachine}, every packet with {@link
 * org.eskerfield.walk.EveryPacket}, and {@link org.eskerfield.walk.Alike} tells which share the
 * fate of one.
 */
@NullMarked
package org.eskerfield.walk;

import org.jspecify.annotations.NullMarked;
