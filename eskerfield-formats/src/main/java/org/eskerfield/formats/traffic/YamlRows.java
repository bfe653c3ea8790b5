// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.traffic;

import java.io.IOException;
import java.io.InputStream;
import java.io.InputStreamReader;
import java.io.Reader;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.Iterator;
import java.util.List;
import java.util.Map;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.literal.Similar;
import org.eskerfield.formats.yaml.WholeCharacters;
import org.eskerfield.program.Row;
import org.jspecify.annotations.Nullable;
import org.snakeyaml.engine.v2.api.LoadSettings;
import org.snakeyaml.engine.v2.api.lowlevel.Parse;
import org.snakeyaml.engine.v2.events.Event;
import org.snakeyaml.engine.v2.events.ScalarEvent;
import org.snakeyaml.engine.v2.exceptions.MarkedYamlEngineException;
import org.snakeyaml.engine.v2.exceptions.YamlEngineException;

/**
 * Rows of a YAML list of mappings, such as {@code - { at: 0s, from: kiosk, to: ramp, service: ping
 * }}. Read as events, so that a list of any length takes the memory of one row.
 */
final class YamlRows implements TrafficRows {
  private final String file;
  private final RowLimit in;
  private final Names names;
  private final Iterator<Event> events;
  private long line = 1;
  private boolean begun;

  YamlRows(String file, InputStream in, Names names) {
    this.file = file;
    this.in = new RowLimit(in);
    this.names = names;
    LoadSettings settings =
        LoadSettings.builder().setLabel(file).setCodePointLimit(Integer.MAX_VALUE).build();
    // As UTF-8 and nothing else; what is no character shows as one, and fits nothing.
    Reader text = new InputStreamReader(this.in, StandardCharsets.UTF_8);
    this.events = new Parse(settings).parseReader(new WholeCharacters(text)).iterator();
  }

  private Event event() throws UnreadableSiteException {
    try {
      Event event = events.next();
      event.getStartMark().ifPresent(mark -> line = mark.getLine() + 1L);
      return event;
    } catch (MarkedYamlEngineException e) {
      e.getProblemMark().ifPresent(mark -> line = mark.getLine() + 1L);
      throw bad("this is not YAML: " + e.getProblem(), "check indentation and quotes");
    } catch (YamlEngineException | UncheckedIOException e) {
      if (in.isExceeded()) {
        throw bad(RowLimit.MESSAGE, RowLimit.REMEDY);
      }
      throw bad("this cannot be read as YAML", "save the file as UTF-8");
    }
  }

  private UnreadableSiteException bad(String message, String remedy) {
    return TrafficReader.problem(file, line, message, remedy);
  }

  private UnreadableSiteException notAList() {
    return bad(
        "the file is no list of flows",
        "write - { at: 0s, from: kiosk, to: hydrographic, service: 8883/tcp }");
  }

  @Override
  public @Nullable Row next() throws UnreadableSiteException {
    in.ended();
    Event event = event();
    if (!begun) {
      begun = true;
      while (event.getEventId() == Event.ID.StreamStart
          || event.getEventId() == Event.ID.DocumentStart) {
        event = event();
      }
      if (event.getEventId() == Event.ID.StreamEnd) {
        return null;
      }
      if (event.getEventId() != Event.ID.SequenceStart) {
        throw notAList();
      }
      event = event();
    }
    if (event.getEventId() == Event.ID.SequenceEnd) {
      return null;
    }
    if (event.getEventId() != Event.ID.MappingStart) {
      throw notAList();
    }
    Map<String, String> values = new HashMap<>();
    long first = line;
    for (event = event(); event.getEventId() != Event.ID.MappingEnd; event = event()) {
      String name = scalar(event);
      if (!names.has(name)) {
        List<String> known = new ArrayList<>(names.needed());
        known.addAll(names.optional());
        throw bad(
            "unknown key '" + name + "'",
            Similar.didYouMean(name, known, "write " + String.join(", ", known)));
      }
      if (values.put(name, scalar(event())) != null) {
        throw bad("the key '" + name + "' stands here twice", "write it once");
      }
    }
    line = first;
    String action = values.getOrDefault(names.action(), "");
    boolean incident = action.equals("forget") || action.equals("restart");
    for (String name : names.needed()) {
      if (!values.containsKey(name) && !(incident && !name.equals("at"))) {
        throw bad("the flow lacks '" + name + "'", "add it");
      }
    }
    return name -> values.getOrDefault(name, "");
  }

  private String scalar(Event event) throws UnreadableSiteException {
    if (event instanceof ScalarEvent scalar) {
      return scalar.getValue();
    }
    throw bad("a flow has plain values only", "write one word or number behind each key");
  }

  @Override
  public long line() {
    return line;
  }

  @Override
  public void close() throws IOException {
    in.close();
  }
}
