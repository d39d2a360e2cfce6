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
