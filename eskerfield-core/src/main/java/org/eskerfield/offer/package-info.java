// SPDX-License-Identifier: Apache-2.0
/**
 * Plans changes of a policy: to offer a host's service to outsiders, and to take it away again, on
 * every device on the way.
 */
@NullMarked
package org.eskerfield.offer;

import org.jspecify.annotations.NullMarked;
