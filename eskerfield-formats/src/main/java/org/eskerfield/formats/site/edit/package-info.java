// SPDX-License-Identifier: Apache-2.0
/** Changes the text of a site file, and keeps all that the change is not about. */
@NullMarked
package org.eskerfield.formats.site.edit;

import org.jspecify.annotations.NullMarked;
