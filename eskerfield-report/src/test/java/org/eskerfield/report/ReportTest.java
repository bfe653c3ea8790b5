// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.report;

import static org.assertj.core.api.Assertions.assertThat;
import static org.junit.jupiter.api.Assumptions.assumeTrue;

import java.io.File;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.time.ZonedDateTime;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import org.eskerfield.formats.ask.QuestionReader;
import org.eskerfield.formats.site.read.SiteFile;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.report.page.History;
import org.eskerfield.report.page.Report;
import org.eskerfield.state.VirtualClock;
import org.eskerfield.trace.Run;
import org.eskerfield.trace.Tracer;
import org.jspecify.annotations.Nullable;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.openqa.selenium.By;
import org.openqa.selenium.Dimension;
import org.openqa.selenium.JavascriptExecutor;
import org.openqa.selenium.Keys;
import org.openqa.selenium.WebElement;
import org.openqa.selenium.chrome.ChromeDriver;
import org.openqa.selenium.chrome.ChromeDriverService;
import org.openqa.selenium.chrome.ChromeOptions;
import org.openqa.selenium.interactions.Actions;
import org.openqa.selenium.logging.LogEntry;
import org.openqa.selenium.logging.LogType;
import org.openqa.selenium.support.ui.WebDriverWait;

/** The report, in a real browser. */
class ReportTest {
  @TempDir static Path folder;
  private static @Nullable ChromeDriver browser;

  private static @Nullable Path program(String name) {
    return Arrays.stream(System.getenv("PATH").split(File.pathSeparator))
        .map(each -> Path.of(each, name))
        .filter(Files::isExecutable)
        .findFirst()
        .orElse(null);
  }

  @BeforeAll
  static void open() {
    Path chromium = program("chromium");
    Path driver = program("chromedriver");
    assumeTrue(
        (chromium != null && driver != null) || "true".equals(System.getenv("CI")),
        "no browser is installed: apt-get install chromium chromium-driver");
    ChromeOptions options = new ChromeOptions();
    options.setBinary(String.valueOf(chromium));
    options.addArguments(
        "--headless=new",
        "--no-sandbox",
        "--disable-gpu",
        "--disable-dev-shm-usage",
        "--disable-background-networking",
        "--window-size=1280,800");
    browser =
        new ChromeDriver(
            new ChromeDriverService.Builder()
                .usingDriverExecutable(new File(String.valueOf(driver)))
                .build(),
            options);
  }

  @AfterAll
  static void close() {
    if (browser != null) {
      browser.quit();
    }
  }

  private static String page(Path path, SiteFile file, @Nullable History history) throws Exception {
    Report.Made made =
        new Report.Made(ZonedDateTime.parse("2026-03-09T08:05Z"), "eskerfield 1", "commit 1a2b3c");
    return Report.of(path, file.site().place().file(), file, made, history, (w, done, of) -> {});
  }

  private static void show(String name, String page) throws Exception {
    Path file = folder.resolve(name + ".html");
    Files.writeString(file, page, StandardCharsets.UTF_8);
    browser.get(file.toUri().toString());
  }

  private static Object run(String script) {
    return ((JavascriptExecutor) browser).executeScript(script);
  }

  /** Whatever the browser refused or complained of. */
  private static List<String> complaints() {
    return browser.manage().logs().get(LogType.BROWSER).getAll().stream()
        .map(LogEntry::getMessage)
        .toList();
  }

