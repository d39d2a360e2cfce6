//! Edges against exact arithmetic, series against the orders of textbooks, costs, comparisons and the ledger.

use crate::util::Yard;

fn document(yard: &Yard, status: i32, line: &str) -> serde_json::Value {
    let answer = yard.expect(status, &format!("{line} --format json -q"));
    serde_json::from_str(&answer.out).expect("JSON on standard output")
}

/// Seen once a step, a rivet is stopped when a step ends with it in the plate and not beyond its middle, from where it is pushed out on the far
/// side. Whole numbers of hundredths: the near face is touched at 126, the middle lies at 130.
fn is_stopped(speed: f64) -> bool {
    let step = 100.0 * speed / 60.0;
    (1..=200).map(|n| f64::from(n) * step).any(|place| place > 126.0 && place < 130.0)
}

#[test]
fn the_edge_of_a_discrete_setting_is_that_of_exact_arithmetic() {
    let yard = Yard::new();
    let line = "edge rivet-shot --set rungs=1 --raise speed=20..200 --until tunnel --scan 150 --engine builtin:swept=off,substeps=1";
    let found = document(&yard, 0, line);
    let search = &found["searches"][0];
    for tried in search["tried"].as_array().unwrap() {
        let (speed, breaks) = (tried["value"].as_f64().unwrap(), tried["broken"].as_u64().unwrap() > 0);
        assert_eq!(breaks, !is_stopped(speed), "at {speed} m/s");
    }
    // From 78 m/s on a step is longer than the way from the start to the middle.
    let last = search["edges"].as_array().unwrap().last().unwrap();
    assert_eq!(last["breaks"], true);
    for side in ["before", "behind"] {
        let at = last[side].as_f64().unwrap();
        assert!((at / 78.0 - 1.0).abs() < 0.01, "{side} {at}");
    }
}

#[test]
fn a_swept_engine_has_no_edge_below_ten_kilometres_a_second() {
    let yard = Yard::new();
    let found = document(&yard, 0, "edge rivet-shot --set rungs=1 --raise speed=1..10000 --until tunnel --scan 60");
    assert_eq!(found["searches"][0]["edges"].as_array().unwrap().len(), 0);
    let reported = yard.expect(0, "edge rivet-shot --set rungs=1 --raise speed=1..10000 --until tunnel -q");
    assert!(reported.out.contains("holds everywhere it was tried from 1 to 10000"), "{}", reported.out);
}

#[test]
fn whole_numbers_stay_whole_and_conditions_can_be_raised() {
    let yard = Yard::new();
    let found = document(&yard, 0, "edge ingot-stack --raise count=1..9 --until any --scan 3");
    assert_eq!(found["searches"][0]["whole"], true);
    for tried in found["searches"][0]["tried"].as_array().unwrap() {
        assert_eq!(tried["value"].as_f64().unwrap().fract(), 0.0);
    }
    let found = document(&yard, 0, "edge slag-lob --raise origin=1..1e16 --until any");
    assert_eq!(found["searches"][0]["edges"].as_array().unwrap().len(), 1);
    for (line, words) in [
        ("edge ingot-stack --raise cont=1..9 --until any", "did you mean `count`?"),
        ("edge ingot-stack --raise count=1..9 --until tunnel", "the scene claims nothing about `tunnel`"),
        ("edge ingot-stack --raise count=9 --until any", "expected NAME=FROM..TO"),
        ("series first-drop --over dt=1/30,1/60 --gauge nothing.known", "there is no gauge called"),
        ("series first-drop --over dt=1/30", "--gauge"),
        ("cost ingot-stack --over count=2,4 --error tunnel.count", "claims nothing about `tunnel.count`"),
    ] {
        let answer = yard.expect(2, line);
        assert!(answer.err.contains(words), "{line}\n{}", answer.err);
    }
}

#[test]
fn each_integrator_shows_its_order_on_a_spring() {
    let yard = Yard::new();
    // Fourth order reaches rounding soon, so it is looked at with longer steps.
    for (integrator, order, steps) in [
        ("explicit-euler", 1.0, "1/8192,1/16384,1/32768,1/65536"),
        ("symplectic-euler", 1.0, "1/2048,1/4096,1/8192,1/16384"),
        ("verlet", 2.0, "1/256,1/512,1/1024,1/2048"),
        ("rk4", 4.0, "1/64,1/128,1/256,1/512"),
    ] {
        let line = format!(
            "series spring-hammer --over dt={steps} --gauge refined --engine builtin:substeps=1,integrator={integrator}"
        );
        let found = document(&yard, 0, &line);
        let exponent = found["series"][0]["exponent"].as_f64().unwrap_or(f64::NAN);
        assert!((exponent - order).abs() < 0.1, "{integrator}: {exponent}\n{found}");
    }
}

