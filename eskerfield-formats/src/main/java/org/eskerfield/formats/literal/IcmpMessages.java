// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.literal;

import java.util.LinkedHashMap;
import java.util.Map;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.eskerfield.model.ServicePart;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Protocol;
import org.jspecify.annotations.Nullable;

/**
 * ICMP messages as people write them: {@code icmp 3/4}, {@code icmpv6 packet-too-big}. The names
 * are those of RFC 792, RFC 1812, RFC 4443 and RFC 4861.
 */
final class IcmpMessages {
  private static final Pattern MESSAGE = Pattern.compile("(icmp|icmpv6)\\s+(.+)");
  private static final Pattern NUMBERS = Pattern.compile("([0-9]{1,9})(?:/([0-9]{1,9}))?");
  private static final int HIGHEST = 255;

  private static final Map<String, String> NAMES = new LinkedHashMap<>();
  private static final Map<String, String> NAMES_V6 = new LinkedHashMap<>();

  static {
    NAMES.put("echo-reply", "0");
    NAMES.put("destination-unreachable", "3");
    NAMES.put("network-unreachable", "3/0");
    NAMES.put("host-unreachable", "3/1");
    NAMES.put("protocol-unreachable", "3/2");
    NAMES.put("port-unreachable", "3/3");
    NAMES.put("fragmentation-needed", "3/4");
    NAMES.put("administratively-prohibited", "3/13");
    NAMES.put("redirect", "5");
    NAMES.put("echo-request", "8");
    NAMES.put("router-advertisement", "9");
    NAMES.put("router-solicitation", "10");
    NAMES.put("time-exceeded", "11");
    NAMES.put("parameter-problem", "12");
    NAMES.put("timestamp", "13");
    NAMES.put("timestamp-reply", "14");
    NAMES_V6.put("destination-unreachable", "1");
    NAMES_V6.put("no-route", "1/0");
    NAMES_V6.put("administratively-prohibited", "1/1");
    NAMES_V6.put("address-unreachable", "1/3");
    NAMES_V6.put("port-unreachable", "1/4");
    NAMES_V6.put("packet-too-big", "2");
    NAMES_V6.put("time-exceeded", "3");
    NAMES_V6.put("parameter-problem", "4");
    NAMES_V6.put("echo-request", "128");
    NAMES_V6.put("echo-reply", "129");
    NAMES_V6.put("router-solicitation", "133");
    NAMES_V6.put("router-advertisement", "134");
    NAMES_V6.put("neighbor-solicitation", "135");
    NAMES_V6.put("neighbor-advertisement", "136");
    NAMES_V6.put("redirect", "137");
  }

  private IcmpMessages() {}

  /** Whether a text is meant as a message, and not as a whole protocol or a name. */
  static boolean areMeantBy(String lower) {
    return MESSAGE.matcher(lower).matches();
  }

  /** The messages; null if the text is none of ICMP. */
  static @Nullable ServicePart read(String lower) throws BadLiteralException {
    Matcher matcher = MESSAGE.matcher(lower);
    if (!matcher.matches()) {
      return null;
    }
    String family = matcher.group(1);
    Map<String, String> names = family.equals("icmp") ? NAMES : NAMES_V6;
    String text = names.getOrDefault(matcher.group(2), matcher.group(2));
    Matcher numbers = NUMBERS.matcher(text);
    if (!numbers.matches()) {
      throw new BadLiteralException(
          "no message of " + family + " is called '" + text + "'",
          "write a type such as "
              + (family.equals("icmp") ? "3, a type and code such as 3/4" : "1, or 1/4 with a code")
              + ", or a name: "
              + String.join(", ", names.keySet()));
    }
    int type = number("type", numbers.group(1));
    int code = numbers.group(2) == null ? Icmp.NO_CODE : number("code", numbers.group(2));
    int protocol = family.equals("icmp") ? Protocol.ICMP : Protocol.ICMPV6;
    return new ServicePart(protocol, PortSet.ALL, type, code);
  }

  private static int number(String what, String text) throws BadLiteralException {
    int number = Integer.parseInt(text);
    if (number > HIGHEST) {
      throw new BadLiteralException(
          "'" + text + "' is no ICMP " + what, "write a number from 0 to " + HIGHEST);
    }
    return number;
  }
}
