//! Small worlds of the quay, planned and run.

use ironspin_lab::{GridOrder, ResultDocument, TrialPlan, TrialRecord, plan_grid, run_trial};
use std::path::PathBuf;
use tempfile::TempDir;

/// A ball that falls for a second, with a claim about where it comes; `height` and `off` can be set.
pub(crate) const FALL: &str = r#"scene = 1
name = "fall"
about = "A ball falls."
[set]
height = { value = 20, about = "where it begins", unit = "m" }
off    = { value = 0, about = "how far the claim is off", unit = "m" }
[world]
gravity = [0, -10]
duration = 1
bounds = { min = [-9, -99], max = [9, 99] }
[material.iron]
density = 1
friction = 0
restitution = 0
[[body]]
name = "ball"
shape = { disc = 0.1 }
at = [0, "height"]
material = "iron"
[[claim]]
gauge = "value.y"
of = "ball"
window = [1, 1]
equals = "height - 5 + off"
within = "1e-6"
because = "it falls by g t^2 / 2"
[[claim]]
gauge = "escape.count"
at_most = 0
because = "it stays in the yard"
"#;

/// A scene in a file of its own.
pub(crate) struct Yard {
    _folder: TempDir,
    pub(crate) scene: String,
}

impl Yard {
    pub(crate) fn new(text: &str) -> Yard {
        let folder = TempDir::new().unwrap();
        let path = folder.path().join("yard.toml");
        std::fs::write(&path, text).unwrap();
        Yard { _folder: folder, scene: path.display().to_string() }
    }

    pub(crate) fn order(&self, set: &[(&str, &[&str])]) -> GridOrder {
        let list = |values: &[&str]| values.iter().map(|value| (*value).to_owned()).collect();
        GridOrder {
            set: set.iter().map(|(name, values)| ((*name).to_owned(), list(values))).collect(),
            ..GridOrder::plain(vec![self.scene.clone()], vec!["builtin".to_owned()], vec!["1/50".parse().unwrap()])
        }
    }

    pub(crate) fn plans(&self, set: &[(&str, &[&str])]) -> Vec<TrialPlan> {
        plan_grid(&self.order(set)).unwrap_or_else(|error| panic!("{error}"))
    }

    pub(crate) fn run(&self, set: &[(&str, &[&str])]) -> Vec<TrialRecord> {
        self.plans(set).iter().map(run_trial).collect()
    }

    pub(crate) fn results(&self, set: &[(&str, &[&str])]) -> ResultDocument {
        ResultDocument::of(&self.run(set), false)
    }
}

/// The fall, as a scene file.
pub(crate) fn fall() -> Yard {
    Yard::new(&FALL.replace("window = [1, 1]", "window = [0.99, 1]"))
}

/// A folder for results.
pub(crate) fn place() -> (TempDir, PathBuf) {
    let folder = TempDir::new().unwrap();
    let path = folder.path().join("results");
    (folder, path)
}
