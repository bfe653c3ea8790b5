// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import io.soabase.recordbuilder.core.RecordBuilder;
import java.lang.annotation.ElementType;
import java.lang.annotation.Retention;
import java.lang.annotation.RetentionPolicy;
import java.lang.annotation.Target;

/**
 * A record with a builder that is written at compile time. What may be null or empty may be left
 * out; where something else is missing, the record throws {@link NullPointerException} with its
 * name. The {@code With} of the builder makes copies with one thing changed.
 */
@RecordBuilder.Template(
    options =
        @RecordBuilder.Options(
            useImmutableCollections = true,
            addStaticBuilder = false,
            addClassRetainedGenerated = true,
            fileComment = ""))
@Retention(RetentionPolicy.SOURCE)
@Target(ElementType.TYPE)
@interface Built {}