  @Test
  void theDemoIsAllThereAndCanBeSearchedByKeyboard() throws Exception {
    show("demo", page(DrawnSites.DEMO, SiteReader.readFile(DrawnSites.DEMO), null));
    assertThat(browser.getTitle()).isEqualTo("Marrowby Ferries: report");
    assertThat(browser.findElement(By.className("good")).getText()).isEqualTo("49 of 49");
    assertThat(browser.findElement(By.id("overview")).getText().replace('\n', ' '))
        .contains("Errors 0 Warnings 0 Advice 0 Accepted findings 3 Devices 3")
        .contains("9 March 2026 08:05 Z by eskerfield 1 from marrowby.site.yaml, commit 1a2b3c");
    assertThat(browser.findElements(By.cssSelector("#expectations details"))).hasSize(49);
    assertThat(browser.findElements(By.cssSelector("#guarantees details .good"))).hasSize(7);
    // A cell of the matrix opens what it stands for.
    browser.findElement(By.cssSelector("a[aria-label^='boats to quay']")).click();
    assertThat(browser.findElement(By.cssSelector("#matrix details[open]")).getText())
        .contains("booking (10.44.20.117): 8443/tcp")
        .contains("lockhouse: access rule 'the web shop', line 185");
    assertThat(browser.findElement(By.id("reach")).getText())
        .contains("from 198.51.100.32/28 to 203.0.113.36, 2222/tcp")
        .contains("from the internet to 203.0.113.35, 443/tcp");
    // Rules stand in the order of the file, what they say beside what they do.
    List<String> inwards =
        browser.findElements(By.cssSelector("#device-1 .chunk:nth-of-type(2) .row")).stream()
            .map(row -> row.getText().replace("\n", " "))
            .toList();
    assertThat(inwards).hasSize(6);
    assertThat(inwards.get(1))
        .startsWith("2 destination booking arriving uplink at 203.0.113.35 https becomes 10.44.0.2")
        .contains("hairpin boats admit from any, log yes note lockhouse expects")
        .contains(
            "Packets that arrive on uplink for 203.0.113.35, https (443/tcp), go to 10.44.0.2");
    for (WebElement link : browser.findElements(By.cssSelector("nav a"))) {
      String target = link.getDomAttribute("href").substring(1);
      assertThat(browser.findElement(By.id(target)).isDisplayed()).isTrue();
    }
    // By keyboard alone: to the search, a word, back, and a ladder opened.
    new Actions(browser).sendKeys("/").sendKeys("lantern").perform();
    By shown = By.cssSelector("#expectations details:not([hidden])");
    new WebDriverWait(browser, Duration.ofSeconds(30))
        .until(
            each ->
                browser.findElements(shown).size() < 10
                    && browser.findElements(shown).stream()
                        .allMatch(row -> row.getText().contains("lantern")));
    assertThat(browser.findElements(shown)).hasSizeGreaterThan(1);
    // What does not match is gone; Enter and n go on to the next match, N back.
    assertThat(browser.findElement(By.id("map")).isDisplayed()).isFalse();
    String place = "const c = document.querySelector('.current'); return c ? c.textContent : '';";
    new Actions(browser).sendKeys(Keys.ENTER).perform();
    Object one = run(place);
    assertThat(String.valueOf(one)).contains("lantern");
    assertThat(browser.findElement(By.id("found")).getText()).startsWith("match 1 of ");
    run("document.getElementById('search').blur()");
    new Actions(browser).sendKeys("n").perform();
    assertThat(run(place)).isNotEqualTo(one);
    assertThat(browser.findElement(By.id("found")).getText()).startsWith("match 2 of ");
    new Actions(browser).keyDown(Keys.SHIFT).sendKeys("n").keyUp(Keys.SHIFT).perform();
    assertThat(run(place)).isEqualTo(one);
    new Actions(browser).sendKeys(Keys.ESCAPE).perform();
    assertThat(browser.findElements(By.cssSelector("[hidden]"))).isEmpty();
    WebElement first = browser.findElement(By.cssSelector("#expectations summary"));
    run("document.querySelector('#expectations summary').focus()");
    assertThat(browser.switchTo().activeElement()).isEqualTo(first);
    new Actions(browser).sendKeys(Keys.ENTER).perform();
    WebElement ladder = browser.findElement(By.cssSelector("#expectations details[open] svg"));
    assertThat(ladder.isDisplayed()).isTrue();
    assertThat(ladder.getText()).contains("breakwater").contains("SYN ACK");
    assertThat(complaints()).isEmpty();
  }

  /** Axe finds nothing against WCAG and its own good practice, however the page stands. */
  @Test
  void everyStateOfThePageIsAccessibleOnAScreenAndOnAPhone() throws Exception {
    Path gauges = DrawnSites.DEMO.resolveSibling("gauges.site.yaml");
    SiteFile file = SiteReader.readFile(gauges);
    History history = new History(VirtualClock.start(file.site().timeZone()));
    history.lookNow(Tracer.of(file.site()).run(VirtualClock.start(file.site().timeZone())));
    Path wrong = DrawnSites.DEMO.resolveSibling("mistakes").resolve("order.site.yaml");
    List<String> pages =
        List.of(page(wrong, SiteReader.readFile(wrong), null), page(gauges, file, history));
    for (String page : pages) {
      for (Dimension size : List.of(new Dimension(1280, 800), new Dimension(390, 844))) {
        browser.executeCdpCommand(
            "Emulation.setDeviceMetricsOverride",
            Map.of(
                "width",
                size.width,
                "height",
                size.height,
                "deviceScaleFactor",
                1,
                "mobile",
                false));
        show("axe", page);
        run(axe());
        assertThat(run("return innerWidth")).isEqualTo((long) size.width);
        // The dark page differs in its colours only, so only they are looked at again.
        for (String theme : List.of("light", "dark")) {
          String only = theme.equals("dark") ? "runOnly: ['color-contrast'], " : "";
          run("document.documentElement.dataset.theme = '" + theme + "'");
          String where = size + " " + theme;
          assertThat(violations(only)).as(where).isEmpty();
          run("document.querySelectorAll('details').forEach((each) => (each.open = !each.open))");
          assertThat(violations(only)).as(where + ", unfolded").isEmpty();
          run("document.querySelectorAll('details').forEach((each) => (each.open = !each.open))");
          new Actions(browser).sendKeys("/").sendKeys("443").sendKeys(Keys.ENTER).perform();
          assertThat(violations(only)).as(where + ", searched").isEmpty();
          new Actions(browser).sendKeys(Keys.ESCAPE).perform();
        }
        // Nothing is wider than the screen, which would have to be pushed to and fro.
        assertThat(run("return document.documentElement.scrollWidth <= innerWidth"))
            .as("%s", size)
            .isEqualTo(true);
      }
    }
    run("document.body.insertAdjacentHTML('beforeend', '<input>')");
    assertThat(violations("")).as("a field without a label").isNotEmpty();
    browser.executeCdpCommand("Emulation.clearDeviceMetricsOverride", Map.of());
  }

