//! Who has an address: ARP (RFC 826) and neighbour discovery (RFC 4861).

use std::net::IpAddr;

use super::arrival::Start;
use super::headers::{Content, Packet};
use super::path::Station;
use super::path::{Act, Way};
use super::resolution::{Answer, Asker, Resolution};
use super::walker::Walker;
use crate::value::MacAddr;

impl Walker<'_> {
    /// The MAC address of an address in a segment, as an asker gets it; none if no answer comes.
    pub(super) fn resolve(
        &mut self,
        asker: Asker,
        from: IpAddr,
        address: IpAddr,
    ) -> Option<(Answer, MacAddr)> {
        if let Some(known) = self.asked.get(&(asker, address)) {
            return *known;
        }
        let packet = Packet { from, to: address, ttl: u8::MAX, content: Content::WhoHas };
        let request = self.trace(Start::Asks(asker), packet);
        let answer = request.arrives().then(|| self.answer(&request, address)).flatten();
        let mut resolution = Resolution { asker, address, request, answer, reply: None };
        if let Some((answer, mac)) = answer {
            let packet = Packet { from: address, to: from, ttl: u8::MAX, content: Content::IHave };
            let reply = self.trace(Start::Answers { answer, mac, asker }, packet);
            if !reply.arrives() {
                resolution.answer = None;
            }
            resolution.reply = Some(reply);
        }
        let answer = resolution.answer;
        self.asked.insert((asker, address), answer);
        self.resolutions.push(resolution);
        answer
    }

    /// Who answers where a question has come to.
    fn answer(&self, request: &Way, address: IpAddr) -> Option<(Answer, MacAddr)> {
        let hop = request.arrival()?;
        hop.acts.iter().rev().find_map(|act| match act {
            Act::Delivers(endpoint) => {
                Some((Answer::Endpoint(*endpoint), self.fabric.endpoint(*endpoint).mac.value))
            }
            Act::Suppresses { endpoint, .. } => {
                let presence = hop.presence()?;
                let mac = self.fabric.endpoint(*endpoint).mac.value;
                Some((Answer::Proxy(presence, *endpoint), mac))
            }
            Act::Answers => {
                let presence = hop.presence()?;
                Some((Answer::Router(presence), self.router_mac(presence, address)))
            }
            _ => None,
        })
    }

    /// For whom an answer is.
    pub(super) fn station_of(asker: Asker) -> Station {
        match asker {
            Asker::Endpoint(endpoint) => Station::Endpoint(endpoint),
            Asker::Router(presence) => Station::Router(presence),
        }
    }

    /// The MAC address of an asker.
    pub(super) fn mac_of(&self, asker: Asker, address: IpAddr) -> MacAddr {
        match asker {
            Asker::Endpoint(endpoint) => self.fabric.endpoint(endpoint).mac.value,
            Asker::Router(presence) => self.router_mac(presence, address),
        }
    }
}
