//! A fabric built in code, and what each loss costs: who no longer reaches whom, and what bandwidth is left.
//!
//! `cargo run -p felting --example survive_losses`

#![allow(clippy::print_stdout, reason = "an example prints")]

use felting::build::{self, Builder, bond, network, pair, port, segment, switch};
use felting::fabric::EndpointId;
use felting::value::{BondProtocol, IpInterface, Role};
use felting::walk::{Lost, reach};
use felting::{Condition, Progress, State};

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let host = |name: &str| {
        build::host()
            .name(name)
            .nics("nic[1-2] 25G")
            .bond(bond().name("bond0").nics("nic[1-2]").protocol(BondProtocol::Lacp))
            .networks(network().name("web").tag(310))
    };
    let lag =
        |name: &str, ports: &str| build::lag().on("kelp-*").name(name).ports(ports).tagged(310);
    let endpoint = |name: &str, host: &str, address: &str| {
        let address: IpInterface = address.parse().expect("written here");
        build::endpoint().name(name).host(host).address(address)
    };
    let fabric = Builder::new("shore")
        .switch(switch().name("kelp-[a-b]").role(Role::Leaf).ports("p[1-8] 25G"))
        .pair(pair().name("kelp").on("kelp-*").domain(11).peer_link("peer"))
        .lag(lag("peer", "p[7-8]"))
        .lag(lag("hull-01", "p1").group(101))
        .lag(lag("hull-02", "p2").group(102))
        .segment(segment().name("web").vlan(310).on("kelp-*"))
        .host(host("hull-01"))
        .host(host("hull-02"))
        // An old machine with one NIC, on one side of the pair.
        .port(port().on("kelp-b").ports("p3").untagged(310))
        .host(build::host().name("gauge-1").nics("nic1 25G").networks(network().name("web")))
        .endpoint(endpoint("web-1", "hull-01", "10.80.31.21/24"))
        .endpoint(endpoint("web-2", "hull-02", "10.80.31.22/24"))
        .endpoint(endpoint("gauge", "gauge-1", "10.80.31.23/24"))
        .cables("hull-01 nic[1-2] -- kelp-[a-b] p1")
        .cables("hull-02 nic[1-2] -- kelp-[a-b] p2")
        .cables("gauge-1 nic1 -- kelp-b p3")
        .cables("kelp-a p[7-8] -- kelp-b p[7-8]")
        .fabric()
        .complete()?;

    let quiet = Progress::default();
    let whole = State::of(&fabric, &Condition::default(), &quiet);
    let ends: Vec<EndpointId> = fabric.endpoints().map(|(id, _)| id).collect();
    let before = reach(&whole, &ends, &quiet);
    let name = |id| fabric.endpoint(id).name.as_str();
    for lost in Lost::each(&fabric) {
        let state = whole.given(&lost.condition(&whole));
        let after = reach(&state, &ends, &quiet);
        let pairs: Vec<String> = before
            .lost_pairs(&after)
            .map(|(from, to)| format!("{} to {}", name(from), name(to)))
            .collect();
        let left: u64 = fabric.devices().map(|(id, _)| state.load(id).to_hosts).sum();
        let what = if pairs.is_empty() { "nobody is cut off".to_owned() } else { pairs.join(", ") };
        println!("{:24} {}G to hosts: {what}", lost.words(&fabric), left / 1_000);
    }
    Ok(())
}
