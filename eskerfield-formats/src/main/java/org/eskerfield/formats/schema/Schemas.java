// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.schema;

import java.io.IOException;
import java.io.InputStream;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.util.Locale;

/** The JSON Schemas (2020-12) of all that Eskerfield reads and writes. They ship in the jar. */
public enum Schemas {
  /** The site file. */
  SITE,
  /** What a trace answers. */
  TRACE,
  /** What a check answers. */
  CHECK,
  /** What a replay answers. */
  REPLAY,
  /** How many flows match each rule. */
  MATCHES,
  /** How many ports and addresses are in use. */
  CAPACITY,
  /** What a real device decided otherwise. */
  CONFIRM,
  /** What a verification answers. */
  VERIFY,
  /** Who reaches whom. */
  REACH,
  /** Who has which address of a site. */
  LEDGER,
  /** Blocks of addresses, worked out. */
  SUBNET,
  /** Services by name and port. */
  SERVICES,
  /** What an offer or a withdrawal does. */
  OFFER,
  /** A policy in plain sentences; templates are given the same. */
  EXPLAIN,
  /** What differs between two sites. */
  DIFF;

  /** The schema as JSON text. */
  public String text() {
    String file = this + ".schema.json";
    try (InputStream in = Schemas.class.getResourceAsStream(file)) {
      if (in == null) {
        throw new IllegalStateException(file + " is not in the jar");
      }
      return new String(in.readAllBytes(), StandardCharsets.UTF_8);
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  /** The word in lower case. */
  @Override
  public String toString() {
    return name().toLowerCase(Locale.ROOT);
  }
}
