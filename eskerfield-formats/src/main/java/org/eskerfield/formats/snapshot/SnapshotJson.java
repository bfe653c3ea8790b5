// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.snapshot;

import com.fasterxml.jackson.core.JsonFactory;
import com.fasterxml.jackson.core.JsonParser;
import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.core.JsonToken;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.EnumSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Set;
import org.eskerfield.formats.answer.Json;
import org.eskerfield.formats.answer.Tree;
import org.eskerfield.model.StateSettings;
import org.eskerfield.packet.Size;
import org.eskerfield.state.DeviceSnapshot;
import org.eskerfield.state.DeviceSnapshot.Mark;
import org.eskerfield.state.RuleName;
import org.eskerfield.trace.Snapshot;
import org.jspecify.annotations.Nullable;

/**
 * Snapshots of runs as JSON (RFC 8259): an object, its members named as the parts of {@link
 * Snapshot} with hyphens; addresses and moments as text, durations as ISO 8601 has them.
 */
public final class SnapshotJson {
  private static final int VERSION = 1;

  private SnapshotJson() {}

  // Writing.

  /** The text of a snapshot. */
  public static String write(Snapshot snapshot) {
    Snapshot.Announced announced = snapshot.announced();
    Tree devices = new Tree();
    snapshot.devices().forEach((name, device) -> devices.with(name, tree(device)));
    return Json.line(
        new Tree()
            .with("eskerfield-snapshot", VERSION)
            .with("now", snapshot.now())
            .with("elapsed", snapshot.elapsed())
            .with(
                "announced",
                announced == null
                    ? null
                    : new Tree()
                        .with("address", announced.address())
                        .with("port", announced.port()))
            .with("devices", devices)
            .with(kept(snapshot)));
  }

  /** What hosts and devices keep of before a change; nothing where they keep nothing. */
  private static Tree kept(Snapshot snapshot) {
    boolean nothing =
        snapshot.leases().isEmpty() && snapshot.answers().isEmpty() && snapshot.saved().isEmpty();
    Tree saved = new Tree();
    snapshot.saved().forEach(saved::with);
    return nothing
        ? new Tree()
        : new Tree()
            .with(
                "kept",
                new Tree()
                    .with("leases", Tree.each(snapshot.leases(), SnapshotJson::tree))
                    .with("answers", Tree.each(snapshot.answers(), SnapshotJson::tree))
                    .with("saved", saved));
  }

  private static Tree tree(Snapshot.Lease lease) {
    return new Tree()
        .with("host", lease.host())
        .with("addresses", Tree.texts(lease.addresses()))
        .with("prefixes", Tree.texts(lease.prefixes()))
        .with("gateways", Tree.texts(lease.gateways()))
        .with("resolver", lease.resolver())
        .with("until", lease.until());
  }

  private static Tree tree(Snapshot.Answer answer) {
    return new Tree()
        .with("host", answer.host())
        .with("name", answer.name())
        .with("answered-by", answer.answeredBy())
        .with("addresses", Tree.texts(answer.addresses()))
        .with("until", answer.until());
  }

  private static Tree tree(DeviceSnapshot device) {
    Tree tree = known(device);
    return device.fragments().equals(DeviceSnapshot.Loose.NONE)
        ? tree
        : tree.with("fragments", tree(device.fragments()));
  }

  private static Tree tree(DeviceSnapshot.Loose fragments) {
    return new Tree()
        .with(
            "firsts",
            Tree.each(
                fragments.firsts(),
                each ->
                    new Tree()
                        .with("of", tree(each.of()))
                        .with("source-port", each.sourcePort())
                        .with("port", each.port())
                        .with("icmp-type", each.icmpType())
                        .with("icmp-code", each.icmpCode())
                        .with("tcp-flags", each.tcpFlags())
                        .with("leaves-as", each.leavesAs())
                        .with("until", each.until())))
        .with(
            "waiting",
            Tree.each(
                fragments.waiting(),
                each ->
                    new Tree()
                        .with("of", tree(each.of()))
                        .with("arriving", each.arriving())
                        .with("offset", each.fragment().offset())
                        .with("data", each.fragment().data())
                        .with("bytes", each.fragment().length())
                        .with("more", each.fragment().more() ? 1 : 0)
                        .with("ttl", each.ttl())
                        .with("until", each.until())))
        .with(
            "given",
            Tree.each(
                fragments.given(),
                each ->
                    new Tree()
                        .with("address", each.address())
                        .with("protocol", each.protocol())
                        .with("count", each.count())));
  }

