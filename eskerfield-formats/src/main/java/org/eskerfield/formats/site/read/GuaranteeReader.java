// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.read;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.eskerfield.formats.literal.Problems;
import org.eskerfield.formats.yaml.Node;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Device;
import org.eskerfield.model.Guarantee;
import org.eskerfield.model.Guarantee.Kind;
import org.eskerfield.model.GuaranteeBuilder;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Place;
import org.eskerfield.model.Site;
import org.jspecify.annotations.Nullable;

/** Reads guarantees: those of a site file, and those of files of expectations. */
final class GuaranteeReader {
  private final Site site;
  private final Problems problems;
  private final Terms terms;
  private final Map<String, Place> names = new LinkedHashMap<>();

  GuaranteeReader(Site site, Problems problems) {
    this.site = site;
    this.problems = problems;
    this.terms = Terms.of(site, problems);
  }

  List<Guarantee> read(Fields fields) {
    List<Guarantee> all = new ArrayList<>();
    for (Fields each : fields.children("guarantees")) {
      Guarantee read = guarantee(each);
      if (read != null) {
        all.add(read);
      }
    }
    return all;
  }

  private @Nullable Guarantee guarantee(Fields fields) {
    Kind kind = kind(fields);
    if (kind == null) {
      return null;
    }
    Node.Scalar title = fields.scalar(kind.toString());
    if (title == null) {
      return null;
    }
    Place first = names.putIfAbsent(title.text(), title.place());
    if (first != null) {
      problems.add(
          title,
          "the guarantee in line " + first.line() + " is called '" + title.text() + "' too",
          "give each a sentence of its own");
    }
    reportKeys(fields, kind);
    List<AddressTerm> from = terms.addresses(fields.texts("from"), false);
    for (AddressTerm each : from) {
      if (each.kind() == AddressTerm.Kind.DEVICE && kind != Kind.ALWAYS) {
        problems.add(
            each,
            "'" + each.text() + "' is a device, and '" + kind + "' speaks of what others send",
            "name networks, hosts or addresses");
      }
    }
    List<Guarantee.Exempt> exempt = new ArrayList<>();
    for (Fields each : fields.children("may")) {
      exempt.add(exempt(each));
    }
    for (Fields each : fields.children("except")) {
      exempt.add(exempt(each));
    }
    Guarantee.Exit leaving = leaving(fields.scalar("leaving"));
    if (kind == Kind.SEEN_AS && leaving == null) {
      return null;
    }
    return GuaranteeBuilder.builder()
        .kind(kind)
        .name(title.text())
        .from(from)
        .to(terms.addresses(fields.texts("to"), false))
        .services(terms.services(fields.texts("service")))
        .except(exempt)
        .when(terms.schedule(fields.scalar("when")))
        .sources(terms.addresses(fields.texts("source"), false))
        .leaving(leaving)
        .through(through(fields.scalar("through")))
        .honest(fields.isTrue("honest-senders", false))
        .also(also(fields))
        .note(fields.text("note"))
        .place(fields.place())
        .build();
  }

  private static @Nullable Kind kind(Fields fields) {
    for (Kind each : Kind.values()) {
      if (fields.has(each.toString())) {
        return each;
      }
    }
    return null;
  }

  private static Set<Guarantee.Also> also(Fields fields) {
    Set<Guarantee.Also> also = new HashSet<>();
    for (Node.Scalar word : fields.texts("also")) {
      for (Guarantee.Also each : Guarantee.Also.values()) {
        if (each.toString().equals(word.text())) {
          also.add(each);
        }
      }
    }
    return also;
  }

  private Guarantee.Exempt exempt(Fields fields) {
    if (!fields.has("from") && !fields.has("to") && !fields.has("service") && !fields.has("when")) {
      problems.add(
          fields.place(), "this exempts every packet", "say from whom, to whom or for what");
    }
    return new Guarantee.Exempt(
        terms.addresses(fields.texts("from"), false),
        terms.addresses(fields.texts("to"), false),
        terms.services(fields.texts("service")),
        terms.schedule(fields.scalar("when")));
  }

  /** Keys that a guarantee of this kind needs, and those that it cannot use. */
  private void reportKeys(Fields fields, Kind kind) {
    switch (kind) {
      case NEVER, LOGGED -> {
        if (!fields.has("from") && !fields.has("to")) {
          problems.add(
              fields.place(), "'" + kind + "' needs 'from' or 'to'", "say who must not reach whom");
        }
      }
      case ONLY -> need(fields, kind, "may", "may: { to: booking, service: 443/tcp }");
      case ALWAYS -> {
        need(fields, kind, "from", "from: office");
        need(fields, kind, "to", "to: internet");
        need(fields, kind, "service", "service: https");
      }
      case SEEN_AS -> {
        need(fields, kind, "leaving", "leaving: a device and its interface");
        need(fields, kind, "source", "source: the addresses that may be seen");
        cannot(fields, kind, "to", "it speaks of whatever leaves by the interface");
        cannot(fields, kind, "service", "it speaks of whatever leaves by the interface");
        cannot(fields, kind, "through", "it speaks of whatever leaves by the interface");
        cannot(fields, kind, "except", "it speaks of whatever leaves by the interface");
      }
      case PASSES -> need(fields, kind, "through", "through: the name of a device");
    }
    if (kind != Kind.ONLY) {
      cannot(fields, kind, "may", "write except:");
    }
    if (kind != Kind.SEEN_AS) {
      cannot(fields, kind, "leaving", "only 'seen-as' asks for an interface");
    }
    if (kind == Kind.ALWAYS) {
      for (Fields each : fields.children("except")) {
        cannot(each, kind, "to", "name the receivers under to:");
        cannot(each, kind, "service", "name the services under service:");
      }
    }
  }

  private void need(Fields fields, Kind kind, String key, String remedy) {
    if (!fields.has(key)) {
      problems.add(fields.place(), "'" + kind + "' needs '" + key + "'", "add " + remedy);
    }
  }

  private void cannot(Fields fields, Kind kind, String key, String remedy) {
    if (fields.has(key)) {
      problems.add(fields.place(key), "'" + kind + "' has no '" + key + "'", remedy);
    }
  }

  private Guarantee.@Nullable Exit leaving(Node.@Nullable Scalar scalar) {
    if (scalar == null) {
      return null;
    }
    String[] words = scalar.text().strip().split("\\s+", 2);
    Device device = site.devices().get(words[0]);
    if (device == null) {
      terms.undefined(scalar, "device", words[0], List.copyOf(site.devices().keySet()));
      return null;
    }
    List<String> known = device.interfaces().stream().map(Interface::name).toList();
    String name = words.length < 2 ? "" : words[1];
    for (Interface own : device.interfaces()) {
      if (own.name().equals(name)) {
        return new Guarantee.Exit(device.name(), own.name());
      }
    }
    if (words.length < 2) {
      problems.add(
          scalar,
          "'" + scalar.text() + "' names no interface of " + device.name(),
          "write " + device.name() + " " + known.get(0) + ", say");
    } else {
      terms.undefined(scalar, "interface of " + device.name(), name, known);
    }
    return null;
  }

  private @Nullable String through(Node.@Nullable Scalar scalar) {
    if (scalar != null && !site.devices().containsKey(scalar.text())) {
      terms.undefined(scalar, "device", scalar.text(), List.copyOf(site.devices().keySet()));
    }
    return scalar == null ? null : scalar.text();
  }
}
