//! How long `check` takes, beside only reading the same text into TOML tables.
//!
//! The fabrics have 24 dual-homed hosts a leaf; hosts and their LAGs are written out one by one,
//! as a site's files would be.

use std::fmt::Write as _;

use divan::Bencher;
use divan::counter::BytesCount;
use felting::Fabric;
use toml::de::DeTable;

const LEAVES: &[usize] = &[16, 64, 256, 1024];

fn main() {
    divan::main();
}

/// The text of a silent fabric of pairs of leaves.
fn site(leaves: usize) -> String {
    let mut text = String::from("[fabric]\nname = \"estuary\"\n");
    text.push_str("[[switch]]\nname = \"crest-[1-4]\"\nnumber = 1\nports = \"p[1-1024] 100G\"\n");
    for segment in 0..24 {
        let vlan = 310 + segment;
        // Writing to a String cannot fail.
        let _ = write!(
            text,
            "[[segment]]\nname = \"bank-{segment}\"\nvlan = {vlan}\nvni = {}\non = \"leaf-*\"\n",
            23_000 + vlan
        );
    }
    let mut runs = String::new();
    for pair in 0..leaves / 2 {
        let _ = write!(
            text,
            "[[switch]]\nname = \"leaf-{pair:04}-[a-b]\"\nnumber = {}\nrole = \"leaf\"\n\
             ports = [\"p[1-48] 25G\", \"p[49-56] 100G\"]\n\
             [[pair]]\nname = \"leaf-{pair:04}\"\non = \"leaf-{pair:04}-*\"\ndomain = {}\npeer_link = \"peer\"\n\
             keepalive = {{ between = [\"192.0.2.1\", \"192.0.2.2\"] }}\n\
             [[lag]]\non = \"leaf-{pair:04}-*\"\nname = \"peer\"\nports = \"p[53-56]\"\ntagged = \"310-333\"\n",
            10 + pair * 2,
            pair + 1,
        );
        let _ = writeln!(
            runs,
            "  \"leaf-{pair:04}-a p[53-56] -- leaf-{pair:04}-b p[53-56]\",\n  \
             \"leaf-{pair:04}-[a-b] p[49-52] -- crest-[1-4] p[{}-{}]\",",
            pair * 2 + 1,
            pair * 2 + 2,
        );
        for port in 1..=48 {
            let host = pair * 48 + port;
            let (vlan, group) = (310 + host % 12, 100 + port);
            let _ = write!(
                text,
                "[[host]]\nname = \"hull-{host:05}\"\nnics = \"nic[1-2] 25G\"\n\
                 bond = {{ name = \"bond0\", nics = \"nic[1-2]\", protocol = \"lacp\", mode = \"active\" }}\n\
                 networks = [{{ name = \"web\", tag = {vlan} }}, {{ name = \"store\", tag = {} }}]\n\
                 [[lag]]\non = \"leaf-{pair:04}-*\"\nname = \"hull-{host:05}\"\ngroup = {group}\n\
                 ports = \"p{port}\"\nprotocol = \"lacp\"\nmode = \"active\"\ntagged = \"{vlan},{}\"\n",
                vlan + 12,
                vlan + 12,
            );
            let _ =
                writeln!(runs, "  \"hull-{host:05} nic[1-2] -- leaf-{pair:04}-[a-b] p{port}\",");
        }
    }
    let _ = write!(text, "[cabling]\nruns = [\n{runs}]\n");
    text
}

/// The whole of `check`: reading, compiling, behaviour, rules.
#[divan::bench(args = LEAVES)]
fn check(bencher: Bencher<'_, '_>, leaves: usize) {
    let text = site(leaves);
    let fabric = Fabric::from_text("site.toml", &text);
    assert!(fabric.is_complete() && fabric.check().findings.is_empty(), "the site is silent");
    bencher
        .counter(BytesCount::of_str(&text))
        .bench(|| Fabric::from_text("site.toml", divan::black_box(&text)).check());
}

/// Only the text into TOML tables.
#[divan::bench(args = LEAVES)]
fn read_tables(bencher: Bencher<'_, '_>, leaves: usize) {
    let text = site(leaves);
    bencher
        .counter(BytesCount::of_str(&text))
        .bench(|| DeTable::parse_recoverable(divan::black_box(&text)).0.get_ref().len());
}
