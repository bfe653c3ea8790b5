/**
 * What would mend a site: edits of its file, told without knowing how the file is written.
 *
 * <p>Start with {@link org.eskerfield.cure.Cure}.
 */
@NullMarked
package org.eskerfield.cure;

import org.jspecify.annotations.NullMarked;
