// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.flow;

import java.io.ByteArrayOutputStream;
import java.io.Closeable;
import java.io.DataOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.function.Consumer;
import org.eskerfield.model.Device;
import org.eskerfield.model.Site;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Header;
import org.eskerfield.state.TranslationEvent;
import org.jspecify.annotations.Nullable;

/**
 * Writes what translating devices log as a file of IPFIX messages (RFC 5655) with the events of RFC
 * 8158. Each device is an observation domain, numbered from 1 in the order of the site; options
 * records tell its name (observationDomainName) and the names of its rules (natPoolName by
 * natPoolId).
 *
 * <p>Addresses are those of a session's opener, whichever side it is on. RFC 8158 has no event for
 * sessions of IPv6 that stay in IPv6: they have the older numbers 1 and 2.
 */
public final class EventWriter implements Consumer<TranslationEvent>, Closeable {
  /** A message is written once it has so many bytes; none may have more than 65,535. */
  private static final int FULL = 32_000;

  private static final int VARIABLE = 0xffff;
  private static final int MOST_ENTRIES_PER_USER = 3;

  /**
   * A template.
   *
   * @param number its number
   * @param options whether its records are options
   * @param fields information elements, each with its length
   */
  private record Template(int number, boolean options, List<Integer> fields) {
    static Template of(int number, Integer... fields) {
      return new Template(number, false, List.of(fields));
    }
  }

  private static final Template SESSION =
      Template.of(
          256, 323, 8, 230, 1, 463, 4, 4, 1, 8, 4, 7, 2, 12, 4, 11, 2, 225, 4, 227, 2, 226, 4, 228,
          2);
  private static final Template SESSION_V6 =
      Template.of(
          257, 323, 8, 230, 1, 463, 4, 4, 1, 27, 16, 7, 2, 28, 16, 11, 2, 281, 16, 227, 2, 282, 16,
          228, 2);
  private static final Template BINDING =
      Template.of(258, 323, 8, 230, 1, 463, 4, 4, 1, 8, 4, 7, 2, 225, 4, 227, 2);
  private static final Template ADDRESS = Template.of(259, 323, 8, 230, 1, 463, 4, 8, 4, 225, 4);
  private static final Template NO_ADDRESS = Template.of(260, 323, 8, 230, 1, 463, 4, 283, 4);
  private static final Template NO_PORT =
      Template.of(261, 323, 8, 230, 1, 463, 4, 4, 1, 225, 4, 283, 4);
  private static final Template LIMIT =
      Template.of(262, 323, 8, 230, 1, 463, 4, 466, 4, 473, 4, 8, 4);
  private static final Template DOMAIN_NAME =
      new Template(263, true, List.of(149, 4, 300, VARIABLE));
  private static final Template POOL_NAME = new Template(264, true, List.of(283, 4, 284, VARIABLE));
  private static final List<Template> TEMPLATES =
      List.of(
          SESSION,
          SESSION_V6,
          BINDING,
          ADDRESS,
          NO_ADDRESS,
          NO_PORT,
          LIMIT,
          DOMAIN_NAME,
          POOL_NAME);

  private final OutputStream out;
  private final Map<String, Domain> domains = new LinkedHashMap<>();

  /** Writes nothing yet. */
  public EventWriter(OutputStream out, Site site) {
    this.out = out;
    for (Device device : site.devices().values()) {
      domains.put(device.name(), new Domain(domains.size() + 1, device));
    }
  }

