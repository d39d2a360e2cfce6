//! Every example of docs/scenes.md runs.

use crate::util::Yard;

/// The TOML blocks of a Markdown text.
fn examples(text: &str) -> Vec<String> {
    text.split("```toml\n").skip(1).filter_map(|rest| rest.split("```").next()).map(str::to_owned).collect()
}

/// An example with what the page says it leaves out.
fn whole(example: &str) -> String {
    if example.starts_with("scene = 1") {
        return example.to_owned();
    }
    let tables = example.find("\n[").map_or(0, |at| at + 1);
    let (top, rest) = if example.starts_with('[') { ("", example) } else { example.split_at(tables) };
    let mut text = format!("scene = 1\nname = \"example\"\nabout = \"An example.\"\n{top}");
    if !rest.contains("[world]") {
        text.push_str("[world]\ngravity = [0, -9.81]\nduration = 1\n");
    }
    text.push_str("[material.iron]\ndensity = 7200\nfriction = 0.6\nrestitution = 0.2\n");
    text.push_str(rest);
    text
}

#[test]
fn every_example_of_the_language_runs() {
    let page = include_str!("../../../../docs/scenes.md");
    let examples = examples(page);
    assert!(examples.len() > 15);
    for (number, example) in examples.iter().enumerate() {
        let yard = Yard::new();
        yard.write("example.toml", &whole(example));
        let checked = yard.expect(0, "scenes check example.toml");
        assert!(checked.out.contains("example.toml: ok"), "example {number}: {}{}", checked.out, checked.err);
        yard.expect(0, "run example.toml");
        // Its resolved form is a scene again, and says the same.
        let resolved = yard.expect(0, "scenes show example.toml --resolved").out;
        yard.write("resolved.toml", &resolved);
        assert_eq!(yard.expect(0, "scenes show resolved.toml --resolved").out, resolved, "example {number}");
    }
}

#[test]
fn the_page_names_every_warning_twin_and_feature_kind() {
    let page = include_str!("../../../../docs/scenes.md");
    for kind in ironspin_scene::WARNINGS.iter().map(|kind| format!("| `{kind}` |")) {
        assert!(page.contains(&kind), "{kind}");
    }
    for twin in ironspin_scene::TWIN_KINDS {
        assert!(page.contains(twin), "{twin}");
    }
}
