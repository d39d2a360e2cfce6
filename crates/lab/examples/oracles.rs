//! Prints the second part of docs/accuracy.md: how far the built-in engine and the gauges meet independent values.
//!
//! `cargo run --release -p ironspin-lab --example oracles`

#![allow(clippy::print_stdout)]

#[allow(dead_code)]
#[path = "../tests/oracles/bench.rs"]
mod bench;
#[path = "../tests/oracles/cases.rs"]
mod cases;
#[allow(dead_code, unreachable_pub)]
#[path = "../../engine/tests/engine/yard.rs"]
mod yard;

const FAMILIES: [(&str, &str); 14] = [
    ("f01", "free flight"),
    ("f02", "bouncing ball"),
    ("f03", "collisions of two bodies"),
    ("f04", "two blocks and a wall"),
    ("f05", "rows of blocks"),
    ("f06", "slopes and rolling"),
    ("f07", "pendulums"),
    ("f08", "springs and integrators"),
    ("f09", "free tops, in space"),
    ("f10", "statistics"),
    ("f11", "gas-filled rings: under Soft bodies, by family 25"),
    ("f12", "orbits: needs a central force"),
    ("f13", "similarity of scale"),
    ("f14", "clock and thin wall"),
];

fn main() {
    println!("\n## Against values computed independently\n");
    println!(
        "Made by `cargo run --release -p ironspin-lab --example oracles`. Closed forms and high-precision numerics, each with its law or author"
    );
    println!(
        "in `crates/lab/tests/oracles/cases.json`; measured by gauges where one is named. An error is the largest difference of a list as a share of its"
    );
    println!(
        "largest value, at three steps; for yes or no and for counts the number of wrong answers. The order is that between 1/60 and 1/960."
    );
    println!(
        "Trials are run with whole steps of the length given, as a user runs them, and read between frames by the cubic through both ends. What ends inside a"
    );
    println!(
        "step (sliding that stops or becomes rolling) is answered at the end of that step: the way is off by up to half a step of its deceleration times the"
    );
    println!("step, of no clear order, since it hangs on where in the step it ends.\n");
    let cases = cases::all();
    for (family, title) in FAMILIES {
        let rows: Vec<_> = cases
            .iter()
            .filter(|case| case["id"].as_str().is_some_and(|id| id.starts_with(family)))
            .flat_map(cases::rows)
            .collect();
        println!("### Family {}: {title}\n", family.trim_start_matches(['f', '0']));
        if family == "f10" {
            println!(
                "Held against the gauges of spread by a unit test (`crates/gauge/src/gauges/spread.rs`): binomial chances to 1e-13, critical values of chi-square to"
            );
            println!("1e-9 of their chance, Boltzmann's heights to 1e-14.\n");
            continue;
        }
        if family == "f09" {
            println!(
                "Scenes in space made from these cases, and from those of mass properties, impacts, rolling, sliding and spinning in space, are checked and run as a user would by a test"
            );
            println!(
                "(`crates/cli/tests/cli/space_oracles.rs`): at a step of 1/1000 spins and axes of free bodies agree to 1e-7 over up to ten seconds, velocities and spins after an impact to 1e-9, what"
            );
            println!(
                "slides or rolls to two steps of its deceleration. One case is refused: no body has its moments, since one is above the sum of the two others.\n"
            );
            continue;
        }
        if rows.is_empty() {
            println!("Not expressed by the planar engine.\n");
            continue;
        }
        println!(
            "| case | quantity | settings | 1/60 | 1/240 | 1/960 | bound at 1/240 | order | promised |\n|---|---|---|---|---|---|---|---|---|"
        );
        for row in rows {
            let [a, b, c] = row.errors.map(|error| format!("{error:.1e}"));
            let order =
                row.observed().filter(|_| row.order.is_some()).map_or(String::new(), |order| format!("{order:.1}"));
            let promised = row.order.map_or(String::new(), |order| format!("{order}"));
            let options = if row.options.is_empty() { "default" } else { row.options };
            println!(
                "| {} | {} | `{options}` | {a} | {b} | {c} | {:.0e} | {order} | {promised} |",
                row.case, row.quantity, row.bound
            );
        }
        println!();
    }
}
