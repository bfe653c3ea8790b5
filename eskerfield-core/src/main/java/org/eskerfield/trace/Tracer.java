package org.eskerfield.trace;

import java.time.ZonedDateTime;
import java.util.LinkedHashMap;
import java.util.Map;
import org.eskerfield.engine.DeviceProgram;
import org.eskerfield.model.Device;
import org.eskerfield.model.Site;

/**
 * Follows packets through a site. Compiles the devices once; every trace starts with empty tables,
 * so that the same question always has the same answer.
 *
 * <p>Safe for use by several threads.
 */
public final class Tracer {
  private final Site site;
  private final Map<String, DeviceProgram> programs = new LinkedHashMap<>();

  private Tracer(Site site) {
    this.site = site;
    for (Device device : site.devices().values()) {
      programs.put(device.name(), DeviceProgram.compile(site, device));
    }
  }

  /** A tracer for a site. */
  public static Tracer of(Site site) {
    return new Tracer(site);
  }

  /** The site. */
  public Site site() {
    return site;
  }

  /** Follows the packet of the question to its end, and the reply back. */
  public Trace trace(Question question) {
    return new Run(site, programs, question.at()).ask(question);
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
    return new Run(site, programs, attempt.at()).ask(attempt);
  }

  /** Begins a run with empty tables at a moment. */
  public Run run(ZonedDateTime start) {
    return new Run(site, programs, start);
  }
}