  private static Tree tree(DeviceSnapshot.Whole of) {
    return new Tree()
        .with("realm", of.realm())
        .with("source", of.source())
        .with("destination", of.destination())
        .with("protocol", of.protocol())
        .with("identification", of.identification());
  }

  private static Tree known(DeviceSnapshot device) {
    return new Tree()
        .with("sessions-aged", device.sessionsAged())
        .with("bindings-aged", device.bindingsAged())
        .with("bindings", Tree.each(device.bindings(), SnapshotJson::tree))
        .with("sessions", Tree.each(device.sessions(), SnapshotJson::tree))
        .with("ports", Tree.each(device.ports(), SnapshotJson::tree));
  }

  private static Tree tree(DeviceSnapshot.Ports ports) {
    return new Tree()
        .with("realm", ports.realm())
        .with("address", ports.address())
        .with("protocol", ports.protocol())
        .with("draws", ports.draws())
        .with(
            "resting",
            Tree.each(
                ports.resting(),
                port -> new Tree().with("port", port.port()).with("until", port.until())));
  }

  private static Tree tree(DeviceSnapshot.Bound bound) {
    return new Tree()
        .with("internal", tree(bound.internal()))
        .with("external", tree(bound.external()))
        .with("protocol", bound.protocol())
        .with("remote", bound.remote())
        .with("remote-port", bound.remotePort())
        .with("rule", tree(bound.rule()))
        .with("pool", bound.pool())
        .with("leaving", bound.leaving())
        .with("paired-with", bound.pairedWith())
        .with("since", bound.since())
        .with("uses", bound.uses());
  }

  private static Tree tree(DeviceSnapshot.End end) {
    return new Tree()
        .with("realm", end.realm())
        .with("address", end.address())
        .with("port", end.port());
  }

  private static Tree tree(RuleName rule) {
    return new Tree()
        .with("policy", rule.policy())
        .with("kind", rule.kind())
        .with("name", rule.name())
        .with("nth", rule.nth());
  }

  private static Tree tree(DeviceSnapshot.Session session) {
    StateSettings.Timers times = session.timers();
    return new Tree()
        .with("protocol", session.protocol())
        .with("there", tree(session.there()))
        .with("back", tree(session.back()))
        .with("destination-rule", Tree.of(session.destinationRule(), SnapshotJson::tree))
        .with("source-rule", Tree.of(session.sourceRule(), SnapshotJson::tree))
        .with("binding", session.binding())
        .with("second", session.second())
        .with(
            "timers",
            List.of(
                times.udp(),
                times.tcpEstablished(),
                times.tcpTransitory(),
                times.icmp(),
                times.other()))
        .with("marks", Tree.each(session.marks(), SnapshotJson::word))
        .with("since", session.since())
        .with("expires", session.expires())
        .with("unfinished", session.unfinished())
        .with("unfinished-back", session.unfinishedBack())
        .with("came-back", Tree.of(session.cameBack(), SnapshotJson::tree));
  }

  private static Tree tree(DeviceSnapshot.Arrived arrived) {
    return new Tree()
        .with("way", tree(arrived.ends()))
        .with("icmp-type", arrived.icmpType())
        .with("icmp-code", arrived.icmpCode())
        .with("tcp-flags", arrived.tcpFlags())
        .with("ttl", arrived.ttl());
  }

  private static Tree tree(DeviceSnapshot.Ends ends) {
    return new Tree()
        .with("realm", ends.realm())
        .with("source", ends.source())
        .with("source-port", ends.sourcePort())
        .with("destination", ends.destination())
        .with("port", ends.port());
  }

  private static String word(Mark mark) {
    return mark.name().toLowerCase(Locale.ROOT).replace('_', '-');
  }

  // Reading.

