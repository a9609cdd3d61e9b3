//! Builds a fabric in code and asks which members of a LAG are selected, and why not the others.
//!
//! `cargo run -p felting --example selected_members`

#![allow(clippy::print_stdout, reason = "an example shows its answer")]

use felting::behaviour::MemberState;
use felting::build::{Builder, hardware, lag, member, switch};
use felting::value::Number;
use felting::{Condition, Progress, State};

fn main() {
    // reed-a can use two members at once; kelp-a, with the better system priority, decides which.
    let fabric = Builder::new("shore")
        .hardware(hardware().name("small").ports("p[1-4] 25G").members_in_use(2))
        .switch(
            switch()
                .name("kelp-a")
                .number(Number::new(1).expect("a number"))
                .ports("p[1-4] 25G")
                .system_priority(100),
        )
        .switch(switch().name("reed-a").number(Number::new(2).expect("a number")).hardware("small"))
        .lag(
            lag()
                .on("kelp-a")
                .name("to-reed")
                .ports("p[1-4]")
                .members(vec![member().ports("p4").port_priority(1)]),
        )
        .lag(lag().on("reed-a").name("to-kelp").ports("p[1-4]"))
        .cables("kelp-a p[1-4] -- reed-a p[1-4]")
        .fabric();
    assert!(fabric.is_complete(), "{:#?}", fabric.faults());

    let state = State::of(&fabric, &Condition::default(), &Progress::default());
    for (id, lag) in fabric.lags() {
        println!("{}: {} in use", fabric.lag_label(id), state.lag(id).in_use);
        for member in lag.members.iter() {
            let outcome = state.member(member);
            let port = fabric.port_name(fabric.member(member).port.value);
            let mark =
                if outcome.state == MemberState::Selected { "selected" } else { "not selected" };
            println!("  {port}: {mark}, {:?}", outcome.reason);
        }
    }
}
