//! `scenes`, `engines` and `explain`.

use crate::util::Yard;

#[test]
fn scenes_are_listed_and_shown() {
    let yard = Yard::new();
    let list = yard.expect(0, "scenes").out;
    for scene in ["bearing-drop", "ingot-stack", "wagon-count", "rivet-shot"] {
        assert!(list.contains(scene));
        let shown = yard.expect(0, &format!("scenes show {scene}")).out;
        for part in ["--set ", "because ", "scene = 1"] {
            assert!(shown.contains(part), "{scene} without {part}: {shown}");
        }
    }
}

#[test]
fn engines_and_gauges_are_explained() {
    let yard = Yard::new();
    assert!(yard.expect(0, "engines").out.contains("builtin:swept=marked"));
    assert!(yard.expect(0, "explain tunnel.count").out.contains("**Formula**"));
    let wrong = yard.expect(2, "explain tunel.count");
    assert!(wrong.err.contains("did you mean `tunnel.count`?"), "{}", wrong.err);
}

#[test]
fn the_help_names_every_command_and_the_exit_statuses() {
    let help = Yard::new().expect(0, "--help").out;
    for word in ["demo", "run", "scenes", "engines", "explain", "Exit status"] {
        assert!(help.contains(word), "{word}: {help}");
    }
}

#[test]
fn a_new_scene_is_sound_and_nothing_is_overwritten() {
    let yard = Yard::new();
    assert!(yard.expect(0, "scenes new ramp").out.contains("ironspin run ramp.toml"));
    assert!(yard.expect(0, "scenes check ramp.toml --strict").out.starts_with("ramp.toml: ok; 5 bodies"));
    yard.expect(0, "run ramp.toml --dt 1/60,1/240");
    let before = yard.read("ramp.toml");
    assert!(yard.expect(2, "scenes new ramp").err.contains("is there already"));
    yard.expect(0, "scenes copy ingot-stack mine");
    assert_eq!(
        yard.read("mine/ingot-stack.toml"),
        yard.expect(0, "scenes show ingot-stack").out.split_once("\n# ").map(|(_, text)| format!("# {text}")).unwrap()
    );
    assert!(yard.expect(2, "scenes copy ingot-stack mine").err.contains("is there already"));
    assert!(yard.expect(2, "scenes copy ingot-stak mine").err.contains("did you mean"));
    assert_eq!(yard.read("ramp.toml"), before);
    assert_eq!(yard.names(), ["mine", "ramp.toml"]);
}

#[test]
fn a_scene_is_shown_resolved_and_drawn() {
    let yard = Yard::new();
    let resolved = yard.expect(0, "scenes show ingot-stack --set count=3 --resolved --picture stack.svg").out;
    yard.write("stack.toml", &resolved);
    assert!(yard.expect(0, "scenes check stack.toml").out.contains("ok; 4 bodies"));
    let drawn = yard.read("stack.svg");
    assert!(drawn.starts_with("<svg xmlns=") && drawn.ends_with("</svg>") && drawn.matches("<polygon").count() == 4);
    // The same scene, so the same figures.
    let measured = |name: &str, set: &str| {
        let result = yard.json(0, &format!("{name} {set}"));
        let claims = result["trials"][0]["claims"].as_array().unwrap().clone();
        claims.iter().map(|claim| claim["measured"].clone()).collect::<Vec<_>>()
    };
    assert_eq!(measured("stack.toml", ""), measured("ingot-stack", "--set count=3"));
}

#[test]
fn every_wrong_file_is_told_and_warnings_count_when_asked() {
    let yard = Yard::new();
    yard.expect(0, "scenes copy ingot-stack .");
    let text = yard.read("ingot-stack.toml");
    yard.write("one.toml", &text.replacen("scene = 1", "scene = 9", 1));
    yard.write("two.toml", "nonsense");
    yard.write("up.toml", &text.replacen("-9.81", "9.81", 1));
    let answer = yard.expect(2, "scenes check one.toml ingot-stack.toml two.toml up.toml");
    assert!(answer.err.contains("one.toml") && answer.err.contains("two.toml"), "{}", answer.err);
    assert!(answer.out.contains("ingot-stack.toml: ok") && answer.out.contains("up.toml: 1 warning"), "{}", answer.out);
    assert!(answer.err.contains("allow = [\"gravity\"]"), "{}", answer.err);
    yard.expect(0, "scenes check up.toml");
    yard.expect(1, "scenes check up.toml --strict");
    // A run shows its warnings, too, and only once.
    let run = yard.ironspin("run up.toml --dt 1/60,1/30");
    assert_eq!(run.err.matches("gravity points upwards").count(), 1, "{}", run.err);
    assert!(!yard.ironspin("run up.toml --quiet").err.contains("gravity points"));
}

