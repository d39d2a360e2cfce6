//! Which scenes a command is about: names, paths, patterns, folders, topics, or all that are bundled.

use crate::bundled;
use crate::diagnostic::SceneError;
use crate::scene::Scene;
use crate::topics::{TOPICS, Topic, find_topic};
use std::path::{Path, PathBuf};

/// Scenes as they were asked for.
#[derive(Clone, Debug, Default)]
pub struct Selection {
    /// Bundled scenes by name or by a pattern with `*` and `?`, scene files by path, folders of scene files.
    pub scenes: Vec<String>,
    /// All bundled scenes.
    pub all: bool,
    /// The bundled scenes of any of these topics.
    pub topics: Vec<String>,
}

/// Most scene files of a folder.
const FILE_LIMIT: usize = 10_000;

impl Selection {
    /// Whether more is meant than scenes one by one.
    pub fn is_broad(&self) -> bool {
        let broad = |name: &String| is_pattern(name) || Path::new(name).is_dir();
        self.all || !self.topics.is_empty() || self.scenes.iter().any(broad)
    }

    /// Names and paths of the scenes, each once: those asked for one by one first, then those of topics, then all others.
    ///
    /// # Errors
    /// For an unknown topic, a pattern that no bundled scene matches, a folder without a scene file or one that cannot be read. Whether a plain
    /// name is a scene is found when it is opened.
    pub fn names(&self) -> Result<Vec<String>, SceneError> {
        let mut names: Vec<String> = Vec::new();
        let mut add = |name: String| {
            if !names.contains(&name) {
                names.push(name);
            }
        };
        for given in &self.scenes {
            if Path::new(given).is_dir() {
                scene_files(Path::new(given))?.into_iter().for_each(|file| add(file.display().to_string()));
            } else if is_pattern(given) {
                let matching: Vec<&str> = bundled::names().filter(|name| matches(given, name)).collect();
                if matching.is_empty() {
                    return Err(SceneError::without_place(
                        format!("no bundled scene matches `{given}`"),
                        Some(
                            "`ironspin scenes` lists the bundled scenes; `*` stands for any letters, `?` for one"
                                .to_owned(),
                        ),
                    ));
                }
                matching.into_iter().for_each(|name| add(name.to_owned()));
            } else {
                add(given.clone());
            }
        }
        let topics = self.topics.iter().map(|name| known_topic(name)).collect::<Result<Vec<_>, _>>()?;
        if self.all || !topics.is_empty() {
            for name in bundled::names() {
                let of_a_topic = || -> Result<bool, SceneError> {
                    let own = Scene::open(name)?.topics();
                    Ok(topics.iter().any(|topic| own.iter().any(|other| other.name == topic.name)))
                };
                if self.all || of_a_topic()? {
                    add(name.to_owned());
                }
            }
        }
        Ok(names)
    }
}

fn known_topic(name: &str) -> Result<&'static Topic, SceneError> {
    find_topic(name).ok_or_else(|| {
        let known = || TOPICS.iter().map(|topic| topic.name);
        let help = match ironspin_model::nearest(name, known()) {
            Some(near) => format!("did you mean `{near}`? `ironspin scenes topics` lists them all"),
            None => format!("there are: {}", known().collect::<Vec<_>>().join(", ")),
        };
        SceneError::without_place(format!("there is no topic called `{name}`"), Some(help))
    })
}

fn is_pattern(name: &str) -> bool {
    name.contains(['*', '?'])
}

/// Whether a name matches a pattern in which `*` stands for any letters and `?` for one.
fn matches(pattern: &str, name: &str) -> bool {
    let (pattern, name): (Vec<char>, Vec<char>) = (pattern.chars().collect(), name.chars().collect());
    let (mut p, mut n) = (0, 0);
    // Where the last `*` stands, and up to where it has taken letters.
    let mut star: Option<(usize, usize)> = None;
    while n < name.len() {
        if p < pattern.len() && (pattern[p] == '?' || pattern[p] == name[n]) {
            (p, n) = (p + 1, n + 1);
        } else if p < pattern.len() && pattern[p] == '*' {
            star = Some((p, n));
            p += 1;
        } else if let Some((at, taken)) = star {
            star = Some((at, taken + 1));
            (p, n) = (at + 1, taken + 1);
        } else {
            return false;
        }
    }
    pattern[p..].iter().all(|&letter| letter == '*')
}

/// The scene files of a folder in the order of their names. Files that others use have no world of their own and are left out.
fn scene_files(folder: &Path) -> Result<Vec<PathBuf>, SceneError> {
    let unreadable = |error: std::io::Error| {
        SceneError::without_place(format!("cannot read the folder `{}`: {error}", folder.display()), None)
    };
    let mut files = Vec::new();
    for entry in std::fs::read_dir(folder).map_err(unreadable)?.take(FILE_LIMIT) {
        let path = entry.map_err(unreadable)?.path();
        if path.extension().is_some_and(|ending| ending == "toml") && path.is_file() && !is_shared(&path) {
            files.push(path);
        }
    }
    files.sort();
    if files.is_empty() {
        return Err(SceneError::without_place(
            format!("there is no scene file in the folder `{}`", folder.display()),
            Some("scene files end in .toml".to_owned()),
        ));
    }
    Ok(files)
}

/// Whether a file is one that other scenes use. What cannot be read or understood counts as a scene, so that its mistake is shown.
fn is_shared(path: &Path) -> bool {
    let text = std::fs::metadata(path)
        .ok()
        .filter(|about| about.len() <= 1 << 20)
        .and_then(|_| std::fs::read_to_string(path).ok());
    let table = text.and_then(|text| toml::from_str::<toml::Table>(&text).ok());
    table
        .is_some_and(|table| table.contains_key("scene") && !table.contains_key("world") && !table.contains_key("name"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn patterns_match_whole_names() {
        for (pattern, name, expected) in [
            ("rivet-*", "rivet-shot", true),
            ("rivet-*", "a-rivet-shot", false),
            ("*-drop", "first-drop", true),
            ("*i*t*", "rivet-hung", true),
            ("r?vet-ray", "rivet-ray", true),
            ("r?vet-ray", "rvet-ray", false),
            ("*", "anything", true),
            ("ab*", "a", false),
        ] {
            assert_eq!(matches(pattern, name), expected, "{pattern} {name}");
        }
    }

    #[test]
    fn scenes_come_once_in_the_order_in_which_they_were_asked_for() {
        let select = |scenes: &[&str], all: bool, topics: &[&str]| {
            let owned = |list: &[&str]| list.iter().map(|&name| name.to_owned()).collect();
            Selection { scenes: owned(scenes), all, topics: owned(topics) }
        };
        let names = select(&["tip-test", "rivet-*", "rivet-shot"], false, &[]).names().unwrap();
        assert_eq!(names[..2], ["tip-test", "rivet-shot"]);
        assert_eq!(names.iter().filter(|name| *name == "rivet-shot").count(), 1);
        assert_eq!(select(&[], true, &[]).names().unwrap().len(), bundled::names().count());
        let stacks = select(&[], false, &["stacking"]).names().unwrap();
        assert!(stacks.contains(&"ingot-stack".to_owned()) && !stacks.contains(&"rivet-ray".to_owned()));
        let error = select(&[], false, &["stakcing"]).names().unwrap_err();
        assert!(error.help.unwrap().starts_with("did you mean `stacking`?"));
        assert!(select(&["no-such-*"], false, &[]).names().is_err());
        assert!(select(&[], true, &[]).is_broad() && !select(&["tip-test"], false, &[]).is_broad());
    }
}
