package org.eskerfield.cli;

import java.io.PrintWriter;

/**
 * Where answers and messages go.
 *
 * @param out answers
 * @param err everything else
 * @param style colours of both
 */
record Terminal(PrintWriter out, PrintWriter err, Style style) {}
