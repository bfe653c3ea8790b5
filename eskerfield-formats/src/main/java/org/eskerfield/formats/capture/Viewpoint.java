// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.capture;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.literal.Similar;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Site;
import org.jspecify.annotations.Nullable;

/**
 * Where packets are seen: at a host, or at one interface of a device.
 *
 * @param node the host or device
 * @param own the interface; null at a host
 */
public record Viewpoint(String node, @Nullable Interface own) {
  /**
   * The places that a text names: a host, a device for all its interfaces, or a device and one of
   * its interfaces, such as {@code skerry uplink}.
   *
   * @param part the option that the text stands in, for messages
   * @return at least one
   * @throws UnusableQuestionException if nothing of the site has this name
   */
  public static List<Viewpoint> of(Site site, String part, String text)
      throws UnusableQuestionException {
    Host host = site.hosts().get(text);
    if (host != null) {
      return List.of(new Viewpoint(host.name(), null));
    }
    List<Viewpoint> found = new ArrayList<>();
    List<String> names = new ArrayList<>();
    for (Device device : site.devices().values()) {
      for (Interface own : device.interfaces()) {
        Viewpoint here = new Viewpoint(device.name(), own);
        names.add(here.toString());
        if (text.equals(device.name()) || text.equals(here.toString())) {
          found.add(here);
        }
      }
    }
    if (found.isEmpty()) {
      names.addAll(site.devices().keySet());
      names.addAll(site.hosts().keySet());
      throw new UnusableQuestionException(
          part,
          "no host, device or interface is called '" + text + "'",
          Similar.didYouMean(
              text, names, "write a host, a device, or a device and its interface: 'edge uplink'"));
    }
    return found;
  }

  /** As it is written: {@code skerry uplink}, {@code kiosk}. */
  @Override
  public String toString() {
    return own == null ? node : node + " " + own.name();
  }
}