  private static String axe() throws Exception {
    try (InputStream in = ClassLoader.getSystemResourceAsStream("axe.min.js")) {
      return new String(in.readAllBytes(), StandardCharsets.UTF_8);
    }
  }

  private static List<?> violations(String options) {
    return (List<?>)
        browser.executeAsyncScript(
            ("const done = arguments[arguments.length - 1];"
                    + "axe.run({ %sresultTypes: ['violations'] }).then((found) => done(found.violations.map((each) =>"
                    + " each.id + ': ' + each.nodes.map((node) => node.html.slice(0, 120)).slice(0, 3)"
                    + ")), (fault) => done([String(fault)]));")
                .formatted(options));
  }

  @Test
  void lightAndDarkAreReadableAndPaperIsLight() throws Exception {
    show("themes", page(DrawnSites.DEMO, SiteReader.readFile(DrawnSites.DEMO), null));
    String ground = "return getComputedStyle(document.body).backgroundColor";
    String box = "return getComputedStyle(document.querySelector('#map .box')).fill";
    Object light = run(ground);
    Object lightBox = run(box);
    browser.findElement(By.id("theme")).click();
    assertThat(run(ground)).isNotEqualTo(light);
    assertThat(run(box)).isNotEqualTo(lightBox);
    // All text has enough contrast on what is behind it (WCAG 2.2, 1.4.3).
    String contrasts =
        """
        const light = (c) => { const v = c.match(/[\\d.]+/g).slice(0, 3).map((x) => { x = x / 255; return x <= 0.04045 ? x / 12.92 : ((x + 0.055) / 1.055) ** 2.4; }); return 0.2126 * v[0] + 0.7152 * v[1] + 0.0722 * v[2]; };
        const ratio = (a, b) => { const [x, y] = [light(a), light(b)].sort((p, q) => q - p); return (x + 0.05) / (y + 0.05); };
        const behind = (e) => { for (; e; e = e.parentElement) { const c = getComputedStyle(e).backgroundColor; if (!/, 0\\)$/.test(c) && c !== 'transparent') return c; } return 'rgb(255,255,255)'; };
        const bad = [];
        for (const e of document.querySelectorAll('h1,h2,h3,p,td,th,a,summary,dt,dd,span,button')) {
          if (e.closest('svg') || !e.textContent.trim()) continue;
          const r = ratio(getComputedStyle(e).color, behind(e));
          if (r < 4.5) bad.push(e.tagName + ' ' + e.className + ' ' + r.toFixed(2) + ' ' + e.textContent.slice(0, 30));
        }
        const ground = { box: '.box', device: '.device', ground: '.ground', mark: '.mark' };
        for (const t of document.querySelectorAll('#map svg text')) {
          for (const g of ['.box', '.device', '.ground']) {
            const r = ratio(getComputedStyle(t).fill, getComputedStyle(document.querySelector('#map ' + g)).fill);
            if (r < 4.5) bad.push('svg ' + t.className.baseVal + ' on ' + g + ' ' + r.toFixed(2));
          }
        }
        return bad;
        """;
    assertThat((List<?>) run(contrasts)).isEmpty();
    browser.findElement(By.id("theme")).click();
    assertThat((List<?>) run(contrasts)).isEmpty();
    assertThat(run(ground)).isEqualTo(light);
    assertThat(complaints()).isEmpty();
  }

