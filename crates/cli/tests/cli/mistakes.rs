//! Wrong input: status 2, a message with the place and what to write instead, nothing left behind.

use crate::util::Yard;

const SOUND: &str = r#"scene = 1
name  = "drop"
about = "A ball falls."
[set]
height = { value = 1, about = "drop height, m", range = [0, 10] }
[world]
gravity  = [0, -9.81]
duration = 1
[material.iron]
density     = 7200
friction    = 0.6
restitution = 0
[[body]]
name     = "ball"
shape    = { disc = 0.1 }
at       = [0, "height"]
material = "iron"
[[claim]]
gauge   = "energy.drift"
of      = "ball"
at_most = 1e-6
because = "free fall keeps energy"
"#;

/// Runs the sound scene with one text replaced and gives what is said of it.
fn message(from: &str, to: &str) -> String {
    let yard = Yard::new();
    assert!(SOUND.contains(from), "{from}");
    yard.write("drop.toml", &SOUND.replacen(from, to, 1));
    let answer = yard.expect(2, "run drop.toml --out results");
    assert!(answer.out.is_empty(), "{}", answer.out);
    assert!(!answer.err.contains("panicked"), "{}", answer.err);
    assert_eq!(yard.names(), ["drop.toml"], "nothing half made");
    answer.err
}

#[test]
fn the_sound_scene_is_sound() {
    let yard = Yard::new();
    yard.write("drop.toml", SOUND);
    yard.expect(0, "run drop.toml");
}

#[test]
fn messages_have_file_line_and_advice() {
    insta::assert_snapshot!("unknown-key", message("density     = 7200", "densty      = 7200"));
    insta::assert_snapshot!("wrong-type", message("duration = 1", "duration = true"));
    insta::assert_snapshot!("negative-size", message("disc = 0.1", "disc = -0.1"));
    insta::assert_snapshot!("division-by-zero", message("\"height\"", "\"1 / (height - 1)\""));
    insta::assert_snapshot!("unknown-name", message("\"height\"", "\"2 * heigth\""));
    insta::assert_snapshot!("unknown-material", message("material = \"iron\"", "material = \"irn\""));
    insta::assert_snapshot!("unknown-gauge", message("energy.drift", "energy.drit"));
    insta::assert_snapshot!("unknown-body", message("of      = \"ball\"", "of      = \"bal\""));
    insta::assert_snapshot!("missing-key", message("duration = 1\n", ""));
    insta::assert_snapshot!("no-reason", message("because = \"free fall keeps energy\"", "because = \"\""));
    insta::assert_snapshot!("newer-version", message("scene = 1", "scene = 2"));
    insta::assert_snapshot!("no-toml", message("[world]", "[world"));
    insta::assert_snapshot!("unknown-shape", message("disc = 0.1", "ball = 0.1"));
    insta::assert_snapshot!("two-bounds", message("at_most = 1e-6", "at_most = 1e-6\nat_least = 0"));
    insta::assert_snapshot!("out-of-range", message("value = 1,", "value = 11,"));
}

#[test]
fn wrong_arguments_are_told_with_the_nearest_name() {
    let yard = Yard::new();
    for (line, part) in [
        ("run ingot-stak", "did you mean `ingot-stack`?"),
        ("run missing.toml", "cannot read the scene file `missing.toml`"),
        ("run ingot-stack --engine builtn", "did you mean `builtin`?"),
        ("run ingot-stack --engine builtin:swepd=all", "did you mean `swept`?"),
        ("run ingot-stack --engine builtin:swept=yes", "expected off, marked or all"),
        ("run ingot-stack --set cuont=3", "did you mean `count`?"),
        ("run ingot-stack --set count=1/0", "division by zero"),
        ("run ingot-stack --set count=1000", "outside its range"),
        ("run ingot-stack --dt 1/0", "a step must be longer than nothing"),
        ("run ingot-stack --format tabel", "table"),
        ("runn ingot-stack", "run"),
        ("run", "no scene is named"),
    ] {
        let answer = yard.expect(2, line);
        assert!(answer.err.contains(part), "{line}: {}", answer.err);
    }
    assert!(yard.names().is_empty());
}

#[test]
fn a_folder_that_cannot_be_written_is_found_before_the_first_trial() {
    let yard = Yard::new();
    yard.write("file", "mine");
    for line in ["run ingot-stack --out file", "run ingot-stack --out file/results", "demo --out file/demo"] {
        yard.expect(2, line);
    }
    assert_eq!(yard.read("file"), "mine");
    assert_eq!(yard.names(), ["file"]);
}
