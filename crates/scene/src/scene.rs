//! A scene that was read, and what it resolves to.

use crate::bundled;
use crate::fault::{Fault, SceneError};
use crate::file::{SCENE_VERSION, SceneFile};
use crate::resolve;
use ironspin_model::{Claim, World};
use std::ops::Range;
use std::path::Path;
use std::sync::Arc;

/// A scene file that was read and has the right form. Its expressions are worked out by [`Scene::resolve`].
#[derive(Clone, Debug)]
pub struct Scene {
    origin: String,
    text: Arc<str>,
    file: SceneFile,
}

/// What a scene is resolved with.
#[derive(Clone, Debug, PartialEq)]
pub struct Settings {
    /// Parameters set from outside, as typed: name and value or expression.
    pub set: Vec<(String, String)>,
    /// Step length, s; claims may use it as `dt`.
    pub dt: f64,
}

/// A parameter and the value in force.
#[derive(Clone, Debug, PartialEq)]
pub struct Parameter {
    /// Its name.
    pub name: String,
    /// What it means.
    pub about: String,
    /// Its unit, as the scene names it.
    pub unit: Option<String>,
    /// The value in force.
    pub value: f64,
    /// Smallest and largest value allowed.
    pub range: Option<[f64; 2]>,
}

/// A scene with everything worked out: ready to be built by an engine and measured.
#[derive(Clone, Debug)]
pub struct Setup {
    /// Name of the scene.
    pub name: String,
    /// One line about it.
    pub about: String,
    /// The text it was read from.
    pub text: Arc<str>,
    /// Parameters with the values in force, in the order of the file.
    pub parameters: Vec<Parameter>,
    /// What the engine builds.
    pub world: World,
    /// What must hold.
    pub claims: Vec<Claim>,
}

impl Scene {
    /// Reads a scene from text; `origin` is the name shown in messages.
    ///
    /// # Errors
    /// When the text is no TOML, has unknown keys or wrong types, or is of another version.
    pub fn parse(text: &str, origin: &str) -> Result<Scene, SceneError> {
        let text: Arc<str> = text.into();
        let file: SceneFile =
            toml::from_str(&text).map_err(|error| form_fault(&error, &text).in_file(origin, &text))?;
        if *file.scene.get_ref() != SCENE_VERSION {
            let found = file.scene.get_ref();
            return Err(Fault::at(file.scene.span(), format!("this scene is of version {found}"))
                .label(format!("expected {SCENE_VERSION}"))
                .help(if *found > SCENE_VERSION { "a newer program reads it: upgrade" } else { "write scene = 1" })
                .in_file(origin, &text));
        }
        Ok(Scene { origin: origin.to_owned(), text, file })
    }

    /// Reads a scene by path, or a bundled one by name. What looks like a path (has a separator or ends in `.toml`)
    /// is taken for one.
    ///
    /// # Errors
    /// As [`Scene::parse`], and when there is no such file or bundled scene.
    pub fn open(name: &str) -> Result<Scene, SceneError> {
        if name.ends_with(".toml") || name.contains(['/', '\\']) {
            let text = std::fs::read_to_string(Path::new(name)).map_err(|error| {
                SceneError::without_place(
                    format!("cannot read the scene file `{name}`: {error}"),
                    Some("`ironspin scenes` lists the bundled scenes; a file is named by its path".to_owned()),
                )
            })?;
            return Scene::parse(&text, name);
        }
        match bundled::find(name) {
            Some(text) => Scene::parse(text, &format!("bundled:{name}.toml")),
            None => {
                let help = ironspin_model::nearest(name, bundled::names()).map_or_else(
                    || {
                        "`ironspin scenes` lists the bundled scenes; a scene file is named by its path, ending in .toml"
                            .to_owned()
                    },
                    |near| format!("did you mean `{near}`?"),
                );
                Err(SceneError::without_place(format!("there is no bundled scene called `{name}`"), Some(help)))
            }
        }
    }

    /// Name of the scene.
    pub fn name(&self) -> &str {
        &self.file.name
    }

    /// One line about it.
    pub fn about(&self) -> &str {
        &self.file.about
    }

    /// Needs it serves, such as `N2`.
    pub fn needs(&self) -> &[String] {
        &self.file.needs
    }

    /// The text it was read from.
    pub fn text(&self) -> &str {
        &self.text
    }

    /// Works out every expression.
    ///
    /// # Errors
    /// For unknown names, values out of range, and everything that cannot be built; the error carries the place in
    /// the file where there is one.
    pub fn resolve(&self, settings: &Settings) -> Result<Setup, SceneError> {
        resolve::resolve(&self.file, settings)
            .map(|resolved| Setup {
                name: self.file.name.clone(),
                about: self.file.about.clone(),
                text: Arc::clone(&self.text),
                parameters: resolved.parameters,
                world: resolved.world,
                claims: resolved.claims,
            })
            .map_err(|fault| fault.in_file(&self.origin, &self.text))
    }

    /// An error that stands at the gauge name of claim number `index`, for checks made by those who know the gauges.
    pub fn claim_error(&self, index: usize, message: String, label: String, help: Option<String>) -> SceneError {
        let span = self.file.claim.get(index).map_or(0..0, |claim| claim.gauge.span());
        Fault { message, label, help, span: Some(span) }.in_file(&self.origin, &self.text)
    }
}

/// Turns a form error of the TOML reader into ours: what was found, what was expected, the nearest known name.
fn form_fault(error: &toml::de::Error, text: &str) -> Fault {
    let span: Range<usize> = error.span().unwrap_or(0..0);
    let message = error.message().trim();
    // serde's own wording for a key that no field takes; the names stand in backquotes.
    if let Some(rest) = message.strip_prefix("unknown field `").or_else(|| message.strip_prefix("unknown variant `")) {
        let what = if message.starts_with("unknown field") { "key" } else { "word" };
        let mut quoted = rest.split('`');
        let found = quoted.next().unwrap_or_default().to_owned();
        let known: Vec<&str> = quoted.skip(1).step_by(2).collect();
        return Fault::at(span, format!("unknown {what} `{found}`"))
            .label(format!("no such {what}"))
            .help_names(&found, known);
    }
    if let Some(field) = message.strip_prefix("missing field `").and_then(|rest| rest.split('`').next()) {
        return Fault::at(first_line_of(span, text), format!("the key `{field}` is missing"))
            .label(format!("`{field}` is missing here"))
            .help(format!("add a line `{field} = ...`"));
    }
    if let Some((found, expected)) =
        message.strip_prefix("invalid type: ").and_then(|rest| rest.split_once(", expected "))
    {
        return Fault::at(span, format!("found {found} where {expected} is expected"))
            .label(format!("expected {expected}"));
    }
    Fault::at(span, message.lines().next().unwrap_or("not a scene file").to_owned()).label("cannot be read")
}

/// The part of a span on its first line: a missing key is told at the head of its table.
fn first_line_of(span: Range<usize>, text: &str) -> Range<usize> {
    let upto = text.get(span.clone()).and_then(|piece| piece.find('\n')).map_or(span.end, |at| span.start + at);
    span.start..upto.max(span.start)
}
