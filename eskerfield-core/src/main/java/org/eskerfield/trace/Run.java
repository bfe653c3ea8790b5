package org.eskerfield.trace;

import java.time.Duration;
import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.IdentityHashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.function.Consumer;
import org.eskerfield.engine.BindingRow;
import org.eskerfield.engine.DeviceMachine;
import org.eskerfield.engine.DeviceProgram;
import org.eskerfield.engine.Outcome;
import org.eskerfield.engine.SessionRow;
import org.eskerfield.engine.VirtualClock;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.Device;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Protocol;

/**
 * A site with traffic: what packets leave behind in the tables of its devices stays for those that
 * follow, until time or {@link #clear} ends it.
 *
 * <p>Not safe for use by several threads.
 */
public final class Run {
  private final VirtualClock clock;
  private final Map<String, DeviceMachine> machines = new LinkedHashMap<>();
  private final Map<String, Tally> tallies = new LinkedHashMap<>();
  private final IdentityHashMap<AccessRule, AccessList> lists = new IdentityHashMap<>();
  private final List<LogEntry> log = new ArrayList<>();
  private Consumer<LogEntry> logTo = log::add;
  private Site site;

  Run(Site site, Map<String, DeviceProgram> programs, ZonedDateTime start) {
    this.site = site;
    this.clock = new VirtualClock(start);
    for (Map.Entry<String, DeviceProgram> entry : programs.entrySet()) {
      DeviceMachine machine = new DeviceMachine(entry.getValue(), clock);
      machines.put(entry.getKey(), machine);
      tallies.put(entry.getKey(), new Tally(machine, start));
    }
    learnLists();
  }

  private void learnLists() {
    for (Device device : site.devices().values()) {
      for (AccessList list : device.access()) {
        for (AccessRule rule : list.rules()) {
          lists.put(rule, list);
        }
      }
    }
  }

  /** The site, as it is now. */
  public Site site() {
    return site;
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
   * Goes on with another description of the site. The sessions of its devices and their bindings
   * stay as they are, new flows ask the new rules; where an interface has another address now, the
   * bindings on the old one end.
   *
   * @throws IllegalArgumentException if the other site has not the same devices, by name
   */
  public void goOnWith(Site changed) {
    if (!changed.devices().keySet().equals(site.devices().keySet())) {
      throw new IllegalArgumentException(
          "the devices are "
              + String.join(", ", site.devices().keySet())
              + " and cannot become "
              + String.join(", ", changed.devices().keySet()));
    }
    site = changed;
    learnLists();
    for (Device device : changed.devices().values()) {
      machine(device.name()).goOnWith(DeviceProgram.compile(changed, device));
    }
  }

  /**
   * Sends the packet of a question, now, whatever time the question names, and its reply; a TCP
   * connection that is answered is completed by its third segment.
   */
  public Trace open(Question question) {
    return open(question, false);
  }

  /**
   * As {@link #open(Question)}, several times faster, without a word about the way.
   *
   * @return how it ended
   */
  public Outcome send(Question question) {
    return open(question, true).outcome();
  }

  /**
   * Leads a whole conversation, now, whatever time the attempt names: looks the name up where there
   * is one, opens it, and goes on until it is closed or fails.
   */
  public Conversation converse(Attempt attempt) {
    return converse(attempt, true);
  }

  /** As {@link #converse}, but a connection that opens is not closed. */
  public Conversation leaveOpen(Attempt attempt) {
    return converse(attempt, false);
  }

  private Conversation converse(Attempt attempt, boolean toTheEnd) {
    Dialogue dialogue = new Dialogue(site, programs(), attempt.on(site), toTheEnd, this::exchange);
    Conversation conversation = dialogue.lead();
    for (List<Leg> way : dialogue.ways()) {
      note(way);
    }
    look();
    return conversation;
  }

  private Exchange exchange(Question question) {
    return new Exchange(site, machines, question, clock.now(), false, tallies);
  }

  private void look() {
    for (Tally tally : tallies.values()) {
      tally.look(clock.now());
    }
  }

  private Map<String, DeviceProgram> programs() {
    Map<String, DeviceProgram> programs = new LinkedHashMap<>();
    for (Map.Entry<String, DeviceMachine> entry : machines.entrySet()) {
      programs.put(entry.getKey(), entry.getValue().program());
    }
    return programs;
  }

  private Trace open(Question question, boolean terse) {
    Trace trace = new Exchange(site, machines, question, clock.now(), terse, tallies).run();
    note(trace.request());
    note(trace.reply());
    if (trace.outcome() == Outcome.ANSWERED && question.probe().protocol() == Protocol.TCP) {
      aside(question).acknowledge();
    }
    look();
    return trace;
  }

  /** An exchange that nobody counts or hears of. */
  private Exchange aside(Question question) {
    return new Exchange(site, machines, question, clock.now(), true, null);
  }

  /** Puts into the log what belongs there. */
  private void note(List<Leg> way) {
    for (Leg leg : way) {
      if (leg.kind() != Leg.Kind.DEVICE) {
        continue;
      }
      for (Decision decision : leg.decisions()) {
        if (LegRecorder.isForLog(decision.ruling(), decision.by())) {
          AccessList list = decision.by() instanceof AccessRule rule ? lists.get(rule) : null;
          logTo.accept(new LogEntry(clock.now(), leg.where(), list, decision));
        }
      }
    }
  }

  /**
   * Hands each line of the log, as it happens, to somebody else, who keeps what he wants; {@link
   * #log} gets no more lines.
   */
  public void logTo(Consumer<LogEntry> reader) {
    logTo = reader;
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
    Tally tally = tallies.get(device);
    if (tally == null) {
      throw new IllegalArgumentException("no device is called " + device);
    }
    return tally.figures(clock.now());
  }

  /** As {@link #converse}, but nobody counts or writes a log. */
  Conversation ask(Attempt attempt) {
    Exchange.Factory uncounted =
        question -> new Exchange(site, machines, question, clock.now(), false, null);
    return new Dialogue(site, programs(), attempt.on(site), true, uncounted).lead();
  }

  /** As {@link #open}, but a TCP connection stays half open. */
  Trace ask(Question question) {
    return new Exchange(site, machines, question, clock.now(), false, null).run();
  }

  /**
   * Closes the TCP connection that an equal question has opened: a FIN each way and the last
   * acknowledgement. Where there is none, devices drop the segments. Does nothing for other
   * protocols.
   */
  public void close(Question question) {
    if (question.probe().protocol() == Protocol.TCP) {
      aside(question).close();
    }
  }

  /**
   * Opens a data connection of a file transfer on the control connection that an equal question has
   * opened: the endpoint is announced, and the other end opens the connection to what it hears.
   *
   * @param mode who announces, and how
   * @param port the port that is announced, 1 to 65535
   * @throws IllegalArgumentException if the mode does not know the family of the addresses
   */
  public FileTransfer transfer(Question control, FileTransfer.Mode mode, int port) {
    FileTransfer transfer =
        aside(control)
            .transfer(
                mode,
                port,
                data -> new Exchange(site, machines, data, clock.now(), false, tallies));
    if (transfer.data() != null) {
      note(transfer.data().request());
      note(transfer.data().reply());
    }
    look();
    return transfer;
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