#[test]
fn costs_are_measured_and_kept_apart_from_verdicts() {
    let yard = Yard::new();
    let line = "cost hopper-count --over count=10,20,40 --engine builtin --engine builtin:substeps=1 --rounds 2 --longest 0.1 --error overlap.share";
    let found = document(&yard, 0, &format!("{line} --plot cost.svg --ledger yard.db --name costs"));
    assert_eq!(found["format"], "ironspin.cost/1");
    let costs = found["costs"].as_array().unwrap();
    assert_eq!(costs.len(), 6);
    for cost in costs {
        let number = |name: &str| cost[name].as_f64().unwrap();
        assert!(
            number("median") > 0.0 && number("median") <= number("p95") && number("p95") <= number("largest"),
            "{cost}"
        );
        assert!(cost["verdict"].is_null());
    }
    assert!(yard.read("cost.svg").starts_with("<svg"));
    let found = yard.expect(0, "history hopper-count cost --ledger yard.db");
    assert!(found.out.contains("count=40") && found.out.contains("costs"), "{}", found.out);
    // Compared with itself nothing is worse.
    yard.expect(0, "compare yard.db#costs yard.db#1");
}

#[test]
fn what_got_worse_is_told_and_ends_with_one() {
    let yard = Yard::new();
    yard.expect(0, "run rivet-shot first-drop --ledger yard.db --name baseline --out good -q");
    // The same trials by a setting that lets the rivets through, kept under the name of the good one.
    let bad = yard.ironspin("run rivet-shot first-drop --engine builtin:swept=off --format json -q").out;
    yard.write("bad.json", &bad.replace("builtin:swept=off", "builtin"));
    let same = yard.expect(0, "compare good yard.db#baseline");
    assert!(same.out.contains(", 0 changed"), "{}", same.out);
    yard.expect(0, "compare good --ledger yard.db --name baseline");
    let worse = yard.expect(1, "compare good bad.json");
    assert!(worse.out.contains("newly fails") && worse.out.contains("tunnel.count"), "{}", worse.out);
    let rows = yard.expect(1, "compare good bad.json --format csv").out;
    assert!(rows.starts_with("change,trial,what,base,new,unit\n") && rows.contains("newly fails,rivet-shot"), "{rows}");
    let better = yard.expect(0, "compare bad.json good");
    assert!(better.out.contains("newly passes"), "{}", better.out);
    for (line, words) in [
        ("compare good yard.db#nothing", "has no entry `nothing`"),
        ("compare good", "compare with what?"),
        ("compare good nowhere.json", "cannot read `nowhere.json`"),
        ("history rivet-shit --ledger yard.db", "did you mean `rivet-shot`?"),
        ("history rivet-shot --ledger none.db", "there is no ledger `none.db`"),
        ("run first-drop --ledger bad.json -q", "is no ledger"),
    ] {
        let answer = yard.expect(2, line);
        assert!(answer.err.contains(words), "{line}\n{}", answer.err);
    }
}

#[test]
fn the_series_of_a_scene_is_judged() {
    let yard = Yard::new();
    yard.write(
        "fall.toml",
        "scene = 1\nname = \"fall\"\nabout = \"A slug falls.\"\n[world]\ngravity = [0, -10]\nduration = 1\n[material.iron]\ndensity = 1\nfriction = 0\nrestitution = 0\n\
         [[body]]\nname = \"slug\"\nshape = { disc = 0.1 }\nat = [0, 0]\nmaterial = \"iron\"\n\
         [[claim]]\ngauge = \"path.error\"\nof = \"slug\"\npath = [\"0\", \"-5 * t ^ 2\"]\nat_most = 1\nbecause = \"the parabola\"\n\
         [[series]]\nover = \"dt\"\nvalues = [0.01, 0.005, 0.0025, 0.00125]\ngauge = \"path.error\"\nof = \"slug\"\nfalls_with_order = ORDER\nbecause = \"x\"\n",
    );
    let text = yard.read("fall.toml");
    let engine = "--engine builtin:integrator=symplectic-euler,substeps=1";
    for (order, status) in [("0.95", 0), ("1.5", 1)] {
        yard.write("fall.toml", &text.replace("ORDER", order));
        let found = document(&yard, status, &format!("series fall.toml {engine}"));
        let exponent = found["series"][0]["exponent"].as_f64().unwrap();
        assert!((exponent - 1.0).abs() < 0.02, "{exponent}");
    }
}
