/**
 * What a device does to a packet: the compiled program of a device, and the machine that runs it.
 *
 * <p>The way of a packet, step by step, is in {@link org.eskerfield.engine.DeviceMachine}. All that
 * changes while packets pass (sessions, bindings, time) lives there and in {@link
 * org.eskerfield.engine.VirtualClock}; programs never change.
 */
@NullMarked
package org.eskerfield.engine;

import org.jspecify.annotations.NullMarked;
