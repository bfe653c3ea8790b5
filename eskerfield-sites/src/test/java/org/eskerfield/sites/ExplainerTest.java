// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.sites;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.stream.Stream;
import org.eskerfield.explain.Explainer;
import org.eskerfield.explain.Explanation;
import org.eskerfield.explain.HostFilter;
import org.eskerfield.explain.RuleDetail;
import org.eskerfield.explain.Statement;
import org.eskerfield.formats.Sites;
import org.eskerfield.formats.site.read.SiteReader;
import org.eskerfield.model.AccessList;
import org.eskerfield.model.AccessRule;
import org.eskerfield.model.AddressTerm;
import org.eskerfield.model.Device;
import org.eskerfield.model.DynamicRule;
import org.eskerfield.model.InwardRule;
import org.eskerfield.model.OwnService;
import org.eskerfield.model.Route;
import org.eskerfield.model.ServiceTerm;
import org.eskerfield.model.SharedRule;
import org.eskerfield.model.Site;
import org.eskerfield.model.Stance;
import org.eskerfield.model.TranslationRule;
import org.eskerfield.model.UntouchedRule;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressSet;
import org.eskerfield.packet.Header;
import org.eskerfield.trace.Decision;
import org.eskerfield.trace.Trace;
import org.eskerfield.trace.Tracer;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.MethodSource;

/** Every sentence is true of the packet beside it: traced anew, and held against the rule. */
class ExplainerTest {
  static Stream<Path> sites() throws Exception {
    return Sites.all();
  }

  private static boolean holds(Site site, List<AddressTerm> terms, Address address) {
    return terms.isEmpty() || site.addresses(terms).contains(address);
  }

  private static TranslationRule named(Device device, String name) {
    return device.translation().stream()
        .filter(rule -> rule.name().equals(name))
        .findFirst()
        .orElseThrow();
  }

  private static boolean covers(List<ServiceTerm> terms, Header header) {
    return ServiceTerm.anyCovers(
        terms, header.protocol(), header.destinationPort(), header.icmpType(), header.icmpCode());
  }

  /** Whether the packet is one that the rule speaks of, and what came of it what it says. */
  private static boolean fits(Site site, Device device, Statement statement, Decision decision) {
    Header before = decision.before();
    Header after = decision.after();
    Object of = statement.of();
    if (of instanceof InwardRule rule) {
      boolean inward =
          rule.block().contains(before.destination())
              && covers(rule.services(), before)
              && rule.internalBlock().contains(after.destination());
      boolean outward =
          rule.internalBlock().contains(before.source()) && rule.block().contains(after.source());
      return inward || outward;
    }
    if (of instanceof SharedRule rule) {
      AddressSet own = AddressSet.NONE;
      for (var leaving : rule.leaving().interfaces()) {
        own = own.union(AddressSet.ofAddresses(leaving.addresses()));
      }
      AddressSet pool = rule.pool() == null ? own : rule.pool().addresses();
      return holds(site, rule.from(), before.source()) && pool.contains(after.source());
    }
    if (of instanceof DynamicRule rule) {
      return holds(site, rule.from(), before.source())
          && rule.pool().addresses().contains(after.source());
    }
    if (of instanceof UntouchedRule rule) {
      boolean there =
          holds(site, rule.from(), before.source()) && holds(site, rule.to(), before.destination());
      boolean back =
          holds(site, rule.to(), before.source()) && holds(site, rule.from(), before.destination());
      return (there || back) && before.line().equals(after.line());
    }
    if (of instanceof AccessRule rule) {
      boolean accepts = decision.ruling().ends() == null;
      return holds(site, rule.from(), before.source())
          && (device.seesOriginal() || holds(site, rule.to(), before.destination()))
          && (device.seesOriginal() || covers(rule.services(), before))
          && accepts == rule.action().toString().equals("accept")
          && !rule.disabled();
    }
    if (of instanceof AccessList list) {
      return (decision.ruling().ends() == null) == list.otherwise().toString().equals("accept");
    }
    if (of instanceof OwnService own) {
      return covers(List.of(own.service()), before) && holds(site, own.from(), before.source());
    }
    if (of instanceof Route route) {
      return route.to().contains(before.destination());
    }
    return of instanceof Stance;
  }

  @ParameterizedTest
  @MethodSource("sites")
  void everySentenceIsTrueOfItsExample(Path file) throws Exception {
    Site site = SiteReader.readWithoutExpectations(file);
    Explainer explainer = Explainer.of(site);
    int examples = 0;
    for (Device device : site.devices().values()) {
      for (Explanation.Section section : explainer.explain(device).sections()) {
        for (Statement statement : section.statements()) {
          Statement.Example example = statement.example();
          assertThat(statement.sentence()).isNotEmpty().endsWith(".");
          if (example == null) {
            continue;
          }
          examples++;
          Trace again = Tracer.of(site).trace(example.trace().question());
          assertThat(again.outcome()).isEqualTo(example.trace().outcome());
          Decision decision =
              again.request().stream()
                  .filter(leg -> leg.where().equals(device.name()))
                  .flatMap(leg -> leg.decisions().stream())
                  .filter(each -> each.equals(example.decision()))
                  .findFirst()
                  .orElseThrow();
          assertThat(fits(site, device, statement, decision))
              .as("%s\n%s", statement.sentence(), example.sentence())
              .isTrue();
        }
      }
    }
    assertThat(examples).isPositive();
  }

  @Test
  void ruleInDepthTellsWhatComesBeforeItAndWhatLetsItThrough() throws Exception {
    Site site = SiteReader.readFile(Path.of("../demo/mistakes/order.site.yaml")).site();
    Device lockhouse = site.devices().get("lockhouse");
    AccessRule shop =
        lockhouse.access().get(0).rules().stream()
            .filter(rule -> rule.name().equals("the web shop"))
            .findFirst()
            .orElseThrow();
    RuleDetail detail = Explainer.of(site).detail(lockhouse, shop);
    assertThat(detail.position()).isEqualTo(2);
    assertThat(detail.before()).hasSize(1);
    assertThat(detail.before().get(0).sentence()).startsWith("Drop every service");
    assertThat(detail.before().get(0).all()).isFalse();
    Device breakwater = site.devices().get("breakwater");
    RuleDetail booking = Explainer.of(site).detail(breakwater, named(breakwater, "booking"));
    assertThat(booking.letBy()).hasSize(1);
    assertThat(booking.letBy().get(0).text()).contains("shop, archive and radio");
  }

  /** A host's own filter is asked rule by rule, as the lists of devices are. */
  @Test
  void ruleOfAHostFilterInDepth() throws Exception {
    String text = Files.readString(Path.of("../demo/marrowby.site.yaml"));
    String insurers = "        - { accept: the insurers, from: insurers, service: ftp }\n";
    assertThat(text).contains(insurers);
    String first = "        - { drop: no insurer by night, from: insurers }\n";
    Site site = SiteReader.read("x.site.yaml", text.replace(insurers, first + insurers));
    HostFilter filter = HostFilter.of(site).get(0);
    RuleDetail detail = filter.detail(site, filter.section().statements().get(1).of());
    assertThat(detail.holder().name()).isEqualTo("archive");
    assertThat(detail.position()).isEqualTo(2);
    assertThat(detail.of()).isEqualTo(3);
    assertThat(detail.before()).hasSize(1);
    assertThat(detail.before().get(0).all()).isTrue();
    assertThat(detail.statement().example()).isNull();
    RuleDetail inside = filter.detail(site, filter.section().statements().get(2).of());
    assertThat(inside.before()).isEmpty();
    assertThat(inside.statement().example()).isNotNull();
  }
}
