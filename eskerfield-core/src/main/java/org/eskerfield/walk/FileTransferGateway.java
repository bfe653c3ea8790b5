// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.walk;

import java.util.List;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.jspecify.annotations.Nullable;

/**
 * Reads and rewrites what the control connection of a file transfer says about a data connection:
 * {@code PORT} and the reply 227 of RFC 959 section 4.1.2, {@code EPRT} and the reply 229 of RFC
 * 2428.
 */
public final class FileTransferGateway {
  /** The port of control connections, unless said otherwise. */
  public static final int CONTROL_PORT = 21;

  private static final String SIX =
      "(\\d{1,3}),(\\d{1,3}),(\\d{1,3}),(\\d{1,3}),(\\d{1,3}),(\\d{1,3})";
  private static final Pattern SIX_NUMBERS =
      Pattern.compile("((?i:PORT )|227[^\\d]*)" + SIX + "(.*)", Pattern.DOTALL);
  private static final Pattern EXTENDED =
      Pattern.compile(
          "(?i)(EPRT )(\\p{Punct})([12])\\2([0-9a-f.:]+)\\2(\\d{1,5})\\2(.*)", Pattern.DOTALL);
  private static final Pattern EXTENDED_REPLY =
      Pattern.compile("(229[^(]*\\()(\\p{Punct})\\2\\2(\\d{1,5})\\2(\\).*)", Pattern.DOTALL);

  private static final List<String> BEGINNINGS = List.of("PORT ", "EPRT ", "227", "229");

  /**
   * An endpoint that is announced.
   *
   * @param port its port
   * @param address its address as text; null where the announcer's own is meant
   */
  public record Announced(int port, @Nullable String address) {
    /**
     * The address, where it is IPv4.
     *
     * @return null if it is not
     */
    public @Nullable Address ipv4() {
      String text = address == null ? "" : address;
      String[] parts = text.split("\\.", -1);
      if (!text.matches("(?:(?:25[0-5]|2[0-4]\\d|1?\\d?\\d)(?:\\.(?=\\d)|$)){4}")) {
        return null;
      }
      return Address.ipv4(
          Integer.parseInt(parts[0]),
          Integer.parseInt(parts[1]),
          Integer.parseInt(parts[2]),
          Integer.parseInt(parts[3]));
    }
  }

  private FileTransferGateway() {}

  /** What a line of the control connection announces; null for nothing. */
  public static @Nullable Announced read(String line) {
    Matcher six = SIX_NUMBERS.matcher(line);
    if (six.matches()) {
      for (int i = 2; i <= 7; i++) {
        if (Integer.parseInt(six.group(i)) > 255) {
          return null;
        }
      }
      String address = six.group(2) + "." + six.group(3) + "." + six.group(4) + "." + six.group(5);
      int port = Integer.parseInt(six.group(6)) * 256 + Integer.parseInt(six.group(7));
      return announced(port, address);
    }
    Matcher extended = EXTENDED.matcher(line);
    if (extended.matches()) {
      return announced(Integer.parseInt(extended.group(5)), extended.group(4));
    }
    Matcher reply = EXTENDED_REPLY.matcher(line);
    return reply.matches() ? announced(Integer.parseInt(reply.group(3)), null) : null;
  }

  private static @Nullable Announced announced(int port, @Nullable String address) {
    return port == 0 || port > 65535 ? null : new Announced(port, address);
  }

  /** Whether text that is no whole line yet may become an announcement. */
  public static boolean mayAnnounce(String text) {
    if (text.isEmpty()) {
      return false;
    }
    for (String begin : BEGINNINGS) {
      int common = Math.min(begin.length(), text.length());
      if (text.regionMatches(true, 0, begin, 0, common)) {
        return true;
      }
    }
    return false;
  }

  /** The line with another endpoint; as it was if it announces none. */
  public static String rewritten(String line, Address address, int port) {
    Matcher six = SIX_NUMBERS.matcher(line);
    if (six.matches() && address.family() == Family.IPV4) {
      String numbers = address.toString().replace('.', ',');
      return six.group(1) + numbers + "," + port / 256 + "," + port % 256 + six.group(8);
    }
    Matcher extended = EXTENDED.matcher(line);
    if (extended.matches()) {
      String mark = extended.group(2);
      String family = address.family() == Family.IPV4 ? "1" : "2";
      return extended.group(1)
          + mark
          + family
          + mark
          + address
          + mark
          + port
          + mark
          + extended.group(6);
    }
    Matcher reply = EXTENDED_REPLY.matcher(line);
    if (reply.matches()) {
      String mark = reply.group(2);
      return reply.group(1) + mark + mark + mark + port + mark + reply.group(4);
    }
    return line;
  }
}
