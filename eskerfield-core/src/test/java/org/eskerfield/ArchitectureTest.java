package org.eskerfield;

import static com.tngtech.archunit.lang.syntax.ArchRuleDefinition.classes;
import static com.tngtech.archunit.library.Architectures.layeredArchitecture;
import static org.assertj.core.api.Assertions.assertThat;

import com.tngtech.archunit.core.domain.JavaClass;
import com.tngtech.archunit.core.domain.JavaClasses;
import com.tngtech.archunit.core.importer.ClassFileImporter;
import com.tngtech.archunit.core.importer.ImportOption;
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

  @Test
  void importsNeverPointUp() {
    layeredArchitecture()
        .consideringOnlyDependenciesInLayers()
        .layer("packet")
        .definedBy("org.eskerfield.packet..")
        .layer("model")
        .definedBy("org.eskerfield.model..")
        .layer("set")
        .definedBy("org.eskerfield.set..")
        .layer("engine")
        .definedBy("org.eskerfield.engine..")
        .layer("trace")
        .definedBy("org.eskerfield.trace..")
        .layer("cause")
        .definedBy("org.eskerfield.cause..")
        .layer("cure")
        .definedBy("org.eskerfield.cure..")
        .layer("verify")
        .definedBy("org.eskerfield.verify..")
        .layer("check")
        .definedBy("org.eskerfield.check..")
        .layer("ledger")
        .definedBy("org.eskerfield.ledger..")
        .layer("offer")
        .definedBy("org.eskerfield.offer..")
        .layer("explain")
        .definedBy("org.eskerfield.explain..")
        .layer("compare")
        .definedBy("org.eskerfield.compare..")
        .whereLayer("model")
        .mayOnlyBeAccessedByLayers("set", "engine", "trace", "cause", "cure", "verify", "check")
        .whereLayer("set")
        .mayOnlyBeAccessedByLayers("engine", "trace", "cause", "cure", "verify", "check")
        .whereLayer("engine")
        .mayOnlyBeAccessedByLayers("trace", "cause", "cure", "verify", "check")
        .whereLayer("trace")
        .mayOnlyBeAccessedByLayers("cause", "cure", "verify", "check")
        .whereLayer("cause")
        .mayOnlyBeAccessedByLayers("verify", "check")
        .whereLayer("cure")
        .mayOnlyBeAccessedByLayers("cause", "verify", "check")
        .whereLayer("verify")
        .mayNotBeAccessedByAnyLayer()
        .whereLayer("check")
        .mayNotBeAccessedByAnyLayer()
        .check(CORE);
  }

  @Test
  void theCoreKnowsNoFormatAndNoInterface() {
    classes()
        .that()
        .resideInAPackage("org.eskerfield..")
        .should()
        .onlyDependOnClassesThat()
        .resideInAnyPackage(
            "java.lang..",
            "java.math..",
            "java.util..",
            "java.time..",
            "org.eskerfield..",
            "org.jspecify..")
        .check(CORE);
  }

  @Test
  void everyPackageExplainsItselfAndIsNullMarked() {
    for (JavaClass type : CORE) {
      assertThat(type.getPackage().isAnnotatedWith(NullMarked.class))
          .as("package-info of %s", type.getPackageName())
          .isTrue();
    }
  }
}
