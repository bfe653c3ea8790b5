// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.report;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.assertj.core.api.Assertions.within;

import java.io.ByteArrayInputStream;
import java.io.StringReader;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import javax.imageio.ImageIO;
import javax.xml.parsers.DocumentBuilderFactory;
import org.eskerfield.formats.ask.QuestionReader;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.HostBuilder;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Network;
import org.eskerfield.model.Site;
import org.eskerfield.report.draw.Lettering;
import org.eskerfield.report.draw.Picture;
import org.eskerfield.report.draw.Theme;
import org.eskerfield.report.map.SiteMap;
import org.eskerfield.report.page.ConversationPicture;
import org.eskerfield.trace.Tracer;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.MethodSource;
import org.w3c.dom.Document;
import org.w3c.dom.Element;
import org.w3c.dom.NodeList;
import org.xml.sax.InputSource;

/** A map shows everything, and nothing on it covers anything else. */
class SiteMapTest {
  @TempDir Path folder;

  /** A rectangle or a line of text, as far as it reaches. */
  record Area(String what, double left, double top, double right, double bottom) {
    boolean meets(Area other) {
      return left < other.right && other.left < right && top < other.bottom && other.top < bottom;
    }

    boolean holds(Area other) {
      return left <= other.left + 0.5
          && right >= other.right - 0.5
          && top <= other.top + 0.5
          && bottom >= other.bottom - 0.5;
    }
  }

  static Document parsed(String svg) throws Exception {
    return DocumentBuilderFactory.newInstance()
        .newDocumentBuilder()
        .parse(new InputSource(new StringReader(svg)));
  }

  private static List<Element> elements(Document document, String name) {
    NodeList list = document.getElementsByTagName(name);
    List<Element> all = new ArrayList<>();
    for (int i = 0; i < list.getLength(); i++) {
      all.add((Element) list.item(i));
    }
    return all;
  }

  private static double number(Element of, String name) {
    return Double.parseDouble(of.getAttribute(name));
  }

  private static List<Area> boxes(Document document) {
    return rectangles(document, List.of("box", "box tunnel", "device"));
  }

  private static List<Area> rectangles(Document document, List<String> styles) {
    List<Area> boxes = new ArrayList<>();
    for (Element each : elements(document, "rect")) {
      String style = each.getAttribute("class");
      if (styles.contains(style)) {
        double x = number(each, "x");
        double y = number(each, "y");
        boxes.add(new Area(style, x, y, x + number(each, "width"), y + number(each, "height")));
      }
    }
    return boxes;
  }

  /**
   * The texts, for a map those within its group, where they reach with the widest common letters.
   */
  static List<Area> texts(Document document, boolean ofMap) {
    List<Area> texts = new ArrayList<>();
    for (Element each : elements(document, "text")) {
      if (ofMap && !"g".equals(each.getParentNode().getNodeName())) {
        continue;
      }
      String said = each.getLastChild().getTextContent();
      double size = number(each, "font-size");
      boolean bold = List.of("strong", "end", "changed").contains(each.getAttribute("class"));
      double width = Lettering.width(said, size, bold);
      String anchor = each.getAttribute("text-anchor");
      double x =
          number(each, "x")
              - width * (anchor.equals("end") ? 1 : anchor.equals("middle") ? 0.5 : 0);
      double y = number(each, "y");
      texts.add(new Area(said, x, y - size * 0.75, x + width, y + size * 0.2));
    }
    return texts;
  }

  /** The crosses where a way ended, but for that of the legend, with what they say. */
  static List<Area> crosses(Document document) {
    List<Area> crosses = new ArrayList<>();
    for (Element each : elements(document, "path")) {
      NodeList tips = each.getElementsByTagName("title");
      if (each.getAttribute("class").equals("cross") && tips.getLength() > 0) {
        String[] points = each.getAttribute("d").split("[ML ]");
        double[] ends = new double[4];
        for (int i = 0; i < 4; i++) {
          ends[i] = Double.parseDouble(points[i + 1]);
        }
        crosses.add(new Area(tips.item(0).getTextContent(), ends[0], ends[1], ends[2], ends[3]));
      }
    }
    return crosses;
  }

