// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.literal;

import inet.ipaddr.AddressStringException;
import inet.ipaddr.IPAddressString;
import inet.ipaddr.IPAddressStringParameters;
import inet.ipaddr.IncompatibleAddressException;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.eskerfield.model.ServicePart;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressRange;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.Protocol;
import org.jspecify.annotations.Nullable;

/** Reads addresses, prefixes, ranges, ports and services as people write them. */
public final class Literals {
  private static final Pattern ADDRESS_LIKE =
      Pattern.compile("[0-9]+(\\.[0-9]+)++.*|[0-9a-fA-F:.]*:[0-9a-fA-F:.]*(/.*|-.*)?");
  private static final Pattern NUMBER = Pattern.compile("[0-9]{1,9}");
  private static final Pattern PORTS = Pattern.compile("([0-9]+)(?:-([0-9]+))?");
  private static final Pattern SERVICE = Pattern.compile("([0-9][^/]*)/(.+)");
  private static final Pattern SEVERAL =
      Pattern.compile("(\\d[\\d-]*(?:\\s*,\\s*\\d[\\d-]*)++)/([a-z+]+)");
  private static final Pattern REVERSED = Pattern.compile("(tcp|udp)[/:]([0-9-]+)");

  private Literals() {}

  /** Whether a text is meant as an address, prefix or range, and not as a name. */
  public static boolean looksLikeAddress(String text) {
    return ADDRESS_LIKE.matcher(text).matches();
  }

  public static Address address(String text) throws BadLiteralException {
    try {
      if (text.indexOf('/') >= 0) {
        throw new BadLiteralException(
            "'" + text + "' is a prefix, not an address", "write one address, without '/'");
      }
      long plain = dotted(text);
      return plain >= 0 ? new Address(Family.IPV4, 0, plain) : AnyAddress.of(text);
    } catch (AddressStringException | IncompatibleAddressException e) {
      throw OtherSpellings.address(text);
    }
  }

  /**
   * The value of four numbers with dots between them; negative for any other text. Most addresses
   * of most files are such, and what reads all others takes a tenth of a start.
   */
  private static long dotted(String text) {
    long value = 0;
    int number = -1; // none yet
    int dots = 0;
    for (int i = 0; i < text.length(); i++) {
      char next = text.charAt(i);
      if (next == '.' && number >= 0) {
        value = value << 8 | number;
        number = -1;
        dots++;
      } else if (next >= '0' && next <= '9' && number != 0) {
        number = (number < 0 ? 0 : 10 * number) + (next - '0');
        if (number > 255) {
          return -1;
        }
      } else {
        return -1;
      }
    }
    return dots == 3 && number >= 0 ? value << 8 | number : -1;
  }

  /** Reads every form of address. */
  private static final class AnyAddress {
    private static final IPAddressStringParameters STRICT =
        new IPAddressStringParameters.Builder()
            .allowAll(false)
            .allowEmpty(false)
            .allowMask(false)
            .allowPrefix(false)
            .allowSingleSegment(false)
            .allowWildcardedSeparator(false)
            .getIPv4AddressParametersBuilder()
            .allow_inet_aton(false)
            .allowLeadingZeros(false)
            .allowBinary(false)
            .setRangeOptions(inet.ipaddr.AddressStringParameters.RangeParameters.NO_RANGE)
            .getParentBuilder()
            .getIPv6AddressParametersBuilder()
            .allowZone(false)
            .allowBase85(false)
            .allowBinary(false)
            .setRangeOptions(inet.ipaddr.AddressStringParameters.RangeParameters.NO_RANGE)
            .getParentBuilder()
            .toParams();

    static Address of(String text) throws AddressStringException {
      return Address.ofBytes(new IPAddressString(text, STRICT).toAddress().getBytes());
    }
  }

  public static Prefix prefix(String text) throws BadLiteralException {
    BadLiteralException masked = OtherSpellings.masked(text);
    if (masked != null) {
      throw masked;
    }
    int slash = text.indexOf('/');
    if (slash < 0) {
      throw new BadLiteralException(
          "'" + text + "' has no prefix length", "write it as in 192.0.2.0/24");
    }
    Address address = address(text.substring(0, slash));
    String length = text.substring(slash + 1);
    int bits = address.family().bits();
    if (!NUMBER.matcher(length).matches() || Integer.parseInt(length) > bits) {
      throw new BadLiteralException(
          "'" + length + "' is no prefix length of " + address.family(),
          "write a number from 0 to " + bits);
    }
    Prefix prefix = Prefix.around(address, Integer.parseInt(length));
    if (!prefix.first().equals(address)) {
      throw new BadLiteralException(
          "'" + text + "' has host bits set",
          "the prefix is " + prefix + "; a single address is written without '/'");
    }
    return prefix;
  }

