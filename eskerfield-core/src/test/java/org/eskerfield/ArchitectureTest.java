// SPDX-License-Identifier: Apache-2.0
package org.eskerfield;

import static com.tngtech.archunit.lang.syntax.ArchRuleDefinition.classes;
import static com.tngtech.archunit.library.Architectures.layeredArchitecture;
import static org.assertj.core.api.Assertions.assertThat;

import com.tngtech.archunit.core.domain.JavaClass;
import com.tngtech.archunit.core.domain.JavaClasses;
import com.tngtech.archunit.core.importer.ClassFileImporter;
import com.tngtech.archunit.core.importer.ImportOption;
import com.tngtech.archunit.library.Architectures.LayeredArchitecture;
import java.util.ArrayList;
import java.util.List;
import java.util.Set;
import org.jspecify.annotations.NullMarked;
import org.junit.jupiter.api.Test;

/**
 * The floors of the core: an import never points up, and the house stands on the platform alone.
 */
class ArchitectureTest {
  private static final JavaClasses CORE =
      new ClassFileImporter()
          .withImportOption(new ImportOption.DoNotIncludeTests())
          .importPackages("org.eskerfield");

  /** Ground floor first; an import never points up. Those of one floor do not know each other. */
  private static final List<List<String>> FLOORS =
      List.of(
          List.of("packet"),
          List.of("model"),
          List.of("set", "change"),
          List.of("program"),
          List.of("state"),
          List.of("walk"),
          List.of("trace"),
          List.of("cause", "ledger", "explain"),
          List.of("verify", "check", "offer"),
          List.of("compare"));

  @Test
  void importsNeverPointUp() {
    LayeredArchitecture house = layeredArchitecture().consideringOnlyDependenciesInLayers();
    List<String> above = new ArrayList<>();
    for (List<String> floor : FLOORS) {
      for (String room : floor) {
        house = house.layer(room).definedBy("org.eskerfield." + room + "..");
      }
    }
    for (int i = FLOORS.size() - 1; i >= 0; i--) {
      for (String room : FLOORS.get(i)) {
        house =
            above.isEmpty()
                ? house.whereLayer(room).mayNotBeAccessedByAnyLayer()
                : house.whereLayer(room).mayOnlyBeAccessedByLayers(above.toArray(new String[0]));
      }
      above.addAll(FLOORS.get(i));
    }
    house.check(CORE);
  }

  /** But for the randomness of the system, which the keyed hash takes where it is cheapest. */
  @Test
  void theCoreKnowsNoFormatAndNoInterface() {
    classes()
        .that()
        .resideInAPackage("org.eskerfield..")
        .and()
        .doNotHaveSimpleName("KeyedHash")
        .should()
        .onlyDependOnClassesThat()
        .resideInAnyPackage(
            "java.lang..",
            "java.math..",
            "java.util..",
            "java.time..",
            "org.eskerfield..",
            "org.jspecify..",
            "io.soabase.recordbuilder.core..") // marks what is written at compile time, not loaded
        .check(CORE);
  }

  /** A kind that is added is to be asked for wherever the others are: the compiler sees to that. */
  @Test
  void theKindOfARuleIsAskedOfTheRule() {
    for (JavaClass type : CORE) {
      if (!type.getPackageName().equals("org.eskerfield.model")) {
        assertThat(type.getInstanceofChecks())
            .as("instanceof in %s", type.getName())
            .noneMatch(check -> KINDS.contains(check.getRawType().getSimpleName()));
      }
    }
  }

  private static final Set<String> KINDS =
      Set.of(
          "InwardRule",
          "OutwardRule",
          "StaticRule",
          "DestinationRule",
          "DynamicRule",
          "SharedRule",
          "UntouchedRule");

  @Test
  void everyPackageExplainsItselfAndIsNullMarked() {
    for (JavaClass type : CORE) {
      assertThat(type.getPackage().isAnnotatedWith(NullMarked.class))
          .as("package-info of %s", type.getPackageName())
          .isTrue();
    }
  }
}
