//! Who is where: the numbers of a large fabric worked out before a line is written.

use super::numbers::LargeFabric;
use crate::scaffold::{HOST_PORTS, Unfit, bounded};

/// The VLAN of the routed way over peer links.
pub(super) const ESCAPE: u32 = 3900;

/// The first VLAN id of a segment.
const FIRST_VLAN: u32 = 101;

/// The number of the first leaf; spines and super-spines are below.
pub(super) const FIRST_LEAF: u32 = 1001;

/// Which pair of leaves, counted through all pods from 0.
pub(super) type PairNo = u32;
/// Which host, counted through all pairs from 0.
pub(super) type HostNo = u32;
/// Which segment, counted from 0.
pub(super) type SegmentNo = u32;
/// Which guest, counted from 0.
pub(super) type GuestNo = u32;

/// A large fabric before it is written.
#[derive(Debug)]
pub(super) struct Plan<'a> {
    pub(super) of: &'a LargeFabric,
    /// The VLAN id of each segment.
    pub(super) vlans: Vec<u32>,
    /// The segments on each pair.
    pub(super) on_pair: Vec<Vec<SegmentNo>>,
    /// Of each guest the host, the segment and its place among the guests of the segment.
    pub(super) guests: Vec<Guest>,
    /// How many guests each segment has.
    pub(super) guests_in: Vec<u32>,
}

#[derive(Clone, Copy, Debug)]
pub(super) struct Guest {
    pub(super) host: HostNo,
    pub(super) segment: SegmentNo,
    pub(super) place: u32,
}

/// One of the leaves of a pair.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(super) struct Leaf {
    pub(super) pair: PairNo,
    /// 0 or 1.
    pub(super) side: u32,
}

impl<'a> Plan<'a> {
    pub(super) fn of(of: &'a LargeFabric) -> Result<Self, Unfit> {
        fits(of)?;
        let mut plan =
            Self { of, vlans: vec![], on_pair: vec![], guests: vec![], guests_in: vec![] };
        plan.vlans = plan.vlans()?;
        plan.on_pair = vec![Vec::new(); plan.pairs() as usize];
        for segment in 0..of.segments {
            for pair in plan.pairs_of(segment) {
                plan.on_pair[pair as usize].push(segment);
            }
        }
        if plan.on_pair.iter().any(Vec::is_empty) {
            return Err(Unfit::new(
                format!(
                    "{} segments on {} pairs each leave some of {} pairs without one",
                    of.segments,
                    of.spread,
                    plan.pairs()
                ),
                "give more segments or a larger spread",
            ));
        }
        plan.place_guests()?;
        Ok(plan)
    }

    /// Pairs in all pods.
    pub(super) fn pairs(&self) -> u32 {
        self.of.pods * self.of.pairs
    }

    /// Which pod a pair is in, counted from 1.
    pub(super) fn pod_of(&self, pair: PairNo) -> u32 {
        pair / self.of.pairs + 1
    }

    pub(super) fn pairs_in(&self, pod: u32) -> std::ops::Range<PairNo> {
        (pod - 1) * self.of.pairs..pod * self.of.pairs
    }

    /// A pair's name, of which the names of its leaves are made.
    pub(super) fn pair_name(&self, pair: PairNo) -> String {
        format!("leaf-{}-{:02}", self.pod_of(pair), pair % self.of.pairs + 1)
    }

    pub(super) fn leaf_name(&self, leaf: Leaf) -> String {
        self.pair_name(leaf.pair) + ["a", "b"][leaf.side as usize]
    }

    /// The number that a leaf's allotted values follow from.
    pub(super) fn leaf_number(leaf: Leaf) -> u32 {
        FIRST_LEAF + leaf.pair * 2 + leaf.side
    }

    /// A leaf's place among the leaves of its pod, from 1: its port on each spine.
    pub(super) fn port_on_spine(&self, leaf: Leaf) -> u32 {
        leaf.pair % self.of.pairs * 2 + leaf.side + 1
    }

    /// The first port of the peer link, after those for hosts and the uplinks.
    pub(super) fn peer_port(&self) -> u32 {
        HOST_PORTS + 1 + self.of.spines
    }

