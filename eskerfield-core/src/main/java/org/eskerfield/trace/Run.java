// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import java.time.Duration;
import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.TreeSet;
import java.util.function.Consumer;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Site;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.outcome.Outcome;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Packet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.program.DeviceProgram;
import org.eskerfield.program.SiteProgram;
import org.eskerfield.state.BindingRow;
import org.eskerfield.state.DeviceSnapshot;
import org.eskerfield.state.DeviceState;
import org.eskerfield.state.PoolFill;
import org.eskerfield.state.SessionRow;
import org.eskerfield.state.TranslationEvent;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.walk.Alike;
import org.eskerfield.walk.DeviceMachine;
import org.eskerfield.walk.FileTransferGateway;
import org.eskerfield.walk.SiteWalk;
import org.jspecify.annotations.Nullable;

/**
 * A site with traffic: what packets leave behind in the tables of its devices stays for those that
 * follow, until time or {@link #clear} ends it.
 *
 * <p>Not safe for use by several threads.
 */
public final class Run {
  /**
   * How long TCP waits until it sends a SYN again of which it has heard nothing, each time since
   * the one before; then it gives up here (RFC 6298 sections 2 and 5.5).
   */
  public static final List<Duration> RETRIES =
      List.of(Duration.ofSeconds(1), Duration.ofSeconds(2));

  private final VirtualClock clock;
  private final ZonedDateTime start;
  private final Map<String, DeviceMachine> machines = new LinkedHashMap<>();
  private final Map<String, Tally> tallies = new LinkedHashMap<>();
  private @Nullable Consumer<Transit> watcher;
  private @Nullable Consumer<TranslationEvent> eventsTo;

  /** Where a server waits for a data connection that it has announced; the last one. */
  private @Nullable Header announced;

  private boolean carriesAll;

  /** The site as the file says it. */
  private SiteProgram plain;

  /** The same with what hosts still hold of before. */
  private SiteProgram program;

  private final Kept kept;

  /** The sites that the run went on with, the present one last: rules of all of them may live. */
  private final List<Site> sites = new ArrayList<>();

  private final Logbook logbook = new Logbook(sites);

  Run(SiteProgram program, ZonedDateTime start) {
    this(program, List.of(), new VirtualClock(start));
  }

  /** A run that goes on from a snapshot; see {@link Tracer#goOn}. */
  Run(SiteProgram program, List<Site> earlier, Snapshot before) {
    this(program, earlier, new VirtualClock(before.now(), before.elapsed()));
    if (!before.devices().keySet().equals(program.devices().keySet())) {
      throw new IllegalArgumentException(
          "the devices are "
              + String.join(", ", program.devices().keySet())
              + ", and the snapshot is of "
              + String.join(", ", new TreeSet<>(before.devices().keySet())));
    }
    for (Map.Entry<String, DeviceProgram> entry : program.devices().entrySet()) {
      String name = entry.getKey();
      DeviceSnapshot known = Objects.requireNonNull(before.devices().get(name));
      DeviceState state = DeviceState.goOn(known, clock, entry.getValue(), earlierRules(name));
      add(name, new DeviceMachine(entry.getValue(), clock, state));
    }
    kept.goOn(before, sites);
    this.program = kept.on(plain);
    Snapshot.Announced waiting = before.announced();
    announced =
        waiting == null ? null : ControlConnection.listening(waiting.address(), waiting.port());
  }

  private Run(SiteProgram program, List<Site> earlier, VirtualClock clock) {
    this.plain = program;
    this.program = program;
    this.kept = new Kept(clock);
    this.clock = clock;
    this.start = clock.now();
    sites.addAll(earlier);
    sites.add(program.site());
  }

  private void add(String device, DeviceMachine machine) {
    machines.put(device, machine);
    if (eventsTo != null) {
      machine.state().tell(eventsTo);
    }
    tallies.put(device, new Tally(machine, start));
  }

