// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.capture;

import java.io.BufferedOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.nio.charset.StandardCharsets;

/** Writes captures, as pcapng (draft-ietf-opsawg-pcapng) or pcap (draft-ietf-opsawg-pcap). */
public final class CaptureWriter {
  private static final int ETHERNET = 1;
  private static final int SNAPPED_AT = 262_144;
  private static final long MILLION = 1_000_000;

  private CaptureWriter() {}

  /**
   * Writes pcapng: an interface for each viewpoint with its name, and with each frame its direction
   * and what was decided about it there.
   */
  public static void pcapng(Capture capture, OutputStream to) throws IOException {
    OutputStream out = new BufferedOutputStream(to);
    Bytes section = new Bytes().put32(0x1a2b3c4d).put16(1).put16(0).put32(-1).put32(-1);
    option(section, 4, text("Eskerfield"));
    end(section);
    block(out, 0x0a0d0d0a, section);
    for (Viewpoint view : capture.views()) {
      Bytes own = new Bytes().put16(ETHERNET).put16(0).put32(0);
      option(own, 2, text(view.toString()));
      option(own, 9, new byte[] {6});
      end(own);
      block(out, 1, own);
    }
    for (Capture.Sighting seen : capture.sightings()) {
      Bytes packet = new Bytes().put32(seen.view()).put32(seen.at() >>> 32).put32(seen.at());
      packet.put32(seen.frame().length).put32(seen.frame().length);
      padded(packet, seen.frame());
      for (String remark : seen.remarks()) {
        option(packet, 1, text(remark));
      }
      option(packet, 2, new Bytes().put32(seen.leaves() ? 2 : 1).toArray());
      end(packet);
      block(out, 6, packet);
    }
    out.flush();
  }

  /**
   * Writes pcap, which knows no interfaces: what two viewpoints have seen of a packet stands there
   * as two packets.
   */
  public static void pcap(Capture capture, OutputStream to) throws IOException {
    OutputStream out = new BufferedOutputStream(to);
    out.write(
        new Bytes()
            .put32(0xa1b2c3d4L)
            .put16(2)
            .put16(4)
            .put32(0)
            .put32(0)
            .put32(SNAPPED_AT)
            .put32(ETHERNET)
            .toArray());
    for (Capture.Sighting seen : capture.sightings()) {
      Bytes packet = new Bytes().put32(seen.at() / MILLION).put32(seen.at() % MILLION);
      packet.put32(seen.frame().length).put32(seen.frame().length).put(seen.frame());
      out.write(packet.toArray());
    }
    out.flush();
  }

  private static byte[] text(String text) {
    byte[] bytes = text.getBytes(StandardCharsets.UTF_8);
    return bytes.length <= LONGEST
        ? bytes
        : text.substring(0, LONGEST / 4).getBytes(StandardCharsets.UTF_8);
  }

  /** The longest text of an option, in bytes. */
  private static final int LONGEST = 60_000;

  private static void option(Bytes to, int code, byte[] value) {
    to.put16(code).put16(value.length);
    padded(to, value);
  }

  private static void end(Bytes to) {
    to.put32(0);
  }

  private static void padded(Bytes to, byte[] value) {
    to.put(value).put(new byte[-value.length & 3]);
  }

  private static void block(OutputStream out, long type, Bytes body) throws IOException {
    byte[] bytes = body.toArray();
    int length = bytes.length + 12;
    out.write(new Bytes().put32(type).put32(length).put(bytes).put32(length).toArray());
  }
}