  /**
   * Writes an event.
   *
   * @throws UncheckedIOException if it cannot be written
   */
  @Override
  public void accept(TranslationEvent event) {
    if (event.kind() == TranslationEvent.Kind.ALL_FORGOTTEN) {
      return;
    }
    Domain domain = domains.get(event.device());
    if (domain == null) {
      throw new IllegalArgumentException("the site has no device " + event.device());
    }
    try {
      domain.write(event);
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  /** Writes what is left, and closes the stream. */
  @Override
  public void close() throws IOException {
    try (out) {
      for (Domain domain : domains.values()) {
        domain.flush();
      }
    }
  }

  /** The events of one device. */
  private final class Domain {
    private final int number;
    private final Device device;
    private final Map<String, Integer> pools = new HashMap<>();
    private final ByteArrayOutputStream sets = new ByteArrayOutputStream();

    /** The records of each set of this message; those that explain others stand before them. */
    private final Map<Template, ByteArrayOutputStream> records = new LinkedHashMap<>();

    private DataOutputStream record = new DataOutputStream(sets);
    private int filled;
    private int here;
    private long sequence;
    private Instant last = Instant.EPOCH;
    private boolean begun;

    Domain(int number, Device device) {
      this.number = number;
      this.device = device;
      records.put(DOMAIN_NAME, new ByteArrayOutputStream());
      records.put(POOL_NAME, new ByteArrayOutputStream());
    }

    void write(TranslationEvent event) throws IOException {
      last = event.at().toInstant();
      if (!begun) {
        begun = true;
        templates();
        begin(DOMAIN_NAME);
        record.writeInt(number);
        text(device.name());
      }
      boolean usedUp =
          event.kind() == TranslationEvent.Kind.ADDRESSES_USED_UP
              || event.kind() == TranslationEvent.Kind.PORTS_USED_UP;
      int pool = usedUp ? pool(event.sourceRule()) : 0;
      Header before = event.before();
      Header after = event.after();
      boolean isSix = before.source().family() == Family.IPV6;
      Template template = template(event.kind(), isSix);
      begin(template);
      record.writeLong(last.toEpochMilli());
      record.writeByte(natEvent(event.kind(), isSix));
      record.writeInt(number);
      switch (event.kind()) {
        case SESSION_BEGINS, SESSION_ENDS -> {
          record.writeByte(before.protocol());
          ends(before);
          ends(after == null ? before : after);
        }
        case BINDING_BEGINS, BINDING_ENDS -> {
          record.writeByte(before.protocol());
          source(before);
          source(after == null ? before : after);
        }
        case ADDRESS_LENT, ADDRESS_RETURNED -> {
          address(before.source());
          address(after == null ? before.source() : after.source());
        }
        case PORTS_USED_UP -> {
          record.writeByte(before.protocol());
          address(after == null ? before.source() : after.source());
          record.writeInt(pool);
        }
        case LIMIT_REACHED -> {
          record.writeInt(MOST_ENTRIES_PER_USER);
          record.writeInt(limit(event.sourceRule()));
          address(before.source());
        }
        case ADDRESSES_USED_UP -> record.writeInt(pool);
        case ALL_FORGOTTEN -> {}
      }
      if (filled > FULL) {
        flush();
      }
    }

    private int limit(@Nullable TranslationRule rule) {
      return (rule == null || rule.state() == null ? device.state() : rule.state())
          .ports()
          .perSource();
    }

    /** The number of a rule, which is told with its name before it is used; 0 for none. */
    private int pool(@Nullable TranslationRule rule) throws IOException {
      if (rule == null) {
        return 0;
      }
      Integer known = pools.get(rule.name());
      if (known != null) {
        return known;
      }
      int next = pools.size() + 1;
      pools.put(rule.name(), next);
      begin(POOL_NAME);
      record.writeInt(next);
      text(rule.name());
      return next;
    }

    private void ends(Header header) throws IOException {
      source(header);
      address(header.destination());
      record.writeShort(header.destinationPort());
    }

    private void source(Header header) throws IOException {
      address(header.source());
      record.writeShort(header.sourcePort());
    }

    private void address(Address address) throws IOException {
      if (address.family() == Family.IPV6) {
        record.writeLong(address.high());
        record.writeLong(address.low());
      } else {
        record.writeInt((int) address.low());
      }
    }

    private void text(String text) throws IOException {
      byte[] bytes = text.getBytes(StandardCharsets.UTF_8);
      record.writeByte(255);
      record.writeShort(bytes.length);
      record.write(bytes);
    }

    private void begin(Template template) {
      filled += record.size();
      record =
          new DataOutputStream(
              records.computeIfAbsent(template, key -> new ByteArrayOutputStream()));
      here++;
    }

    private void set(int id, byte[] body) throws IOException {
      DataOutputStream set = new DataOutputStream(sets);
      set.writeShort(id);
      set.writeShort(4 + body.length);
      set.write(body);
    }

    private void templates() throws IOException {
      ByteArrayOutputStream plain = new ByteArrayOutputStream();
      ByteArrayOutputStream options = new ByteArrayOutputStream();
      for (Template template : TEMPLATES) {
        DataOutputStream to = new DataOutputStream(template.options() ? options : plain);
        to.writeShort(template.number());
        to.writeShort(template.fields().size() / 2);
        if (template.options()) {
          to.writeShort(1); // the first field says what the record is about
        }
        for (int field : template.fields()) {
          to.writeShort(field);
        }
      }
      set(2, plain.toByteArray());
      set(3, options.toByteArray());
    }

    void flush() throws IOException {
      if (here == 0) {
        return;
      }
      for (Map.Entry<Template, ByteArrayOutputStream> each : records.entrySet()) {
        if (each.getValue().size() > 0) {
          set(each.getKey().number(), each.getValue().toByteArray());
          each.getValue().reset();
        }
      }
      DataOutputStream message = new DataOutputStream(out);
      message.writeShort(10);
      message.writeShort(16 + sets.size());
      message.writeInt((int) last.getEpochSecond());
      message.writeInt((int) sequence);
      message.writeInt(number);
      sets.writeTo(message);
      message.flush();
      sequence += here;
      here = 0;
      filled = 0;
      record = new DataOutputStream(sets);
      sets.reset();
    }
  }

  private static Template template(TranslationEvent.Kind kind, boolean isSix) {
    return switch (kind) {
      case SESSION_BEGINS, SESSION_ENDS -> isSix ? SESSION_V6 : SESSION;
      case BINDING_BEGINS, BINDING_ENDS -> BINDING;
      case ADDRESS_LENT, ADDRESS_RETURNED -> ADDRESS;
      case ADDRESSES_USED_UP -> NO_ADDRESS;
      case PORTS_USED_UP -> NO_PORT;
      case LIMIT_REACHED, ALL_FORGOTTEN -> LIMIT;
    };
  }

  /** The values of natEvent, RFC 8158 section 4.3. */
  private static int natEvent(TranslationEvent.Kind kind, boolean isSix) {
    return switch (kind) {
      case SESSION_BEGINS -> isSix ? 1 : 4;
      case SESSION_ENDS -> isSix ? 2 : 5;
      case BINDING_BEGINS -> 8;
      case BINDING_ENDS -> 9;
      case ADDRESS_LENT -> 14;
      case ADDRESS_RETURNED -> 15;
      case ADDRESSES_USED_UP -> 3;
      case PORTS_USED_UP -> 12;
      case LIMIT_REACHED, ALL_FORGOTTEN -> 13;
    };
  }
}
