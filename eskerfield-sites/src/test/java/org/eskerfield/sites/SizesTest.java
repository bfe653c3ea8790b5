// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static org.assertj.core.api.Assertions.assertThat;

import com.sun.source.tree.ClassTree;
import com.sun.source.tree.CompilationUnitTree;
import com.sun.source.tree.LineMap;
import com.sun.source.tree.MethodTree;
import com.sun.source.tree.Tree;
import com.sun.source.util.JavacTask;
import com.sun.source.util.SourcePositions;
import com.sun.source.util.TreeScanner;
import com.sun.source.util.Trees;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.stream.Stream;
import javax.tools.JavaCompiler;
import javax.tools.StandardJavaFileManager;
import javax.tools.ToolProvider;
import org.junit.jupiter.api.Test;

/** How long files and methods are, and how many parameters methods have. */
class SizesTest {
  private static final int FILE = 600;
  private static final int METHOD = 60;
  private static final int PARAMETERS = 6;

  /** What stands above a method that has more parameters, with the reason. */
  private static final String REASON = "// So many parameters: ";

  @Test
  void nothingIsTooLongToBeRead() throws Exception {
    List<Path> files = new ArrayList<>();
    for (String module : List.of("core", "formats", "git", "report", "cli", "bench", "examples")) {
      try (Stream<Path> found = Files.walk(Path.of("../eskerfield-" + module + "/src/main/java"))) {
        found.filter(file -> file.toString().endsWith(".java")).forEach(files::add);
      }
    }
    assertThat(files).hasSizeGreaterThan(300);
    JavaCompiler compiler = ToolProvider.getSystemJavaCompiler();
    try (StandardJavaFileManager manager = compiler.getStandardFileManager(null, null, null)) {
      JavacTask task =
          (JavacTask)
              compiler.getTask(
                  null, manager, null, List.of(), null, manager.getJavaFileObjectsFromPaths(files));
      List<String> tooLong = new ArrayList<>();
      for (CompilationUnitTree unit : task.parse()) {
        tooLong.addAll(tooLong(unit, Trees.instance(task).getSourcePositions()));
      }
      assertThat(tooLong).isEmpty();
    }
  }

  private static List<String> tooLong(CompilationUnitTree unit, SourcePositions positions)
      throws Exception {
    List<String> lines = Files.readAllLines(Path.of(unit.getSourceFile().toUri()));
    String file = Path.of(unit.getSourceFile().getName()).getFileName().toString();
    List<String> found = new ArrayList<>();
    if (lines.size() > FILE) {
      found.add(file + ": " + lines.size() + " lines");
    }
    LineMap map = unit.getLineMap();
    new TreeScanner<Void, Void>() {
      private boolean inRecord;

      @Override
      public Void visitClass(ClassTree type, Void unused) {
        boolean outer = inRecord;
        inRecord = type.getKind() == Tree.Kind.RECORD;
        super.visitClass(type, unused);
        inRecord = outer;
        return null;
      }

      @Override
      public Void visitMethod(MethodTree method, Void unused) {
        int first = Math.toIntExact(map.getLineNumber(positions.getStartPosition(unit, method)));
        long last = map.getLineNumber(positions.getEndPosition(unit, method));
        String name = file + ":" + first + " " + method.getName();
        if (last - first + 1 > METHOD) {
          found.add(name + ": " + (last - first + 1) + " lines");
        }
        // The components of a record are its fields, and have names where they are given.
        if (method.getParameters().size() > PARAMETERS
            && !(inRecord && method.getName().contentEquals("<init>"))
            && method.getBody() != null
            && !lines.get(first - 2).strip().startsWith(REASON)
            && !lines.get(first - 1).strip().startsWith(REASON)) {
          found.add(name + ": " + method.getParameters().size() + " parameters");
        }
        return super.visitMethod(method, unused);
      }
    }.scan(unit, null);
    return found;
  }
}
