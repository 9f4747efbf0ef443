"""What each kind of finding means to the person who reads it."""

from dataclasses import dataclass

from kiteroll.core.findings.ips import MOST_IPS
from kiteroll.core.findings.model import Kind


@dataclass(frozen=True, slots=True)
class Page:
    title: str
    why: str
    """Why it matters."""
    looks: str
    """What it looks like, and what it rests on."""
    do: str
    """What to do."""
    quieten: str
    """How to have less of it."""


PAGES: dict[Kind, Page] = {
    Kind.MOVED: Page(
        "An endpoint moved",
        "Somebody looks for it at its old port, and rules of that port no longer hold for it.",
        "The address is learned at another access port, and the old one no longer has it. A link that went "
        "down before tells of re-plugging; another switch, of being carried elsewhere.",
        "Nothing, if it was meant to move. Else ask who moved it.",
        "It is a note and clears by itself. Acknowledge it for endpoints that travel.",
    ),
    Kind.FLAPPING: Page(
        "An address jumps to and fro",
        "Frames to it go to the wrong port half of the time; calls break off and reconnect.",
        "The same address jumps between few ports several times within minutes. The evidence lists each jump "
        "and whether links went down in between.",
        "Look at the likely cause: a loose cable (links went down), a failover pair, roaming, or a device "
        "with two cables. Fix the cause, not the port: resetting a port only hides it.",
        "Put addresses that move by design into the list of shared addresses, or raise findings.jumps.",
    ),
    Kind.DOUBLED: Page(
        "Two devices have the same address",
        "Each gets part of the other's traffic. Neither works well, and both seem to work at times.",
        "The address is at two access ports for longer than what lingers after a move, or keeps being "
        "learned at both while neither link ever went down.",
        "Go to both ports. One of the two is a clone, a copied virtual machine, or was given an address by "
        "hand. Change it there.",
        "If both are meant to answer with it (virtual router, cluster), put it into the list of shared "
        "addresses.",
    ),
    Kind.CONTESTED_IP: Page(
        "One IP address, two devices",
        "Whoever answered last gets the traffic; sessions break whenever the other one speaks.",
        "A router's neighbour cache showed the IP with different addresses by turns.",
        "Find both addresses here, and give one of them another IP.",
        "A pair that takes over from each other on purpose is no trouble: acknowledge it.",
    ),
    Kind.SEVERAL_IPS: Page(
        "One address, unrelated IPs",
        "Two devices may share the address. Behind one port, or beyond what is read, nothing else tells.",
        "A router's neighbour cache shows an address with the IP it always had and, for six hours (or as "
        "set), with one that came later and has another host name or none. IPs that came together are left "
        f"out, and addresses with more than {MOST_IPS}, which are routers.",
        "Ask each IP who it is. If it is one device with a second IP, all is well; else give one of the two "
        "an address of its own.",
        "Put addresses that gain IPs by design (clusters, hosts of virtual machines) into the list of shared "
        "addresses, or raise findings.ips_after.",
    ),
    Kind.LOOP: Page(
        "A loop",
        "Broadcasts go round for ever. The whole VLAN slows down or stands still.",
        "Many addresses jump to and fro between the same ports of one switch within a minute or two. Often "
        "the count of spanning-tree changes rises too.",
        "Pull the cable at one of the two ports, then look where it leads: two sockets joined by a cable, or "
        "a small switch with two cables. When the jumps stop, the finding shows since when it is quiet.",
        "Switch on spanning tree, or loop protection, on access ports.",
    ),
    Kind.FLOOD: Page(
        "A flood of new addresses",
        "A full table makes the switch send frames to every port, where anybody can read them.",
        "Dozens of addresses that were never on the switch appear on one port within minutes.",
        "Look what hangs there. A network that was just plugged in is fine; a single device that makes up "
        "addresses is faulty or attacks: switch its port off.",
        "Raise findings.flood for ports where whole networks are plugged in.",
    ),
    Kind.SILENT_PORT: Page(
        "A port that is up and silent",
        "Something is plugged in and says nothing: it may hang, be in the wrong VLAN, or be forgotten.",
        "The link is up for a day (or as set) and no address was learned.",
        "Look at the label and at who was there last. Ping the device, look at its VLAN, or go there.",
        "Raise findings.silent_after, or acknowledge it for ports that sleep.",
    ),
    Kind.OVERFULL: Page(
        "A port that is overfull",
        "More devices than agreed share one socket: what they do cannot be told apart, and a small switch "
        "nobody knows of can close a loop.",
        "More addresses are present on the port at once than it has seats. Ports that lead to other "
        "switches are exempt. The evidence names who was there.",
        "Look at who is there and go to the socket. Take out what does not belong there, or give the port "
        "the seats it needs.",
        "Set the seats (`kiteroll rule set --switch NAME --port PORT --seats N`), or leave them out.",
    ),
    Kind.STRANGER: Page(
        "A stranger on a port",
        "A device that nobody enrolled hears what is meant for others, or was plugged into the wrong socket.",
        "An address is present on a watched port whose roll does not carry it in that VLAN. The roll is "
        "what was enrolled on the port, its switch and the groups of the switch together.",
        "Find out whose it is. Enrol it if it belongs there; else unplug it.",
        "Enrol whole prefixes of a maker (`kiteroll rule enrol`), or stop watching the port.",
    ),
    Kind.FILLING: Page(
        "A table that fills",
        "What no longer fits is not learned: frames to it flood every port.",
        "The addresses present come near the size you set for the switch, or the switch counts addresses it "
        "could not learn.",
        "Look for a loop or a flood first. Else shorten the ageing time, take VLANs off links that do not "
        "need them, or use a larger switch.",
        "Set the right table size (`kiteroll switch change NAME --table-size`).",
    ),
    Kind.AGEING: Page(
        "Addresses age before they are read",
        "Endpoints that talk seldom come and go unseen between two readings.",
        "The reading interval of the switch is longer than its ageing time.",
        "Read it more often (`kiteroll switch change NAME --every SECONDS`), or lengthen its ageing time.",
        "The same.",
    ),
    Kind.RESTARTED: Page(
        "A switch restarted",
        "Everything behind it was cut off, and its table began empty.",
        "Its uptime began anew, and the counter did not just wrap.",
        "If nobody meant it: power, heat, or a crash. Look at its log.",
        "It is a note and clears by itself.",
    ),
    Kind.UNREAD: Page(
        "A switch that is not read",
        "What is said of it grows old; its endpoints may be elsewhere by now.",
        "It does not answer, refuses, or gave no complete reading for three intervals.",
        "Is it up? Then look at its access list and credential: `kiteroll credential test`.",
        "Switch it off here (`kiteroll switch change NAME --off`) while it is being worked on.",
    ),
}
