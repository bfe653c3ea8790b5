package org.eskerfield.check;

import org.eskerfield.model.Place;

/**
 * Something that a check found.
 *
 * @param code the kind of finding, with severity and reason
 * @param message what was found, in one sentence
 * @param cure what to do about it, in one sentence
 * @param place where it stands
 */
public record Finding(Code code, String message, String cure, Place place) {}
