// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.text;

import java.io.IOException;
import java.nio.file.AccessDeniedException;
import java.nio.file.FileSystemException;
import java.nio.file.NoSuchFileException;
import java.util.List;
import org.eskerfield.formats.Problem;
import org.jspecify.annotations.Nullable;

/** Lays out the problems of a file: each with its place, its line and what would be right. */
public final class ProblemText {
  private ProblemText() {}

  public static String of(List<Problem> problems, Style style) {
    StringBuilder out = new StringBuilder();
    for (Problem problem : problems) {
      String place = problem.place() + ":" + problem.place().column();
      out.append(style.place(place)).append("  ");
      int taken = place.length() + 2;
      out.append(style.strong(Style.wrapped(problem.message(), 4, taken))).append('\n');
      if (!problem.excerpt().isBlank()) {
        excerpt(out, problem, style);
      }
      if (!problem.remedy().isEmpty()) {
        out.append("    ").append(Style.wrapped(problem.remedy(), 4, 4)).append('\n');
      }
      out.append('\n');
    }
    String file = problems.get(0).place().file();
    out.append(problems.size()).append(problems.size() == 1 ? " problem" : " problems");
    return out.append(" in ").append(file).append('\n').toString();
  }

  private static void excerpt(StringBuilder out, Problem problem, Style style) {
    String number = Integer.toString(problem.place().line());
    out.append(style.faint("    " + number + " | ")).append(problem.excerpt()).append('\n');
    int column = problem.place().column();
    if (column <= problem.excerpt().length()) {
      out.append(style.faint("    " + " ".repeat(number.length()) + " | "));
      out.append(" ".repeat(column - 1)).append(style.bad("^")).append('\n');
    }
  }

  /** Why a file cannot be read or written, without its name. */
  public static @Nullable String reason(IOException e) {
    if (e instanceof NoSuchFileException) {
      return "there is no such folder";
    }
    if (e instanceof AccessDeniedException) {
      return "access is denied";
    }
    return e instanceof FileSystemException system && system.getReason() != null
        ? system.getReason()
        : e.getMessage();
  }
}
