// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.read;

import java.util.ArrayList;
import java.util.EnumMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Objects;
import org.eskerfield.check.Code;
import org.eskerfield.check.Policy;
import org.eskerfield.check.Severity;
import org.eskerfield.formats.literal.Problems;

/** Reads what a site file says of the findings of a check. */
final class PolicyReader {
  private final Problems problems;

  PolicyReader(Problems problems) {
    this.problems = problems;
  }

  Policy read(Fields fields) {
    Map<Code, Severity> severities = new EnumMap<>(Code.class);
    List<Policy.Acceptance> accepted = new ArrayList<>();
    for (Fields each : fields.children("findings")) {
      if (each.has("accept")) {
        Code code = Code.of(Objects.requireNonNullElse(each.text("accept"), ""));
        if (code != null) {
          String because = Objects.requireNonNullElse(each.text("because"), "");
          accepted.add(new Policy.Acceptance(code, each.text("at"), because, each.place()));
        }
        continue;
      }
      Code code = Code.of(Objects.requireNonNullElse(each.text("count"), ""));
      String as = each.text("as");
      if (code != null && as != null) {
        Severity before = severities.put(code, Severity.valueOf(as.toUpperCase(Locale.ROOT)));
        if (before != null) {
          problems.add(
              each.place("count"),
              code + " is counted twice, as " + before + " and as " + as,
              "keep one of the two");
        }
      }
    }
    return new Policy(severities, accepted);
  }
}
