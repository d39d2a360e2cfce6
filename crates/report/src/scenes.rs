//! Lists of scenes: by topic, and by what they bring together.

use ironspin_model::Dimension;
use ironspin_scene::{Coverage, Family, Feature, features};
use std::fmt::Write;

/// Topics with what they ask and their scenes, as text or as a page in Markdown.
pub fn topic_list(topics: &[(&str, &str, Vec<&str>)], markdown: bool) -> String {
    let mut out = String::new();
    if markdown {
        out.push_str(
            "# Bundled scenes by topic\n\nMade by `ironspin scenes topics --markdown`; a test keeps it up to date. `ironspin run --topic NAME` runs the scenes of \
             a topic.\n\n| topic | question | scenes |\n|---|---|---|\n",
        );
    }
    for (name, about, scenes) in topics {
        // Writing to a string cannot fail.
        let _ = if markdown {
            let scenes: Vec<String> = scenes.iter().map(|scene| format!("`{scene}`")).collect();
            writeln!(out, "| `{name}` | {about} | {} |", scenes.join(", "))
        } else {
            writeln!(
                out,
                "{name:17}  {about}\n{:19}{}",
                "",
                if scenes.is_empty() { "(no scene)".to_owned() } else { scenes.join(", ") }
            )
        };
    }
    out
}

/// A feature, the others that no scene has to bring together with it, and why.
type Unexpected = (&'static str, &'static [&'static str], &'static str);

/// What makes no sense together, with the reason: no scene has to bring it together.
const NOT_EXPECTED: &[Unexpected] = &[
    ("static", &["static"], "bodies that nothing moves do not act on each other"),
    ("static", &["kinematic"], "bodies that nothing pushes do not act on each other"),
    ("static", &["impulse", "force", "torque"], "nothing pushes a static body"),
    ("static", &["velocity", "spin"], "a static body does not move"),
    ("static", &["split"], "a cut hands the motion of the whole on to its pieces, and a static body has none"),
    ("kinematic", &["kinematic"], "bodies that nothing pushes do not act on each other"),
    ("kinematic", &["impulse", "force", "torque"], "nothing pushes a kinematic body"),
    ("kinematic", &["split"], "a cut shares out momentum, and a kinematic body has none that counts"),
];

/// The same of shapes of the plane.
const NOT_EXPECTED_IN_THE_PLANE: &[Unexpected] = &[
    (
        "kinematic",
        &["polyline", "half_plane"],
        "these shapes are static, and bodies that nothing pushes do not act on each other",
    ),
    ("half_plane", &["half_plane", "polyline"], "both are static"),
    ("polyline", &["polyline"], "both are static"),
    (
        "half_plane",
        &["rope", "spring", "hinge", "slider", "weld"],
        "a joint holds at its anchor: the look of a static body changes nothing",
    ),
    (
        "polyline",
        &["rod", "rope", "spring", "hinge", "slider", "weld"],
        "a joint holds at its anchor: the look of a static body changes nothing",
    ),
    ("half_plane", STILL, "a half plane is static"),
    ("polyline", STILL, "a polyline is static"),
];

/// The same of shapes of space.
const NOT_EXPECTED_IN_SPACE: &[Unexpected] = &[
    (
        "kinematic",
        &["mesh", "half_space"],
        "these shapes are static, and bodies that nothing pushes do not act on each other",
    ),
    ("half_space", &["half_space", "mesh"], "both are static"),
    ("mesh", &["mesh"], "both are static"),
    ("half_space", STILL, "a half-space is static"),
    ("mesh", STILL, "a mesh is static"),
    ("sensor", &["mesh"], "a mesh has no inside, and may not be a sensor"),
];

/// Actions that nothing static can be given.
const STILL: &[&str] = &["impulse", "force", "torque", "velocity", "spin", "split"];

/// Pairs of families that are looked at one by one; pairs of other families are counted only.
fn matters(a: Feature, b: Feature) -> bool {
    use Family::{Action, Build, Filter, Joint, Kind, Sensor, Shape};
    match (a.family, b.family) {
        (Kind | Shape, Kind | Shape | Build | Joint | Action | Filter | Sensor) => true,
        (Build | Joint | Action | Filter | Sensor, Kind | Shape) => true,
        (Build | Joint | Action | Filter | Sensor, Build | Joint | Action | Filter | Sensor) => false,
    }
}

fn not_expected(dimension: Dimension) -> impl Iterator<Item = &'static Unexpected> {
    NOT_EXPECTED.iter().chain(match dimension {
        Dimension::Plane => NOT_EXPECTED_IN_THE_PLANE,
        Dimension::Space => NOT_EXPECTED_IN_SPACE,
    })
}

