// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.cli.verb;

import java.util.ArrayList;
import java.util.List;
import org.eskerfield.cli.text.Style;
import org.eskerfield.cli.text.Terminal;
import org.eskerfield.formats.UnusableQuestionException;
import org.eskerfield.formats.answer.Json;
import org.eskerfield.formats.answer.LedgerData;
import org.eskerfield.formats.literal.BlockReader;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Family;
import org.eskerfield.packet.Prefix;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Model.PositionalParamSpec;
import picocli.CommandLine.ParseResult;

/** {@code eskerfield subnet}. */
public final class SubnetVerb extends Verb {
  public SubnetVerb() {
    super(
        "subnet",
        "Calculates address blocks: first and last address, usable addresses, masks, halves.");
  }

  @Override
  protected void describe(CommandSpec spec) {
    spec.addPositional(
        PositionalParamSpec.builder()
            .paramLabel("PREFIX")
            .type(String[].class)
            .arity("1..*")
            .index("0..*")
            .required(true)
            .description(
                "As in 203.0.113.32/28, 203.0.113.40/255.255.255.240, 203.0.113.34-203.0.113.45"
                    + " or 2001:db8::/32.")
            .build());
    spec.addOption(
        option("--holds", "ADDRESS", "Say whether an address is in it; exit status 1 if in none."));
    spec.addOption(flag("--json", "Answer as JSON; see 'eskerfield schema subnet'."));
    spec.usageMessage()
        .footer("", "Example: eskerfield subnet 203.0.113.32/28 --holds 203.0.113.47");
  }

  @Override
  public int run(ParseResult call, Terminal terminal) throws Exception {
    List<Prefix> blocks = new ArrayList<>();
    Address held = null;
    try {
      for (String text : call.matchedPositionalValue(0, new String[0])) {
        blocks.addAll(BlockReader.read(text));
      }
      String holds = call.matchedOptionValue("--holds", null);
      held = holds == null ? null : BlockReader.address(holds);
    } catch (UnusableQuestionException e) {
      throw unusable(call, e);
    }
    boolean found = held == null;
    List<Object> answers = new ArrayList<>();
    for (Prefix block : blocks) {
      found |= held != null && block.contains(held);
      if (call.hasMatchedOption("--json")) {
        answers.add(LedgerData.subnet(block));
      } else {
        terminal.out().print(text(block, held, terminal.style()));
      }
    }
    if (call.hasMatchedOption("--json")) {
      terminal.out().print(Json.of(answers));
    }
    return found ? FINE : NO;
  }

  private static String text(Prefix block, @Nullable Address held, Style style) {
    StringBuilder out = new StringBuilder();
    out.append(style.strong(block.toString())).append('\n');
    boolean four = block.family() == Family.IPV4;
    boolean named = block.isNetworkOrBroadcast(block.first());
    row(out, four ? "network" : "first", block.first());
    if (!block.usable().equals(block.range())) {
      row(out, "usable", block.usable());
    }
    row(out, named ? "broadcast" : "last", block.last());
    row(out, "count", counted(block));
    row(out, "netmask", block.netmask() + "  (/" + block.length() + ")");
    row(out, "host bits", block.hostMask());
    if (!block.halves().isEmpty()) {
      row(out, "halves", block.halves().get(0) + "  and  " + block.halves().get(1));
    }
    if (held != null) {
      row(out, "holds " + held, style.strong(holds(block, held)));
    }
    return out.toString();
  }

  private static String counted(Prefix block) {
    String size = block.size().toString();
    if (block.usable().equals(block.range())) {
      return size
          + (block.size().intValue() == 1 ? " address" : " addresses, all of them usable")
          + (block.family() == Family.IPV4 && block.length() == 31 ? " (RFC 3021)" : "");
    }
    return LedgerData.count(block.usable())
        + " usable of "
        + size
        + "; all of them where it is merely routed and not connected";
  }

  private static String holds(Prefix block, Address held) {
    if (!block.contains(held)) {
      return "no";
    }
    boolean usable =
        held.compareTo(block.usable().first()) >= 0 && held.compareTo(block.usable().last()) <= 0;
    return usable
        ? "yes"
        : "yes, but it is "
            + (block.family() == Family.IPV6
                ? "the anycast address of its routers (RFC 4291)"
                : held.equals(block.first()) ? "the network address" : "the broadcast address");
  }

  private static void row(StringBuilder out, String name, Object value) {
    out.append("  ").append(name).append(" ".repeat(Math.max(2, 12 - name.length())));
    out.append(value).append('\n');
  }
}
