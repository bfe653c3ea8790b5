package org.eskerfield.engine;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.IdentityHashMap;
import java.util.List;
import java.util.Map;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.AddressSet;
import org.jspecify.annotations.Nullable;

/**
 * Numbers for what the records of the tables name: rules, pools, and pairs of both. A number is
 * never given twice, since sessions keep their rule when the policy is exchanged.
 */
final class Origins {
  private static final int MOST = 0xffff;

  private record Pair(int rule, int pool) {}

  private final IdentityHashMap<TranslationRule, Integer> ruleNumbers = new IdentityHashMap<>();
  private final List<TranslationRule> rules = new ArrayList<>();
  private final Map<AddressSet, Integer> poolNumbers = new HashMap<>();
  private final IdentityHashMap<AddressSet, Integer> knownPools = new IdentityHashMap<>();
  private final List<PoolUse> pools = new ArrayList<>();
  private final Map<Long, Integer> pairNumbers = new HashMap<>();
  private final List<Pair> pairs = new ArrayList<>();

  private static int next(List<?> list) {
    if (list.size() == MOST) {
      throw new IllegalStateException("the state of one device names at most 65535 rules");
    }
    return list.size();
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

  /** The number of a rule with a pool. */
  int origin(TranslationRule rule, int pool) {
    Pair pair = new Pair(rule(rule), pool);
    long key = (long) pair.rule() << 32 | pool;
    Integer number = pairNumbers.get(key);
    if (number == null) {
      number = next(pairs);
      pairs.add(pair);
      pairNumbers.put(key, number);
    }
    return number;
  }

  /** The pool of an origin. */
  int pool(int origin) {
    return pairs.get(origin).pool();
  }

  /** The rule of an origin. */
  TranslationRule ruleOf(int origin) {
    return rules.get(pairs.get(origin).rule() - 1);
  }
}
