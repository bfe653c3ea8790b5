// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.flow;

import java.nio.ByteBuffer;
import java.util.Set;
import java.util.TreeSet;
import org.jspecify.annotations.Nullable;

/** A template of IPFIX (RFC 7011 section 3.4): the fields of its records. */
final class IpfixTemplate {
  /** RFC 5103 section 6.1: the elements of the other direction are those of this enterprise. */
  private static final long REVERSE = 29305;

  private static final int OF_ENTERPRISE = 0x8000;

  /** RFC 7011 section 7: a field of this length says its own length in each record. */
  static final int VARIABLE = 0xffff;

  /** Elements by number; of the other direction negative; 0 for those that are not read. */
  private final int[] elements;

  private final int[] lengths;
  private final boolean options;
  private final Set<String> unread = new TreeSet<>();
  private int least;

  private IpfixTemplate(int size, boolean options) {
    this.elements = new int[size];
    this.lengths = new int[size];
    this.options = options;
  }

  /**
   * Reads the fields of a template.
   *
   * @param end where its set ends
   * @return null if it is damaged, or its records would have no bytes
   */
  static @Nullable IpfixTemplate read(ByteBuffer in, int end, int count, boolean options) {
    if (options) {
      if (end - in.position() < 2) {
        return null;
      }
      int scopes = in.getShort() & 0xffff;
      if (scopes == 0 || scopes > count) {
        return null;
      }
    }
    if (end - in.position() < 4 * count) {
      return null;
    }
    IpfixTemplate template = new IpfixTemplate(count, options);
    for (int i = 0; i < count; i++) {
      if (end - in.position() < 4) {
        return null;
      }
      int id = in.getShort() & 0xffff;
      template.lengths[i] = in.getShort() & 0xffff;
      long enterprise = 0;
      if ((id & OF_ENTERPRISE) != 0) {
        if (end - in.position() < 4) {
          return null;
        }
        enterprise = in.getInt() & 0xffffffffL;
      }
      template.field(i, id & ~OF_ENTERPRISE, enterprise);
    }
    return template.least == 0 ? null : template;
  }

  private void field(int i, int id, long enterprise) {
    int element = enterprise == 0 ? id : enterprise == REVERSE ? -id : 0;
    boolean isRead = IpfixDraft.reads(element);
    elements[i] = isRead ? element : 0;
    least += lengths[i] == VARIABLE ? 1 : lengths[i];
    // RFC 7011: 210 is padding.
    if (!isRead && !(enterprise == 0 && id == 210)) {
      unread.add(
          enterprise == 0
              ? String.valueOf(id)
              : enterprise == REVERSE ? "reverse " + id : enterprise + "/" + id);
    }
  }

  int size() {
    return elements.length;
  }

  int element(int i) {
    return elements[i];
  }

  int length(int i) {
    return lengths[i];
  }

  /** How many bytes a record has at least; above 0. */
  int least() {
    return least;
  }

  boolean isOptions() {
    return options;
  }

  /** The elements that are skipped. */
  Set<String> unread() {
    return unread;
  }
}
