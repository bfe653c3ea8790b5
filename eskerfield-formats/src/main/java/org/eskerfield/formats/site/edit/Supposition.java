// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.edit;

import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Deque;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.eskerfield.formats.UnreadableSiteException;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.literal.Similar;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.formats.yaml.Node;
import org.eskerfield.formats.yaml.SourceText;
import org.eskerfield.formats.yaml.YamlParser;
import org.eskerfield.model.Device;
import org.eskerfield.model.Place;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Site;
import org.eskerfield.model.TranslationRule;
import org.jspecify.annotations.Nullable;

/**
 * A site with some settings of a device or a translation rule as they might be: {@code everybody
 * else: ports-per-source=64; udp=60s}. Keys are those of the site file, {@code pool} or one of
 * {@code state}; what a value may be, the reader of the site file decides.
 */
public final class Supposition {
  private Supposition() {}

  /**
   * The site as it would be.
   *
   * @param file the name that messages call the site file by
   * @param text the site file
   * @param folder where files are that it names; null if it may not name any
   * @param supposition the name of a device or rule, a colon, and settings between semicolons
   * @throws UnusableQuestionException if that names nothing of the site
   * @throws UnreadableSiteException if a value cannot be used
   */
  public static Site of(String file, String text, @Nullable Path folder, String supposition)
      throws UnusableQuestionException, UnreadableSiteException, IOException {
    Site site = read(file, text, folder);
    int equals = supposition.indexOf('=');
    int colon = equals < 0 ? -1 : supposition.lastIndexOf(':', equals);
    if (colon < 0) {
      throw wrong(
          "'" + supposition + "' names no setting",
          "write NAME: KEY=VALUE, such as 'office: pool=192.0.2.68-192.0.2.79' or 'edge: udp=60s'");
    }
    Placed owner = owner(site, supposition.substring(0, colon).strip());
    Node.Mapping mapping = mapping(file, text, owner.place());
    List<Edit> edits = new ArrayList<>();
    Map<String, Object> state = new LinkedHashMap<>();
    for (String part : supposition.substring(colon + 1).split(";", -1)) {
      int at = part.indexOf('=');
      String key = at < 0 ? part.strip() : part.substring(0, at).strip();
      if (at < 0 || key.isEmpty()) {
        throw wrong("'" + part.strip() + "' sets nothing", "write KEY=VALUE");
      }
      Object value = value(part.substring(at + 1).strip());
      if (key.equals("pool") && owner instanceof TranslationRule) {
        edits.add(new Edit.Put(owner.place(), key, value));
      } else {
        state.put(key, value);
      }
    }
    Node kept = child(mapping, "state");
    if (kept instanceof Node.Mapping there) {
      state.forEach((key, value) -> edits.add(new Edit.Put(there.place(), key, value)));
    } else if (!state.isEmpty()) {
      edits.add(new Edit.Put(owner.place(), "state", state));
    }
    try {
      return read(file, SiteEditor.edited(text, edits), folder);
    } catch (IllegalArgumentException e) {
      throw wrong("'" + supposition + "' cannot be supposed: " + e.getMessage(), "change a copy");
    }
  }

  private static Site read(String file, String text, @Nullable Path folder)
      throws UnreadableSiteException, IOException {
    InputStream in = new ByteArrayInputStream(text.getBytes(StandardCharsets.UTF_8));
    return SiteReader.read(file, in, folder).site();
  }

  private static Object value(String text) {
    return text.matches("[0-9]{1,9}")
        ? (Object) Integer.valueOf(text)
        : text.equals("true") || text.equals("false") ? (Object) Boolean.valueOf(text) : text;
  }

  /**
   * A device, or else a translation rule; of several by one name {@code DEVICE/RULE} says which.
   */
  private static Placed owner(Site site, String name) throws UnusableQuestionException {
    Device device = site.devices().get(name);
    if (device != null) {
      return device;
    }
    List<String> names = new ArrayList<>(site.devices().keySet());
    List<TranslationRule> found = new ArrayList<>();
    List<String> whose = new ArrayList<>();
    for (Device each : site.devices().values()) {
      for (TranslationRule rule : each.translation()) {
        names.add(rule.name());
        if (rule.name().equals(name) || (each.name() + "/" + rule.name()).equals(name)) {
          found.add(rule);
          whose.add(each.name() + "/" + rule.name());
        }
      }
    }
    if (found.size() == 1) {
      return found.get(0);
    }
    throw found.isEmpty()
        ? wrong(
            "no device and no translation rule is called '" + name + "'",
            Similar.didYouMean(name, names, "name a device or one of its translation rules"))
        : wrong(
            "several rules are called '" + name + "'", "write one of " + String.join(", ", whose));
  }

  private static Node.Mapping mapping(String file, String text, Place place)
      throws UnusableQuestionException {
    Deque<Node> left = new ArrayDeque<>();
    Node root = YamlParser.parse(new SourceText(file, text)).root();
    if (root != null) {
      left.add(root);
    }
    while (!left.isEmpty()) {
      Node node = left.remove();
      if (node instanceof Node.Sequence list) {
        left.addAll(list.items());
      } else if (node instanceof Node.Mapping mapping) {
        if (isAt(mapping.place(), place)) {
          return mapping;
        }
        for (Node.Entry entry : mapping.entries()) {
          if (isAt(entry.key().place(), place) && entry.value() instanceof Node.Mapping own) {
            return own;
          }
          left.add(entry.value());
        }
      }
    }
    throw wrong("what is at " + place + " has no settings", "change a copy of the file");
  }

  private static boolean isAt(Place one, Place other) {
    return one.line() == other.line() && one.column() == other.column();
  }

  private static @Nullable Node child(Node.Mapping mapping, String key) {
    for (Node.Entry entry : mapping.entries()) {
      if (entry.key().text().equals(key)) {
        return entry.value();
      }
    }
    return null;
  }

  private static UnusableQuestionException wrong(String message, String remedy) {
    return new UnusableQuestionException("if", message, remedy);
  }
}
