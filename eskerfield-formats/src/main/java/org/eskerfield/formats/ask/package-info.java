// SPDX-License-Identifier: Apache-2.0
/** Questions and wishes, as somebody at a prompt puts them. */
@NullMarked
package org.eskerfield.formats.ask;

import org.jspecify.annotations.NullMarked;