  /**
   * The snapshot of a text.
   *
   * @param name the name of the text in messages
   * @throws UnreadableSnapshotException if it is no snapshot
   */
  public static Snapshot read(String name, String text) throws UnreadableSnapshotException {
    try (JsonParser in = new JsonFactory().createParser(text)) {
      in.nextToken();
      Part top = new Part("the snapshot", value(in));
      if (in.nextToken() != null) {
        throw new Part.BadPart("something follows the snapshot");
      }
      int version = top.integer("eskerfield-snapshot", 1, Integer.MAX_VALUE);
      if (version != VERSION) {
        throw new Part.BadPart(
            "it is of version " + version + ", and this reads " + VERSION + " only");
      }
      Map<String, DeviceSnapshot> devices = new LinkedHashMap<>();
      top.part("devices").members().forEach((each, part) -> devices.put(each, device(part)));
      Part announced = top.optional("announced");
      Part kept = top.optional("kept");
      Map<String, Integer> saved = new LinkedHashMap<>();
      if (kept != null) {
        Part numbers = kept.part("saved");
        numbers
            .members()
            .keySet()
            .forEach(each -> saved.put(each, numbers.integer(each, 0, Integer.MAX_VALUE)));
      }
      return new Snapshot(
          top.moment("now"),
          top.number("elapsed"),
          devices,
          announced == null
              ? null
              : new Snapshot.Announced(announced.address("address"), announced.port("port")),
          kept == null ? List.of() : kept.items("leases", SnapshotJson::lease),
          kept == null ? List.of() : kept.items("answers", SnapshotJson::answer),
          saved);
    } catch (Part.BadPart e) {
      throw new UnreadableSnapshotException(name + " is no snapshot: " + e.getMessage(), e);
    } catch (JsonProcessingException e) {
      throw new UnreadableSnapshotException(
          name
              + ", line "
              + e.getLocation().getLineNr()
              + ", column "
              + e.getLocation().getColumnNr()
              + ": is no JSON: "
              + e.getOriginalMessage(),
          e);
    } catch (IOException e) {
      throw new UncheckedIOException(e); // a text in memory does not fail
    }
  }

  private static Object value(JsonParser in) throws IOException {
    JsonToken token = in.currentToken();
    if (token == null) {
      throw new Part.BadPart("it is empty");
    }
    switch (token) {
      case START_OBJECT -> {
        Map<String, Object> members = new LinkedHashMap<>();
        while (in.nextToken() != JsonToken.END_OBJECT) {
          String name = in.currentName();
          in.nextToken();
          if (in.currentToken() != JsonToken.VALUE_NULL) { // which is as if it were not there
            members.put(name, value(in));
          }
        }
        return members;
      }
      case START_ARRAY -> {
        List<Object> items = new ArrayList<>();
        while (in.nextToken() != JsonToken.END_ARRAY) {
          items.add(value(in));
        }
        return items;
      }
      case VALUE_NUMBER_INT -> {
        return in.getLongValue();
      }
      case VALUE_STRING -> {
        return in.getText();
      }
      default -> throw new Part.BadPart("a snapshot holds no " + in.getText());
    }
  }

  private static Snapshot.Lease lease(Part part) {
    Part resolver = part.optional("resolver");
    return new Snapshot.Lease(
        part.text("host"),
        part.items("addresses", Part::address),
        part.items("prefixes", Part::prefix),
        part.items("gateways", Part::address),
        resolver == null ? null : resolver.address(),
        part.number("until"));
  }

  private static Snapshot.Answer answer(Part part) {
    return new Snapshot.Answer(
        part.text("host"),
        part.text("name"),
        part.text("answered-by"),
        part.items("addresses", Part::address),
        part.number("until"));
  }

  private static DeviceSnapshot device(Part part) {
    List<DeviceSnapshot.Bound> bindings = part.items("bindings", SnapshotJson::bound);
    List<DeviceSnapshot.Session> sessions =
        part.items("sessions", each -> session(each, bindings.size()));
    for (DeviceSnapshot.Bound each : bindings) {
      for (int use : each.uses()) {
        if (use < 0 || use >= 2 * sessions.size()) {
          throw new Part.BadPart(
              part.where() + " has no session " + (use >> 1) + ", which a binding names");
        }
      }
    }
    return new DeviceSnapshot(
        part.number("sessions-aged"),
        part.number("bindings-aged"),
        bindings,
        sessions,
        part.items(
            "ports",
            each ->
                new DeviceSnapshot.Ports(
                    each.text("realm"),
                    each.address("address"),
                    each.integer("protocol", 0, 255),
                    each.integer("draws", 0, Integer.MAX_VALUE),
                    each.items(
                        "resting",
                        port ->
                            new DeviceSnapshot.Resting(port.port("port"), port.number("until"))))),
        loose(part.optional("fragments")));
  }

