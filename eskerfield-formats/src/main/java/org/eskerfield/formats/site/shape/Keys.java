// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.formats.site.shape;

import java.util.List;
import org.eskerfield.formats.site.shape.Shape.Text;
import org.eskerfield.formats.site.shape.Shape.Texts;
import org.eskerfield.formats.site.shape.Shape.Truth;
import org.eskerfield.formats.site.shape.Shape.Value;

/** What the shapes are made of: patterns of names, kinds of values, and keys that several have. */
final class Keys {
  private Keys() {}

  static final Value TITLE_TEXT = new Text(SiteShapes.TITLE, "a name");

  static final Value TEXT = new Text(null, "text");

  static final Value ADDRESS = new Text(null, "an address");

  static final Value ADDRESSES = new Texts("an address, or a list of them");

  static final Value TERMS =
      new Texts(
          "any, an address, prefix or range, or the name of a zone, network, host, group or device;"
              + " or a list of them");

  static final Value SERVICES =
      new Texts("a service such as 443/tcp, ping or https, or a list of them");

  static final Value INTERFACE =
      new Text(null, "the name of an interface of this device or of a zone, or any");

  static final Value INTERFACES =
      new Texts("the name of an interface of this device or of a zone, or any; or a list of them");

  static final Shape.Key NOTE = may("note", TEXT, "what a colleague should know", "since May");

  static final Shape.Key DISABLED =
      may("disabled", new Truth(), "whether the rule is kept but does not act", "true");

  static final Value IDLE = new Text(null, "a time such as 90s, 5m or 2h4m");

  static Shape shape(String name, Shape.Key... keys) {
    return new Shape(name, List.of(keys), List.of());
  }

  static Shape.Key must(String name, Value value, String purpose, String example) {
    return new Shape.Key(name, value, true, purpose, example);
  }

  static Shape.Key may(String name, Value value, String purpose, String example) {
    return new Shape.Key(name, value, false, purpose, example);
  }
}