  static void assertNothingIsCovered(String of, String svg) throws Exception {
    Document document = parsed(svg);
    List<Area> boxes = boxes(document);
    List<Area> texts = texts(document, true);
    String[] view = document.getDocumentElement().getAttribute("viewBox").split(" ");
    Area whole = new Area("", 0, -40, Double.parseDouble(view[2]), Double.parseDouble(view[3]));
    for (int i = 0; i < boxes.size(); i++) {
      assertThat(whole.holds(boxes.get(i))).as("%s: a box reaches out", of).isTrue();
      for (int k = 0; k < i; k++) {
        assertThat(boxes.get(i).meets(boxes.get(k)))
            .as("%s: %s and %s", of, boxes.get(i), boxes.get(k))
            .isFalse();
      }
    }
    // In the area of a zone stand its networks as a whole, and nothing else.
    List<Area> areas = rectangles(document, List.of("area"));
    for (Area area : areas) {
      assertThat(boxes).as(of).allMatch(box -> area.holds(box) || !area.meets(box));
      assertThat(areas).as(of).allMatch(other -> other.equals(area) || !other.meets(area));
    }
    double lowest = boxes.stream().mapToDouble(Area::bottom).max().orElseThrow();
    for (int i = 0; i < texts.size(); i++) {
      Area text = texts.get(i);
      // Below all boxes stands what became of a way.
      boolean held =
          boxes.stream().anyMatch(box -> box.holds(text))
              || areas.stream().anyMatch(area -> area.holds(text) && isFree(text, boxes));
      assertThat(text.top() > lowest || held)
          .as("%s: %s reaches out of its box", of, text)
          .isTrue();
      for (int k = 0; k < i; k++) {
        assertThat(text.meets(texts.get(k))).as("%s: %s and %s", of, text, texts.get(k)).isFalse();
      }
      for (Area cross : crosses(document)) {
        assertThat(cross.meets(text)).as("%s: %s and %s", of, cross, text).isFalse();
      }
    }
  }

  private static boolean isFree(Area text, List<Area> boxes) {
    return boxes.stream().noneMatch(text::meets);
  }

  static List<Path> sites() throws Exception {
    return DrawnSites.all();
  }

  @ParameterizedTest
  @MethodSource("sites")
  void everythingIsThereAndNothingIsCovered(Path file) throws Exception {
    Site site = SiteReader.read(file);
    String svg = SiteMap.of(site).svg(Theme.SYSTEM);
    assertNothingIsCovered(file.getFileName().toString(), svg);
    List<String> tips = new ArrayList<>();
    elements(parsed(svg), "title").forEach(tip -> tips.add(tip.getTextContent()));
    String all = String.join("\n", tips);
    for (Network network : site.networks().values()) {
      assertThat(svg)
          .contains(">" + network.name() + "<")
          .contains(network.prefixes().get(0) + "<");
      assertThat(all).contains(network.place().toString());
    }
    for (Device device : site.devices().values()) {
      assertThat(svg).contains(">" + device.name() + "<");
      assertThat(all).contains(device.place().toString());
      for (Interface own : device.interfaces()) {
        assertThat(svg)
            .contains(">" + own.name() + "<")
            .contains(">" + own.addresses().get(0) + "<");
        assertThat(all).contains(own.place().toString());
      }
    }
    for (Host host : site.hosts().values()) {
      assertThat(all).contains(host.place().toString());
    }
  }

