package org.eskerfield.formats;

import org.eskerfield.model.Place;

/**
 * Something in a file that keeps it from being used.
 *
 * @param place where it stands
 * @param message what is wrong, in one sentence that quotes the offending text
 * @param remedy what would be right; may be empty
 * @param excerpt the line of the file; empty if there is none
 */
public record Problem(Place place, String message, String remedy, String excerpt) {}
