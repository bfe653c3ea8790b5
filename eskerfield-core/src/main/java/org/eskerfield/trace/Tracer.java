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

  /** Leads a whole conversation through devices without any state. */
  public Conversation converse(Attempt attempt) {
    return new Run(site, programs, attempt.at()).ask(attempt);
  }

  /** Begins a run with empty tables at a moment. */
  public Run run(ZonedDateTime start) {
    return new Run(site, programs, start);
  }
}
