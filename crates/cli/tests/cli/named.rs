//! Claims with names, through everything that tells of them; and forces as any engine gets them.

use crate::util::Yard;

/// A ball that hops, with a claim in a loop that a setting breaks in its second turn only.
const HOPS: &str = r#"scene = 1
name  = "hops"
about = "A ball hops."
[set]
lively = { value = 0.6, about = "restitution" }
tops   = { values = [1, "0.6 ^ 2"], unit = "m", about = "heights" }
[world]
gravity  = [0, -9.81]
duration = 1.2
[material.steel]
density     = 7800
friction    = 0
restitution = "lively"
[[body]]
name     = "anvil"
kind     = "static"
shape    = { half_plane = [0, 1] }
at       = [0, 0]
material = "steel"
[[body]]
name     = "ball"
shape    = { disc = 0.05 }
at       = [0, 1.05]
material = "steel"
[[claim]]
for     = { k = "0..count(tops)" }
name    = "top"
gauge   = "measure.largest"
of      = "ball"
measure = "y - 0.05"
window  = ["k * 0.5", "k * 0.5 + 0.4"]
equals  = "tops[k]"
within  = 0.02
because = "a hop is as high as the restitution squared makes it"
"#;

fn yard() -> Yard {
    let yard = Yard::new();
    yard.write("hops.toml", HOPS);
    yard
}

#[test]
fn a_name_is_told_wherever_the_claim_is() {
    let yard = yard();
    yard.expect(0, "run hops.toml --out good --ledger yard.db --name sound -q");
    let table = yard.expect(1, "run hops.toml --set lively=0.7 --out bad --ledger yard.db -q").out;
    assert!(table.contains("top[1] (measure.largest)") && !table.contains("top[0]"), "{table}");
    let result: serde_json::Value = serde_json::from_str(&yard.read("bad/result.json")).unwrap();
    let claims = result["trials"][0]["claims"].as_array().unwrap();
    assert_eq!((&claims[0]["name"], &claims[1]["name"]), (&"top[0]".into(), &"top[1]".into()));
    assert_eq!((&result["trials"][0]["parameters"]["tops[1]"], &claims[1]["verdict"]), (&0.36.into(), &"fail".into()));
    let csv = yard.expect(1, "run hops.toml --set lively=0.7 --format csv -q").out;
    assert!(
        csv.lines().next().unwrap().ends_with(",claim") && csv.lines().nth(2).unwrap().ends_with(",top[1]"),
        "{csv}"
    );
    // All digits, so that measured and bound are told apart by a program too.
    assert!(csv.contains("'= 0.36 +- 0.02") && csv.contains(",0.49"), "{csv}");
    let junit = yard.expect(1, "run hops.toml --set lively=0.7 --format junit -q").out;
    assert!(junit.contains("name=\"top[1] (measure.largest) of ball at dt 1/60"), "{junit}");
    let markdown = yard.expect(1, "run hops.toml --set lively=0.7 --format markdown -q").out;
    assert!(
        markdown.contains("top\\[1\\] (measure.largest)") || markdown.contains("top[1] (measure.largest)"),
        "{markdown}"
    );
    assert!(yard.read("bad/report.html").contains("top[1] (measure.largest)"));
    let history = yard.expect(0, "history hops top[1] --ledger yard.db").out;
    assert!(history.contains("top[1] (measure.largest) of ball") && !history.contains("top[0]"), "{history}");
    yard.write("worse.toml", &HOPS.replace("value = 0.6,", "value = 0.7,"));
    yard.expect(1, "run worse.toml --out worse -q");
    let compared = yard.expect(1, "compare good worse").out;
    assert!(compared.contains("newly fails") && compared.contains("top[1] (measure.largest) of ball"), "{compared}");
}

#[test]
fn an_edge_is_searched_by_the_name_of_a_claim_and_written_as_csv() {
    let yard = yard();
    let line = "edge hops.toml --raise lively=0.6..0.8 --until top[1] --scan 3 --resolution 0.02";
    let found = yard.expect(0, &format!("{line} --format json"));
    let found: serde_json::Value = serde_json::from_str(&found.out).unwrap();
    // 0.36 and 0.02 more is the height of sqrt(0.38).
    let edge = &found["searches"][0]["edges"][0];
    let (before, behind) = (edge["before"].as_f64().unwrap(), edge["behind"].as_f64().unwrap());
    assert!(before <= 0.38_f64.sqrt() && 0.38_f64.sqrt() <= behind && behind - before < 0.02, "{edge}");
    let csv = yard.expect(0, &format!("{line} --format csv")).out;
    assert!(csv.starts_with("scene,engine,conditions,axis,until,value,broken,seeds,edge,detail\n"), "{csv}");
    assert!(csv.contains(",top[1],") && csv.contains("starts to break"), "{csv}");
    // The name of a loop means all of it; a name that there is not is met by the nearest.
    yard.expect(0, &line.replace("top[1]", "top"));
    let wrong = yard.expect(2, &line.replace("top[1]", "tob[1]")).err;
    assert!(wrong.contains("did you mean `top[1]`?"), "{wrong}");
    yard.expect(0, "series hops.toml --over dt=1/60,1/120 --gauge measure.largest --format csv");
}