  /** An address, prefix or range of addresses. */
  public static AddressSet addresses(String text) throws BadLiteralException {
    BadLiteralException pasted = OtherSpellings.pastedDash(text);
    if (pasted != null) {
      throw pasted;
    }
    int dash = text.indexOf('-');
    if (dash >= 0) {
      String begin = text.substring(0, dash).strip();
      String end = text.substring(dash + 1).strip();
      Address first = address(begin);
      if (!end.equals(OtherSpellings.lastOf(begin, end))) {
        throw new BadLiteralException(
            "the range '" + text + "' ends with a number, not with an address",
            "write both ends in full: " + begin + "-" + OtherSpellings.lastOf(begin, end));
      }
      Address last = address(end);
      if (first.family() != last.family()) {
        throw new BadLiteralException(
            "'" + text + "' begins and ends in different families", "write two ranges");
      }
      if (first.compareTo(last) > 0) {
        throw new BadLiteralException(
            "the range '" + text + "' is backwards", "write " + last + "-" + first);
      }
      return AddressSet.of(List.of(new AddressRange(first, last)));
    }
    return text.indexOf('/') >= 0 || OtherSpellings.masked(text) != null
        ? AddressSet.ofPrefixes(List.of(prefix(text)))
        : AddressSet.of(address(text));
  }

  /** One port. */
  public static int port(String text) throws BadLiteralException {
    if (!NUMBER.matcher(text).matches()) {
      throw new BadLiteralException("'" + text + "' is no port", "write a number from 0 to 65535");
    }
    int port = Integer.parseInt(text);
    if (port > PortSet.HIGHEST) {
      throw new BadLiteralException(
          "port " + text + " is over 65535", "write a number from 0 to 65535");
    }
    return port;
  }

  /** A port or a range of ports. */
  public static PortSet ports(String text) throws BadLiteralException {
    Matcher matcher = PORTS.matcher(text);
    BadLiteralException pasted = OtherSpellings.pastedDash(text);
    if (pasted != null) {
      throw pasted;
    }
    if (!matcher.matches()) {
      throw new BadLiteralException(
          "'" + text + "' is no port", "write a port such as 502, or a range such as 8000-8010");
    }
    int first = port(matcher.group(1));
    int last = matcher.group(2) == null ? first : port(matcher.group(2));
    if (first > last) {
      throw new BadLiteralException(
          "the port range '" + text + "' is backwards", "write " + last + "-" + first);
    }
    return PortSet.range(first, last);
  }

  /** Whether a text is meant as a literal service: it has a slash, or begins with a digit. */
  public static boolean looksLikeService(String text) {
    return text.indexOf('/') >= 0
        || (!text.isEmpty() && Character.isDigit(text.charAt(0)))
        || text.toLowerCase(Locale.ROOT).startsWith("protocol ")
        || IcmpMessages.areMeantBy(text.toLowerCase(Locale.ROOT));
  }

  /** What is meant by {@code 80,443/tcp}, as a list; null for any other text. */
  public static @Nullable String severalServices(String text) {
    Matcher several = SEVERAL.matcher(text.toLowerCase(Locale.ROOT));
    if (!several.matches()) {
      return null;
    }
    List<String> each = new ArrayList<>();
    for (String port : several.group(1).split(",", -1)) {
      each.add(port.strip() + "/" + several.group(2));
    }
    return each.toString();
  }

  /**
   * {@code 443/tcp}, {@code 53/tcp+udp}, {@code 8000-8010/udp}, {@code icmp 3/4}, or {@code
   * protocol 47}.
   */
  public static List<ServicePart> service(String text) throws BadLiteralException {
    String lower = text.toLowerCase(Locale.ROOT);
    if (lower.startsWith("protocol ")) {
      String number = lower.substring("protocol ".length()).strip();
      if (!NUMBER.matcher(number).matches() || Integer.parseInt(number) > 255) {
        throw new BadLiteralException(
            "'" + number + "' is no protocol number", "write a number from 0 to 255");
      }
      return List.of(ServicePart.all(Integer.parseInt(number)));
    }
    ServicePart message = IcmpMessages.read(lower);
    if (message != null) {
      return List.of(message);
    }
    Matcher reversed = REVERSED.matcher(lower);
    if (reversed.matches()) {
      throw new BadLiteralException(
          "'" + text + "' is the wrong way round",
          "write " + reversed.group(2) + "/" + reversed.group(1));
    }
    String several = severalServices(text);
    if (several != null) {
      throw new BadLiteralException(
          "'" + text + "' is several services in one", "write a list: " + several);
    }
    Matcher matcher = SERVICE.matcher(lower);
    if (!matcher.matches()) {
      throw new BadLiteralException(
          "'" + text + "' is no service",
          PORTS.matcher(lower).matches()
              ? "say which protocol: " + text + "/tcp or " + text + "/udp"
              : "write a port and protocol such as 443/tcp");
    }
    PortSet ports = ports(matcher.group(1));
    List<ServicePart> parts = new ArrayList<>();
    for (String name : matcher.group(2).split("\\+", -1)) {
      int protocol = Protocol.number(name);
      if (!Protocol.hasPorts(protocol)) {
        throw new BadLiteralException(
            "'" + name + "' is no protocol with ports", "write tcp, udp or tcp+udp");
      }
      parts.add(new ServicePart(protocol, ports, Icmp.NO_TYPE));
    }
    return parts;
  }
}
