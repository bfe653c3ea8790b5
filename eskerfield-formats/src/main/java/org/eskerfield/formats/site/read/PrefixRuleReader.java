// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.read;

import java.util.List;
import org.eskerfield.formats.literal.BadLiteralException;
import org.eskerfield.formats.literal.Literals;
import org.eskerfield.formats.literal.Problems;
import org.eskerfield.formats.yaml.Node;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.External;
import org.eskerfield.model.Hairpin;
import org.eskerfield.model.InterfaceTerm;
import org.eskerfield.model.Network;
import org.eskerfield.model.PrefixRule;
import org.eskerfield.model.PrefixRuleBuilder;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.PrefixMapping;
import org.jspecify.annotations.Nullable;

/** Reads rules that translate one IPv6 prefix to another. */
final class PrefixRuleReader {
  /** Of a shorter prefix, so many parts would be told apart that no check would end. */
  private static final int SHORTEST = 32;

  private final DeviceReader device;
  private final SiteReader site;
  private final Problems problems;
  private final Terms terms;

  PrefixRuleReader(DeviceReader device, SiteReader site) {
    this.device = device;
    this.site = site;
    this.problems = site.problems();
    this.terms = site.terms();
  }

  /** The rule; null, and reported, if it cannot be read. */
  @Nullable PrefixRule read(Fields rule, String title, @Nullable Hairpin hairpin) {
    InterfaceTerm facing = device.interfaceTerm(rule.scalar("facing"));
    Node.Scalar outside = rule.scalar("external");
    Node.Scalar inside = rule.scalar("internal");
    Prefix external = outside == null ? null : literal(outside, "2001:db8:1::/48");
    Network network = inside == null ? null : site.networks().get(inside.text());
    Prefix internal =
        inside == null
            ? null
            : network == null ? internal(inside) : prefixOf(inside, network.prefixes());
    if (facing == null || external == null || inside == null || internal == null) {
      return null;
    }
    AddressTerm term =
        network != null
            ? new AddressTerm(
                AddressTerm.Kind.NETWORK, inside.text(), AddressSet.NONE, inside.place())
            : new AddressTerm(
                AddressTerm.Kind.LITERAL,
                inside.text(),
                AddressSet.ofPrefixes(List.of(internal)),
                inside.place());
    return PrefixRuleBuilder.builder()
        .name(title)
        .facing(facing)
        .external(new External(external, null, outside == null ? "" : outside.text()))
        .internal(term)
        .written(internal)
        .hairpin(hairpin == null ? null : asOutside(rule, hairpin))
        .disabled(rule.isTrue("disabled", false))
        .note(rule.text("note"))
        .place(rule.place())
        .build();
  }

  /** Ports are not shared, so no insider can look like the device. */
  private Hairpin asOutside(Fields rule, Hairpin hairpin) {
    boolean chosen = rule.node("hairpin") instanceof Node.Mapping;
    Node.Scalar source = chosen ? rule.children("hairpin").get(0).scalar("source") : null;
    if (source == null) {
      return hairpin.withSource(Hairpin.Source.EXTERNAL);
    }
    if (hairpin.source() == Hairpin.Source.DEVICE) {
      problems.add(
          source,
          "a prefix rule keeps every port, so insiders cannot share the device's own address",
          "write source: external (the address that each has outside), or source: kept");
    }
    return hairpin;
  }

  private @Nullable Prefix internal(Node.Scalar text) {
    if (Literals.looksLikeAddress(text.text()) || text.text().indexOf('/') >= 0) {
      return literal(text, "fd01:203:405::/48");
    }
    terms.undefined(text, "network", text.text(), List.copyOf(site.networks().keySet()));
    return null;
  }

  private @Nullable Prefix prefixOf(Node.Scalar text, List<Prefix> prefixes) {
    List<Prefix> all = prefixes.stream().filter(each -> each.family() == Family.IPV6).toList();
    if (all.size() == 1) {
      return fitting(text, all.get(0));
    }
    problems.add(
        text,
        "network '"
            + text.text()
            + "' has "
            + (all.isEmpty() ? "no IPv6 prefix" : all.size() + " IPv6 prefixes"),
        all.isEmpty()
            ? "give it one, or write the internal prefix itself"
            : "write the one that is meant, such as " + all.get(0));
    return null;
  }

  private @Nullable Prefix literal(Node.Scalar text, String example) {
    if (device.interfaces().containsKey(text.text())) {
      problems.add(
          text,
          "interface '" + text.text() + "' has addresses, but a prefix rule translates a prefix",
          "write the prefix that is routed to it, such as " + example);
      return null;
    }
    if (text.text().indexOf('/') < 0) {
      problems.add(
          text,
          "'" + text.text() + "' is no prefix",
          "write an IPv6 prefix with its length, such as " + example);
      return null;
    }
    try {
      Prefix prefix = Literals.prefix(text.text());
      if (prefix.family() == Family.IPV6) {
        return fitting(text, prefix);
      }
      problems.add(
          text,
          text.text() + " is an IPv4 prefix, and prefix translation is for IPv6 (RFC 6296)",
          "translate IPv4 by a static, dynamic or shared rule");
    } catch (BadLiteralException e) {
      problems.add(text, e.message(), e.remedy());
    }
    return null;
  }

  private @Nullable Prefix fitting(Node.Scalar text, Prefix prefix) {
    if (prefix.length() > PrefixMapping.LONGEST) {
      problems.add(
          text,
          "the prefix " + prefix + " leaves no 16 bits to keep checksums by (RFC 6296)",
          "write a prefix of /" + PrefixMapping.LONGEST + " or shorter");
      return null;
    }
    if (prefix.length() < SHORTEST) {
      problems.add(
          text,
          "the prefix " + prefix + " is wider than /" + SHORTEST + ", which is not supported yet",
          "write one rule for each /" + SHORTEST + " that is in use");
      return null;
    }
    return prefix;
  }
}
