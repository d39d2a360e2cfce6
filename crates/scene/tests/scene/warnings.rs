//! What is probably a mistake is reported with its line, and silenced by name.

use crate::setup_text;
use ironspin_scene::{Scene, Settings};

const FRAME: &str = "scene = 1\nname = \"x\"\nabout = \"x\"\nALLOW\n[set]\nSET\n[world]\ngravity = [0, GRAVITY]\nduration = 1\nbounds = { min = [-900, -9], max = [900, 900] }\n\
    [material.iron]\ndensity = 1\nfriction = 0\nrestitution = BOUNCE\n[[body]]\nname = \"floor\"\nkind = \"static\"\nshape = { half_plane = [0, 1] }\nat = [0, 0]\nmaterial = \"iron\"\n\
    [[body]]\nname = \"b\"\nrepeat = { i = 2 }\nshape = { box = [\"SIZE\", \"SIZE\"] }\nat = [0, AT]\nmaterial = \"iron\"\nmass = \"10 ^ (MORE * i)\"\n";

fn text(changes: &[(&str, &str)]) -> String {
    let usual = [
        ("ALLOW", ""),
        ("SET", ""),
        ("GRAVITY", "-9.81"),
        ("BOUNCE", "0.5"),
        ("SIZE", "2"),
        ("AT", "\"1 + 2 * i\""),
        ("MORE", "1"),
    ];
    let mut text = FRAME.to_owned();
    for (from, to) in changes.iter().chain(&usual) {
        text = text.replace(from, to);
    }
    text
}

fn kinds(changes: &[(&str, &str)], dt: f64) -> Vec<(&'static str, Option<usize>)> {
    let setup = Scene::parse(&text(changes), "x.toml")
        .and_then(|scene| scene.resolve(&Settings::with_dt(dt)))
        .unwrap_or_else(|error| panic!("{error}"));
    setup.warnings.iter().map(|w| (w.kind, w.what.place.as_ref().map(|place| place.line()))).collect()
}

#[test]
fn a_sound_scene_has_none() {
    assert_eq!(kinds(&[], 0.01), []);
}

#[test]
fn each_kind_is_told_at_its_line_and_can_be_silenced() {
    for (kind, change, dt, line) in [
        ("overlap", ("AT", "\"1 + 1.9 * i\""), 0.01, Some(22)),
        ("pixels", ("SIZE", "60"), 0.01, Some(8)),
        ("step", ("SIZE", "2"), 1.5, None),
        ("gravity", ("GRAVITY", "9.81"), 0.01, Some(8)),
        ("mass-ratio", ("MORE", "5"), 0.01, Some(22)),
        ("bounds", ("AT", "\"1 + 2000 * i\""), 0.01, Some(22)),
        ("restitution", ("BOUNCE", "1.5"), 0.01, Some(11)),
        ("unused", ("SET", "spare = { value = 1, about = \"nothing\" }"), 0.01, Some(6)),
    ] {
        let changes = if kind == "pixels" { vec![change, ("AT", "\"30 + 61 * i\"")] } else { vec![change] };
        assert_eq!(kinds(&changes, dt), [(kind, line)], "{kind}");
        let allow = format!("allow = [\"{kind}\"]");
        let silenced: Vec<_> = changes.iter().copied().chain([("ALLOW", allow.as_str())]).collect();
        assert_eq!(kinds(&silenced, dt), [], "{kind} is allowed");
    }
    let wrong = setup_text(&text(&[("ALLOW", "allow = [\"overlaps\"]")]), &[]).unwrap_err();
    assert_eq!(wrong.help.as_deref(), Some("did you mean `overlap`?"));
}

#[test]
fn bodies_that_cannot_meet_may_overlap() {
    let joined = "[[joint]]\nkind = \"weld\"\nbetween = [\"b[0]\", \"b[1]\"]\n";
    let overlapping = text(&[("AT", "\"1 + 0.5 * i\"")]);
    let warned = |text: &str| setup_text(text, &[]).unwrap().warnings.iter().any(|w| w.kind == "overlap");
    assert!(warned(&overlapping));
    assert!(!warned(&format!("{overlapping}{joined}")));
    assert!(!warned(&format!("{overlapping}[[apart]]\nbetween = [\"b[0]\", \"b[1]\"]\n")));
}