    /// Cables of a peer link: as many as uplinks, as it must carry what one side's lost uplinks push over it.
    pub(super) fn peer_cables(&self) -> u32 {
        self.of.spines.max(2)
    }

    /// The first host of a pair; of the number of pairs, that of all hosts.
    pub(super) fn first_host(&self, pair: PairNo) -> HostNo {
        let (each, more) = (self.of.hosts / self.pairs(), self.of.hosts % self.pairs());
        pair * each + pair.min(more)
    }

    pub(super) fn hosts_on(&self, pair: PairNo) -> std::ops::Range<HostNo> {
        self.first_host(pair)..self.first_host(pair + 1)
    }

    pub(super) fn pair_of_host(&self, host: HostNo) -> PairNo {
        let (each, more) = (self.of.hosts / self.pairs(), self.of.hosts % self.pairs());
        let fuller = more * (each + 1);
        if host < fuller { host / (each + 1) } else { more + (host - fuller) / each }
    }

    /// A host's port on both leaves of its pair, which is its group's number too.
    pub(super) fn port_of_host(&self, host: HostNo) -> u32 {
        host - self.first_host(self.pair_of_host(host)) + 1
    }

    pub(super) fn host_name(&self, host: HostNo) -> String {
        let name = self.pair_name(self.pair_of_host(host));
        format!("host{}-{:02}", name.trim_start_matches("leaf"), self.port_of_host(host))
    }

    /// The segments whose frames a host sends: every segment of a pair is on one of its hosts at least.
    pub(super) fn segments_of_host(&self, host: HostNo) -> Vec<SegmentNo> {
        let pair = self.pair_of_host(host);
        let (on, hosts) = (&self.on_pair[pair as usize], self.hosts_on(pair).len());
        let place = (self.port_of_host(host) - 1) as usize;
        let mut own: Vec<_> = on.iter().copied().skip(place).step_by(hosts).collect();
        // One more, so that segments have several hosts.
        own.extend(on.get((place + 1) % on.len().max(1)));
        own.sort_unstable();
        own.dedup();
        own
    }

    /// The pairs that a segment is on: in as many pods as can be.
    pub(super) fn pairs_of(&self, segment: SegmentNo) -> impl Iterator<Item = PairNo> + use<> {
        let (pods, pairs) = (self.of.pods, self.of.pairs);
        let start = u64::from(segment) * u64::from(pods * pairs) / u64::from(self.of.segments);
        let start = u32::try_from(start).unwrap_or(0);
        (0..self.of.spread).map(move |step| {
            let (pod, place) = ((start / pairs + step) % pods, (start + step / pods) % pairs);
            pod * pairs + place
        })
    }

    /// The tenant of a segment, counted from 0.
    pub(super) fn tenant_of(&self, segment: SegmentNo) -> u32 {
        let tenant = u64::from(segment) * u64::from(self.of.tenants) / u64::from(self.of.segments);
        u32::try_from(tenant).unwrap_or(0)
    }

    /// The segments of a tenant.
    pub(super) fn segments_of(&self, tenant: u32) -> std::ops::Range<SegmentNo> {
        let first = |tenant: u32| {
            let first = (u64::from(tenant) * u64::from(self.of.segments))
                .div_ceil(u64::from(self.of.tenants));
            u32::try_from(first).unwrap_or(0)
        };
        first(tenant)..first(tenant + 1)
    }

    pub(super) fn segment_name(segment: SegmentNo) -> String {
        format!("net-{}", segment + 1)
    }

    pub(super) fn tenant_name(tenant: u32) -> String {
        format!("tenant-{}", tenant + 1)
    }

    /// The VNI that is allotted to a segment.
    pub(super) fn vni(segment: SegmentNo) -> u32 {
        FIRST_VNI + segment + 1
    }

    /// The VNI that is allotted to a tenant's VRF.
    pub(super) fn vrf_vni(tenant: u32) -> u32 {
        FIRST_VRF_VNI + tenant + 1
    }