  /** The rules that a device had before its present ones. */
  private List<List<TranslationRule>> earlierRules(String device) {
    List<List<TranslationRule>> rules = new ArrayList<>();
    for (Site site : sites.subList(0, sites.size() - 1)) {
      Device before = site.devices().get(device);
      rules.add(before == null ? List.of() : before.translation());
    }
    return rules;
  }

  /** The state of all devices at this moment. */
  public Snapshot snapshot() {
    Map<String, DeviceSnapshot> devices = new LinkedHashMap<>();
    program.devices().keySet().forEach(name -> devices.put(name, machine(name).state().snapshot()));
    Snapshot.Announced waiting =
        announced == null
            ? null
            : new Snapshot.Announced(announced.source(), announced.sourcePort());
    return new Snapshot(
        clock.now(),
        clock.elapsed(),
        devices,
        waiting,
        List.copyOf(kept.leases.values()),
        List.copyOf(kept.answers.values()),
        kept.saved(sites));
  }

  /** The site, as it is now. */
  public Site site() {
    return program.site();
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
    if (!changed.devices().keySet().equals(site().devices().keySet())) {
      throw new IllegalArgumentException(
          "the devices are "
              + String.join(", ", site().devices().keySet())
              + " and cannot become "
              + String.join(", ", changed.devices().keySet()));
    }
    kept.changes(site(), changed);
    takeUp(changed);
  }

  private void takeUp(Site changed) {
    plain = SiteProgram.compile(changed);
    sites.add(changed);
    machines.forEach((name, each) -> each.goOnWith(plain.device(name)));
    program = kept.on(plain);
  }

  /** Hosts whose leases ran on are told what the file says now. */
  private void renew() {
    if (kept.renews()) {
      program = kept.on(plain);
    }
  }

  /**
   * Tells a device to save what it does now, for its next start. Those that save at once have done
   * so.
   *
   * @throws IllegalArgumentException if the site has no such device
   */
  public void save(String device) {
    machine(device);
    kept.saved.remove(device);
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
   * @return the conversation
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
    renew();
    Watch watch = watcher == null ? null : new Watch(clock, watcher, true);
    Exchange.Factory counted = question -> exchange(question, false, tallies, watch);
    Dialogue dialogue = new Dialogue(program, attempt.on(site()), toTheEnd, kept, counted);
    Conversation conversation = dialogue.lead();
    for (List<Leg> path : dialogue.paths()) {
      note(path);
    }
    look();
    return conversation;
  }

  private Exchange exchange(
      Question question,
      boolean terse,
      @Nullable Map<String, Tally> counting,
      @Nullable Watch watch) {
    return exchange(question, new Exchange.Listeners(terse, counting, watch, null));
  }

  private Exchange exchange(Question question, Exchange.Listeners listeners) {
    renew();
    Exchange exchange =
        new Exchange(program, this::machine, question.on(site()), clock.now(), listeners);
    if (carriesAll) {
      exchange.siteWalk.carryAll();
    }
    return exchange;
  }

  private Exchange.Listeners listeners() {
    return new Exchange.Listeners(false, tallies, watch(), null);
  }

  /** Who watches flows whose times are given: nobody may wait. */
  private @Nullable Watch watch() {
    return watcher == null ? null : new Watch(clock, watcher, false);
  }

  /**
   * Tells somebody of every packet from now on, after it has ended. Where somebody watches, a
   * connection is used as well as opened, whoever gets a segment of a connection that it does not
   * know of resets it, and {@link #converse} sends a SYN that nobody answers again, 1 and 3 seconds
   * later by the clock of the run (RFC 6298). All this goes through the devices like any packet.
   */
  public void watch(Consumer<Transit> reader) {
    watcher = reader;
  }

  /**
   * Lets a packet come in by an interface of a device, now, as if it had been seen there; what
   * opens a flow is answered as in {@link #open}, every other packet goes its way alone.
   *
   * @param by an interface of the device
   * @param given the packet that came in; changed on its way
   * @return its path; for a packet that opens nothing the outcome is {@link Outcome#ANSWERED} if it
   *     was delivered
   */
  public Trace arrive(Device device, Interface by, Packet given) {
    return pass(given, device, by);
  }

