//! Which scenes a command is about, as it is typed.

use crate::diagnostic::Diagnostic;
use clap::Args;
use ironspin_scene::Selection;

#[derive(Clone, Debug, Args)]
pub(crate) struct SceneSelection {
    /// Bundled scenes by name or by a pattern such as 'rivet-*', scene files by path, folders of scene files
    #[arg(value_name = "SCENE")]
    pub(crate) scenes: Vec<String>,
    /// All bundled scenes
    #[arg(long)]
    pub(crate) all: bool,
    /// The bundled scenes of these topics, such as stacking,bouncing (`ironspin scenes topics` lists them)
    #[arg(long, value_name = "TOPIC,...", value_delimiter = ',')]
    pub(crate) topic: Vec<String>,
}

impl SceneSelection {
    fn selection(&self) -> Selection {
        Selection { scenes: self.scenes.clone(), all: self.all, topics: self.topic.clone() }
    }

    /// Names and paths of the scenes; all bundled ones when none is named.
    pub(crate) fn names_or_all(&self) -> Result<Vec<String>, Diagnostic> {
        let nothing_said = self.scenes.is_empty() && self.topic.is_empty();
        Ok(Selection { all: self.all || nothing_said, ..self.selection() }.names()?)
    }

    /// Names and paths of the scenes.
    pub(crate) fn names(&self) -> Result<Vec<String>, Diagnostic> {
        let names = self.selection().names()?;
        if names.is_empty() {
            return Err(Diagnostic::Kept {
                why: "no scene is named: give scenes, --topic TOPIC or --all; `ironspin scenes` lists the bundled ones"
                    .to_owned(),
            });
        }
        Ok(names)
    }

    /// What the scenes are called together, for titles.
    pub(crate) fn title(&self) -> String {
        let mut parts = self.scenes.clone();
        parts.extend(self.topic.iter().map(|topic| format!("topic {topic}")));
        parts.extend(self.all.then(|| "all bundled scenes".to_owned()));
        parts.join(", ")
    }
}
