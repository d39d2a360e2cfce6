//! Scenes by topic, pattern and folder, and the pages that are made of them.

use crate::util::Yard;

#[test]
fn scenes_are_chosen_by_topic_pattern_and_folder() {
    let yard = Yard::new();
    let stacks = yard.expect(0, "scenes --topic stacking,bouncing").out;
    assert!(stacks.contains("ingot-stack ") && stacks.contains("bearing-drop ") && !stacks.contains("rivet-ray"));
    assert!(stacks.contains("[stacking, rest, determinism]"), "{stacks}");
    let chosen = yard.json(0, "bearing-* --topic contacts -q");
    let names: Vec<&str> =
        chosen["trials"].as_array().unwrap().iter().filter_map(|trial| trial["scene"].as_str()).collect();
    assert_eq!(names, ["bearing-drop", "bearing-trays", "tip-test", "contact-thrift"]);
    yard.expect(0, "scenes copy first-drop yard");
    yard.expect(0, "scenes copy tip-test yard");
    yard.write("yard/shared.toml", "scene = 1\n[material.iron]\ndensity = 1\nfriction = 0\nrestitution = 0\n");
    let folder = yard.json(0, "yard -q");
    assert_eq!(folder["summary"]["trials"], 2);
    // Twins and sweeps choose in the same way.
    let twins = yard.expect(0, "twin --topic counting --by again --format json -q").out;
    assert!(twins.contains("wagon-count") && twins.contains("buffer-row"));
    yard.expect(0, "sweep bearing-* --dt 1/60 --out swept -q");
    assert!(yard.read("swept/result.json").contains("bearing-trays"));
}

#[test]
fn what_chooses_nothing_is_a_mistake_with_the_nearest_name() {
    let yard = Yard::new();
    for (line, part) in [
        ("run --topic stakcing", "did you mean `stacking`?"),
        ("scenes --topic bounce", "bouncing"),
        ("run 'no-such-*'", "no bundled scene matches"),
        ("run", "no scene is named"),
        ("twin --topic nothing-like-it", "there are: set-up, stacking"),
        ("sweep --plan p.toml --topic rest", "cannot be used with"),
    ] {
        let answer = yard.expect(2, line);
        assert!(answer.err.contains(part), "{line}: {}", answer.err);
    }
    std::fs::create_dir(yard.path("empty")).unwrap();
    assert!(yard.expect(2, "run empty").err.contains("there is no scene file in the folder"));
    let scene = "scene = 1\nname = \"s\"\nabout = \"a\"\ntopics = [\"rest\", \"stackin\"]\n";
    yard.write("s.toml", scene);
    let answer = yard.expect(2, "scenes check s.toml").err;
    assert!(answer.contains("did you mean `stacking`?") || answer.contains("is missing"), "{answer}");
}

#[test]
fn codes_of_older_scenes_are_read_as_topics() {
    let yard = Yard::new();
    yard.expect(0, "scenes copy ingot-stack .");
    let old = yard.read("ingot-stack.toml");
    let line = old.lines().find(|line| line.starts_with("topics")).unwrap();
    yard.write("old.toml", &old.replace(line, "needs = [\"N2\", \"N13\", \"X9\"]"));
    assert!(yard.expect(0, "scenes show old.toml").out.contains("\ntopics stacking, rest\n"));
    assert!(yard.expect(0, "scenes check old.toml --strict").out.contains("old.toml: ok"));
}

#[test]
fn many_scenes_that_an_engine_cannot_run_are_one_line() {
    let yard = Yard::new();
    let answer = yard.expect(0, "run rivet-* --engine builtin:solver=event -q").out;
    let lines: Vec<&str> = answer.lines().filter(|line| line.starts_with("none")).collect();
    assert_eq!(lines.len(), 1, "{answer}");
    assert!(lines[0].contains("unsupported on A, which lacks") && lines[0].contains("(rivet-blade)"), "{answer}");
}

/// The pages of the documentation are made by commands.
#[test]
fn the_pages_of_topics_and_coverage_are_those_of_the_commands() {
    let yard = Yard::new();
    let topics = yard.expect(0, "scenes topics --markdown").out;
    assert!(topics == include_str!("../../../../docs/topics.md"), "ironspin scenes topics --markdown > docs/topics.md");
    let coverage = yard.expect(0, "scenes coverage --markdown").out;
    assert!(
        coverage == include_str!("../../../../docs/coverage.md"),
        "ironspin scenes coverage --markdown > docs/coverage.md"
    );
    assert!(yard.expect(0, "scenes coverage").out.contains("joints by what they hold"));
    for topic in ironspin_scene::TOPICS.iter() {
        assert!(yard.expect(0, "scenes topics").out.contains(topic.about));
    }
}

#[test]
fn shells_and_man_get_their_pages() {
    let yard = Yard::new();
    for shell in ["bash", "zsh", "fish", "elvish", "powershell"] {
        let script = yard.expect(0, &format!("completions {shell}")).out;
        assert!(script.contains("ironspin") && script.contains("sweep"), "{shell}");
    }
    assert!(yard.expect(2, "completions bsh").err.contains("bash"));
    assert!(yard.expect(0, "manual").out.starts_with(".ie"));
    yard.expect(0, "manual --out man");
    let pages = yard.names_in("man");
    assert!(pages.contains(&"ironspin.1".to_owned()) && pages.contains(&"ironspin-run.1".to_owned()), "{pages:?}");
}