  /** Lets the internet carry private addresses, too, which carriers should discard. */
  public void carryAll() {
    carriesAll = true;
  }

  /** As {@link #arrive}, but a host, to whom the source belongs, sends the packet. */
  public Trace send(Packet given) {
    return pass(given, null, null);
  }

  /**
   * Lets the server of a control connection announce where it waits for the data connection, as it
   * does in answer to {@code PASV} or {@code EPSV} (RFC 959, RFC 2428). Does nothing where the text
   * is no such answer, or no server is reached.
   *
   * @param device the device by which the client's packets come in; null for a client of the site
   * @param by its interface; null for a client of the site
   * @param answer the announcement as the client gets it
   */
  public void announce(@Nullable Device device, @Nullable Interface by, Packet answer) {
    String text = answer.payload == null ? "" : answer.payload;
    FileTransferGateway.Announced said = null;
    boolean plain = false;
    for (String line : text.split("\n", -1)) {
      boolean is227 = line.startsWith("227") && answer.family == Family.IPV4;
      FileTransferGateway.Announced here = FileTransferGateway.read(line);
      if (here != null && (is227 || line.startsWith("229"))) {
        said = here;
        plain = is227;
      }
    }
    if (said == null) {
      return;
    }
    Packet client =
        new Packet(
            /* source= */ answer.destination(),
            /* sourcePort= */ answer.destinationPort,
            /* destination= */ answer.source(),
            /* destinationPort= */ answer.sourcePort,
            answer.protocol,
            answer.icmpType,
            Packet.ACK);
    FileTransfer.Mode mode = plain ? FileTransfer.Mode.PASSIVE : FileTransfer.Mode.EXTENDED_PASSIVE;
    announced =
        new ControlConnection(of(client, device, by, listeners())).announce(mode, said.port());
  }

  private Exchange of(
      Packet given, @Nullable Device device, @Nullable Interface by, Exchange.Listeners who) {
    Exchange exchange = exchange(Question.of(site(), given, clock.now()), who);
    if (device != null && by != null) {
      exchange.enterBy(device, by);
    }
    if (announced != null) {
      exchange.open(announced);
    }
    return exchange;
  }

  /**
   * Lets a packet come in as in {@link #arrive}, and finds out which others share its way.
   *
   * @param back whether its reply is traced too
   * @param alike those that are like the packet; fewer afterwards
   */
  @SuppressWarnings("exports") // of the house
  public Trace follow(Device device, Interface by, Packet given, boolean back, Alike alike) {
    Exchange exchange = of(given, device, by, new Exchange.Listeners(false, null, null, alike));
    return back && Question.isOpenedBy(given) ? exchange.run(given) : exchange.pass(given);
  }

  private Trace pass(Packet given, @Nullable Device device, @Nullable Interface by) {
    Exchange exchange = of(given, device, by, listeners());
    Trace trace = Question.isOpenedBy(given) ? exchange.run(given) : exchange.pass(given);
    note(trace.request());
    note(trace.reply());
    for (SiteWalk.Late each : exchange.siteWalk.late()) {
      pass(each.packet(), each.at(), each.own());
    }
    look();
    return trace;
  }

  private void look() {
    tallies.values().forEach(tally -> tally.look(clock.now()));
  }

  private Trace open(Question question, boolean terse) {
    Exchange exchange = exchange(question, terse, tallies, watch());
    Trace trace = exchange.run();
    note(trace.request());
    note(trace.reply());
    if (trace.outcome() == Outcome.ANSWERED && question.probe().protocol() == Protocol.TCP) {
      if (watcher == null) {
        aside(question).acknowledge();
      } else {
        exchange.goOn(Talk.of(question.probe()), new ArrayList<>());
      }
    }
    look();
    return trace;
  }

