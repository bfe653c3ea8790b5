// SPDX-License-Identifier: Apache-2.0
/**
 * Who has which address: interfaces, external blocks with what every address and port of them is
 * used for, and where a named object is used. Nothing is judged here; that is the check's work.
 */
@NullMarked
package org.eskerfield.ledger;

import org.jspecify.annotations.NullMarked;
