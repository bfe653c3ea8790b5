// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.trace;

import java.util.Objects;
import org.eskerfield.model.Device;
import org.eskerfield.model.Host;
import org.eskerfield.model.Interface;
import org.eskerfield.model.Network;
import org.eskerfield.model.Placed;
import org.eskerfield.model.Site;
import org.eskerfield.outcome.Ruling;
import org.eskerfield.packet.Address;
import org.eskerfield.packet.Header;
import org.eskerfield.packet.Prefix;
import org.eskerfield.packet.SpecialAddresses;
import org.jspecify.annotations.Nullable;

/** Puts into words what hosts and the internet decide, as {@link Wording} does for devices. */
final class HopWording {
  private final Site site;
  private final Question question;
  private final Wording wording;

  HopWording(Site site, Question question, Wording wording) {
    this.site = site;
    this.question = question;
    this.wording = wording;
  }

  /**
   * A decision in words.
   *
   * @param by the host, or where the internet carries the packet
   * @param at the packet
   */
  String decision(Ruling ruling, @Nullable Placed by, Header at) {
    Address to = at.destination();
    return switch (ruling) {
      case SENDER_OFF -> "is switched off";
      case BLOCKED_AT_SENDER -> "sends it, but its network blocks " + Wording.service(at);
      case SENT_TO_CARRIER -> "sends it to the internet";
      case SENT_TO_NEIGHBOUR -> {
        Network network = Objects.requireNonNull(host(by).networkTowards(to));
        String on = network.prefixOf(to) == null ? ", which it believes to be on" : " on";
        yield "sends it directly to " + who(network, to) + on + " its network " + network.name();
      }
      case NO_GATEWAY ->
          "has no gateway to "
              + to
              + ", which is not on its network "
              + host(by).networks().get(0).name();
      case SENT_TO_GATEWAY -> {
        Address gateway = Objects.requireNonNull(site.gateway(host(by), to.family()));
        Network network = Objects.requireNonNull(host(by).networkHolding(gateway));
        yield "sends it to its gateway " + who(network, gateway);
      }
      case SOURCE_NOT_CARRIED ->
          "discards it: its source "
              + at.source()
              + " is "
              + SpecialAddresses.kind(at.source())
              + ", which is not routed on the internet";
      case DESTINATION_NOT_CARRIED ->
          "discards it: "
              + to
              + " is "
              + SpecialAddresses.kind(to)
              + ", which is not routed on the internet";
      case FRAGMENTED -> Wording.fragmented(at, "network " + network(by).name());
      case TOO_LARGE ->
          Wording.tooLarge(at, network(by).linkMtu(), "network " + network(by).name());
      case HOPS_USED_UP -> wording.hopsUsedUp();
      case CARRIED -> carried(by, to);
      case NO_CARRIER_LINK -> "has no way to " + to + ": " + noCarrierLink(by);
      case TAKEN_TO_ANSWER ->
          "is assumed to answer: the site file does not describe "
              + (isCarrier(to) ? "the carrier's router at " : "a host of the internet at ")
              + to;
      case HOST_OFF -> "gets nothing: it is switched off";
      case NOT_FOR_HOST ->
          "discards it: " + to + " is not its address, and a host forwards nothing";
      case NOTICE_RECEIVED -> Wording.told(at);
      case FRAGMENT_RECEIVED -> "keeps the fragment until it has the whole packet";
      case RESET_RECEIVED -> "is told that there is no such connection";
      case HOST_ANSWERS -> isPing(at) ? "answers the ping" : "answers on " + Wording.service(at);
      case HOST_SILENT -> "gets the ping, but does not answer pings";
      case HOST_REFUSES -> "refuses it: nothing there listens on " + Wording.service(at);
      case REPLY_ACCEPTED -> "receives the reply from the address that it sent to";
      case REPLY_DISCARDED -> discarded(host(by), at);
      default -> throw new IllegalArgumentException(ruling + " is no decision of a host");
    };
  }

  private static String noCarrierLink(@Nullable Placed by) {
    return by instanceof Device device
        ? "rules of "
            + device.name()
            + " use it, but no carrier link holds it or has it routed here"
        : "network " + ((Network) Objects.requireNonNull(by)).name() + " is no link to a carrier";
  }

  private static Network network(@Nullable Placed by) {
    return (Network) Objects.requireNonNull(by);
  }

  private static Host host(@Nullable Placed by) {
    return (Host) Objects.requireNonNull(by);
  }

  private static boolean isPing(Header at) {
    return Wording.service(at).equals("ping");
  }

  private String carried(@Nullable Placed by, Address to) {
    if (by instanceof Network network) {
      return "carries it to " + network.name() + ", which holds " + to;
    }
    if (by instanceof Network.Routed block) {
      for (Network link : site.networks().values()) {
        if (link.routed().contains(block)) {
          return "carries it to "
              + link.name()
              + ", where "
              + block.to()
              + " is routed to "
              + block.via();
        }
      }
    }
    return "carries it to " + (by instanceof Host ? wording.who(to) : to.toString());
  }

  private boolean isCarrier(Address address) {
    return site.networks().values().stream().anyMatch(link -> link.carrier().contains(address));
  }

  private String discarded(Host host, Header reply) {
    if (reply.inner() != null) {
      return "discards it: it has sent no such packet";
    }
    return host.name().equals(question.sender().name())
        ? "discards it: it sent to "
            + Header.endpoint(question.to(), question.probe().port(), reply.protocol())
            + ", and this reply comes from "
            + reply.sourceText()
        : "discards it: it expects no reply";
  }

  /** That nobody on a network has an address. */
  static String nobodyThere(Network network, Address to) {
    Prefix prefix = network.prefixOf(to);
    return prefix != null && prefix.isNetworkOrBroadcast(to)
        ? "cannot deliver it: "
            + to
            + " is the network or broadcast address of "
            + prefix
            + ", not that of a host"
        : "cannot deliver it: no host on network " + network.name() + " has " + to;
  }

  /** Name and address of who has an address on a network; another realm may use it, too. */
  private String who(Network network, Address address) {
    for (Device device : site.devices().values()) {
      for (Interface own : device.interfaces()) {
        if (own.network().name().equals(network.name()) && own.addresses().contains(address)) {
          return device.name() + " (" + address + ")";
        }
      }
    }
    for (Host host : site.hosts().values()) {
      if (host.isOn(network) && host.addresses().contains(address)) {
        return host.name() + " (" + address + ")";
      }
    }
    // Who has the address elsewhere, in another realm, is not who is meant.
    return address.toString();
  }
}
