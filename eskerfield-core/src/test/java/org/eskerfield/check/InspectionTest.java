// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.check;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.List;
import java.util.Set;
import java.util.TreeSet;
import org.eskerfield.Draft;
import org.eskerfield.model.Action;
import org.eskerfield.model.Device;
import org.eskerfield.model.Site;
import org.junit.jupiter.api.Test;

/** What a check says where a device is too much for it. */
class InspectionTest {
  private static final String START = "what edge lets through was not worked out: ";
  private static final String END = " cut the packets into too many pieces";

  @Test
  void theRuleIsNamedAtWhichTheRoomIsUsedUp() {
    Draft.DeviceDraft edge =
        new Draft()
            .network("inside", "10.77.4.0/24", null)
            .network("outside", "198.51.100.128/26", "198.51.100.129")
            .device("edge", Action.ACCEPT)
            .on("inside", "10.77.4.1")
            .on("outside", "198.51.100.140");
    for (int i = 0; i < 10; i++) {
      edge.fixed("outside", "198.51.100." + (150 + 3 * i), "10.77.4." + (10 + i));
    }
    Site site = edge.done().site();
    Set<String> said = new TreeSet<>();
    List<Finding> found;
    int room = 50;
    do { // a little more room each time, until it is enough
      found = found(site, room += 50);
      assertThat(found.size()).isLessThan(2);
      found.forEach(each -> said.add(each.message()));
    } while (!found.isEmpty());
    assertThat(said)
        .containsExactly(
            START + "its rules" + END, START + "its rules up to static rule 'fix'" + END);
  }

  private static List<Finding> found(Site site, int room) {
    Inspection inspection = new Inspection(site, room, /* consequences= */ false);
    Device device = site.devices().get("edge");
    device.interfaces().forEach(own -> inspection.passages(device, own));
    return inspection.findings();
  }
}
