package org.eskerfield.packet;

/**
 * A block of addresses that share their leading bits (RFC 4632 for IPv4, RFC 4291 for IPv6).
 *
 * @param first the lowest address of the block; all host bits are zero
 * @param length the number of leading bits: 0 to 32 or 0 to 128
 */
public record Prefix(Address first, int length) {
  /** Checks the length and that no host bit is set. */
  public Prefix {
    if (length < 0 || length > first.family().bits()) {
      throw new IllegalArgumentException(
          "the prefix length of "
              + first.family()
              + " is 0 to "
              + first.family().bits()
              + ", not "
              + length);
    }
    if (!mask(first, length, false).equals(first)) {
      throw new IllegalArgumentException(first + "/" + length + " has host bits set");
    }
  }

  /** The block of this length that holds the address. */
  public static Prefix around(Address address, int length) {
    return new Prefix(mask(address, length, false), length);
  }

  /** The block of one address. */
  public static Prefix of(Address address) {
    return new Prefix(address, address.family().bits());
  }

  /** The family of its addresses. */
  public Family family() {
    return first.family();
  }

  /**
   * The highest address of the block; in an IPv4 network of /30 or wider, its broadcast address.
   */
  public Address last() {
    return mask(first, length, true);
  }

  /** Whether the block holds the address; never true across families. */
  public boolean contains(Address address) {
    return address.family() == first.family() && mask(address, length, false).equals(first);
  }

  /**
   * Whether the address names the whole network rather than a member: its network or broadcast
   * address. Blocks of /31 and /32 (RFC 3021) and IPv6 blocks have neither.
   */
  public boolean isNetworkOrBroadcast(Address address) {
    return first.family() == Family.IPV4
        && length <= 30
        && (address.equals(first) || address.equals(last()));
  }

  /** The addresses of the block as a range. */
  public AddressRange range() {
    return new AddressRange(first, last());
  }

  private static Address mask(Address address, int length, boolean ones) {
    int hostBits = address.family().bits() - length;
    long highMask = hostBits <= 64 ? 0 : hostBits == 128 ? -1 : (1L << (hostBits - 64)) - 1;
    long lowMask = hostBits >= 64 ? -1 : (1L << hostBits) - 1;
    return ones
        ? new Address(address.family(), address.high() | highMask, address.low() | lowMask)
        : new Address(address.family(), address.high() & ~highMask, address.low() & ~lowMask);
  }

  /** {@code address/length}. */
  @Override
  public String toString() {
    return first + "/" + length;
  }
}