    /// The prefix length of all subnets, so that they have room beside each other.
    pub(super) fn prefix_length(&self) -> u32 {
        match self.of.segments {
            0..=16_384 => 24,
            16_385..=32_768 => 25,
            _ => 26,
        }
    }

    /// An address in the subnet of a segment; 0 is the subnet's own.
    pub(super) fn address(&self, segment: SegmentNo, place: u32) -> String {
        let from = (10 << 24) + (64 << 16) + (segment << (32 - self.prefix_length()));
        std::net::Ipv4Addr::from(from + place).to_string()
    }

    /// The smallest VLAN id for each segment that no other has in any of its pods.
    fn vlans(&self) -> Result<Vec<u32>, Unfit> {
        let ids = (ESCAPE - FIRST_VLAN) as usize;
        let mut taken = vec![vec![false; ids]; self.of.pods as usize];
        // Below this id of a pod none is free.
        let mut full = vec![0; self.of.pods as usize];
        let mut vlans = Vec::with_capacity(self.of.segments as usize);
        for segment in 0..self.of.segments {
            let pods: Vec<_> =
                self.pairs_of(segment).map(|pair| (self.pod_of(pair) - 1) as usize).collect();
            let from = pods.iter().map(|&pod| full[pod]).max().unwrap_or(0);
            let free = (from..ids).find(|&id| pods.iter().all(|&pod| !taken[pod][id]));
            let Some(id) = free else {
                return Err(Unfit::new(
                    format!("more than {ids} segments in one pod, which are all its VLAN ids"),
                    "give fewer segments, a smaller spread, or more pods",
                ));
            };
            for &pod in &pods {
                taken[pod][id] = true;
                while taken[pod].get(full[pod]) == Some(&true) {
                    full[pod] += 1;
                }
            }
            vlans.push(FIRST_VLAN + u32::try_from(id).unwrap_or(0));
        }
        Ok(vlans)
    }

    fn place_guests(&mut self) -> Result<(), Unfit> {
        self.guests_in = vec![0; self.of.segments as usize];
        let most = (1 << (32 - self.prefix_length())) - 2 * FIRST_GUEST;
        for guest in 0..self.of.guests {
            let (host, round) = (guest % self.of.hosts, guest / self.of.hosts);
            let own = self.segments_of_host(host);
            let Some(&segment) = own.get(round as usize % own.len().max(1)) else { continue };
            let count = &mut self.guests_in[segment as usize];
            if *count >= most {
                return Err(Unfit::new(
                    format!("{} guests, more than {most} in one segment", self.of.guests),
                    "give fewer guests or more segments",
                ));
            }
            self.guests.push(Guest { host, segment, place: FIRST_GUEST + *count });
            *count += 1;
        }
        Ok(())
    }
}

/// The place of a segment's first guest in its subnet; the last places stay free as well.
const FIRST_GUEST: u32 = 10;

pub(super) const FIRST_VNI: u32 = 100_000;
pub(super) const FIRST_VRF_VNI: u32 = 50_000;

fn fits(of: &LargeFabric) -> Result<(), Unfit> {
    bounded("pods", of.pods, 1, 99)?;
    bounded("pairs of leaves in a pod", of.pairs, 1, 99)?;
    bounded("spines in a pod", of.spines, 1, 8)?;
    bounded("super-spines", of.super_spines, 0, 32)?;
    if (of.pods > 1) != (of.super_spines > 0) {
        return Err(Unfit::new(
            "several pods and super-spines go together".to_owned(),
            "give both --pods and --super-spines, or neither",
        ));
    }
    let pairs = of.pods * of.pairs;
    bounded("tenants", of.tenants, 1, 4096)?;
    bounded("segments", of.segments, of.tenants, 65_536)?;
    bounded("pairs for each segment", of.spread, 1, pairs)?;
    bounded("hosts", of.hosts, 0, pairs * HOST_PORTS.min(12 * of.spines))?;
    if of.hosts < pairs {
        return Err(Unfit::new(
            format!("{} hosts on {pairs} pairs", of.hosts),
            "give a host at least for each pair",
        ));
    }
    Ok(())
}
