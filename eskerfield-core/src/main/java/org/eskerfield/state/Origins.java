// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.state;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.IdentityHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.AddressSet;
import org.jspecify.annotations.Nullable;

/**
 * Numbers for what the records of the tables name: rules, pools, and origins of bindings. A number
 * is never given twice, since sessions keep their rule when the policy is exchanged.
 */
final class Origins {
  private static final int MOST = 0xffff;

  /** By which rule, out of which pool, for which interface. */
  private record Origin(int rule, int pool, String leaving) {
    // Written out, since those that a record has by itself are linked at run time, at every start.

    @Override
    public boolean equals(@Nullable Object other) {
      return other instanceof Origin it && is(it.rule, it.pool, it.leaving);
    }

    @Override
    public int hashCode() {
      return 31 * (31 * rule + pool) + leaving.hashCode();
    }

    boolean is(int aRule, int aPool, String anInterface) {
      return rule == aRule && pool == aPool && leaving.equals(anInterface);
    }
  }

  private final IdentityHashMap<TranslationRule, Integer> ruleNumbers = new IdentityHashMap<>();
  private final List<TranslationRule> rules = new ArrayList<>();
  private final Map<AddressSet, Integer> poolNumbers = new HashMap<>();
  private final IdentityHashMap<AddressSet, Integer> knownPools = new IdentityHashMap<>();
  private final List<PoolUse> pools = new ArrayList<>();
  private final Map<Origin, Integer> originNumbers = new HashMap<>();
  private final List<Origin> origins = new ArrayList<>();
  private final List<Integer> ownerOfOrigin = new ArrayList<>();

  /** Numbers for whose a binding is: the rule, whatever version of the policy has it, and pool. */
  private final Map<String, Integer> owners = new HashMap<>();

  private final IdentityHashMap<TranslationRule, RuleName> names = new IdentityHashMap<>();
  private final List<List<TranslationRule>> policies = new ArrayList<>();

  private Origin lastOrigin = new Origin(0, 0, "");
  private int lastNumber = -1;

  private static int next(List<?> list) {
    if (list.size() == MOST) {
      throw new IllegalStateException("the state of one device names at most 65535 rules");
    }
    return list.size();
  }

  /** Takes note of the rules of a policy. They are gone through when a rule is named. */
  void learn(List<TranslationRule> policy) {
    policies.add(policy);
  }

  /** By what a rule is known: the first policy that has it, and how many of its like are above. */
  private RuleName name(TranslationRule rule) {
    RuleName known = names.get(rule);
    for (int policy = 0; known == null && policy < policies.size(); policy++) {
      known = name(rule, policy);
    }
    if (known == null) {
      throw new IllegalStateException("no policy of the run has the rule of " + rule.place());
    }
    names.put(rule, known);
    return known;
  }

  @SuppressWarnings("ReferenceEquality") // rules of one name may be equal, and still be two
  private @Nullable RuleName name(TranslationRule rule, int policy) {
    int above = 0;
    for (TranslationRule each : policies.get(policy)) {
      if (each == rule) {
        return new RuleName(policy, rule.kind(), rule.name(), above);
      }
      above += isLike(each, rule.kind(), rule.name()) ? 1 : 0;
    }
    return null;
  }

  private static boolean isLike(TranslationRule rule, String kind, String name) {
    return rule.kind().equals(kind) && rule.name().equals(name);
  }

  /** By what the rule with a number is known; null for 0. */
  @Nullable RuleName name(int number) {
    return number == 0 ? null : name(rules.get(number - 1));
  }

  /** The number of the rule of a name; 0 for null. */
  int rule(@Nullable RuleName name) {
    if (name == null) {
      return 0;
    }
    int above = 0;
    List<TranslationRule> policy =
        name.policy() < policies.size() ? policies.get(name.policy()) : List.of();
    for (TranslationRule each : policy) {
      if (isLike(each, name.kind(), name.name()) && above++ == name.nth()) {
        return rule(each);
      }
    }
    throw new IllegalArgumentException(
        "policy " + name.policy() + " has no " + name.kind() + " rule called " + name.name());
  }

  /** The number of a rule, from 1 on; 0 for none. */
  int rule(@Nullable TranslationRule rule) {
    if (rule == null) {
      return 0;
    }
    Integer number = ruleNumbers.get(rule);
    if (number == null) {
      number = next(rules) + 1;
      rules.add(rule);
      ruleNumbers.put(rule, number);
    }
    return number;
  }

  /** The rule with a number; null for 0. */
  @Nullable TranslationRule rule(int number) {
    return number == 0 ? null : rules.get(number - 1);
  }

  /** The number of a pool. */
  int poolOf(AddressSet addresses) {
    Integer number = knownPools.get(addresses); // the same object as before: no need to compare
    if (number == null) {
      number = poolNumbers.get(addresses);
      if (number == null) {
        number = next(pools);
        pools.add(new PoolUse(addresses));
        poolNumbers.put(addresses, number);
      }
      knownPools.put(addresses, number);
    }
    return number;
  }

  /** What is in use of the pool with a number. */
  PoolUse use(int pool) {
    return pools.get(pool);
  }

  /** The pools that were asked for so far. */
  List<PoolUse> pools() {
    return pools;
  }

  /** The number of a rule with a pool, for what leaves by an interface. */
  int origin(TranslationRule rule, int pool, String leaving) {
    int number = rule(rule);
    if (lastNumber >= 0 && lastOrigin.is(number, pool, leaving)) {
      return lastNumber;
    }
    Origin origin = new Origin(number, pool, leaving);
    Integer known = originNumbers.get(origin);
    if (known == null) {
      known = next(origins);
      origins.add(origin);
      originNumbers.put(origin, known);
      int nthOfRule = name(rule).nth();
      String owner = pool + "/" + nthOfRule + " " + rule.kind() + " " + rule.name();
      ownerOfOrigin.add(owners.computeIfAbsent(owner, o -> owners.size()));
    }
    lastOrigin = origin;
    lastNumber = known;
    return known;
  }

  /** The pool of an origin. */
  int pool(int origin) {
    return origins.get(origin).pool;
  }

  /** The rule of an origin. */
  TranslationRule ruleOf(int origin) {
    return rules.get(origins.get(origin).rule - 1);
  }

  /** By what the rule of an origin is known. */
  RuleName nameOf(int origin) {
    return Objects.requireNonNull(name(origins.get(origin).rule));
  }

  /** The rule with a number, which there is. */
  TranslationRule required(int number) {
    return rules.get(number - 1);
  }

  /** The name of the interface for which bindings of an origin are made. */
  String leavingOf(int origin) {
    return origins.get(origin).leaving;
  }

  /**
   * The number of whose bindings those of an origin are: a binding serves only its rule, and a rule
   * that another version of the policy has under the same name goes on with its bindings.
   */
  int owner(int origin) {
    return ownerOfOrigin.get(origin);
  }
}