  private static DeviceSnapshot.Loose loose(@Nullable Part part) {
    return part == null
        ? DeviceSnapshot.Loose.NONE
        : new DeviceSnapshot.Loose(
            part.items(
                "firsts",
                each ->
                    new DeviceSnapshot.First(
                        whole(each.part("of")),
                        each.port("source-port"),
                        each.port("port"),
                        each.integer("icmp-type", -1, 255),
                        each.integer("icmp-code", 0, 255),
                        each.integer("tcp-flags", 0, 255),
                        each.port("leaves-as"),
                        each.number("until"))),
            part.items(
                "waiting",
                each ->
                    new DeviceSnapshot.Waiting(
                        whole(each.part("of")),
                        each.text("arriving"),
                        new Size.Fragment(
                            each.integer("offset", 0, Size.MOST),
                            each.integer("data", 0, Size.MOST),
                            each.integer("bytes", 0, Size.MOST),
                            each.integer("more", 0, 1) == 1),
                        each.integer("ttl", 0, 255),
                        each.number("until"))),
            part.items(
                "given",
                each ->
                    new DeviceSnapshot.Given(
                        each.address("address"),
                        each.integer("protocol", 0, 255),
                        each.integer("count", 0, Integer.MAX_VALUE))));
  }

  private static DeviceSnapshot.Whole whole(Part part) {
    return new DeviceSnapshot.Whole(
        part.text("realm"),
        part.address("source"),
        part.address("destination"),
        part.integer("protocol", 0, 255),
        part.integer("identification", Integer.MIN_VALUE, Integer.MAX_VALUE));
  }

  private static DeviceSnapshot.Bound bound(Part part) {
    return new DeviceSnapshot.Bound(
        end(part.part("internal")),
        end(part.part("external")),
        part.integer("protocol", 0, 255),
        part.integer("remote", Integer.MIN_VALUE, Integer.MAX_VALUE),
        part.port("remote-port"),
        rule(part.part("rule")),
        part.addresses("pool"),
        part.text("leaving"),
        part.optional("paired-with") == null ? null : part.address("paired-with"),
        part.number("since"),
        part.items("uses", each -> (int) each.number()));
  }

  private static DeviceSnapshot.End end(Part part) {
    return new DeviceSnapshot.End(part.text("realm"), part.address("address"), part.port("port"));
  }

  private static RuleName rule(Part part) {
    return new RuleName(
        part.integer("policy", 0, Integer.MAX_VALUE),
        part.text("kind"),
        part.text("name"),
        part.integer("nth", 0, Integer.MAX_VALUE));
  }

  private static @Nullable RuleName rule(Part part, String name) {
    Part rule = part.optional(name);
    return rule == null ? null : rule(rule);
  }

  private static DeviceSnapshot.Session session(Part part, int bindings) {
    List<Duration> times = part.items("timers", Part::duration);
    if (times.size() != 5) {
      throw new Part.BadPart("timers of " + part.where() + " must be five, not " + times.size());
    }
    Part came = part.optional("came-back");
    return new DeviceSnapshot.Session(
        part.integer("protocol", 0, 255),
        ends(part.part("there")),
        ends(part.part("back")),
        rule(part, "destination-rule"),
        rule(part, "source-rule"),
        part.integer("binding", -1, bindings - 1),
        part.integer("second", -1, bindings - 1),
        new StateSettings.Timers(
            times.get(0), times.get(1), times.get(2), times.get(3), times.get(4)),
        marks(part.items("marks", each -> each)),
        part.number("since"),
        part.number("expires"),
        part.text("unfinished"),
        part.text("unfinished-back"),
        came == null
            ? null
            : new DeviceSnapshot.Arrived(
                ends(came.part("way")),
                came.integer("icmp-type", -1, 255),
                came.integer("icmp-code", 0, 255),
                came.integer("tcp-flags", 0, 255),
                came.integer("ttl", 0, 255)));
  }

  private static Set<Mark> marks(List<Part> parts) {
    Set<Mark> marks = EnumSet.noneOf(Mark.class);
    for (Part part : parts) {
      marks.add(
          Arrays.stream(Mark.values())
              .filter(mark -> word(mark).equals(part.text()))
              .findFirst()
              .orElseThrow(() -> new Part.BadPart(part.where() + " is no mark: " + part.text())));
    }
    return marks;
  }

  private static DeviceSnapshot.Ends ends(Part part) {
    return new DeviceSnapshot.Ends(
        part.optional("realm") == null ? null : part.text("realm"),
        part.address("source"),
        part.port("source-port"),
        part.address("destination"),
        part.port("port"));
  }
}
