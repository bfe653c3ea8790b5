// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.read;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Objects;
import org.eskerfield.formats.literal.Problems;
import org.eskerfield.formats.site.shape.SiteShapes;
import org.eskerfield.formats.yaml.Node;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessListBuilder;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.AccessRuleBuilder;
import org.eskerfield.model.Action;
import org.eskerfield.model.Flags;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Protocol;
import org.jspecify.annotations.Nullable;

/** Reads access rules, those of devices and those of a host's own filter. */
final class RuleReader {
  private final Terms terms;
  private final Problems problems;

  RuleReader(Terms terms, Problems problems) {
    this.terms = terms;
    this.problems = problems;
  }

  /** The word of an action; drop where it is missing or no action, which was reported. */
  static Action action(@Nullable String word) {
    String action = word == null ? "" : word.replace(AND_LOG, "");
    return action.equals("accept")
        ? Action.ACCEPT
        : action.equals("reject") ? Action.REJECT : Action.DROP;
  }

  /** Whether the action of a list is to be logged as well. */
  static boolean logs(@Nullable String word) {
    return word != null && word.endsWith(AND_LOG);
  }

  private static final String AND_LOG = " and log";

  /** The filter of a host. */
  AccessList filter(String host, Fields fields) {
    return AccessListBuilder.builder()
        .name("filter of " + host)
        .rules(rules(fields, /* selfAllowed= */ false))
        .otherwise(action(fields.text("otherwise")))
        .logsOtherwise(logs(fields.text("otherwise")))
        .note(fields.text("note"))
        .place(fields.place())
        .build();
  }

  /** The rules of a list that could be read. */
  List<AccessRule> rules(Fields list, boolean selfAllowed) {
    List<AccessRule> rules = new ArrayList<>();
    for (Fields rule : list.children("rules")) {
      String kind = null;
      for (String action : SiteShapes.ACCESS_RULE.oneOf()) {
        kind = kind == null && rule.has(action) ? action : kind;
      }
      AccessRule read = kind == null ? null : rule(rule, kind, selfAllowed);
      if (read != null) {
        rules.add(read);
      }
    }
    return rules;
  }

  private @Nullable Flags flags(Fields rule, List<ServiceTerm> services) {
    if (!rule.has("flags") || rule.children("flags").isEmpty()) {
      return null;
    }
    Fields groups = rule.children("flags").get(0);
    Flags flags =
        new Flags(sum(groups, "any"), sum(groups, "all"), sum(groups, "none"), rule.place("flags"));
    if (!groups.has("any") && !groups.has("all") && !groups.has("none")) {
      problems.add(flags, "'flags' asks for none", "write which, as in flags: { any: [ack, rst] }");
    }
    if ((flags.all() & flags.none()) != 0
        || (flags.any() != 0 && (flags.any() & ~flags.none()) == 0)) {
      problems.add(
          flags,
          "no segment matches " + flags,
          "name each flag in one of 'any', 'all' and 'none' only");
    }
    boolean ofTcp = services.isEmpty();
    for (ServiceTerm term : services) {
      for (ServicePart part : term.service().parts()) {
        ofTcp |= part.protocol() == Protocol.TCP || part.protocol() == ServicePart.ANY_PROTOCOL;
      }
    }
    if (!ofTcp) {
      problems.add(
          flags,
          "only TCP has flags, and " + services.get(0).text() + " is none of it",
          "write a service of TCP, or leave 'flags' out");
    }
    return flags;
  }

  private static int sum(Fields groups, String key) {
    int sum = 0;
    for (Node.Scalar text : groups.texts(key)) {
      sum |= Flags.Flag.valueOf(text.text().toUpperCase(Locale.ROOT)).bit;
    }
    return sum;
  }

  private AccessRule rule(Fields rule, String kind, boolean selfAllowed) {
    PortSet sourcePorts = terms.ports(rule, "source-port");
    List<ServiceTerm> services = terms.services(rule.texts("service"));
    return AccessRuleBuilder.builder()
        .action(action(kind))
        .name(Objects.requireNonNullElse(rule.text(kind), ""))
        .from(terms.addresses(rule.texts("from"), selfAllowed))
        .to(terms.addresses(rule.texts("to"), false))
        .services(services)
        .sourcePorts(sourcePorts)
        .flags(flags(rule, services))
        .when(terms.schedule(rule.scalar("when")))
        .log(rule.isTrue("log", false))
        .disabled(rule.isTrue("disabled", false))
        .note(rule.text("note"))
        .place(rule.place())
        .build();
  }
}
