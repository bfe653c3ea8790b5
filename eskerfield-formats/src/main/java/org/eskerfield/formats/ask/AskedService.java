// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.ask;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.literal.BadLiteralException;
import org.eskerfield.formats.literal.Literals;
import org.eskerfield.formats.literal.Similar;
import org.eskerfield.formats.literal.WellKnownServices;
import org.eskerfield.model.Service;
import org.eskerfield.model.ServicePart;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Protocol;
import org.eskerfield.trace.Probe;
import org.jspecify.annotations.Nullable;

/** The service that a question names: the one packet by which it is tried. */
final class AskedService {
  private final Site site;
  private final String service;
  private @Nullable String remark;

  /**
   * @param service as it was written; may be empty
   */
  AskedService(Site site, String service) {
    this.site = site;
    this.service = service;
  }

  /**
   * What is to be said beside the answer, such as which of two protocols is tried; null for
   * nothing.
   */
  @Nullable String remark() {
    return remark;
  }

  /** Whether it is a well-known service of this name, and not one of the site's own. */
  boolean isCalled(String name) {
    return service.toLowerCase(Locale.ROOT).equals(name) && !site.services().containsKey(service);
  }

  /**
   * The packet by which it is tried.
   *
   * @param portText the port that stands behind the address; null for none
   */
  Probe probe(@Nullable String portText, Family family) throws UnusableQuestionException {
    int port = -1;
    if (portText != null) {
      try {
        port = Literals.port(portText);
      } catch (BadLiteralException e) {
        throw new UnusableQuestionException("to", e.message(), e.remedy());
      }
    }
    if (service.isEmpty()) {
      throw new UnusableQuestionException(
          "service",
          "it is missing",
          port < 0
              ? "say what to try, such as 443/tcp, https or ping"
              : "say " + port + "/tcp or " + port + "/udp");
    }
    String word = service.toLowerCase(Locale.ROOT);
    if (word.equals("ping") || word.equals("icmp")) {
      if (port >= 0) {
        throw new UnusableQuestionException(
            "to", "a ping goes to an address, not to port " + port, "leave the port out");
      }
      return Probe.ping(family);
    }
    return probe(parts(word), port);
  }

  private Probe probe(List<ServicePart> parts, int port) throws UnusableQuestionException {
    ServicePart part = parts.get(0);
    boolean everyPort = part.ports().size() > 1;
    boolean wellKnown =
        parts.size() == 2
            && !site.services().containsKey(service)
            && WellKnownServices.find(service) != null;
    if (wellKnown) { // both protocols: the one that is tried first
      Probe first = Probe.of(part.protocol(), part.ports().first());
      Probe other = Probe.of(parts.get(1).protocol(), part.ports().first());
      remark =
          service
              + " is "
              + first
              + " and "
              + other
              + ": this is "
              + first
              + ", which is tried first";
    }
    if ((parts.size() > 1 && !wellKnown)
        || part.protocol() == ServicePart.ANY_PROTOCOL
        || (everyPort && Protocol.hasPorts(part.protocol()) && port < 0)) {
      throw new UnusableQuestionException(
          "service",
          "'" + service + "' is more than one port, and a trace follows one packet",
          "choose one: " + choices(parts));
    }
    if (!Protocol.hasPorts(part.protocol())) {
      return Probe.of(part.protocol(), 0);
    }
    boolean transfer = isCalled("ftp") || isCalled("ftps");
    if (port >= 0 && !part.ports().contains(port) && !transfer) {
      throw new UnusableQuestionException(
          "service",
          "'" + service + "' is port " + part.ports() + ", but 'to' says port " + port,
          "name the port once");
    }
    return Probe.of(part.protocol(), port >= 0 ? port : part.ports().first());
  }

  private static String choices(List<ServicePart> parts) {
    List<String> choices = new ArrayList<>();
    for (ServicePart part : parts) {
      if (Protocol.hasPorts(part.protocol())) {
        choices.add(Probe.of(part.protocol(), part.ports().first()).toString());
      }
    }
    return choices.isEmpty() ? "443/tcp, ping, …" : String.join(" or ", choices);
  }

  private List<ServicePart> parts(String word) throws UnusableQuestionException {
    Service own = site.services().get(service);
    Service known = own != null ? own : WellKnownServices.find(word);
    if (known != null) {
      return known.parts();
    }
    if (!Literals.looksLikeService(word)) {
      List<String> names = new ArrayList<>(site.services().keySet());
      names.addAll(WellKnownServices.names());
      throw new UnusableQuestionException(
          "service",
          "no service is called '" + service + "'",
          Similar.didYouMean(service, names, "write it as in 443/tcp"));
    }
    try {
      return Literals.service(word);
    } catch (BadLiteralException e) {
      throw new UnusableQuestionException("service", e.message(), e.remedy());
    }
  }
}
