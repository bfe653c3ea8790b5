// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static org.assertj.core.api.Assertions.assertThat;

import java.lang.reflect.Array;
import java.lang.reflect.Method;
import java.lang.reflect.Modifier;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collection;
import java.util.Collections;
import java.util.Deque;
import java.util.IdentityHashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;
import org.eskerfield.check.Checker;
import org.eskerfield.compare.Comparison;
import org.eskerfield.explain.Explainer;
import org.eskerfield.formats.ask.QuestionReader;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.ledger.Ledger;
import org.eskerfield.packet.Packet;
import org.eskerfield.program.DeviceProgram;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Tracer;
import org.eskerfield.verify.Verifier;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/**
 * Walks from what the library gives out to everything that this gives out in turn, and tries to
 * change every list, map and array on the way: none may be another one afterwards.
 */
class NothingLeaksTest {
  /** These are changed by what they do, and say so. */
  private static final Set<Class<?>> LIVE = Set.of(Run.class, Packet.class);

  /** Enough of each class: thousands of packets give out what the first hundred do. */
  private static final int MOST_OF_A_CLASS = 60;

  @TempDir private Path folder;

  private final Set<Object> seen = Collections.newSetFromMap(new IdentityHashMap<>());
  private final Map<Class<?>, Integer> met = new LinkedHashMap<>();
  private final Deque<Object> left = new ArrayDeque<>();
  private final Set<String> leaks = new TreeSet<>();
  private final Map<Class<?>, List<Object>> samples = new LinkedHashMap<>();
  private int tried;

  private void meet(Object thing) {
    if (thing instanceof Collection<?> all) {
      all.forEach(this::meet);
    } else if (thing instanceof Map<?, ?> map) {
      map.keySet().forEach(this::meet);
      map.values().forEach(this::meet);
    } else if (thing instanceof Object[] all) {
      List.of(all).forEach(this::meet);
    } else if (thing != null
        && thing.getClass().getName().startsWith("org.eskerfield.")
        && Modifier.isPublic(thing.getClass().getModifiers())
        && !LIVE.contains(thing.getClass())
        && seen.add(thing)
        && met.merge(thing.getClass(), 1, Integer::sum) <= MOST_OF_A_CLASS) {
      left.add(thing);
      for (Class<?> type = thing.getClass(); type != null; type = type.getSuperclass()) {
        sample(type, thing);
        List.of(type.getInterfaces()).forEach(each -> sample(each, thing));
      }
    }
  }

  private void sample(Class<?> type, Object thing) {
    List<Object> some = samples.computeIfAbsent(type, t -> new ArrayList<>());
    if (some.size() < 5) {
      some.add(thing);
    }
  }

  private static Object snapshot(Object value) {
    if (value instanceof Map<?, ?> map) {
      return new LinkedHashMap<>(map);
    }
    if (value instanceof Collection<?> all) {
      return new ArrayList<>(all);
    }
    List<Object> all = new ArrayList<>();
    for (int i = 0; i < Array.getLength(value); i++) {
      all.add(Array.get(value, i));
    }
    return all;
  }

  private static void change(Object value) {
    try {
      if (value instanceof Map<?, ?> map) {
        map.clear();
      } else if (value instanceof Collection<?> all) {
        all.clear();
      } else if (Array.getLength(value) > 0) {
        Object first = Array.get(value, 0);
        if (first instanceof Number) {
          Array.setByte(value, 0, (byte) 77);
        } else {
          Array.set(value, 0, null);
        }
      }
    } catch (UnsupportedOperationException | IllegalArgumentException e) {
      // As it should be.
    }
  }

