// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.flow;

import java.io.IOException;
import java.util.List;
import org.eskerfield.formats.capture.UnreadableCaptureException;
import org.jspecify.annotations.Nullable;

/** Records of flows, in the order of their source. */
public interface FlowRecords extends AutoCloseable {
  /**
   * The next record; null at the end.
   *
   * @throws UnreadableCaptureException if the file is damaged so that nothing behind can be read
   * @throws IOException if the stream cannot be read
   */
  @Nullable FlowRecord next() throws IOException, UnreadableCaptureException;

  /** What could not be read or is to be known, a sentence each; whole once the end is reached. */
  List<String> remarks();

  @Override
  void close() throws IOException;
}