  @Test
  void hostileNamesStayTextAndNothingIsFetched() throws Exception {
    String evil = "</script><img src=x onerror=document.title='owned'>";
    Path path = folder.resolve("evil.site.yaml");
    Files.writeString(
        path,
        """
        eskerfield: 1
        site: "EVIL"
        note: "EVIL</style>"
        networks:
          net: { prefix: 10.1.0.0/24, zone: z, note: "EVIL" }
          link: { prefix: 203.0.113.32/28, zone: internet, carrier: 203.0.113.46 }
        hosts:
          host: { on: net, at: 10.1.0.7, listens: https, note: "{{site}}{{{style}}}" }
        devices:
          dev:
            note: "EVIL"
            stance: accept
            interfaces:
              up: { on: link, at: 203.0.113.33 }
              in: { on: net, at: 10.1.0.1 }
            routes: [{ to: any, via: 203.0.113.46 }]
            translation:
              - { destination: "rule EVIL", arriving: up, at: 203.0.113.35 https, becomes: host, note: "EVIL" }
              - { shared: "all EVIL", from: net, leaving: up }
        expect:
          - { from: host, to: 192.0.2.7, service: https, outcome: answered, note: "EVIL" }
          - { from: 192.0.2.7, to: 203.0.113.35, service: https, outcome: dropped, note: "EVIL" }
        """
            .replace("EVIL", evil));
    SiteFile file = SiteReader.readFile(path);
    Tracer tracer = Tracer.of(file.site());
    Run traffic = tracer.run(VirtualClock.start(file.site().timeZone()));
    History history = new History(traffic.now());
    for (int i = 0; i < 3; i++) {
      traffic.send(
          QuestionReader.on(file.site())
              .from("host")
              .to("192.0.2.7")
              .service("https")
              .sourcePort(50_000 + i)
              .read());
      traffic.advance(Duration.ofMinutes(1));
      history.look(traffic);
    }
    show("evil", page(path, file, history));
    assertThat(browser.getTitle()).isEqualTo(evil + ": report");
    assertThat(browser.findElements(By.cssSelector("img, [onerror], link, iframe, [src]")))
        .isEmpty();
    assertThat(browser.findElements(By.cssSelector("#plots canvas"))).hasSizeGreaterThan(1);
    assertThat(browser.findElement(By.cssSelector("h1")).getText()).isEqualTo(evil);
    assertThat(run("return performance.getEntriesByType('resource').length")).isEqualTo(0L);
    // Were something to slip through, the policy would still stop it.
    run(
        "document.body.insertAdjacentHTML('beforeend', \""
            + "<img src=y onerror=document.title=1>"
            + "\")");
    assertThat(browser.getTitle()).isNotEqualTo("1");
    assertThat(complaints()).allMatch(each -> each.contains("Content Security Policy"));
  }

  @Test
  void tenThousandRulesOpenAndScroll() throws Exception {
    StringBuilder text =
        new StringBuilder(
            """
            eskerfield: 1
            site: Ten thousand rules
            networks:
              link: { prefix: 10.9.0.0/16, zone: partner }
              lan: { prefix: 10.0.0.0/16, zone: lan }
            devices:
              edge:
                stance: drop
                interfaces:
                  uplink: { on: link, at: 10.9.0.1 }
                  lan: { on: lan, at: 10.0.0.1 }
                routes: [{ to: any, via: 10.9.0.254 }]
                access:
                  inward:
                    guards: { arriving: uplink }
                    otherwise: drop
                    rules:
            """);
    for (int i = 0; i < 10_000; i++) {
      text.append(
          "          - { accept: rule %d, from: 10.9.1.%d, to: 10.0.%d.%d, service: %d/tcp }%n"
              .formatted(i, i % 250, i / 250, i % 250 + 2, 1000 + i));
    }
    Path path = folder.resolve("rules.site.yaml");
    Files.writeString(path, text);
    String page = page(path, SiteReader.readFile(path), null);
    assertThat(page.getBytes(StandardCharsets.UTF_8).length).isLessThan(15 << 20);
    show("rules", page);
    // A browser that has the processor to itself has them at once; another takes its time.
    new WebDriverWait(browser, Duration.ofSeconds(60))
        .until(
            each ->
                Long.valueOf(10_005)
                    .equals(run("return document.querySelectorAll('#device-1 .row').length")));
    run("scrollTo(0, document.body.scrollHeight)");
    Object end = run("return scrollY + innerHeight >= document.body.scrollHeight - 400");
    assertThat(end).isEqualTo(true);
    new Actions(browser).sendKeys("/").sendKeys("rule 9999").perform();
    // Few are left: the rule of that name, those of that port and line. A slow browser shows what
    // the first letters find before that.
    new WebDriverWait(browser, Duration.ofSeconds(60))
        .until(each -> browser.findElement(By.id("found")).getText().matches("[1-9] of \\d+"));
    assertThat(browser.findElements(By.cssSelector("#device-1 .row:not([hidden])")))
        .anyMatch(each -> each.getText().contains("rule 9999"));
  }
}
