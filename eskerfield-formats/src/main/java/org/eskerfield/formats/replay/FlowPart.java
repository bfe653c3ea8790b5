// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.replay;

import org.eskerfield.formats.flow.Volume;

/**
 * What a record or packet adds to a flow.
 *
 * @param flow the number of the flow in this traffic, from 1
 * @param added what it adds, both directions together
 * @param begins whether it is the first of the flow
 * @param ends whether nothing more comes of the flow
 */
public record FlowPart(long flow, Volume added, boolean begins, boolean ends) {}
