// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.read;

import java.time.Duration;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.eskerfield.formats.literal.Literals;
import org.eskerfield.formats.literal.Times;
import org.eskerfield.formats.yaml.Node;
import org.eskerfield.model.Device;
import org.eskerfield.model.DomainName;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Site;
import org.eskerfield.packet.Address;
import org.jspecify.annotations.Nullable;

/** Reads the names of the DNS, and who answers what for them. */
final class NameReader {
  private static final String NO_SUCH_NAME = "none";
  private static final String TTL = "ttl";

  private final SiteReader site;
  private final Map<String, Device> devices;

  /** A reader for a site of which all but the names is known. */
  NameReader(SiteReader site, Map<String, Device> devices) {
    this.site = site;
    this.devices = devices;
  }

  Map<String, DomainName> read(Fields fields) {
    Map<String, DomainName> names = new LinkedHashMap<>();
    for (Fields.NamedNode named : fields.named("names")) {
      Node.Scalar name = named.name();
      List<DomainName.Answer> answers = new ArrayList<>();
      Duration ttl = null;
      if (named.value() instanceof Node.Mapping mapping) {
        for (Node.Entry entry : mapping.entries()) {
          if (entry.key().text().equals(TTL)) {
            ttl = ttl(entry.key(), Fields.texts(entry.value()));
            continue;
          }
          add(answers, resolver(entry.key()), entry.key(), Fields.texts(entry.value()));
        }
      } else {
        add(answers, null, name, Fields.texts(named.value()));
      }
      if (site.terms().kindOf(name.text()) != null) {
        site.problems()
            .add(
                name,
                "the name '" + name.text() + "' is taken by something else of the site",
                "names of the DNS need one of their own, such as shop.example");
      }
      names.put(name.text(), new DomainName(name.text(), answers, ttl, name.place()));
    }
    return names;
  }

  private @Nullable Duration ttl(Node.Scalar at, List<Node.Scalar> texts) {
    Duration time = texts.size() == 1 ? Times.duration(texts.get(0).text()) : null;
    if (time == null) {
      site.problems()
          .add(
              texts.isEmpty() ? at : texts.get(0),
              "'ttl' says how long an answer is remembered, and this is no time",
              "write 90s, 5m or 24h");
    }
    return time;
  }

  private void add(
      List<DomainName.Answer> answers,
      @Nullable String resolver,
      Node.Scalar at,
      List<Node.Scalar> texts) {
    List<Address> addresses = new ArrayList<>();
    Interface follows = null;
    for (Node.Scalar text : texts) {
      Host host = site.hosts().get(text.text());
      Interface own = interfaceOf(text.text());
      if (text.text().equals(NO_SUCH_NAME) && texts.size() == 1) {
        break;
      } else if (host != null) {
        addresses.addAll(host.addresses());
      } else if (own != null) {
        follows = own;
        addresses.addAll(own.addresses());
      } else if (Literals.looksLikeAddress(text.text())) {
        addresses.addAll(site.terms().literals(List.of(text)));
      } else {
        site.problems()
            .add(
                text,
                "'" + text.text() + "' is no address, and no host is called so",
                "write an address, a host, a device with one of its interfaces, or none");
      }
    }
    List<String> written = texts.stream().map(Node.Scalar::text).toList();
    answers.add(new DomainName.Answer(resolver, addresses, follows, written, at.place()));
  }

  /** Whose answer it is: a host's, or, as null, that of all others. */
  private @Nullable String resolver(Node.Scalar name) {
    if (name.text().equals(Site.INTERNET)) {
      return null;
    }
    if (!site.hosts().containsKey(name.text())) {
      site.terms().undefined(name, "host", name.text(), List.copyOf(site.hosts().keySet()));
    }
    return name.text();
  }

  private @Nullable Interface interfaceOf(String text) {
    int blank = text.indexOf(' ');
    Device device = blank < 0 ? null : devices.get(text.substring(0, blank));
    if (device != null) {
      for (Interface own : device.interfaces()) {
        if (own.name().equals(text.substring(blank + 1))) {
          return own;
        }
      }
    }
    return null;
  }
}
