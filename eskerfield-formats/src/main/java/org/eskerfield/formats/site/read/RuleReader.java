// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.read;

import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import org.eskerfield.formats.site.shape.SiteShapes;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessListBuilder;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.AccessRuleBuilder;
import org.eskerfield.model.Action;
import org.eskerfield.packet.PortSet;
import org.jspecify.annotations.Nullable;

/** Reads access rules, those of devices and those of a host's own filter. */
final class RuleReader {
  private final Terms terms;

  RuleReader(Terms terms) {
    this.terms = terms;
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

  private AccessRule rule(Fields rule, String kind, boolean selfAllowed) {
    PortSet sourcePorts = terms.ports(rule, "source-port");
    return AccessRuleBuilder.builder()
        .action(action(kind))
        .name(Objects.requireNonNullElse(rule.text(kind), ""))
        .from(terms.addresses(rule.texts("from"), selfAllowed))
        .to(terms.addresses(rule.texts("to"), false))
        .services(terms.services(rule.texts("service")))
        .sourcePorts(sourcePorts)
        .when(terms.schedule(rule.scalar("when")))
        .log(rule.isTrue("log", false))
        .disabled(rule.isTrue("disabled", false))
        .note(rule.text("note"))
        .place(rule.place())
        .build();
  }
}