  /** Of one device its own networks are shown, with everybody on them, and nothing behind those. */
  @ParameterizedTest
  @CsvSource({
    "breakwater, 'lockhouse, skerry', 'office, boats, plant, transit, tunnel', 'quay, pier'",
    "lockhouse, breakwater, 'transit, quay', 'office, tunnel, skerry, harbour-link'",
    "skerry, breakwater, 'tunnel, pier, skerry-link', 'office, transit, lockhouse'"
  })
  void aroundADeviceStandsWhatItIsOn(String focus, String besides, String on, String not)
      throws Exception {
    Site site = SiteReader.read(DrawnSites.DEMO);
    Device device = site.devices().get(focus);
    String svg = SiteMap.around(site, device).svg(Theme.LIGHT);
    assertNothingIsCovered(focus, svg);
    List<String> titles = new ArrayList<>();
    elements(parsed(svg), "text").forEach(each -> titles.add(each.getLastChild().getTextContent()));
    assertThat(titles).contains(focus).contains(besides.split(", ")).contains(on.split(", "));
    assertThat(titles).doesNotContain(not.split(", "));
    assertThat(svg).contains(" more interfaces<");
  }

  @Test
  void aPictureOfAnySizeBecomesPixelsOrSaysWhatWould() throws Exception {
    String many = "<rect width='2' height='2'/>".repeat(5000);
    String svg = "<svg xmlns='http://www.w3.org/2000/svg' width='3000' height='2000'>%s</svg>";
    assertThat(ImageIO.read(new ByteArrayInputStream(Picture.png(svg.formatted(many), 0.1))))
        .satisfies(image -> assertThat(image.getWidth()).isEqualTo(300));
    assertThatThrownBy(() -> Picture.png(svg.formatted(""), 10))
        .hasMessageContaining("30000 x 20000 pixels; lower --scale");
  }

  /** A site that is too large keeps every network, each as a line of the box behind its device. */
  @Test
  void manyNetworksBehindADeviceStandInOneBox() throws Exception {
    StringBuilder networks = new StringBuilder();
    StringBuilder devices = new StringBuilder();
    for (int d = 0; d < 9; d++) {
      devices.append("  d%1$d:\n    stance: drop\n    interfaces:\n".formatted(d));
      devices.append("      up: { on: spine, at: 10.0.0.%d }\n".formatted(d + 1));
      for (int n = 0; n < 7; n++) {
        networks.append(
            "  n%1$d-%2$d: { prefix: 10.%1$d.%2$d.0/24, zone: z }\n".formatted(d + 1, n));
        devices.append("      p%2$d: { on: n%1$d-%2$d, at: 10.%1$d.%2$d.1 }\n".formatted(d + 1, n));
      }
    }
    Path file = folder.resolve("many.site.yaml");
    Files.writeString(
        file,
        "eskerfield: 1\nsite: Many\nnetworks:\n  spine: { prefix: 10.0.0.0/24, zone: s }\n"
            + networks
            + "devices:\n"
            + devices
            + "      down: { on: apart, at: 10.200.0.1, state: no link }\n");
    Files.writeString(
        file,
        Files.readString(file)
            .replace("networks:\n", "networks:\n  apart: { prefix: 10.200.0.0/24, zone: a }\n"));
    Site site = SiteReader.read(file);
    SiteMap map = SiteMap.of(site);
    String svg = map.svg(Theme.LIGHT);
    assertNothingIsCovered("many", svg);
    assertThat(Math.min(1280 / map.width(), 800 / map.height())).isGreaterThan(0.6);
    // What has no link is seen, and not folded away.
    assertThat(svg).contains(">apart<", ">(no link)<");
    for (int d = 1; d <= 9; d++) {
      assertThat(svg).contains(">7 networks behind d" + (d - 1) + "<");
      for (int n = 0; n < 7; n++) {
        assertThat(svg)
            .contains(
                ">n%1$d-%2$d 10.%1$d.%2$d.0/24, zone z; p%2$d 10.%1$d.%2$d.1<".formatted(d, n));
      }
    }
  }

