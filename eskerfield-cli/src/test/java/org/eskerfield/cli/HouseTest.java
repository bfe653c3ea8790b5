// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli;

import static com.tngtech.archunit.library.Architectures.layeredArchitecture;
import static com.tngtech.archunit.library.dependencies.SlicesRuleDefinition.slices;
import static org.assertj.core.api.Assertions.assertThat;

import com.tngtech.archunit.core.domain.JavaClass;
import com.tngtech.archunit.core.domain.JavaClasses;
import com.tngtech.archunit.core.importer.ClassFileImporter;
import com.tngtech.archunit.core.importer.ImportOption;
import com.tngtech.archunit.library.Architectures.LayeredArchitecture;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.TreeSet;
import java.util.stream.Collectors;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

/**
 * The floors of the whole house: an import never points up, and no two rooms go round in a ring.
 */
class HouseTest {
  private static final String ALL = "org.eskerfield.";

  private static final JavaClasses HOUSE =
      new ClassFileImporter()
          .withImportOption(new ImportOption.DoNotIncludeTests())
          .importPackages("org.eskerfield");

  /** The modules above the core. */
  private static final List<List<String>> MODULES =
      List.of(List.of("formats.."), List.of("git..", "report.."), List.of("cli.."));

  /** The rooms of the core, ground floor first; those of one floor do not know each other. */
  private static final List<List<String>> CORE =
      List.of(
          List.of("packet..", "outcome.."),
          List.of("model.."),
          List.of("set..", "change.."),
          List.of("program.."),
          List.of("state.."),
          List.of("walk.."),
          List.of("trace.."),
          List.of("cause..", "ledger..", "explain..", "matches..", "capacity.."),
          List.of("reach.."),
          List.of("guarantee.."),
          List.of("verify.."),
          List.of("check..", "offer.."),
          List.of("compare.."));

  /** The rooms of the formats, ground floor first. */
  private static final List<List<String>> FORMATS =
      List.of(
          List.of("formats"),
          List.of("formats.yaml..", "formats.file..", "formats.schema..", "formats.log.."),
          List.of("formats.literal.."),
          List.of("formats.ask..", "formats.site.shape.."),
          List.of("formats.traffic..", "formats.capture.."),
          List.of("formats.flow.."),
          List.of("formats.replay.."),
          List.of("formats.site.read.."),
          List.of("formats.site.write.."),
          List.of("formats.site.edit.."),
          List.of("formats.answer.."),
          List.of("formats.snapshot.."));

  private static final List<List<String>> REPORT =
      List.of(
          List.of("report.draw.."),
          List.of("report.map..", "report.ladder.."),
          List.of("report.page.."));

  private static final List<List<String>> CLI =
      List.of(List.of("cli.text.."), List.of("cli.verb.."), List.of("cli"));

  @Test
  void importsNeverPointUp() {
    hold(CORE);
    hold(MODULES);
    hold(FORMATS);
    hold(REPORT);
    hold(CLI);
  }

  private static void hold(List<List<String>> floors) {
    LayeredArchitecture house = layeredArchitecture().consideringOnlyDependenciesInLayers();
    for (List<String> floor : floors) {
      for (String room : floor) {
        house = house.layer(room).definedBy(ALL + room);
      }
    }
    List<String> above = new ArrayList<>();
    for (int i = floors.size() - 1; i >= 0; i--) {
      for (String room : floors.get(i)) {
        house =
            above.isEmpty()
                ? house.whereLayer(room).mayNotBeAccessedByAnyLayer()
                : house.whereLayer(room).mayOnlyBeAccessedByLayers(above.toArray(new String[0]));
      }
      above.addAll(floors.get(i));
    }
    house.check(HOUSE);
  }

  @ParameterizedTest
  @ValueSource(strings = {"org.eskerfield.(*)..", "org.eskerfield.formats.(**)"})
  void noRoomsGoRoundInARing(String rooms) {
    slices().matching(rooms).should().beFreeOfCycles().check(HOUSE);
  }

  /** A room that is added is to be put on a floor. */
  @Test
  void everyRoomOfTheFormatsHasItsFloor() {
    Map<Boolean, List<String>> known =
        HOUSE.stream()
            .map(JavaClass::getPackageName)
            .filter(name -> name.startsWith(ALL + "formats"))
            .distinct()
            .collect(
                Collectors.partitioningBy(
                    name ->
                        FORMATS.stream()
                            .flatMap(List::stream)
                            .anyMatch(room -> name.equals(ALL + room.replace("..", "")))));
    assertThat(new TreeSet<>(known.get(false))).isEmpty();
    assertThat(known.get(true)).hasSize(FORMATS.stream().mapToInt(List::size).sum());
  }
}
