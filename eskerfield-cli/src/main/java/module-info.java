// SPDX-License-Identifier: Apache-2.0
/** The command-line tool; a program, not a library. */
module org.eskerfield.cli {
  requires ch.qos.logback.classic;
  requires ch.qos.logback.core;
  requires info.picocli;
  requires me.tongfei.progressbar;
  requires org.eskerfield.git;
  requires org.eskerfield.report;
  requires static org.jspecify;
  requires org.slf4j;

  provides ch.qos.logback.classic.spi.Configurator with
      org.eskerfield.cli.Faults;
}
