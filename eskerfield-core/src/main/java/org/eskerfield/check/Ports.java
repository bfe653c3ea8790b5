// SPDX-License-Identifier: Apache-2.0
package org.eskerfield.check;

import org.eskerfield.model.ServicePart;
import org.eskerfield.packet.Icmp;
import org.eskerfield.packet.PortSet;
import org.eskerfield.packet.Protocol;
import org.eskerfield.set.PacketSet;
import org.eskerfield.set.PacketSpace;

/** Packets to ports that are a risk where outsiders reach them, by the IANA registry of names. */
final class Ports {
  /** ssh, telnet, sunrpc, epmap, netbios, microsoft-ds, rlogin, printer, afp, rsync, … */
  private static final int[] ADMINISTRATION_TCP = {
    22, 23, 111, 135, 139, 445, 512, 513, 514, 515, 548, 873, 1433, 2049, 3306, 3389, 5432, 5900,
    5901, 5985, 5986
  };

  /** sunrpc, netbios, snmp, asf-rmcp, nfs. */
  private static final int[] ADMINISTRATION_UDP = {111, 137, 138, 161, 623, 2049};

  /** ftp, telnet, pop3, imap, ldap, exec, login, shell. */
  private static final int[] CLEAR_TEXT_TCP = {21, 23, 110, 143, 389, 512, 513, 514};

  /** tftp, snmp. */
  private static final int[] CLEAR_TEXT_UDP = {69, 161};

  /** http, netconf-ssh, http-alt, pcsync-https: by these devices are managed. */
  private static final int[] MANAGEMENT_TCP = {80, 830, 8080, 8443};

  /** Remote administration, file sharing and databases. */
  final PacketSet administration;

  /** By which devices are managed; not https, which is as often a gateway for staff. */
  final PacketSet management;

  /** Protocols that send passwords and contents in the clear. */
  final PacketSet clearText;

  Ports(PacketSpace space) {
    administration = of(space, ADMINISTRATION_TCP, ADMINISTRATION_UDP);
    management = administration.union(of(space, MANAGEMENT_TCP, new int[0]));
    clearText = of(space, CLEAR_TEXT_TCP, CLEAR_TEXT_UDP);
  }

  /** Whether a port is that of a service by which machines are managed. */
  static boolean isAdministration(int protocol, int port) {
    for (int each : protocol == Protocol.TCP ? ADMINISTRATION_TCP : ADMINISTRATION_UDP) {
      if (each == port && Protocol.hasPorts(protocol)) {
        return true;
      }
    }
    return false;
  }

  private static PacketSet of(PacketSpace space, int[] tcp, int[] udp) {
    PacketSet set = space.none();
    for (int port : tcp) {
      set = set.union(space.service(part(Protocol.TCP, port)));
    }
    for (int port : udp) {
      set = set.union(space.service(part(Protocol.UDP, port)));
    }
    return set;
  }

  private static ServicePart part(int protocol, int port) {
    return new ServicePart(protocol, PortSet.of(port), Icmp.NO_TYPE);
  }
}
