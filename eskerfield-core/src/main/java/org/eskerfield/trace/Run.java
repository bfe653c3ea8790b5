package org.eskerfield.trace;

import java.time.Duration;
import java.time.ZonedDateTime;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.eskerfield.engine.BindingRow;
import org.eskerfield.engine.DeviceMachine;
import org.eskerfield.engine.DeviceProgram;
import org.eskerfield.engine.Outcome;
import org.eskerfield.engine.SessionRow;
import org.eskerfield.engine.VirtualClock;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Protocol;

/**
 * A site with traffic: what packets leave behind in the tables of its devices stays for those that
 * follow, until time or {@link #clear} ends it.
 *
 * <p>Not safe for use by several threads.
 */
public final class Run {
  private final Site site;
  private final VirtualClock clock;
  private final Map<String, DeviceMachine> machines = new LinkedHashMap<>();

  Run(Site site, Map<String, DeviceProgram> programs, ZonedDateTime start) {
    this.site = site;
    this.clock = new VirtualClock(start);
    programs.forEach((name, program) -> machines.put(name, new DeviceMachine(program, clock)));
  }

  /** The moment of the run. */
  public ZonedDateTime now() {
    return clock.now();
  }

  /**
   * Lets time pass, to the millisecond.
   *
   * @throws IllegalArgumentException if the time is negative
   */
  public void advance(Duration time) {
    clock.advance(time);
  }

  /**
   * Sends the packet of a question, now, whatever time the question names, and its reply; a TCP
   * connection that is answered is completed by its third segment.
   */
  public Trace open(Question question) {
    Trace trace = ask(question);
    if (trace.outcome() == Outcome.ANSWERED && question.probe().protocol() == Protocol.TCP) {
      new Exchange(site, machines, question, clock.now()).acknowledge();
    }
    return trace;
  }

  /** As {@link #open}, but a TCP connection stays half open. */
  Trace ask(Question question) {
    return new Exchange(site, machines, question, clock.now()).run();
  }

  /**
   * Closes the TCP connection that an equal question has opened: a FIN each way and the last
   * acknowledgement. Where there is none, devices drop the segments. Does nothing for other
   * protocols.
   */
  public void close(Question question) {
    if (question.probe().protocol() == Protocol.TCP) {
      new Exchange(site, machines, question, clock.now()).close();
    }
  }

  /**
   * The table of bindings of a device: the permanent ones first.
   *
   * @throws IllegalArgumentException if the site has no such device
   */
  public List<BindingRow> bindings(String device) {
    return machine(device).bindings();
  }

  /**
   * The sessions of a device, the oldest first.
   *
   * @throws IllegalArgumentException if the site has no such device
   */
  public List<SessionRow> sessions(String device) {
    return machine(device).sessions();
  }

  /**
   * Makes a device forget its sessions and temporary bindings.
   *
   * @throws IllegalArgumentException if the site has no such device
   */
  public void clear(String device) {
    machine(device).clear();
  }

  private DeviceMachine machine(String device) {
    DeviceMachine machine = machines.get(device);
    if (machine == null) {
      throw new IllegalArgumentException("no device is called " + device);
    }
    return machine;
  }
}