  @ParameterizedTest
  @CsvSource({"1, 1, 1", "3, 12, 5", "3, 12, 40", "1, 40, 2"})
  void largeSitesFoldWhatDoesNotFit(int edges, int branches, int hosts) throws Exception {
    Site site = DrawnSites.company(edges, branches, hosts).site();
    String svg = SiteMap.of(site).svg(Theme.LIGHT);
    assertNothingIsCovered(edges + " " + branches + " " + hosts, svg);
    assertThat(svg).contains(">router-" + branches + "<");
    if (hosts > 16) {
      assertThat(svg)
          .contains(hosts + " hosts<")
          .containsPattern("host-1-39 \\([^)]*\\), host-1-40 \\(");
    }
    if (edges == 3 && hosts == 5) {
      assertThat(letters(svg)).isGreaterThan(8.5);
    }
  }

  /** How high the letters of a line are at 1280 by 800, in pixels. */
  private static double letters(String svg) {
    Matcher view = Pattern.compile("viewBox=\"0 0 (\\d+) (\\d+)\"").matcher(svg);
    assertThat(view.find()).isTrue();
    double width = Double.parseDouble(view.group(1));
    double height = Double.parseDouble(view.group(2));
    return 11 * Math.min(1, Math.min(1280 / width, 800 / height));
  }

  /** The first has 15 devices, 62 hosts and 23 networks; the second few, which are all shown. */
  @ParameterizedTest
  @CsvSource({"6, 6, 7.4", "1, 1, 8.5"})
  void deepSitesStayReadable(int branches, int floors, double size) throws Exception {
    Site site = DrawnSites.tree(branches, floors);
    String svg = SiteMap.of(site).svg(Theme.LIGHT);
    assertNothingIsCovered("tree", svg);
    assertThat(letters(svg)).isGreaterThan(size);
    String all = String.join("\n", texts(parsed(svg), true).stream().map(Area::what).toList());
    for (Network network : site.networks().values()) {
      assertThat(all).contains(network.name(), network.prefixes().get(0).toString());
      assertThat(all).contains("zone " + network.zone());
    }
    // Who is not shown stands in the tooltip of the number.
    for (Host host : site.hosts().values()) {
      assertThat(svg).contains(host.name());
    }
  }

