// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.model;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.eskerfield.Numbers.a;
import static org.eskerfield.Numbers.p;

import java.util.List;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import net.jqwik.api.constraints.IntRange;
import org.eskerfield.Draft;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.AddressRange;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Prefix;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** What rules say of themselves, by kind, and how they are built. */
class TranslationRuleTest {
  private static final Device EDGE =
      new Draft()
          .network("inside", "10.77.4.0/24", null)
          .network("outside", "198.51.100.128/25", "198.51.100.129")
          .device("edge", Action.DROP)
          .on("inside", "10.77.4.1")
          .on("outside", "198.51.100.130")
          .fixed("outside", "198.51.100.145", "10.77.4.12")
          .destination("outside", "198.51.100.130", 443, "10.77.4.8", 8443)
          .dynamic("10.77.4.0/24", "outside", "198.51.100.150-198.51.100.152")
          .shared("10.77.4.0/24", "outside")
          .sharedPool("10.77.4.0/24", "outside", "198.51.100.160-198.51.100.160")
          .untouched("10.77.4.0/24", "10.8.0.0/16")
          .both("outside", "198.51.100.131", 25, "10.77.4.9", "inside", "10.77.4.1")
          .prefix("outside", "2001:db8:1:4400::/56", "fd01:203:405::/48")
          .done()
          .site()
          .devices()
          .get("edge");

  @ParameterizedTest
  @CsvSource({
    // kind, both ways, lends, keeps, holds its address, rewrites sources, external block, pool
    "0, static,      true,  false, false, true,  false, 198.51.100.145/32, ",
    "1, destination, false, false, false, false, false, 198.51.100.130/32, ",
    "2, dynamic,     false, true,  false, false, false, , 198.51.100.150-198.51.100.152",
    "3, shared,      false, false, false, false, false, , ",
    "4, shared,      false, false, false, false, false, , 198.51.100.160",
    "5, untouched,   false, false, true,  false, false, , ",
    "6, destination, false, false, false, false, true,  198.51.100.131/32, 10.77.4.1",
    "7, prefix,      true,  false, false, true,  false, 2001:db8:1:4400::/56, ",
  })
  void eachKindSaysWhatItIs(
      int at,
      String kind,
      boolean bothWays,
      boolean lends,
      boolean keeps,
      boolean holds,
      boolean rewrites,
      String block,
      String pool) {
    TranslationRule rule = EDGE.translation().get(at);
    assertThat(rule.kind()).isEqualTo(kind);
    assertThat(rule.isBothWays()).isEqualTo(bothWays);
    assertThat(rule.lends()).isEqualTo(lends);
    assertThat(rule.keepsPackets()).isEqualTo(keeps);
    assertThat(rule.holdsAddress()).isEqualTo(holds);
    assertThat(rule.rewritesSources()).isEqualTo(rewrites);
    Prefix external = block == null ? null : p(block);
    Family family = kind.equals("prefix") ? Family.IPV6 : Family.IPV4;
    assertThat(rule.block(family)).isEqualTo(external);
    assertThat(rule.block(kind.equals("prefix") ? Family.IPV4 : Family.IPV6)).isNull();
    assertThat(rule.isStateless()).isEqualTo(kind.equals("prefix"));
    Pool given = rule.pool();
    assertThat(given == null ? null : given.addresses().toString()).isEqualTo(pool);
    // Asked by kind and by side, it answers for its own.
    assertThat(
            rule.<String>by(
                r -> "static",
                r -> "destination",
                r -> "prefix",
                r -> "dynamic",
                r -> "shared",
                r -> "untouched"))
        .isEqualTo(kind);
    List<String> sides = List.of("static", "destination", "prefix");
    assertThat(rule.<Boolean>bySide(r -> true, r -> false, r -> false))
        .isEqualTo(sides.contains(kind));
    assertThat(rule.inward() != null).isEqualTo(sides.contains(kind));
    assertThat(rule.outward() != null).isEqualTo(List.of("dynamic", "shared").contains(kind));
    StringBuilder chosen = new StringBuilder();
    rule.choose(r -> chosen.append("in"), r -> chosen.append("out"), r -> chosen.append("both"));
    assertThat(chosen)
        .hasToString(sides.contains(kind) ? "in" : kind.equals("untouched") ? "both" : "out");
  }

  @Test
  void aDeviceKnowsItsRulesThatLeadInside() {
    assertThat(EDGE.inward())
        .extracting(InwardRule::kind)
        .containsExactly("static", "destination", "destination", "prefix");
  }

  @Test
  void sharedRulesUseTheInterfaceWhereTheyHaveNoPool() {
    OutwardRule own = OutwardRule.of(EDGE.translation().get(3));
    assertThat(own).isNotNull();
    assertThat(own.externals()).hasToString("198.51.100.130");
    assertThat(InwardRule.of(EDGE)).isNull();
  }

  @Test
  void aBuilderNamesWhatIsMissing() {
    assertThatThrownBy(() -> StaticRuleBuilder.builder().name("offer").build())
        .isInstanceOf(NullPointerException.class)
        .hasMessageContaining("facing");
    StaticRule rule = (StaticRule) EDGE.translation().get(0);
    assertThat(rule.withDisabled(true).disabled()).isTrue();
    assertThat(rule.withDisabled(true).withDisabled(false)).isEqualTo(rule);
    assertThat(StaticRuleBuilder.builder(rule).build()).isEqualTo(rule);
    assertThat(rule.services()).isEmpty();
  }

  @Test
  void aRangeOfPortsGoesToARangePortByPort() {
    DestinationRule one = (DestinationRule) EDGE.translation().get(1);
    assertThat(one.internalPort(443)).isEqualTo(8443);
    ServicePart part = new ServicePart(6, PortSet.range(5000, 5009), -1);
    Service tens = new Service("tens", List.of(part), Place.IN_CODE);
    DestinationRule range =
        one.withServices(List.of(new ServiceTerm(tens, Place.IN_CODE)))
            .withInternalPorts(PortSet.range(6000, 6009));
    assertThat(range.internalPort(5007)).isEqualTo(6007);
    assertThat(range.withInternalPorts(null).internalPort(5007)).isEqualTo(5007);
  }

  @Property(tries = 200)
  void membersOfABlockKeepTheirPlaceInAnother(
      @ForAll @IntRange(max = 255) int member, @ForAll @IntRange(min = 24, max = 32) int length) {
    Prefix from = Prefix.around(a("198.51.100." + member), length);
    Prefix to = Prefix.around(a("10.1.7." + (255 - member)), length);
    Address there = from.moved(a("198.51.100." + member), to);
    assertThat(to.contains(there)).isTrue();
    assertThat(there.low() - to.first().low())
        .isEqualTo(a("198.51.100." + member).low() - from.first().low());
    assertThat(to.moved(there, from)).isEqualTo(a("198.51.100." + member));
    assertThat(from.range().prefix()).isEqualTo(from);
  }

  @Test
  void aRangeThatIsNoPrefixHasNone() {
    assertThat(new AddressRange(a("10.0.0.1"), a("10.0.0.2")).prefix()).isNull();
    assertThat(new AddressRange(a("10.0.0.0"), a("10.0.0.2")).prefix()).isNull();
    assertThat(new AddressRange(a("10.0.0.2"), a("10.0.0.3")).prefix()).isEqualTo(p("10.0.0.2/31"));
  }
}
