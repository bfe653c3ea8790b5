// SPDX-License-Identifier: Apache-2.0
/**
 * Captures: what hosts and interfaces see of the packets of a run, written as pcapng and pcap, and
 * captured packets read to be sent through a site.
 */
@NullMarked
package org.eskerfield.formats.capture;

import org.jspecify.annotations.NullMarked;
