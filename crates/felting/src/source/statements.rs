//! The statements of the language, in the order of the reference: this list makes the document that files are read
//! into, the reader, the JSON Schema, the reference in `docs/language.md` and the builder. What stands here once,
//! such as a default, stands nowhere else.

use std::net::{IpAddr, Ipv4Addr};

use jiff::civil::Date;
#[cfg(feature = "schema")]
use serde_json::Value as Json;
use smol_str::SmolStr;

use super::fits::{Fits, Many};
use super::keys::Statement;
#[cfg(feature = "schema")]
use super::keys::VisitTables;
use super::keys::{KeyDef, Keys, Layers, append, keys, read_all, statements};
use super::read::{Cx, Node, Read};
use super::runs::Run;
use crate::diagnostic::At;
use crate::value::{
    Activity, AddressRange, Advertised, Area, Asn, BondProtocol, BridgePriority, Cookie,
    DfElection, Domain, Encapsulation, EthernetSegmentIdentifier, EthernetSegmentMode, Family,
    GatewayKind, GroupNumber, HashPolicy, InstanceNumber, Interval, IpInterface, IpPrefix, Irb,
    IsisLevel, IsolatedBy, Loopback, MacAddr, Metric, Mtu, NetworkType, NextHopRule, Number,
    NumberedBy, PartnerBy, PathCost, PathCosts, PeerLinkLoss, PoolKind, PoolNumber, Preference,
    Protocol, Replication, Role, RouteDistinguisher, RouteTarget, SessionOver, SingleHomed,
    SplitDetection, StackMemberNumber, StackNumber, TargetPattern, TargetRule, Timeout, TreeMode,
    TreePortPriority, UdpPort, Unanswered, UnderlayProtocol, VlanId, VlanSet, Vni, VrrpId,
    VrrpPriority, WireEncapsulation, WireOver, WireSession,
};