#[test]
fn the_seed_and_the_limit_of_bodies_are_set_from_outside() {
    let yard = Yard::new();
    let text = "scene = 1\nname = \"grit\"\nabout = \"Grit.\"\n[world]\ngravity = [0, 0]\nduration = 0.1\n[material.iron]\ndensity = 1\nfriction = 0\nrestitution = 0\n\
                [[body]]\nname = \"grit\"\nplace = { scatter = { count = 20, in_box = [9, 9] } }\nshape = { disc = 0.1 }\nat = [0, 0]\nmaterial = \"iron\"\n";
    yard.write("grit.toml", text);
    let shown = |more: &str| yard.expect(0, &format!("scenes show grit.toml --resolved {more}")).out;
    assert_eq!(shown(""), shown("--seed 1"));
    assert_ne!(shown(""), shown("--seed 2"));
    yard.expect(0, "run grit.toml --seed 7");
    assert!(yard.expect(2, "run grit.toml --max-bodies 10").err.contains("more than 10 bodies"));
}

#[test]
fn the_schema_is_json() {
    let schema = Yard::new().expect(0, "schema scene").out;
    let schema: serde_json::Value = serde_json::from_str(&schema).unwrap();
    assert_eq!(schema["title"], "SceneFile");
    assert!(schema["properties"]["body"].is_object());
}

#[test]
fn rays_and_forecasts_stand_in_the_result() {
    let yard = Yard::new();
    let text = "scene = 1\nname = \"asked\"\nabout = \"Asked.\"\n[world]\ngravity = [0, -9.81]\nduration = 1\n[material.iron]\ndensity = 1\nfriction = 0\nrestitution = 0\n\
                [[body]]\nname = \"ball\"\nshape = { disc = 0.5 }\nat = [0, 0]\nmaterial = \"iron\"\n\
                [[action]]\nat_time = 0\nray = { from = [-2, 0], to = [2, 0] }\n[[action]]\nat_time = 0.9\nray = { from = [-2, 0], to = [2, 0] }\n\
                [[action]]\nat_time = 0.1\nforecast = { horizon = 0.5 }\n";
    yard.write("asked.toml", text);
    let trial = &yard.json(0, "asked.toml")["trials"][0];
    assert_eq!((&trial["rays"][0]["hit"]["body"], &trial["rays"][0]["hit"]["distance"]), (&"ball".into(), &1.5.into()));
    assert!(trial["rays"][1]["hit"].is_null() && trial["rays"].as_array().unwrap().len() == 2);
    assert_eq!((&trial["forecasts"][0]["worst"], &trial["forecasts"][0]["worst_body"]), (&0.0.into(), &"ball".into()));
    // Nothing of the kind stands in other results.
    assert!(yard.json(0, "ingot-stack --set count=2")["trials"][0].get("rays").is_none());
}

#[test]
fn a_seed_is_part_of_the_command_that_runs_a_trial_again() {
    let yard = Yard::new();
    let text = "scene = 1\nname = \"grit\"\nabout = \"Grit.\"\n[world]\ngravity = [0, 0]\nduration = 0.1\nbounds = { min = [-1, -1], max = [1, 1] }\n\
                [material.iron]\ndensity = 1\nfriction = 0\nrestitution = 0\n\
                [[body]]\nname = \"grit\"\nrepeat = { i = 9 }\nshape = { disc = 0.1 }\nat = [\"9 * random(i)\", 0]\nmaterial = \"iron\"\n\
                [[claim]]\ngauge = \"escape.count\"\nat_most = 0\nbecause = \"it is meant to fail\"\n";
    yard.write("grit.toml", text);
    let reported = yard.expect(1, "run grit.toml --seed 5 --quiet").out;
    assert!(reported.contains("again: ironspin run grit.toml --dt 1/60 --engine builtin --seed 5"), "{reported}");
    let other = yard.expect(1, "run grit.toml --seed 6 --quiet --format json").out;
    assert!(other.contains("\"seed\": 6"));
}
