// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.text;

import java.util.ArrayList;
import java.util.List;

/**
 * Lays out a table: columns as wide as their widest cell, two blanks between them. What would make
 * a line too wide is cut off at its end, so the last column is the one to miss least.
 */
public final class TableText {
  private final List<List<String>> rows = new ArrayList<>();

  public TableText(String... titles) {
    rows.add(List.of(titles));
  }

  public void add(String... cells) {
    rows.add(List.of(cells));
  }

  /** Adds lines that belong to the row before them and keep no column. */
  public void addBelow(String text) {
    rows.add(List.of("    " + Style.wrapped(text, 8, 6)));
  }

  public String text(Style style) {
    int[] widths = new int[rows.get(0).size()];
    for (List<String> row : rows) {
      for (int i = 0; i < widths.length && row.size() > 1; i++) {
        widths[i] = Math.max(widths[i], row.get(i).length());
      }
    }
    StringBuilder out = new StringBuilder();
    for (List<String> row : rows) {
      StringBuilder line = new StringBuilder("  ");
      for (int i = 0; i < row.size(); i++) {
        String cell = row.get(i);
        boolean last = i == row.size() - 1;
        line.append(cell).append(" ".repeat(last ? 0 : widths[i] - cell.length() + 2));
      }
      line.setLength(line.toString().stripTrailing().length());
      if (line.length() > Style.WIDTH && row.size() > 1) {
        line.setLength(Style.WIDTH - 1);
        line.append('…');
      }
      out.append(out.length() == 0 ? style.faint(line.toString()) : line).append('\n');
    }
    return out.toString();
  }
}
