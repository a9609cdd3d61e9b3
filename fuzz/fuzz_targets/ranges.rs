//! Any text where names, ranges, patterns, ports and cable runs are read.

#![no_main]

use felting::Fabric;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|text: &str| {
    let text = toml::Value::String(text.to_owned());
    let file = format!(
        "[[switch]]\nname = \"kelp-[a-b]\"\nports = [\"p[1-8] 25G\", {text}]\n\
         [[switch]]\nname = {text}\nports = \"p[1-2] 25G\"\n\
         [[lag]]\non = [\"kelp-a\", {text}]\nname = \"across\"\nports = [\"p1\", {text}]\ntagged = {text}\n\
         [[segment]]\nname = \"tides\"\nvlan = 310\non = {text}\n\
         differs = [{{ on = {text}, vlan = 311 }}]\n\
         [cabling]\nruns = [{text}, \"kelp-a p1 -- kelp-b p1\"]\n"
    );
    let fabric = Fabric::from_text("ranges.toml", &file);
    for fault in fabric.faults() {
        let _ = fabric.sources().location(fault.at());
    }
});
