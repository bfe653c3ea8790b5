// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.state;

/**
 * Draws by lot that anybody can draw again.
 *
 * <p>Idea: no generator whose state all draws share, but a function of the seed, the device, the
 * external address, the protocol and the number of the draw there. So a draw hangs on nothing that
 * happens elsewhere: not on other addresses, and not on where a run was cut in two. The mixing is
 * that of MurmurHash3's last step, which lets each bit of the key reach each bit of the result.
 */
final class Lot {
  private static final long SEED = 20260105;

  private final long device;

  /** The lots of a device. */
  Lot(String device) {
    long key = SEED;
    for (int i = 0; i < device.length(); i++) {
      key = mixed(key ^ device.charAt(i));
    }
    this.device = key;
  }

  /** The next draw at an address and protocol: a number from 0 on, below a bound. */
  int draw(PortSpace at, int bound) {
    long drawn = mixed(mixed(device ^ at.key) + at.nextDraw());
    return (int) ((drawn >>> 33) % bound);
  }

  private static long mixed(long key) {
    key = (key ^ key >>> 33) * 0xff51_afd7_ed55_8ccdL;
    key = (key ^ key >>> 33) * 0xc4ce_b9fe_1a85_ec53L;
    return key ^ key >>> 33;
  }
}