  /** An exchange that nobody counts. */
  private Exchange aside(Question question) {
    return exchange(question, true, null, watch());
  }

  private void note(List<Leg> path) {
    logbook.note(path, clock.now());
  }

  /**
   * Hands each line of the log, as it happens, to somebody else, who keeps what he wants; {@link
   * #log} gets no more lines.
   */
  public void logTo(Consumer<LogEntry> reader) {
    logbook.to(reader);
  }

  /** Tells somebody, from now on, what translating devices log (RFC 8158): see the event. */
  public void eventsTo(Consumer<TranslationEvent> reader) {
    eventsTo = reader;
    machines.values().forEach(each -> each.state().tell(reader));
  }

  /** What rules asked to be logged, and which flows found no address or port left, in order. */
  public List<LogEntry> log() {
    return logbook.lines();
  }

  /**
   * What a device has seen of the flows that were opened.
   *
   * @throws IllegalArgumentException if the site has no such device
   */
  public Figures figures(String device) {
    machine(device);
    return Objects.requireNonNull(tallies.get(device)).figures(clock.now());
  }

  /** As {@link #converse}, but nobody counts or writes a log. */
  Conversation ask(Attempt attempt) {
    Exchange.Factory uncounted = question -> exchange(question, false, null, null);
    return new Dialogue(program, attempt.on(site()), true, kept, uncounted).lead();
  }

  /**
   * As {@link #open}, but a TCP connection stays half open.
   *
   * @param alike hears all that is asked of the packets, or null
   */
  Trace ask(Question question, @Nullable Alike alike) {
    return exchange(question, new Exchange.Listeners(false, null, null, alike)).run();
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
        new ControlConnection(aside(control))
            .transfer(
                mode, FileTransfer.DataTo.ANSWER, false, port, data -> exchange(data, listeners()));
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
    return machine(device).state().bindings();
  }

  /**
   * The sessions of a device, the oldest first.
   *
   * @throws IllegalArgumentException if the site has no such device
   */
  public List<SessionRow> sessions(String device) {
    return machine(device).state().sessions();
  }

  /**
   * How many sessions a device has, which takes no time to tell.
   *
   * @throws IllegalArgumentException if the site has no such device
   */
  public int sessionCount(String device) {
    return machine(device).state().sessionCount();
  }

  /**
   * How much of what its dynamic and shared rules can give out a device has given out.
   *
   * @return in the order of the rules; empty if it has none
   * @throws IllegalArgumentException if the site has no such device
   */
  public List<PoolFill> fills(String device) {
    return machine(device).state().fills();
  }

  /**
   * Restarts a device: it forgets its sessions and temporary bindings, and the rest of freed ports,
   * and goes on with what it has saved; see {@link #save}.
   *
   * @throws IllegalArgumentException if the site has no such device
   */
  public void clear(String device) {
    machine(device).state().clear();
    Device saved = kept.saved.remove(device);
    if (saved != null) {
      takeUp(plain.site().with(saved));
    }
  }

  /**
   * Makes a device forget its sessions and temporary bindings; freed ports rest as usual.
   *
   * @throws IllegalArgumentException if the site has no such device
   */
  public void forget(String device) {
    machine(device).state().forget(AddressSet.ALL);
  }

  /** Makes every device forget the sessions from and to a host, and the bindings of these. */
  public void forget(Host host) {
    machines
        .values()
        .forEach(each -> each.state().forget(AddressSet.ofAddresses(host.addresses())));
  }

  /** The machine of a device; most traces meet few of the devices of a site. */
  private DeviceMachine machine(String device) {
    DeviceMachine known = machines.get(device);
    if (known != null) {
      return known;
    }
    DeviceProgram compiled = program.devices().get(device);
    if (compiled == null) {
      throw new IllegalArgumentException("no device is called " + device);
    }
    add(device, new DeviceMachine(compiled, clock, earlierRules(device)));
    return Objects.requireNonNull(machines.get(device));
  }
}
