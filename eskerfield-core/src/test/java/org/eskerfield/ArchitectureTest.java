// SPDX-License-Identifier: Apache-2.0
package org.eskerfield;

import static com.tngtech.archunit.lang.syntax.ArchRuleDefinition.classes;
import static org.assertj.core.api.Assertions.assertThat;

import com.tngtech.archunit.core.domain.JavaClass;
import com.tngtech.archunit.core.domain.JavaClasses;
import com.tngtech.archunit.core.importer.ClassFileImporter;
import com.tngtech.archunit.core.importer.ImportOption;
import java.util.Set;
import org.jspecify.annotations.NullMarked;
import org.junit.jupiter.api.Test;

/** The core stands on the platform alone, and asks its rules for their kind. */
class ArchitectureTest {
  private static final JavaClasses CORE =
      new ClassFileImporter()
          .withImportOption(new ImportOption.DoNotIncludeTests())
          .importPackages("org.eskerfield");

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
          "PrefixRule",
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
