// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import java.time.ZonedDateTime;
import java.util.List;
import org.eskerfield.model.Site;
import org.eskerfield.program.SiteProgram;
import org.eskerfield.walk.Alike;

/**
 * Follows packets through a site. Compiles the devices once; every trace starts with empty tables,
 * so that the same question always has the same answer.
 *
 * <p>Safe for use by several threads.
 */
public final class Tracer {
  private final SiteProgram program;

  private Tracer(SiteProgram program) {
    this.program = program;
  }

  /** A tracer for a site. */
  public static Tracer of(Site site) {
    return new Tracer(SiteProgram.compile(site));
  }

  /** A tracer for a site that differs little: what both have in common is compiled already. */
  public Tracer on(Site changed) {
    return new Tracer(program.on(changed));
  }

  /** The compiled site. */
  @SuppressWarnings("exports") // of the house
  public SiteProgram program() {
    return program;
  }

  /** The site. */
  public Site site() {
    return program.site();
  }

  /** Follows the packet of the question to its end, and the reply back. */
  public Trace trace(Question question) {
    return new Run(program, question.at()).ask(question, null);
  }

  /**
   * Follows the packet of the question, and finds out which others share its fate.
   *
   * @param alike those that are like the packet; fewer afterwards
   */
  @SuppressWarnings("exports") // of the house
  public Trace trace(Question question, Alike alike) {
    return new Run(program, question.at()).ask(question, alike);
  }

  /**
   * Leads a whole conversation through devices without any state. Of a passive file transfer it is
   * tried, too, what becomes of a client that opens the data connection elsewhere; where that makes
   * a difference, a hint says so.
   */
  public Conversation converse(Attempt attempt) {
    Conversation conversation = lead(attempt);
    FileTransfer transfer = conversation.transfer();
    if (transfer == null || transfer.mode() != FileTransfer.Mode.PASSIVE) {
      return conversation;
    }
    boolean answer = attempt.manner().dataTo() == FileTransfer.DataTo.ANSWER;
    Conversation other =
        lead(attempt.with(answer ? FileTransfer.DataTo.CONTROL : FileTransfer.DataTo.ANSWER));
    return other.outcome() == conversation.outcome()
        ? conversation
        : conversation.withHint(
            "a client that opens the data connection to the address "
                + (answer ? "of the control connection" : "that the answer 227 says")
                + (answer ? ", whatever the answer 227 says, as many do: " : ": ")
                + other.outcome()
                + " (tried)");
  }

  private Conversation lead(Attempt attempt) {
    return new Run(program, attempt.at()).ask(attempt);
  }

  /** Begins a run with empty tables at a moment. */
  public Run run(ZonedDateTime start) {
    return new Run(program, start);
  }

  /**
   * Goes on with a run of this site from a snapshot, as if it had never been left.
   *
   * @param earlier the sites that the run went on from before it came to this one, the first first;
   *     empty if it always was this one
   * @throws IllegalArgumentException if the snapshot is of other devices, or names rules,
   *     interfaces or address spaces that these sites do not have
   */
  public Run goOn(Snapshot snapshot, List<Site> earlier) {
    return new Run(program, earlier, snapshot);
  }
}