statements! {
    ($)
    /// A kind of switch: what it has and what it can do. A switch names its kind by `hardware`.
    hardware(HardwareKeys, HardwareStatement, hardware) {
        /// The kind's name.
        name: SmolStr [name];
        /// The ports it comes with, each as a range and a speed: `p[1-48] 25G`. `half` after the speed is for half
        /// duplex; `p49 4x25G` is a port broken out into the lanes p49/1 to p49/4.
        ports: Many<SmolStr>;
        /// Whether it speaks LACP.
        lacp: bool = true;
        /// Whether a LAG may be a routed port.
        routed_lags: bool = true;
        /// How many members of one LAG it uses at once; the others stand by.
        members_in_use: u16;
        /// How many members it takes into one LAG.
        members_bundled: u16;
        /// Whether the members of one LAG may differ in speed, duplex or medium.
        mixed_rates: bool = false;
        /// How many members a stack of it may have, which is also the largest member id.
        stack_members: u16;
        /// VLANs that the device keeps for itself.
        reserved_vlans: VlanSet;
        /// Whether it can be a VTEP.
        vtep: bool = true;
        /// The largest MTU that a port can be set to.
        mtu: Mtu;
    }

    /// A switch, or several that are alike.
    switch(SwitchKeys, SwitchStatement, switches) {
        /// Its name, or a range of names: `kelp-[a-b]`.
        name: SmolStr [identity];
        /// Its number, from which allotted values follow; a range of names counts on from it.
        number: Number;
        /// What it is for.
        role: Role;
        /// Its kind, by the name of a `hardware` table.
        hardware: SmolStr;
        /// The software that it runs, with its version.
        software: SmolStr;
        /// Its ports, where they are not those of its hardware.
        ports: Many<SmolStr>;
        /// Its MAC address, which is also its LACP system's; by default allotted from the number.
        mac: MacAddr;
        /// Its LACP system priority; the lower is the better.
        system_priority: u16 = 32_768;
        /// Its rack.
        rack: SmolStr;
        /// Its position in the rack.
        position: SmolStr;
    }

    /// Several switches that act as one. The stack is one switch, with a `switch` statement of its
    /// own; its members bring the ports, named by member: `1/p1`.
    stack(StackKeys, StackStatement, stacks) {
        /// The switch that the members make.
        switch: SmolStr [identity];
        /// Its members, each as a table with its `id`.
        members: Many<StackMemberKeys> [identity];
        /// The number by which members know which stack they belong to.
        stack_id: StackNumber;
        /// The stack ports of every member, as a range and a speed: `st[1-2] 40G`.
        stack_ports: Many<SmolStr>;
        /// By what the parts of a split stack notice each other; nothing by default.
        split_detection: SplitDetection;
    } with {
        /// One member of a stack.
        stack_member(StackMemberKeys, StackMemberStatement) is "an element of `members` of a stack" {
            /// Its number in the stack.
            id: StackMemberNumber [identity];
            /// The priority by which the lead is found; the higher is the better, and a member without one comes last.
            priority: u16;
            /// Its own MAC address, by which a tie of priorities ends; by default allotted.
            mac: MacAddr;
            /// Its kind, where it is not that of the switch.
            hardware: SmolStr;
            /// The software that it runs, where it is not that of the switch.
            software: SmolStr;
            /// The stack that it is set to be of, where it is not this one.
            stack_id: StackNumber;
            /// Whether its place is configured, but nothing stands in it.
            absent: bool;
            /// Its stack ports, where they are not those of the stack.
            stack_ports: Many<SmolStr>;
            /// Its position in the rack.
            position: SmolStr;
        }
    }

    /// A shared medium: every port on it hears every other.
    repeater(RepeaterKeys, RepeaterStatement, repeaters) {
        /// Its name.
        name: SmolStr [name];
        /// The ports on it, each as a switch and a port: `mud-[1-3] p4`.
        ports: Many<SmolStr> [identity];
    }

    /// Settings of single ports. What a member of a LAG has of its own stands here too, though it
    /// should have nothing of its own.
    port(PortKeys, PortStatement, ports) {
        /// The switches, by name, range or pattern.
        on: Many<SmolStr> [identity];
        /// The ports, by name or range.
        ports: Many<SmolStr> [identity];
        /// The VLANs that it carries tagged.
        tagged: VlanSet;
        /// The VLAN that untagged frames belong to (the PVID).
        untagged: VlanId;
        /// Its MTU.
        mtu: Mtu;
        /// Whether it is switched on.
        enabled: bool = true;
        /// Its addresses, which make it a routed port.
        address: Many<IpInterface>;
        /// The part of the switch that it belongs to, where a switch is divided into several.
        partition: SmolStr;
        /// Whether it is an edge port of the spanning tree, which expects no bridge.
        edge: bool = false;
        /// Whether it takes part in the spanning tree.
        tree: bool = true;
        /// Its path cost in the spanning tree, where it does not follow from the speed.
        tree_cost: PathCost;
        /// Its priority in the spanning tree; the lower is the better.
        tree_priority: TreePortPriority = TreePortPriority::DEFAULT;
    }

    /// One end of a LAG on each of the switches. The far end is found by the cables.
    lag(LagKeys, LagStatement, lags) {
        /// The switches, by name, range or pattern.
        on: Many<SmolStr> [identity];
        /// Its name on the switch.
        name: SmolStr [name];
        /// Its members, by name or range.
        ports: Many<SmolStr>;
        /// What it speaks.
        protocol: Protocol = Protocol::Lacp;
        /// The LACP mode.
        mode: Activity = Activity::Active;
        /// The LACP timeout.
        timeout: Timeout = Timeout::Long;
        /// What the members do while nobody answers.
        unanswered: Unanswered = Unanswered::Individual;
        /// Which partner it takes if its members lead to several, or have several keys; by default that of the member
        /// with the best port id.
        partner_by: PartnerBy = PartnerBy::Member;
        /// The number that joins this LAG and one on the other side of the pair.
        group: GroupNumber;
        /// The VLANs that it carries tagged.
        tagged: VlanSet;
        /// The VLAN that untagged frames belong to (the PVID).
        untagged: VlanId;
        /// Its MTU.
        mtu: Mtu;
        /// With fewer members than this in use, the LAG is down.
        min_members: u16 = 1;
        /// The LACP port priority of its members; the lower is the better.
        port_priority: u16 = 32_768;
        /// The LACP key that it presents; by default one of its own, in a group one for both halves.
        key: u16;
        /// The LACP system MAC address that it presents, where it is not that of the switch or pair.
        system: MacAddr;
        /// The LACP system priority that it presents, where it is not that of the switch or pair.
        system_priority: u16;
        /// Its addresses, which make it a routed LAG.
        address: Many<IpInterface>;
        /// The Ethernet segment that it belongs to (RFC 7432): ten octets, a MAC address and a number, or `lacp`.
        ethernet_segment: EthernetSegmentIdentifier;
        /// Whether all leaves of the Ethernet segment forward at once, or one.
        ethernet_segment_mode: EthernetSegmentMode = EthernetSegmentMode::AllActive;
        /// The preference of this leg in an election by preference (RFC 9785); that of the `[[overlay]]` by default.
        ethernet_segment_preference: Preference;
        /// Whether it is an edge port of the spanning tree, which expects no bridge.
        edge: bool = false;
        /// Whether it takes part in the spanning tree.
        tree: bool = true;
        /// Its path cost in the spanning tree, where it does not follow from its bandwidth.
        tree_cost: PathCost;
        /// Its priority in the spanning tree; the lower is the better.
        tree_priority: TreePortPriority = TreePortPriority::DEFAULT;
        /// Settings of single members.
        members: Many<MemberKeys>;
    } with {
        /// What some members of a LAG have of their own.
        member(MemberKeys, MemberStatement) is "an element of `members` of a LAG" {
            /// The members, by name or range.
            ports: Many<SmolStr> [identity];
            /// Their LACP port priority.
            port_priority: u16;
            /// Their LACP port number; by default their place among the switch's ports.
            port_number: u16;
            /// Their LACP key, where it is not that of the LAG: then they aggregate with their like only.
            key: u16;
        }
    }

    /// Two switches that are one LACP partner: a multi-chassis LAG pair. Its sides are the switches
    /// that `on` names and those of its `[[pair.side]]` tables, where every key may stand again.
    pair(PairKeys, PairStatement, pairs) {
        /// The pair's name.
        name: SmolStr [name];
        /// Its two switches, where they need no `[[pair.side]]`.
        on: Many<SmolStr>;
        /// The domain, by which the sides know each other; the LACP system id follows from it.
        domain: Domain;
        /// The name of the LAG between the two.
        peer_link: SmolStr;
        /// The name of a further LAG between the two, for data only, where the peer link is for control.
        data_link: SmolStr;
        /// By which addresses the sides ask whether the other is alive.
        keepalive: KeepaliveKeys;
        /// The priority by which the primary is found; the lower is the better.
        priority: u16;
        /// The VTEP address that both share.
        vtep: IpAddr;
        /// The LACP system priority that both present; the lower is the better.
        system_priority: u16 = 32_768;
        /// What the secondary does when the peer link is lost, for whatever reason, while the keepalive says that the
        /// primary lives.
        secondary: PeerLinkLoss = PeerLinkLoss::CloseGroups;
    } with {
        /// By which addresses a side asks whether the other is alive: `from` and `to` as this side has
        /// them, or `between` with the addresses of both sides in their order.
        keepalive(KeepaliveKeys, KeepaliveStatement) is "the value of `keepalive` of a pair" {
            /// This side's address.
            from: IpAddr;
            /// The other side's address.
            to: IpAddr;
            /// The addresses of both sides, where they mirror each other.
            between: Many<IpAddr>;
            /// The routing table in which the addresses are looked up.
            vrf: SmolStr;
        }
    }

    /// A management network: where the switches' management ports are, apart from the fabric.
    management(ManagementKeys, ManagementStatement, management) {
        /// Its name.
        name: SmolStr [name];
        /// The switches that are in it, by name, range or pattern.
        on: Many<SmolStr>;
        /// Its subnets. A switch has the address at the place of its number, where nothing else is written.
        subnet: Many<IpPrefix>;
        /// The addresses of the switches that a deviation names.
        address: Many<IpAddr>;
        /// The routing table that the management ports are in.
        vrf: SmolStr;
        /// The router that leads to the other management networks.
        gateway: Many<IpAddr>;
    }

    /// What some switches do about loops: the spanning tree. Switches without such a statement run
    /// RSTP with the priority 32768, as IEEE 802.1Q has it; routers and hosts take no part.
    tree(TreeKeys, TreeStatement, trees) {
        /// The switches, by name, range or pattern.
        on: Many<SmolStr> [identity];
        /// Which tree they run.
        mode: TreeMode = TreeMode::Rstp;
        /// The bridge priority; the lower is the better.
        priority: BridgePriority = BridgePriority::DEFAULT;
        /// The name of the MST region.
        region: SmolStr;
        /// The revision of the MST region.
        revision: u16 = 0;
        /// The instances of the MST region.
        instances: Many<InstanceKeys>;
        /// The priority in single VLANs, in the mode `per-vlan`.
        vlan_priorities: Many<VlanPriorityKeys>;
        /// From which table path costs follow that are not set.
        path_costs: PathCosts = PathCosts::Long;
    } with {
        /// One instance of an MST region.
        instance(InstanceKeys, InstanceStatement) is "an element of `instances` of a tree" {
            /// Its number.
            id: InstanceNumber [identity];
            /// The VLANs that it holds for.
            vlans: VlanSet [identity];
            /// The bridge priority in it; that of the `tree` by default.
            priority: BridgePriority;
        }

        /// The bridge priority in some VLANs.
        vlan_priority(VlanPriorityKeys, VlanPriorityStatement) is "an element of `vlan_priorities` of a tree" {
            /// The VLANs.
            vlans: VlanSet [identity];
            /// The bridge priority in them.
            priority: BridgePriority [identity];
        }
    }

    /// From what values are allotted that nobody wrote: base plus the thing's own number, so that adding
    /// a switch never renumbers another.
    pool(PoolKeys, PoolStatement, pools) {
        /// Its name.
        name: SmolStr [name];
        /// What it gives out.
        gives: PoolKind [identity];
        /// The prefixes that addresses come from, one for each of IPv4 and IPv6.
        prefix: Many<IpPrefix>;
        /// The number before the first, of AS numbers and VNIs: what has the number 1 gets the next.
        base: PoolNumber;
        /// The last number that it may give.
        last: PoolNumber;
        /// How many links each switch may have to those above it.
        links_per_switch: u16 = 8;
        /// Whose number an AS number follows from.
        by: NumberedBy = NumberedBy::Switch;
        /// The switches that it is for; all by default.
        on: Many<SmolStr>;
    }

    /// What a switch is to routing protocols.
    router(RouterKeys, RouterStatement, routers) {
        /// The switches, by name, range or pattern.
        on: Many<SmolStr> [identity];
        /// The AS number; by default from the pool.
        as_number: Asn;
        /// The router id; by default from the pool, else the IPv4 loopback.
        router_id: Ipv4Addr;
        /// The loopback's addresses; by default from the pool.
        loopback: Many<Loopback>;
        /// Its cluster id as a route reflector; its router id by default (RFC 4456 section 7).
        cluster_id: Ipv4Addr;
        /// How many equal paths it uses at once; all of them by default.
        max_paths: u16;
        /// Whether eBGP without policy lets nothing in or out (RFC 8212).
        policy_required: bool = true;
        /// Whether an eBGP session between loopbacks needs `multihop` also where the peer is one hop away. No clause of
        /// RFC 4271 asks for it, and most of the trade refuses such sessions.
        connected_check: bool = true;
    }

    /// How some switches route between each other. Without `ports`, every port counts that is cabled
    /// to another switch of an underlay and neither in a LAG nor bridged.
    underlay(UnderlayKeys, UnderlayStatement, underlays) {
        /// The switches, by name, range or pattern.
        on: Many<SmolStr> [identity];
        /// The routing protocol.
        protocol: UnderlayProtocol = UnderlayProtocol::Ospf;
        /// The ports and LAGs that take part, by name or range.
        ports: Many<SmolStr>;
        /// Whether links have no addresses of their own but use the loopback's.
        unnumbered: bool = false;
        /// The area.
        area: Area = Area::backbone();
        /// The IS-IS level.
        level: IsisLevel = IsisLevel::Two;
        /// What a link is taken for.
        network_type: NetworkType = NetworkType::PointToPoint;
        /// How often hellos are sent.
        hello: Interval = "10s";
        /// After what silence a neighbour is given up.
        dead: Interval = "40s";
        /// The cost of a link.
        cost: Metric = 10;
        /// The name of the secret by which hellos are authenticated; none by default.
        authentication: SmolStr;
        /// Whether BFD watches the neighbours.
        bfd: bool = false;
        /// What is advertised; with BGP loopbacks and VTEPs by default, else the links too.
        advertise: Many<Advertised>;
        /// The AS number that the far end of each link is expected to have (BGP); by default the one it has.
        peer_as: Asn;
        /// The policies that routes from the far end pass, by name, or `everything` (BGP).
        import: Many<SmolStr>;
        /// The policies that routes to the far end pass, by name, or `everything` (BGP).
        export: Many<SmolStr>;
        /// Whether multicast is routed between the links.
        multicast: bool = false;
    }

    /// One routed interface, where the underlay's keys don't say all: a port or LAG, a tagged
    /// sub-interface of it, or a VLAN's.
    interface(InterfaceKeys, InterfaceStatement, interfaces) {
        /// The switches, by name, range or pattern.
        on: Many<SmolStr> [identity];
        /// The port or LAG.
        port: SmolStr;
        /// The tag, of a sub-interface.
        tag: VlanId;
        /// The VLAN, of an interface that is no port: it reaches the other side of a pair over the peer link.
        vlan: VlanId;
        /// Its addresses; by default from the pool.
        address: Many<IpInterface>;
        /// Its VRF, where it is a tenant's; its routing protocols are then not the underlay's.
        vrf: SmolStr;
        /// Its MTU, where it is not that of the port.
        mtu: Mtu;
        /// The routing protocol; that of the underlay by default.
        protocol: UnderlayProtocol;
        /// Whether it has no address of its own but uses the loopback's.
        unnumbered: bool;
        /// The area.
        area: Area;
        /// The IS-IS level.
        level: IsisLevel;
        /// What the link is taken for.
        network_type: NetworkType;
        /// How often hellos are sent.
        hello: Interval;
        /// After what silence a neighbour is given up.
        dead: Interval;
        /// The cost.
        cost: Metric;
        /// The name of the secret by which hellos are authenticated.
        authentication: SmolStr;
        /// Whether BFD watches the neighbour.
        bfd: bool;
        /// Whether its subnet is advertised but no neighbour sought on it.
        passive: bool = false;
        /// The AS number that the far end is expected to have (BGP).
        peer_as: Asn;
        /// The policies that routes from the far end pass (BGP).
        import: Many<SmolStr>;
        /// The policies that routes to the far end pass (BGP).
        export: Many<SmolStr>;
        /// Whether multicast is routed over it.
        multicast: bool;
    }

    /// Static routes of some switches.
    route(RouteKeys, RouteStatement, routes) {
        /// The switches, by name, range or pattern.
        on: Many<SmolStr> [identity];
        /// Where they lead.
        to: Many<IpPrefix> [identity];
        /// By what: an address, a switch, or a WAN path.
        via: SmolStr [identity];
        /// Its VRF, where it is a tenant's.
        vrf: SmolStr;
        /// How long a packet may take: the route is used only while the WAN path that it leads by is no slower. Of two
        /// routes by two paths the one within its bound is used.
        within: Interval;
    }

    /// Which prefixes a routing policy lets through: what `deny` covers not, else what `permit` covers,
    /// all of it without `permit`.
    policy(PolicyKeys, PolicyStatement, policies) {
        /// Its name.
        name: SmolStr [name];
        /// The prefixes that it lets through, with all that is inside them.
        permit: Many<IpPrefix>;
        /// The prefixes that it stops, with all that is inside them.
        deny: Many<IpPrefix>;
    }

    /// One end of BGP sessions: from each switch of `on` to each of `to`.
    session(SessionKeys, SessionStatement, sessions) {
        /// The switches whose end this is, by name, range or pattern.
        on: Many<SmolStr> [identity];
        /// The switches at the other end, by name, range or pattern.
        to: Many<SmolStr> [identity];
        /// Between which addresses.
        over: SessionOver = SessionOver::Loopbacks;
        /// The address families that this end activates; `evpn` by default.
        families: Many<Family>;
        /// The AS number that the other end is expected to have; by default the one it has.
        peer_as: Asn;
        /// The address that the other end is expected at; by default its own.
        peer_address: IpAddr;
        /// The address that this end sends from; the loopback, or the link's, by default. `over` says which.
        source: IpAddr;
        /// Over how many hops an eBGP session may go; one hop where it is not written.
        multihop: u16;
        /// Whether this end reflects routes to the other as its client (RFC 4456).
        client: bool = false;
        /// What this end does to the next hop of routes that it passes on: of EVPN over eBGP `rewritten` by default,
        /// over iBGP `kept`.
        next_hop: NextHopRule;
        /// Whether extended communities are sent.
        communities: bool = true;
        /// The policies that routes from the other end pass, by name, or `everything`.
        import: Many<SmolStr>;
        /// The policies that routes to the other end pass, by name, or `everything`.
        export: Many<SmolStr>;
        /// The name of the secret by which the session is authenticated; none by default.
        authentication: SmolStr;
        /// Whether BFD watches the other end.
        bfd: bool = false;
    }

    /// What makes some switches VTEPs, and what holds for all their segments.
    overlay(OverlayKeys, OverlayStatement, overlays) {
        /// The switches, by name, range or pattern.
        on: Many<SmolStr> [identity];
        /// The VTEP address; that of the pair, else from the pool, by default.
        vtep: IpAddr;
        /// What frames travel in.
        encapsulation: Encapsulation = Encapsulation::Vxlan;
        /// The UDP port that VTEPs listen on; 4789 by default (RFC 7348), with GENEVE 6081 (RFC 8926).
        udp_port: UdpPort;
        /// How flooding is done.
        replication: Replication = Replication::Ingress;
        /// The rendezvous points of multicast groups.
        rendezvous: Many<IpAddr>;
        /// Where route targets come from that are not written; `given` if there is a pattern, else `rfc8365`.
        targets: TargetRule;
        /// The pattern of given route targets, such as `42041:{vni}`.
        target_pattern: TargetPattern;
        /// Whether imports of derived targets ignore the AS number in them.
        any_as: bool = false;
        /// How packets between segments cross the fabric.
        irb: Irb = Irb::Symmetric;
        /// The MAC address by which others send routed packets here (RFC 9135); by default that of the switch, of a
        /// pair that of its first side.
        router_mac: MacAddr;
        /// The MAC address of anycast gateways.
        gateway_mac: MacAddr;
        /// Whether gateways' MAC and IP addresses are advertised (RFC 7432 section 10.1).
        advertise_gateways: bool = false;
        /// Whether ARP and ND are answered from what EVPN says.
        suppression: bool = true;
        /// Whether legs of Ethernet segments are closed when the core is lost.
        core_isolation: bool = false;
        /// What counts as lost: all `links` to the underlay, or all EVPN `sessions`.
        isolated_by: IsolatedBy = IsolatedBy::Links;
        /// How the designated forwarder of an Ethernet segment is found.
        election: DfElection = DfElection::Modulus;
        /// The preference in an election by preference.
        preference: Preference = 32_767;
        /// The next hop for what hangs on one side of a pair.
        single_homed: SingleHomed = SingleHomed::Shared;
    }

    /// Switches at one place, with a WAN between them and the others.
    site(SiteKeys, SiteStatement, sites) {
        /// Its name.
        name: SmolStr [name];
        /// The switches, by name, range or pattern.
        on: Many<SmolStr> [identity];
        /// How long a packet to another site may take.
        delay_bound: Interval;
    }

    /// A path over a WAN of other people's routers, between an interface at either end.
    wan(WanKeys, WanStatement, wans) {
        /// Its name.
        name: SmolStr [name];
        /// The two ends, each a switch and a port: `inlet-a p52`.
        ends: Many<SmolStr> [identity];
        /// The tags at the two ends, if the path is in one.
        tags: Many<VlanId>;
        /// How long a packet takes.
        delay: Interval;
        /// The largest packet that it takes.
        mtu: Mtu;
        /// Whether what crosses it is encrypted.
        encrypted: bool = false;
    }

    /// A tenant's routing table.
    vrf(VrfKeys, VrfStatement, vrfs) {
        /// Its name.
        name: SmolStr [name];
        /// Its number, from which allotted values follow.
        number: Number;
        /// Its layer 3 VNI; by default from the pool.
        vni: Vni;
        /// The switches that have it, by name, range or pattern.
        on: Many<SmolStr>;
        /// The route targets of imports and exports, where they are not those of the overlay.
        targets: Many<RouteTarget>;
        /// The route targets of imports, where they differ.
        import_targets: Many<RouteTarget>;
        /// The route targets of exports, where they differ.
        export_targets: Many<RouteTarget>;
        /// The route distinguisher; by default the router id and 32768 plus the number.
        rd: RouteDistinguisher;
        /// How packets between segments cross the fabric, where it is not as the overlay has it.
        irb: Irb;
        /// Whether the subnets of its segments are advertised as IP prefixes.
        advertise_subnets: bool = true;
    }

    /// One broadcast domain: its VLAN, its VNI, its subnets, and where it is present.
    segment(SegmentKeys, SegmentStatement, segments) {
        /// Its name.
        name: SmolStr [name];
        /// Its number, from which allotted values follow.
        number: Number;
        /// The switches that have it, by name, range or pattern.
        on: Many<SmolStr>;
        /// Its VLAN.
        vlan: VlanId;
        /// Its layer 2 VNI; by default from the pool.
        vni: Vni;
        /// Its VRF, by name.
        vrf: SmolStr;
        /// Its subnets.
        subnet: Many<IpPrefix>;
        /// Its gateway's addresses.
        gateway: Many<IpAddr>;
        /// Where the gateway is, if not on all VTEPs of the segment.
        gateway_on: Many<SmolStr>;
        /// Which routers have the gateway's address.
        gateway_kind: GatewayKind = GatewayKind::Anycast;
        /// The gateway's MAC address, where it is not that of the overlay.
        gateway_mac: MacAddr;
        /// The switch's own addresses, beside the gateway's.
        address: Many<IpInterface>;
        /// The priority for the shared gateway address; the higher is the better (VRRP, RFC 9568 section 5.2.4).
        vrrp_priority: VrrpPriority = 100;
        /// The virtual router identifier of the shared gateway address, from which its MAC address follows (VRRP, RFC
        /// 9568 section 7.3).
        vrrp_id: VrrpId = 1;
        /// The route targets of imports and exports, where they are not those of the overlay.
        targets: Many<RouteTarget>;
        /// The route targets of imports, where they differ.
        import_targets: Many<RouteTarget>;
        /// The route targets of exports, where they differ.
        export_targets: Many<RouteTarget>;
        /// The route distinguisher; by default the router id and the number, else the VLAN.
        rd: RouteDistinguisher;
        /// How flooding is done, where it is not as the overlay has it.
        replication: Replication;
        /// The multicast group, where flooding is by multicast.
        multicast_group: IpAddr;
        /// The VTEP addresses that frames are copied to, where flooding is static.
        flood_to: Many<IpAddr>;
        /// The servers to which its gateways pass on what hosts ask of DHCP.
        relay: Many<IpAddr>;
    }

    /// Segments that are one EVPN instance: VLAN-aware, with one route distinguisher and one set of
    /// targets, and the VNI as Ethernet tag.
    evi(EviKeys, EviStatement, evis) {
        /// Its name.
        name: SmolStr [name];
        /// Its number, from which its route distinguishers follow.
        number: Number;
        /// Its segments, by name.
        segments: Many<SmolStr> [identity];
        /// The route targets of imports and exports.
        targets: Many<RouteTarget>;
    }

    /// An end of a pseudowire: what comes in by a port of the switch goes out by one at the far end, and back. The two ends of
    /// one wire have the same name.
    pseudowire(PseudowireKeys, PseudowireStatement, pseudowires) {
        /// The wire's name.
        name: SmolStr [name];
        /// The switches that have an end of it, by name, range or pattern.
        on: Many<SmolStr> [identity];
        /// The port whose frames it carries, whatever they are and however they are tagged.
        port: SmolStr;
        /// The address that its packets are from; by default the first loopback of the version that `to` has.
        from: IpAddr;
        /// The far end: its address, or a switch by name, whose first loopback it is.
        to: SmolStr;
        /// How frames cross the network.
        encapsulation: WireEncapsulation = WireEncapsulation::L2tpv3;
        /// What L2TPv3 goes over.
        over: WireOver = WireOver::Ip;
        /// The ids of the L2TPv3 session, such as `{ local = 17, remote = 18 }`: what is `local` here is `remote` at the far
        /// end.
        session: WireSessionKeys;
        /// The cookies of the L2TPv3 session, such as `{ local = "c0a80001", remote = "c0a80002" }`.
        cookie: WireCookieKeys;
        /// Whether L2TPv3 carries the layer 2 specific sublayer, of 4 octets.
        sublayer: bool = false;
        /// Whether it sends sequence numbers in the sublayer.
        sequence: bool = false;
        /// The VNI, where VXLAN carries the frames.
        vni: Vni;
        /// The UDP port that it listens on; by default 4789 for VXLAN, 1701 for L2TPv3.
        udp_port: UdpPort;
        /// The UDP port that the far end listens on; by default its own.
        to_port: UdpPort;
        /// The largest packet, without its Ethernet header, of a frame that it takes.
        mtu: Mtu;
        /// Whether its packets may be fragmented on their way; by default those of L2TPv3 may, and those of VXLAN must not.
        fragments: bool;
    } with {
        /// The ids of an L2TPv3 session, each given by the end that receives it.
        wire_session(WireSessionKeys, WireSessionStatement) is "the value of `session` of a pseudowire" {
            /// The id that is on what comes in.
            local: WireSession;
            /// The id that is put on what goes out.
            remote: WireSession;
        }

        /// The cookies of an L2TPv3 session, each chosen by the end that receives it.
        wire_cookie(WireCookieKeys, WireCookieStatement) is "the value of `cookie` of a pseudowire" {
            /// The cookie that is asked of what comes in.
            local: Cookie;
            /// The cookie that is put on what goes out.
            remote: Cookie;
        }
    }

    /// Routes of one VRF that another one gets too.
    leak(LeakKeys, LeakStatement, leaks) {
        /// The VRF whose routes they are.
        from: SmolStr [identity];
        /// The VRF that gets them.
        to: SmolStr [identity];
        /// Which prefixes; all by default.
        prefixes: Many<IpPrefix>;
        /// The switches that pass them on, by name, range or pattern; all that have both VRFs by default.
        on: Many<SmolStr>;
        /// Whether it is meant to go one way only.
        one_way: bool = false;
    }

    /// A network outside the fabric that a VRF reaches.
    outside(OutsideKeys, OutsideStatement, outsides) {
        /// Its name.
        name: SmolStr [name];
        /// The VRF.
        vrf: SmolStr [identity];
        /// The switches that lead to it, by name, range or pattern.
        on: Many<SmolStr> [identity];
        /// Its prefixes; `0.0.0.0/0` is the default route.
        prefixes: Many<IpPrefix> [identity];
        /// The router there, by the name of a switch of the fabric file that plays it.
        via: SmolStr;
        /// The segment in which the switches and that router meet.
        segment: SmolStr;
    }

    /// A host, or several that are alike.
    host(HostKeys, HostStatement, hosts) {
        /// Its name, or a range of names: `hull-[01-06]`.
        name: SmolStr [identity];
        /// Its NICs, each as a range and a speed: `nic[1-2] 25G`.
        nics: Many<SmolStr>;
        /// Its bond, or a list of bonds.
        bond: Many<BondKeys>;
        /// Its virtual networks.
        networks: Many<NetworkKeys>;
        /// The hosts among which its guests move, by the name that they share.
        cluster: SmolStr;
        /// The MTU of its NICs, and of the endpoints on it that have none of their own.
        mtu: Mtu;
        /// Its MAC address, which is also its LACP system's; by default it follows from the name.
        mac: MacAddr;
        /// Its LACP system priority; the lower is the better.
        system_priority: u16 = 32_768;
        /// Its rack.
        rack: SmolStr;
        /// Its position in the rack.
        position: SmolStr;
    } with {
        /// NICs of a host that are used together.
        bond(BondKeys, BondStatement) is "the value of `bond` of a host" {
            /// Its name.
            name: SmolStr [name];
            /// Its NICs, by name or range.
            nics: Many<SmolStr> [identity];
            /// What it speaks, or how it uses its NICs without a LAG.
            protocol: BondProtocol = BondProtocol::Lacp;
            /// The NIC that is used while it has a link, of a bond that is `active-standby`; the first by default.
            active: SmolStr;
            /// The LACP mode.
            mode: Activity = Activity::Active;
            /// The LACP timeout.
            timeout: Timeout = Timeout::Long;
            /// What the NICs do while nobody answers.
            unanswered: Unanswered = Unanswered::Individual;
            /// Which partner it takes if its NICs lead to several, or have several keys; by default that of the NIC
            /// with the best port id.
            partner_by: PartnerBy = PartnerBy::Member;
            /// By what frames are spread.
            hash: HashPolicy;
            /// With fewer NICs than this in use, the bond is down.
            min_members: u16 = 1;
            /// The LACP port priority of its NICs; the lower is the better.
            port_priority: u16 = 32_768;
            /// Its MTU.
            mtu: Mtu;
        }

        /// A virtual network of a host: what its guests attach to. Without `tag` and `tags` its frames
        /// leave untagged.
        network(NetworkKeys, NetworkStatement) is "an element of `networks` of a host" {
            /// Its name.
            name: SmolStr [name];
            /// The one VLAN that it is tagged with.
            tag: VlanId;
            /// The VLANs that its guests tag by themselves.
            tags: VlanSet;
            /// The bond or NIC that it leaves by; the host's only bond, else its only NIC, by default.
            uplink: SmolStr;
        }
    }

    /// A machine that a host's virtual network connects: a guest, or the host itself.
    endpoint(EndpointKeys, EndpointStatement, endpoints) {
        /// Its name.
        name: SmolStr [name];
        /// The host that it runs on.
        host: SmolStr [identity];
        /// The host's virtual network; the only one by default.
        network: SmolStr;
        /// The tag that it uses, in a network of several.
        tag: VlanId;
        /// Its MAC address; by default it follows from the name.
        mac: MacAddr;
        /// Its addresses, each with the length of its subnet as it is set there.
        address: Many<IpInterface>;
        /// The router that it sends to what is outside its subnet, one of each family at most.
        gateway: Many<IpAddr>;
        /// Its MTU; by default that of its host, else 1500.
        mtu: Mtu;
    }

    /// Addresses that a DHCP server gives out in a segment.
    dhcp(DhcpKeys, DhcpStatement, dhcps) {
        /// Its name.
        name: SmolStr [name];
        /// The segment.
        segment: SmolStr [identity];
        /// The addresses, from the first to the last: `10.80.31.100-10.80.31.199`.
        addresses: Many<AddressRange> [identity];
        /// Those of them that are not given out.
        except: Many<AddressRange>;
        /// The router that hosts are told of.
        router: Many<IpAddr>;
        /// The server, by the name of an endpoint.
        server: SmolStr;
    }

    /// A sentence about the fabric that must hold: who reaches whom, and through which losses.
    expect(ExpectKeys, ExpectStatement, expectations) {
        /// From whom: endpoints by name or pattern, addresses, or networks outside.
        from: Many<SmolStr> [identity];
        /// To whom, named likewise.
        to: Many<SmolStr> [identity];
        /// Whether they are to reach each other, or must not.
        reaches: bool = true;
        /// A VNI that packets must cross the fabric in.
        vni: Vni;
        /// A VRF by which packets must be routed.
        vrf: SmolStr;
        /// The most routers that packets may pass, as the endpoint counts them.
        hops: u16;
        /// The largest packet that must get through, at least.
        mtu: Mtu;
        /// What may be lost: `nothing`, which is the default, `any-cable`, `any-switch`, `any-cable-or-switch`,
        /// or one thing as `--cut` names it, such as `kelp-a`.
        despite: Many<SmolStr>;
    }

    /// A finding that somebody has judged and answers for.
    accept(AcceptKeys, AcceptStatement, accepts) {
        /// The rule.
        rule: SmolStr [identity];
        /// Only findings that name one of these: switches, hosts, pairs, segments; by name or pattern.
        on: Many<SmolStr>;
        /// Why it is accepted.
        reason: SmolStr;
        /// The last day on which it is.
        until: Date;
    }
}

impl PairStatement {
    /// Which switch a side is; only for a statement that goes into [`side`](Self::side).
    pub fn switch(mut self, name: impl Fits<SmolStr>) -> Self {
        self.0.insert("switch".to_owned(), name.value());
        self
    }

    /// Adds a side, which names its `switch` and may have every key of the pair again.
    pub fn side(mut self, side: Self) -> Self {
        let list = self.0.entry("side").or_insert_with(|| toml::Value::Array(Vec::new()));
        if let toml::Value::Array(list) = list {
            list.push(side.into());
        }
        self
    }
}
