package org.eskerfield.check;

import java.util.Locale;

/** The kinds of findings, each with its severity and the reason why it matters. */
public enum Code {
  /** A destination rule leads to a host, but nothing lets the packets in. */
  TRANSLATION_WITHOUT_ACCESS(
      Severity.ERROR,
      "The rule changes the destination, and then the device drops the packet: nobody gets in."),
  /** An access rule lets outsiders to a host that no translation leads to. */
  ACCESS_WITHOUT_TRANSLATION(
      Severity.ERROR,
      "Outsiders cannot send to a private address: without a translation rule nobody gets there."),
  /** A list guards no way. */
  LIST_GUARDS_NOTHING(
      Severity.WARNING,
      "The rules of a list act only where the list guards a way: these never do."),
  /** A service, group, schedule or network that nothing refers to. */
  UNUSED(Severity.ADVICE, "What nothing uses misleads whoever reads the file next.");

  private final Severity severity;
  private final String why;

  Code(Severity severity, String why) {
    this.severity = severity;
    this.why = why;
  }

  /** How bad it is. */
  public Severity severity() {
    return severity;
  }

  /** Why it matters, in a sentence. */
  public String why() {
    return why;
  }

  /** The stable code: lower case with hyphens. */
  @Override
  public String toString() {
    return name().toLowerCase(Locale.ROOT).replace('_', '-');
  }
}
