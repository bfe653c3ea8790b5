package org.eskerfield.trace;

import java.time.Duration;
import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.IdentityHashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.eskerfield.engine.BindingRow;
import org.eskerfield.engine.DeviceMachine;
import org.eskerfield.engine.DeviceProgram;
import org.eskerfield.engine.Outcome;
import org.eskerfield.engine.SessionRow;
import org.eskerfield.engine.VirtualClock;
import org.eskerfield.model.Placed;
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

  private final List<LogEntry> log = new ArrayList<>();
  private final Map<String, Count> counts = new LinkedHashMap<>();

  /** What is counted of one device. */
  private static final class Count {
    private final DeviceMachine machine;
    private final IdentityHashMap<Placed, Long> hits = new IdentityHashMap<>();
    private long gotNothing;
    private Figures.Level sessions;
    private Figures.Level bindings;

    Count(DeviceMachine machine, ZonedDateTime now) {
      this.machine = machine;
      this.sessions = new Figures.Level(0, 0, now);
      this.bindings = sessions;
    }

    void look(ZonedDateTime now) {
      sessions = sessions.moved(machine.sessionCount(), now);
      bindings = bindings.moved(machine.bindingCount(), now);
    }
  }

  Run(Site site, Map<String, DeviceProgram> programs, ZonedDateTime start) {
    this.site = site;
    this.clock = new VirtualClock(start);
    programs.forEach((name, program) -> machines.put(name, new DeviceMachine(program, clock)));
    machines.forEach((name, machine) -> counts.put(name, new Count(machine, start)));
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
    count(trace.request());
    count(trace.reply());
    if (trace.outcome() == Outcome.ANSWERED && question.probe().protocol() == Protocol.TCP) {
      new Exchange(site, machines, question, clock.now()).acknowledge();
    }
    return trace;
  }

  private void count(List<Leg> way) {
    for (Leg leg : way) {
      Count count = counts.get(leg.where());
      if (leg.kind() != Leg.Kind.DEVICE || count == null) {
        continue;
      }
      for (Decision decision : leg.decisions()) {
        boolean nothing = decision.ruling().ends() == Outcome.EXHAUSTED;
        Placed by = decision.by();
        if (decision.logged() || nothing) {
          log.add(new LogEntry(clock.now(), leg.where(), decision));
        }
        if (nothing) {
          count.gotNothing++;
        } else if (by != null && isHit(decision)) {
          count.hits.merge(by, 1L, Long::sum);
        }
      }
      count.look(clock.now());
    }
  }

  private static boolean isHit(Decision decision) {
    return switch (decision.ruling()) {
      case DESTINATION_TRANSLATED,
          UNTOUCHED,
          SOURCE_TRANSLATED,
          ACCEPTED_BY_RULE,
          DROPPED_BY_RULE,
          REJECTED_BY_RULE,
          DEVICE_ACCEPTED_BY_RULE,
          ACCEPTED_OTHERWISE,
          DROPPED_OTHERWISE,
          REJECTED_OTHERWISE,
          DEVICE_ACCEPTED_OTHERWISE,
          NOT_ADMITTED ->
          true;
      default -> false;
    };
  }

  /** What rules asked to be logged, and who got nothing, in the order in which it happened. */
  public List<LogEntry> log() {
    return List.copyOf(log);
  }

  /**
   * What a device has seen of the flows that were opened.
   *
   * @throws IllegalArgumentException if the site has no such device
   */
  public Figures figures(String device) {
    Count count = counts.get(device);
    if (count == null) {
      throw new IllegalArgumentException("no device is called " + device);
    }
    count.look(clock.now());
    List<Figures.Hit> hits = new ArrayList<>();
    count.hits.forEach((by, flows) -> hits.add(new Figures.Hit(by, flows)));
    return new Figures(count.sessions, count.bindings, count.gotNothing, hits);
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
