//! Who reaches whom by classes, against every walk by itself.

use felting::fabric::Terminal;
use felting::progress::Progress;
use felting::scaffold::Scaffold;
use felting::walk::{Options, Walker, reach};
use felting::{Condition, Fabric, State};

use crate::{demo, expectations, read};

pub(crate) fn compare(fabric: &Fabric, condition: &Condition) -> (usize, usize) {
    let state = State::of(fabric, condition, &Progress::default());
    let all: Vec<_> = fabric.endpoints().map(|(id, _)| id).collect();
    let found = reach(&state, &all, &Progress::default());
    let mut walker = Walker::new(&state);
    let mut reached = 0;
    for &from in &all {
        for &to in all.iter().filter(|&&to| to != from) {
            let ends = [from, to].map(|end| Terminal::Endpoint(end, None));
            let walk = walker.walk(ends[0], ends[1], Options::ALL);
            let arrives = walk.is_ok_and(|walk| walk.arrives());
            let names = ends.map(|end| fabric.terminal_name(end));
            assert_eq!(found.reaches(from, to), Some(arrives), "{names:?}");
            reached += usize::from(arrives);
        }
    }
    assert_eq!(found.count(), reached);
    (found.classes(), reached)
}

#[test]
fn classes_stand_for_their_members() {
    for name in ["saltmarsh", "saltmarsh-stormy"] {
        let fabric = demo(name);
        compare(&fabric, &Condition::default());
        let cut = Condition::default().cut(&fabric, "kelp-a").unwrap();
        compare(&fabric, &cut);
    }
    let plan = Scaffold {
        pods: 2,
        super_spines: 2,
        pairs: 2,
        hosts: 16,
        tenants: 2,
        segments: 4,
        ..Scaffold::default()
    };
    let (whole, _) = expectations::peopled(&plan);
    let fabric = read(&whole);
    let (classes, reached) = compare(&fabric, &Condition::default());
    // A machine of each segment, and half of them are of one tenant.
    assert_eq!((classes, reached), (4, 16 * 7));
    for (from, to) in [
        (
            "name = \"net-101\"",
            "name = \"net-101\"\ndiffers = [{ on = \"leaf-2-01*\", vni = 20999 }]",
        ),
        (
            "name = \"tenant-1\"",
            "name = \"tenant-1\"\ndiffers = [{ on = \"leaf-1-02*\", vni = 50999 }]",
        ),
        ("client = true", "client = true\ndiffers = [{ on = \"spine-1-2\", communities = false }]"),
    ] {
        assert!(whole.contains(from), "{from}");
        compare(&read(&whole.replacen(from, to, 1)), &Condition::default());
    }
    compare(&fabric, &Condition::default().cut(&fabric, "leaf-1-01a p49").unwrap());
}
