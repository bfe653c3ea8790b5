// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli;

import ch.qos.logback.classic.Level;
import ch.qos.logback.classic.Logger;
import ch.qos.logback.classic.LoggerContext;
import ch.qos.logback.classic.encoder.PatternLayoutEncoder;
import ch.qos.logback.classic.spi.Configurator;
import ch.qos.logback.classic.spi.ILoggingEvent;
import ch.qos.logback.core.AppenderBase;
import ch.qos.logback.core.ConsoleAppender;
import ch.qos.logback.core.Context;
import ch.qos.logback.core.OutputStreamAppender;
import ch.qos.logback.core.rolling.FixedWindowRollingPolicy;
import ch.qos.logback.core.rolling.RollingFileAppender;
import ch.qos.logback.core.rolling.SizeBasedTriggeringPolicy;
import ch.qos.logback.core.spi.ContextAwareBase;
import ch.qos.logback.core.util.FileSize;
import java.nio.file.Path;
import java.util.Map;
import org.jspecify.annotations.Nullable;
import org.slf4j.LoggerFactory;

/**
 * Where faults of the tool and warnings of its libraries go: a file in the user's folder for state,
 * made when there is something to write, and with {@code --debug} the screen as well. Loaded only
 * then, so that a start pays nothing for it.
 */
public final class Faults extends ContextAwareBase implements Configurator {
  private static final String LINE = "%d{ISO8601} %level %logger{0}: %msg%n%ex";

  /** Whether everything is to be shown on the screen as well. */
  private static boolean debug;

  /** From now on everything is shown on the screen as well. */
  static void showToo() {
    debug = true;
  }

  /**
   * Writes a fault down.
   *
   * @return the file where it stands; null if it could not be written
   */
  static @Nullable Path record(String what, Throwable fault) {
    Path file = file(System.getenv(), System.getProperty("user.home", "."));
    long before = file.toFile().length();
    LoggerFactory.getLogger("eskerfield").error(what, fault);
    return file.toFile().length() == before ? null : file;
  }

  /** The file, by the conventions of the system. */
  static Path file(Map<String, String> environment, String home) {
    String state = environment.get("XDG_STATE_HOME");
    String local = environment.get("LOCALAPPDATA");
    Path folder =
        state != null && !state.isBlank() && Path.of(state).isAbsolute()
            ? Path.of(state)
            : local != null && !local.isBlank() ? Path.of(local) : Path.of(home, ".local", "state");
    return folder.resolve("eskerfield").resolve("eskerfield.log");
  }

  @Override
  public ExecutionStatus configure(LoggerContext context) {
    Logger root = context.getLogger(Logger.ROOT_LOGGER_NAME);
    root.setLevel(debug ? Level.INFO : Level.WARN);
    Late late = new Late();
    late.setContext(context);
    late.start();
    root.addAppender(late);
    if (debug) {
      ConsoleAppender<ILoggingEvent> screen = new ConsoleAppender<>();
      screen.setTarget("System.err");
      start(screen, context);
      root.addAppender(screen);
    }
    return ExecutionStatus.DO_NOT_INVOKE_NEXT_IF_ANY;
  }

  /** A file that is made only when something is written into it; of 1 MB, and one before it. */
  private static final class Late extends AppenderBase<ILoggingEvent> {
    private @Nullable RollingFileAppender<ILoggingEvent> file;

    @Override
    protected void append(ILoggingEvent event) {
      if (file == null) {
        file = new RollingFileAppender<>();
        file.setContext(context);
        String name = file(System.getenv(), System.getProperty("user.home", ".")).toString();
        file.setFile(name);
        FixedWindowRollingPolicy window = new FixedWindowRollingPolicy();
        window.setContext(context);
        window.setParent(file);
        window.setFileNamePattern(name + ".%i");
        window.setMinIndex(1);
        window.setMaxIndex(1);
        window.start();
        SizeBasedTriggeringPolicy<ILoggingEvent> size = new SizeBasedTriggeringPolicy<>();
        size.setContext(context);
        size.setMaxFileSize(FileSize.valueOf("1 MB"));
        size.start();
        file.setRollingPolicy(window);
        file.setTriggeringPolicy(size);
        Faults.start(file, context);
      }
      file.doAppend(event);
    }
  }

  private static void start(OutputStreamAppender<ILoggingEvent> to, Context context) {
    PatternLayoutEncoder encoder = new PatternLayoutEncoder();
    encoder.setContext(context);
    encoder.setPattern(LINE);
    encoder.start();
    to.setContext(context);
    to.setEncoder(encoder);
    to.start();
  }
}