fn reason(dimension: Dimension, a: Feature, b: Feature) -> Option<&'static str> {
    let names = |one: &str, others: &[&str]| {
        (a.word == one && others.contains(&b.word)) || (b.word == one && others.contains(&a.word))
    };
    not_expected(dimension).find(|(one, others, _)| names(one, others)).map(|entry| entry.2)
}

/// Pairs of features, of those that are looked at, that no scene brings together and that have no reason for it.
pub fn coverage_holes(coverage: &Coverage) -> Vec<[Feature; 2]> {
    let all = features(coverage.dimension());
    let pairs = all.iter().enumerate().flat_map(|(number, &a)| all[number..].iter().map(move |&b| [a, b]));
    // A body has one kind, so that a kind meets itself only in two bodies; the same of a feature with itself.
    let asked = |[a, b]: &[Feature; 2]| matters(*a, *b) && reason(coverage.dimension(), *a, *b).is_none();
    pairs.filter(asked).filter(|[a, b]| coverage.scenes(*a, *b).is_empty()).collect()
}

/// What the scenes of each dimension bring together under a claim: a matrix of counts, the joints by the kinds they hold, and the holes.
pub fn coverage_text(of_dimensions: &[Coverage], markdown: bool) -> String {
    let mut out = String::new();
    if markdown {
        out.push_str(
            "# What the bundled scenes bring together\n\nMade by `ironspin scenes coverage --markdown`; a test keeps it up to date. Each number says in how many bundled \
             scenes two features of the scene language meet under a claim: in one body that is measured, or in two that may touch or are joined, of which one is \
             measured.\n\n",
        );
    }
    for coverage in of_dimensions {
        let of = match coverage.dimension() {
            Dimension::Plane => "In the plane",
            Dimension::Space => "In space",
        };
        let _ = if markdown { writeln!(out, "# {of}\n") } else { writeln!(out, "{}\n", of.to_lowercase()) };
        out.push_str(&of_one(coverage, markdown));
        out.push('\n');
    }
    let end = out.trim_end().len();
    out.truncate(end);
    out.push('\n');
    out
}

fn of_one(coverage: &Coverage, markdown: bool) -> String {
    let all = features(coverage.dimension());
    let mut out = String::new();
    let columns: Vec<Feature> =
        all.iter().copied().filter(|feature| matches!(feature.family, Family::Kind | Family::Shape)).collect();
    let row = |cells: Vec<String>| -> String {
        if markdown {
            format!("| {} |\n", cells.join(" | "))
        } else {
            let (head, rest) = cells.split_first().map_or(("", &[][..]), |(head, rest)| (head.as_str(), rest));
            format!("{head:12}{}\n", rest.iter().map(|cell| format!("{cell:>11}")).collect::<String>())
        }
    };
    let rule = |count: usize| if markdown { format!("|{}\n", "---|".repeat(count)) } else { String::new() };
    out.push_str(&row([String::new()]
        .into_iter()
        .chain(columns.iter().map(|column| column.word.to_owned()))
        .collect()));
    out.push_str(&rule(columns.len() + 1));
    for &feature in &all {
        let cell = |&column: &Feature| match (
            coverage.scenes(feature, column).len(),
            reason(coverage.dimension(), feature, column),
        ) {
            (0, Some(_)) => "-".to_owned(),
            (0, None) => if markdown { "**0**" } else { "0" }.to_owned(),
            (count, _) => count.to_string(),
        };
        out.push_str(&row([feature.word.to_owned()].into_iter().chain(columns.iter().map(cell)).collect()));
    }
    let (joints, kinds) = coverage.joint_table();
    out.push_str(if markdown { "\n## Joints by what they hold\n\n" } else { "\njoints by what they hold\n" });
    let heads = kinds.map(|[a, b]| format!("{a}-{b}"));
    if markdown {
        out.push_str(&row([String::new()].into_iter().chain(heads.clone()).collect()));
        out.push_str(&rule(kinds.len() + 1));
    }
    let mut open = Vec::new();
    for &joint in joints {
        let scenes = kinds.map(|pair| coverage.joined(joint, pair).join(", "));
        open.extend(
            scenes
                .iter()
                .zip(&heads)
                .filter(|(scenes, _)| scenes.is_empty())
                .map(|(_, head)| format!("{joint}: {head}")),
        );
        if markdown {
            out.push_str(&row([joint.to_owned()].into_iter().chain(scenes).collect()));
        } else {
            let shown = heads.iter().zip(&scenes).filter(|(_, scenes)| !scenes.is_empty());
            let shown: Vec<String> = shown.map(|(head, scenes)| format!("{head} ({scenes})")).collect();
            let _ = writeln!(out, "  {joint:8}{}", if shown.is_empty() { "none".to_owned() } else { shown.join(", ") });
        }
    }
    let holes = coverage_holes(coverage);
    if holes.is_empty() && open.is_empty() {
        open.push("none".to_owned());
    }
    let bullet = if markdown { "- " } else { "  " };
    let _ = writeln!(out, "{}", if markdown { "\n## Holes\n" } else { "\nholes: no scene brings together" });
    for &feature in &all {
        let others: Vec<&str> = holes.iter().filter(|[a, _]| *a == feature).map(|[_, b]| b.word).collect();
        if !others.is_empty() {
            let _ = writeln!(out, "{bullet}{} with {}", feature.word, others.join(", "));
        }
    }
    for hole in open {
        let _ = writeln!(out, "{bullet}{hole}");
    }
    let _ =
        writeln!(out, "{}", if markdown { "\n## Pairs that none has to bring together\n" } else { "\nnot expected" });
    for (one, others, why) in not_expected(coverage.dimension()) {
        let _ = writeln!(out, "{bullet}{one} with {}: {why}", others.join(", "));
    }
    out
}