  /** Every way to ask a method by things that were met; one way where it asks for nothing. */
  private List<Object[]> ways(Method method) {
    List<Object[]> ways = new ArrayList<>(List.of(new Object[][] {new Object[0]}));
    for (Class<?> type : method.getParameterTypes()) {
      List<Object[]> longer = new ArrayList<>();
      for (Object sample : samples.getOrDefault(type, List.of())) {
        for (Object[] way : ways) {
          Object[] more = Arrays.copyOf(way, way.length + 1);
          more[way.length] = sample;
          longer.add(more);
        }
      }
      ways = longer;
    }
    return ways;
  }

  private void tryAll(Object thing) {
    for (Method method : thing.getClass().getMethods()) {
      Class<?> type = method.getReturnType();
      boolean holds = type.isArray() || Collection.class.isAssignableFrom(type);
      if ((method.getParameterCount() > 0 && !holds)
          || method.getParameterCount() > 2
          || Modifier.isStatic(method.getModifiers())
          || type == void.class
          || method.getDeclaringClass() == Object.class
          || method.getDeclaringClass() == Enum.class
          || AutoCloseable.class.isAssignableFrom(type)) {
        continue;
      }
      for (Object[] way : ways(method)) {
        tryOne(thing, method, way);
      }
    }
  }

  private void tryOne(Object thing, Method method, Object[] way) {
    try {
      Object value = method.invoke(thing, way);
      if (value instanceof Map
          || value instanceof Collection
          || (value != null && value.getClass().isArray())) {
        Object before = snapshot(value);
        change(value);
        tried++;
        if (!snapshot(method.invoke(thing, way)).equals(before)) {
          leaks.add(method.getDeclaringClass().getName() + "." + method.getName());
          return;
        }
      }
      meet(value);
    } catch (ReflectiveOperationException e) {
      // It has no answer to that.
    }
  }

  @Test
  void nobodyCanChangeWhatIsGivenOut() throws Exception {
    Path file = Path.of("../demo/marrowby.site.yaml");
    SiteFile marrowby = SiteReader.readFile(file);
    SiteFile mistakes = SiteReader.readFile(Path.of("../demo/mistakes/order.site.yaml"));
    for (SiteFile each : List.of(marrowby, mistakes)) {
      meet(each);
      meet(each.site());
      each.site()
          .devices()
          .values()
          .forEach(device -> meet(DeviceProgram.compile(each.site(), device)));
      meet(Checker.check(each.site(), each.policy(), (what, done, of) -> {}));
      meet(new Verifier(Tracer.of(each.site())).verify(each.expectations()));
      each.site()
          .devices()
          .values()
          .forEach(device -> meet(Explainer.of(each.site()).explain(device)));
      meet(Ledger.of(each.site()));
    }
    String text = Files.readString(file);
    SiteFile changed =
        SiteReader.readFile(
            Files.writeString(
                folder.resolve("changed.site.yaml"), text.replace("1502/tcp", "1503/tcp")));
    meet(Comparison.of(side(marrowby), side(changed), (what, done, of) -> {}));
    for (String[] ask :
        new String[][] {
          {"stranger", "203.0.113.35", "ssh"},
          {"clerk", "kiosk", "https"},
          {"auditor", "203.0.113.37", "ftp"}
        }) {
      QuestionReader reader =
          QuestionReader.on(marrowby.site()).from(ask[0]).to(ask[1]).service(ask[2]);
      Tracer tracer = Tracer.of(marrowby.site());
      meet(tracer.trace(reader.read()));
      meet(tracer.converse(reader.attempt()));
      Run run = tracer.run(reader.read().at());
      run.open(reader.read());
      meet(run.sessions("breakwater"));
      meet(run.bindings("breakwater"));
      meet(run.figures("breakwater"));
    }
    while (!left.isEmpty()) {
      tryAll(left.remove());
    }
    assertThat(leaks).isEmpty();
    assertThat(tried).isGreaterThan(1_000);
    assertThat(met).hasSizeGreaterThan(80);
  }

  private static Comparison.Side side(SiteFile file) {
    return new Comparison.Side(file.site(), file.wanted(), file.policy());
  }
}
