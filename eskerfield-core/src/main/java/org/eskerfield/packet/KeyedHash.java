// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.packet;

import java.io.DataInputStream;
import java.io.File;
import java.io.FileInputStream;
import java.io.IOException;
import java.security.SecureRandom;
import java.util.concurrent.atomic.AtomicLong;

/**
 * A hash of words under a key that nobody can know before the program starts, so that no file can
 * be written whose addresses and ports all meet in one slot of a table.
 *
 * <p>Idea: both words are masked with the key and multiplied; the two halves of the product, which
 * hang on every bit of both words and of the key, are laid over each other. Who does not know the
 * key finds colliding words no faster than by chance. Cost: three multiplications. Keys come from
 * the randomness of the system, taken once, and a counter. Only where things lie in memory hangs on
 * them: nothing that is shown may be in the order of a hash.
 *
 * @param first masks the first word
 * @param second masks the second word
 */
public record KeyedHash(long first, long second) {
  /** Where the randomness of the system is a file, it costs no start of a provider. */
  private static final File SYSTEM = new File("/dev/urandom");

  private static final long ODD = 0x9e3779b97f4a7c15L;
  private static final KeyedHash SEED = seed();
  private static final AtomicLong DRAWN = new AtomicLong();

  /** A hash with a key of its own. */
  public static KeyedHash fresh() {
    long number = 2 * DRAWN.incrementAndGet();
    return new KeyedHash(SEED.of(number, 0), SEED.of(number + 1, 0));
  }

  private static KeyedHash seed() {
    if (SYSTEM.exists()) {
      try (DataInputStream random = new DataInputStream(new FileInputStream(SYSTEM))) {
        return new KeyedHash(random.readLong(), random.readLong());
      } catch (IOException e) {
        // Not to be read here; the provider of the platform knows another way.
      }
    }
    SecureRandom random = new SecureRandom();
    return new KeyedHash(random.nextLong(), random.nextLong());
  }

  /** The hash of two words; of more, one after the other with the hash so far. */
  public long of(long word, long other) {
    long a = word ^ first;
    long b = other ^ second;
    long mixed = ((a * b) ^ Math.multiplyHigh(a, b)) * ODD;
    return mixed ^ (mixed >>> 32);
  }
}