#[test]
fn a_list_is_set_and_several_lists_are_tried() {
    let yard = yard();
    let rows = yard.expect(1, "run hops.toml --set tops=[1,0.36],[1,0.5] --format csv -q").out;
    assert_eq!(rows.lines().count(), 5, "{rows}");
    let again = yard.expect(1, "run hops.toml --set tops=[1,0.5] -q").out;
    assert!(again.contains("again: ironspin run hops.toml --dt 1/60 --engine builtin --set 'tops=[1,0.5]'"), "{again}");
}

const PULLED: &str = r#"scene = 1
name  = "pulled"
about = "A ball on an invisible spring."
[world]
gravity  = [0, -9.81]
duration = 2
[material.steel]
density     = 7800
friction    = 0
restitution = 0
[[body]]
name     = "ball"
shape    = { disc = 0.05 }
mass     = 2
at       = [0, 0]
material = "steel"
[[body]]
name     = "hand"
kind     = "kinematic"
motion   = { line = { to = [4, 1], speed = 1 } }
shape    = { disc = 0.02 }
at       = [0, 1]
material = "steel"
[[apart]]
between = ["ball", "hand"]
[[force]]
on        = "ball"
by        = "hand"
force     = ["-50 * dx", "-50 * dy - 30.38"]
[[claim]]
name    = "behind the hand"
gauge   = "value.measure"
of      = "ball"
at_time = 1.7
measure = "x - hand.x"
equals  = "-sin(5 * 1.7) / 5"
within  = { at_dt = "1/240", of = 2e-4, order = 2 }
because = "x'' = 25 (t - x) from rest under the hand"
"#;

/// In this process, over a pipe and by the C interface: the same bits.
#[test]
fn every_engine_gets_the_same_forces_whatever_lies_between() {
    let yard = Yard::new();
    yard.write("pulled.toml", PULLED);
    let program = assert_cmd::cargo::cargo_bin("ironspin");
    let measured = |engine: &str| {
        let mut command = std::process::Command::new(&program);
        command.current_dir(yard.path(".")).args([
            "run",
            "pulled.toml",
            "--dt",
            "1/240",
            "--format",
            "json",
            "-q",
            "--engine",
            engine,
        ]);
        let out = command.output().unwrap();
        let result: serde_json::Value = serde_json::from_slice(&out.stdout).unwrap_or_else(|_| panic!("{out:?}"));
        let claim = &result["trials"][0]["claims"][0];
        assert_eq!(claim["verdict"], "pass", "{engine}: {claim}");
        claim["measured"].as_f64().unwrap()
    };
    let here = measured("builtin");
    assert_eq!(measured(&format!("cmd:{} serve-engine", program.display())).to_bits(), here.to_bits());
    // A library works the forces out at its own side, from the same states.
    assert_eq!(measured(&format!("lib:{}", crate::remote::library())).to_bits(), here.to_bits());
    // Twins act on what the bench does, too.
    yard.expect(0, "twin pulled.toml --by again,process,split,restore,units,mass,tempo,mirror,order --dt 1/240 -q");
    // A trace of it is judged with the same forces.
    yard.expect(0, "run pulled.toml --dt 1/240 --trace kept -q");
    let name = yard.names_in("kept").remove(0);
    yard.expect(0, &format!("judge pulled.toml kept/{name}"));
}

#[test]
fn energy_gauges_tell_what_of_a_force_is_the_error_of_the_bench() {
    let yard = Yard::new();
    let claim = "[[claim]]\ngauge = \"energy.drift\"\nof = \"ball\"\nat_most = 1e-9\nbecause = \"the work of what was handed over is all that there is\"\n";
    let force = "potential = \"25 * r ^ 2 + 30.38 * dy\"\n[[claim]]\nname = \"behind";
    // A hand that stands still: with one that moves the potential is no energy of the ball alone.
    let still = PULLED
        .replace("[[claim]]\nname    = \"behind", force)
        .replace("kind     = \"kinematic\"\nmotion   = { line = { to = [4, 1], speed = 1 } }", "kind     = \"static\"");
    let still = still.replacen("at       = [0, 0]", "at       = [0.3, 0]", 1);
    let text = format!("{}{claim}", &still[..still.find("[[claim]]").unwrap()]);
    yard.write("still.toml", &text);
    let told = |dt: &str| {
        let result = yard.json(0, &format!("still.toml --dt {dt}"));
        let trial = &result["trials"][0];
        let detail = trial["claims"][0]["detail"].as_str().unwrap().to_owned();
        assert!(detail.contains("the bench's own error"), "{detail}");
        trial["force_error"].as_f64().unwrap().abs()
    };
    // Of second order in the step, as the forces are.
    let (coarse, fine) = (told("1/60"), told("1/120"));
    assert!(coarse > 3.4 * fine && coarse < 0.2, "{coarse} {fine}");
}

#[test]
fn forces_are_listed_with_what_they_follow() {
    let yard = Yard::new();
    let comet = yard.expect(0, "scenes show slag-comet").out;
    assert!(comet.contains("force on comet by heap: -(1.0) * mass * dx / r ^ 3, "), "{comet}");
    assert!(!comet.contains("of first order in the step"), "{comet}");
    let magnet = yard.expect(0, "scenes show magnet-crane").out;
    assert!(magnet.contains("force on rivet[0] by magnet and 3 more: "), "{magnet}");
    let wind = yard.expect(0, "scenes show sheet-wind").out;
    assert!(wind.contains("it follows a velocity: of first order in the step"), "{wind}");
}
