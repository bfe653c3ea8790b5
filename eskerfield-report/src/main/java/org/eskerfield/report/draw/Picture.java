// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.report.draw;

import com.github.weisj.jsvg.SVGDocument;
import com.github.weisj.jsvg.parser.DocumentLimits;
import com.github.weisj.jsvg.parser.LoaderContext;
import com.github.weisj.jsvg.parser.SVGLoader;
import java.awt.Graphics2D;
import java.awt.RenderingHints;
import java.awt.image.BufferedImage;
import java.io.ByteArrayInputStream;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import javax.imageio.ImageIO;

/** Turns pictures into pixels. */
public final class Picture {
  /** A map of hundreds of devices has more lines than a reader of strangers' files lets in. */
  private static final DocumentLimits LIMITS =
      new DocumentLimits(
          DocumentLimits.DEFAULT_MAX_NESTING_DEPTH,
          DocumentLimits.DEFAULT_MAX_USE_NESTING_DEPTH,
          Integer.MAX_VALUE);

  private static final long MOST_PIXELS = 200_000_000;

  private Picture() {}

  /**
   * A picture as PNG (ISO/IEC 15948).
   *
   * @param svg a picture of this package, with {@link Theme#LIGHT} or {@link Theme#DARK}
   * @param scale pixels for each of the picture's, such as 2 for a sharp screen; above 0
   * @throws IOException if the machine has no letters to draw with
   */
  public static byte[] png(String svg, double scale) throws IOException {
    try {
      return drawn(svg, scale);
    } catch (InternalError | LinkageError e) {
      throw new IOException("this machine has no fonts to write with; install one, or draw SVG", e);
    }
  }

  private static byte[] drawn(String svg, double scale) throws IOException {
    SVGDocument document =
        new SVGLoader()
            .load(
                new ByteArrayInputStream(svg.getBytes(StandardCharsets.UTF_8)),
                null,
                LoaderContext.builder().documentLimits(LIMITS).build());
    if (document == null) {
      throw new IOException("this is no picture in SVG");
    }
    // A last row of pixels that the picture covers only in part would be a dark line.
    int width = Math.max(1, (int) (document.size().width * scale));
    int height = Math.max(1, (int) (document.size().height * scale));
    if ((long) width * height > MOST_PIXELS) {
      throw new IOException(
          "the picture would have "
              + width
              + " x "
              + height
              + " pixels; lower --scale, show a part with --around, or draw SVG");
    }
    BufferedImage image = new BufferedImage(width, height, BufferedImage.TYPE_INT_RGB);
    Graphics2D graphics = image.createGraphics();
    graphics.setRenderingHint(RenderingHints.KEY_ANTIALIASING, RenderingHints.VALUE_ANTIALIAS_ON);
    graphics.setRenderingHint(
        RenderingHints.KEY_TEXT_ANTIALIASING, RenderingHints.VALUE_TEXT_ANTIALIAS_ON);
    graphics.scale(scale, scale);
    document.render(null, graphics);
    graphics.dispose();
    ByteArrayOutputStream bytes = new ByteArrayOutputStream();
    ImageIO.write(image, "png", bytes);
    return bytes.toByteArray();
  }
}