  @Test
  void theWayGoesAlongTheLinesAndEndsWhereItEnded() throws Exception {
    Site site = SiteReader.read(DrawnSites.MISTAKES.resolve("reply-by-other-way.site.yaml"));
    ConversationPicture way =
        ConversationPicture.of(
            Tracer.of(site),
            QuestionReader.on(site).from("till").to("192.0.2.66").service("https").attempt());
    String map = way.map().svg(Theme.DARK);
    // In and out of both devices by the same lines, so twice over each of three; the reply is one
    // bow.
    assertThat(count(map, "class=\"request\"")).isEqualTo(2 * 3 + 1);
    assertThat(count(map, "class=\"reply\"")).isEqualTo(1 + 1);
    assertThat(map).contains("booking straight to till").contains("till discards it");
    assertNothingIsCovered("dark", SiteMap.of(site).svg(Theme.DARK));
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        // Who has no route sends a notice, who listens to nothing refuses, a lost reply ends late.
        "route-missing | clerk | 2001:db8::1 | https | breakwater | breakwater has no route",
        "nothing-listens | passenger | 192.0.2.66 | https | booking | booking refuses it",
        "return-route-missing | passenger | 192.0.2.66 | https | lockhouse | lockhouse has no route",
        "reply-by-other-way | till | 192.0.2.66 | https | till | till discards it",
        "sender-network-blocks | contractor | 203.0.113.33 | 1502/tcp | contractor | its network blocks 1502/tcp",
      })
  void theCrossStandsWhereItEndedWhateverComesBack(
      String file, String from, String to, String service, String where, String why)
      throws Exception {
    Path path = DrawnSites.MISTAKES.resolve(file + ".site.yaml");
    String text = Files.readString(path);
    // A second family, for which nothing is routed.
    text = text.replace("at: 10.44.8.31", "at: [10.44.8.31, '2001:db8:8::31']");
    text = text.replace("prefix: 10.44.8.0/24", "prefix: [10.44.8.0/24, '2001:db8:8::/64']");
    text = text.replace("at: 10.44.8.1 }", "at: [10.44.8.1, '2001:db8:8::1'] }");
    Site site = SiteReader.read(file, text);
    ConversationPicture way =
        ConversationPicture.of(
            Tracer.of(site), QuestionReader.on(site).from(from).to(to).service(service).attempt());
    Document map = parsed(way.map().svg(Theme.LIGHT));
    Area cross = crosses(map).get(0);
    assertThat(crosses(map)).hasSize(1);
    assertThat(cross.what()).contains(why);
    Area name =
        texts(map, true).stream()
            .filter(each -> each.what().split(" ")[0].equals(where))
            .findFirst()
            .orElseThrow();
    Area box = boxes(map).stream().filter(each -> each.holds(name)).findFirst().orElseThrow();
    assertThat((cross.left() + cross.right()) / 2).as(where).isCloseTo(box.right(), within(0.6));
    boolean device = box.what().equals("device");
    assertThat((cross.top() + cross.bottom()) / 2)
        .as(where)
        .isBetween(device ? box.top() - 1 : name.top(), device ? box.top() + 1 : name.bottom());
  }

  private static int count(String text, String part) {
    return text.split(Pattern.quote(part), -1).length - 1;
  }

  @Test
  void strangersAreDrawnAndHostilNamesStayText() throws Exception {
    Site site =
        SiteReader.read(
            "x.site.yaml",
            """
            eskerfield: 1
            site: '</svg><img src=x onerror=alert(1)>'
            networks:
              lan: { prefix: 10.1.0.0/24, zone: lan, note: ']]> <script>' }
            devices:
              edge:
                note: "</text><script>alert(1)</script>"
                stance: accept
                interfaces: { lan: { on: lan, at: 10.1.0.1, note: "' onload='x" } }
            """);
    // In code, a name can be anything.
    Network lan = site.networks().get("lan");
    String name = "\"</title><script>alert(1)</script>\u0000\ud800";
    Host plain = Host.unnamed(lan.prefixes().get(0).first(), lan);
    site =
        site.with(
            HostBuilder.builder()
                .name(name)
                .networks(plain.networks())
                .addresses(plain.addresses())
                .assigned(plain.assigned())
                .ownPrefixes(plain.ownPrefixes())
                .gateways(plain.gateways())
                .listens(plain.listens())
                .answersPing(true)
                .blocked(plain.blocked())
                .note(name)
                .place(plain.place())
                .build());
    for (Theme theme : Theme.values()) {
      String svg = SiteMap.of(site).svg(theme);
      assertThat(elements(parsed(svg), "script")).isEmpty();
      assertThat(elements(parsed(svg), "img")).isEmpty();
      assertNothingIsCovered("hostile", svg);
    }
    Site demo = SiteReader.read(DrawnSites.DEMO);
    String way =
        ConversationPicture.of(
                Tracer.of(demo),
                QuestionReader.on(demo)
                    .from("192.0.2.7")
                    .to("203.0.113.35")
                    .service("https")
                    .attempt())
            .map()
            .svg(Theme.LIGHT);
    assertThat(way).contains(">192.0.2.7<");
  }

  @Test
  void aPictureHasPixels() throws Exception {
    String svg = SiteMap.of(SiteReader.read(DrawnSites.DEMO)).svg(Theme.LIGHT);
    byte[] png = Picture.png(svg, 2);
    assertThat(ImageIO.read(new ByteArrayInputStream(png)).getWidth()).isEqualTo(2560);
  }
}