/// Bodies that have a feature, in words that go on "measures".
pub(crate) fn bodies_with(feature: Feature) -> String {
    let word = feature.word.replace('_', " ");
    match feature.family {
        Family::Shape if word == "box" => "boxes".to_owned(),
        Family::Shape => format!("{word}s"),
        Family::Kind => format!("{word} bodies"),
        Family::Build => match feature.word {
            "compound" => "bodies of several parts".to_owned(),
            "fixed_turn" => "bodies whose turn is fixed".to_owned(),
            _ => format!("{word} bodies"),
        },
        Family::Joint => format!("bodies at a {word}"),
        Family::Action => format!("bodies with the action `{}`", feature.word),
        Family::Filter => format!("bodies with the filter `{}`", feature.word),
        Family::Sensor => "bodies with a sensor".to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_reason_is_about_features_that_there_are_and_that_no_scene_brings_together() {
        for &dimension in Dimension::BOTH {
            let coverage = Coverage::of(ironspin_scene::bundled::names(), dimension).unwrap();
            let find = |word: &str| features(dimension).into_iter().find(|feature| feature.word == word).expect(word);
            for (one, others, _) in not_expected(dimension) {
                for other in *others {
                    let scenes = coverage.scenes(find(one), find(other));
                    assert!(scenes.is_empty(), "{one} and {other} meet in {scenes:?}");
                }
            }
            assert!(coverage_holes(&coverage).is_empty(), "{:?}", coverage_holes(&coverage));
        }
    }

    #[test]
    fn every_feature_has_words_of_its_own_for_its_bodies() {
        let words: Vec<String> = features(Dimension::Plane).into_iter().map(bodies_with).collect();
        assert!(words.iter().enumerate().all(|(number, text)| !words[..number].contains(text)), "{words:?}");
        let with = |word: &str| {
            bodies_with(features(Dimension::Plane).into_iter().find(|feature| feature.word == word).unwrap())
        };
        assert_eq!([with("box"), with("half_plane"), with("spring")], ["boxes", "half planes", "bodies at a spring"]);
    }

    #[test]
    fn a_pair_that_a_scene_brings_together_is_no_hole() {
        let coverage = Coverage::of(["first-drop"], Dimension::Plane).unwrap();
        let holes = coverage_holes(&coverage);
        let is_hole = |a: &str, b: &str| holes.iter().any(|pair| pair.map(|feature| feature.word) == [a, b]);
        assert!(!is_hole("dynamic", "box") && is_hole("dynamic", "capsule"), "{holes:?}");
        assert!(coverage_text(&[coverage], false).contains("dynamic with"));
    }
}
