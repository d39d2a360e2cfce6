//! A scene that was read, and what it resolves to.

use crate::bundled;
use crate::diagnostic::{Diagnostic, SceneError, Source};
use crate::file::{Placed, SCENE_VERSION, SceneFile, SharedFile, SoftTable};
use crate::lints;
use crate::mesh_file::{self, MeshFiles};
use crate::print;
use crate::resolve;
use crate::resolve::dimension;
use crate::setup::{Settings, Setup, Warning};
use crate::topics::{TOPICS, Topic, find_topic, topic_of_code};
use ironspin_model::Dimension;
use std::ops::Range;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// A scene file that was read and has the right form. Its expressions are worked out by [`Scene::resolve`].
#[derive(Clone, Debug)]
pub struct Scene {
    /// The scene itself, then the files it uses.
    sources: Vec<Source>,
    file: SceneFile,
    shared: Vec<SharedFile>,
    /// Surfaces in files beside it.
    meshes: MeshFiles,
}

/// Most bytes of a scene file.
const FILE_LIMIT: u64 = 16 << 20;
/// Most files that a scene may use.
const USE_LIMIT: usize = 16;
/// Most files of surfaces.
const MESH_LIMIT: usize = 64;

impl Scene {
    /// Reads a scene from text; `origin` is the name shown in messages. It cannot use other files.
    ///
    /// # Errors
    /// When the text is no TOML, has unknown keys or wrong types, or is of another version.
    pub fn parse(text: &str, origin: &str) -> Result<Scene, SceneError> {
        Scene::read(text, origin, None)
    }

    /// Reads a scene that may use files of a folder.
    fn read(text: &str, origin: &str, folder: Option<&Path>) -> Result<Scene, SceneError> {
        let text: Arc<str> = text.into();
        let mut sources = vec![Source { origin: origin.to_owned(), text: Arc::clone(&text), offset: 0 }];
        let file: SceneFile =
            toml::from_str(&text).map_err(|error| form_diagnostic(&error, &text).in_sources(&sources))?;
        check_version(&file.scene).map_err(|diagnostic| diagnostic.in_sources(&sources))?;
        check_name(&file.name).map_err(|diagnostic| diagnostic.in_sources(&sources))?;
        check_topics(&file.topics).map_err(|diagnostic| diagnostic.in_sources(&sources))?;
        let mut shared = Vec::new();
        for (number, name) in file.uses.iter().enumerate() {
            let used = used_file(name, number, folder).map_err(|diagnostic| diagnostic.in_sources(&sources))?;
            let offset = sources.last().map_or(0, |source| source.offset + source.text.len() + 1);
            // Blanks in front make its places count from the offset.
            let padded = format!("{}{used}", " ".repeat(offset));
            sources.push(Source { origin: name.get_ref().clone(), text: used.into(), offset });
            let table: SharedFile =
                toml::from_str(&padded).map_err(|error| form_diagnostic(&error, &padded).in_sources(&sources))?;
            check_version(&table.scene).map_err(|diagnostic| diagnostic.in_sources(&sources))?;
            shared.push(table);
        }
        let mut scene = Scene { sources, file, shared, meshes: MeshFiles::default() };
        scene.read_meshes(folder)?;
        Ok(scene)
    }

    /// Whether it is of the plane or of space.
    ///
    /// # Errors
    /// When it says it is of neither.
    pub fn dimension(&self) -> Result<Dimension, SceneError> {
        dimension(&self.file.space).map_err(|diagnostic| diagnostic.in_sources(&self.sources))
    }

    /// Reads the files of surfaces that it names, each once.
    fn read_meshes(&mut self, folder: Option<&Path>) -> Result<(), SceneError> {
        let templates = self.shared.iter().map(|shared| &shared.template).chain([&self.file.template]);
        let tables = templates.flat_map(|templates| templates.0.iter().map(|(_, table)| table)).chain(&self.file.body);
        let mut named: Vec<(String, Range<usize>)> = Vec::new();
        let skins = self.file.soft.iter().filter_map(SoftTable::surface);
        for (table, whole) in tables.flat_map(|table| table.surfaces()).chain(skins) {
            let Some(file) = &table.0.file else { continue };
            if !named.iter().any(|(name, _)| name == file.get_ref()) {
                named.push((file.get_ref().clone(), table.place(&whole)));
            }
            if named.len() > MESH_LIMIT {
                break;
            }
        }
        for (number, (name, used)) in named.into_iter().enumerate() {
            let read = match number < MESH_LIMIT {
                true => mesh_file(&name, &used, folder),
                false => Err(Diagnostic::at(
                    used.clone(),
                    format!("a scene may name {MESH_LIMIT} files of surfaces at most"),
                )),
            };
            read.and_then(|bytes| self.meshes.add(&name, &bytes, &used, &mut self.sources))
                .map_err(|diagnostic| diagnostic.in_sources(&self.sources))?;
        }
        Ok(())
    }

    /// Reads a scene by path, or a bundled one by name. What looks like a path (has a separator or ends in `.toml`)
    /// is taken for one.
    ///
    /// # Errors
    /// As [`Scene::parse`], and when there is no such file or bundled scene.
    pub fn open(name: &str) -> Result<Scene, SceneError> {
        if name.ends_with(".toml") || name.contains(['/', '\\']) {
            let path = Path::new(name);
            let text = read_limited(path).map_err(|error| {
                SceneError::without_place(
                    format!("cannot read the scene file `{name}`: {error}"),
                    Some("`ironspin scenes` lists the bundled scenes; a file is named by its path".to_owned()),
                )
            })?;
            return Scene::read(&text, name, Some(path.parent().unwrap_or(Path::new(""))));
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
        self.file.name.get_ref()
    }

    /// One line about it.
    pub fn about(&self) -> &str {
        &self.file.about
    }

    /// What it is about, in the order of the file; codes of older files are read as the topics that they mean.
    pub fn topics(&self) -> Vec<&'static Topic> {
        let named = self.file.topics.iter().filter_map(|name| find_topic(name.get_ref()));
        let meant = self.file.needs.iter().filter_map(|code| topic_of_code(code));
        let mut topics: Vec<&'static Topic> = Vec::new();
        for topic in named.chain(meant) {
            if !topics.iter().any(|known| known.name == topic.name) {
                topics.push(topic);
            }
        }
        topics
    }

    /// The text it was read from.
    pub fn text(&self) -> &str {
        &self.sources[0].text
    }

    /// Its text, then those of the files it uses.
    pub fn texts(&self) -> impl Iterator<Item = &str> {
        self.sources.iter().map(|source| &*source.text)
    }

    /// Works out every expression.
    ///
    /// # Errors
    /// For unknown names, values out of range, and everything that cannot be built; the error carries the place in
    /// the file where there is one.
    pub fn resolve(&self, settings: &Settings) -> Result<Setup, SceneError> {
        let placed = |diagnostic: Diagnostic| diagnostic.in_sources(&self.sources);
        let resolved = resolve::resolve(&self.file, &self.shared, &self.meshes, settings).map_err(placed)?;
        let warnings = lints::warnings(&self.file, &resolved, settings.dt, settings.soft_method).map_err(placed)?;
        Ok(Setup {
            name: self.file.name.get_ref().clone(),
            about: self.file.about.clone(),
            text: Arc::clone(&self.sources[0].text),
            dt: settings.dt,
            parameters: resolved.parameters,
            world: resolved.world,
            claims: resolved.claims,
            claim_tables: resolved.claim_tables,
            forces: resolved.forces,
            twins: resolved.twins,
            series: resolved.series,
            triggers: resolved.triggers,
            probes: resolved.probes,
            features: resolved.features,
            warnings: warnings
                .into_iter()
                .map(|(kind, diagnostic)| Warning { kind, what: placed(diagnostic) })
                .collect(),
        })
    }

    /// The resolved form of a set-up of this scene: a scene file with every number written out, which builds the same world.
    pub fn print_resolved(&self, setup: &Setup) -> String {
        let allow: Vec<&str> = self.file.allow.iter().map(|kind| kind.get_ref().as_str()).collect();
        let topics: Vec<&str> = self.topics().iter().map(|topic| topic.name).collect();
        print::resolved(setup, &topics, &allow)
    }

    /// An error that stands at the gauge name of claim number `index` of a set-up, for checks made by those who know the gauges.
    pub fn claim_error(
        &self,
        setup: &Setup,
        index: usize,
        message: String,
        label: String,
        help: Option<String>,
    ) -> SceneError {
        let table = setup.claim_tables.get(index).and_then(|&table| self.file.claim.get(table));
        let span = table.map_or(0..0, |claim| claim.gauge.span());
        Diagnostic { message, label, help, span: Some(span) }.in_sources(&self.sources)
    }
}

fn check_version(version: &Placed<i64>) -> Result<(), Diagnostic> {
    let found = *version.get_ref();
    if found == SCENE_VERSION {
        return Ok(());
    }
    Err(Diagnostic::at(version.span(), format!("this scene is of version {found}"))
        .label(format!("expected {SCENE_VERSION}"))
        .help(if found > SCENE_VERSION { "a newer program reads it: upgrade" } else { "write scene = 1" }))
}

fn check_topics(topics: &[Placed<String>]) -> Result<(), Diagnostic> {
    match topics.iter().find(|name| find_topic(name.get_ref()).is_none()) {
        None => Ok(()),
        Some(unknown) => {
            Err(Diagnostic::at(unknown.span(), format!("there is no topic called `{}`", unknown.get_ref()))
                .label("unknown topic")
                .help_names(unknown.get_ref(), TOPICS.iter().map(|topic| topic.name)))
        }
    }
}

fn read_limited(path: &Path) -> std::io::Result<String> {
    ironspin_model::read_text(path, FILE_LIMIT)
}

/// Longest name of a scene, letters.
const LONGEST_NAME: usize = 100;

/// Whether a name may be that of a scene: file names are made of it, and it stands in every table.
pub fn is_scene_name(name: &str) -> bool {
    let plain = |letter: char| letter.is_alphanumeric() || " -_.()".contains(letter);
    name.chars().all(plain)
        && (1..=LONGEST_NAME).contains(&name.chars().count())
        && name.trim() == name
        && !name.starts_with('.')
}

fn check_name(name: &Placed<String>) -> Result<(), Diagnostic> {
    if is_scene_name(name.get_ref()) {
        return Ok(());
    }
    Err(Diagnostic::at(name.span(), format!("`{}` is no name for a scene", name.get_ref()))
        .label("not a plain name")
        .help(format!("use letters, digits, blanks between them, and - _ . ( ), up to {LONGEST_NAME}")))
}

/// The text of a file that a scene uses.
fn used_file(name: &Placed<String>, number: usize, folder: Option<&Path>) -> Result<String, Diagnostic> {
    let plain = name.get_ref();
    let at = |message: String| Diagnostic::at(name.span(), message);
    if number >= USE_LIMIT {
        return Err(at(format!("a scene may use {USE_LIMIT} files at most")));
    }
    let real = beside(plain, &name.span(), folder, plain.ends_with(".toml"), ".toml")?;
    read_limited(&real).map_err(|error| at(format!("cannot read `{plain}`: {error}")).label("used here"))
}

/// The bytes of a file of a surface.
fn mesh_file(name: &str, used: &Range<usize>, folder: Option<&Path>) -> Result<Vec<u8>, Diagnostic> {
    let real = beside(name, used, folder, mesh_file::has_known_ending(name), ".obj, .stl or .ply")?;
    ironspin_model::read_bytes(&real, mesh_file::FILE_LIMIT)
        .map_err(|error| Diagnostic::at(used.clone(), format!("cannot read `{name}`: {error}")).label("used here"))
}

/// Where a file beside a scene is: a plain name, in the scene's own folder, also after links are followed.
fn beside(
    plain: &str,
    span: &Range<usize>,
    folder: Option<&Path>,
    ends_well: bool,
    ending: &str,
) -> Result<PathBuf, Diagnostic> {
    let at = |message: String| Diagnostic::at(span.clone(), message);
    let Some(folder) = folder else {
        return Err(at("only a scene in a file can use other files".to_owned()).label("no folder to look in"));
    };
    if plain.contains(['/', '\\', ':']) || plain.starts_with('.') || !ends_well {
        return Err(at(format!("`{plain}` cannot be used"))
            .label("not a plain file name")
            .help(format!("a scene uses files of its own folder, by name, ending in {ending}")));
    }
    let folder = if folder.as_os_str().is_empty() { Path::new(".") } else { folder };
    let found = folder.join(plain);
    let real = found.canonicalize().map_err(|error| {
        let missing = at(format!("cannot read `{plain}`: {error}")).label("used here");
        match nearest_file(folder, plain) {
            Some(near) => missing.help(format!("did you mean `{near}`?")),
            None => missing,
        }
    })?;
    let home = folder.canonicalize().map_err(|error| at(format!("cannot read the folder: {error}")))?;
    if real.parent() != Some(home.as_path()) {
        return Err(at(format!("`{plain}` leads out of the scene's folder")).label("a link to elsewhere"));
    }
    Ok(real)
}

/// Most names of a folder that are looked at for a near one.
const NAMES_LOOKED_AT: usize = 1_000;

/// The file of a folder whose name is nearest to one that is not there.
fn nearest_file(folder: &Path, name: &str) -> Option<String> {
    let entries = std::fs::read_dir(folder).ok()?.take(NAMES_LOOKED_AT);
    let mut names: Vec<String> = entries
        .filter_map(|entry| entry.ok()?.file_name().into_string().ok())
        .filter(|name| !name.starts_with('.'))
        .collect();
    names.sort();
    ironspin_model::nearest(name, names.iter().map(String::as_str)).map(str::to_owned)
}

/// What is wrong with the form of a TOML file, in our words: what was found, what was expected, the nearest known name.
pub fn toml_error(error: &toml::de::Error, text: &str, origin: &str) -> SceneError {
    form_diagnostic(error, text).in_sources(&[Source { origin: origin.to_owned(), text: text.into(), offset: 0 }])
}

/// Turns a form error of the TOML reader into ours: what was found, what was expected, the nearest known name.
fn form_diagnostic(error: &toml::de::Error, text: &str) -> Diagnostic {
    let span: Range<usize> = error.span().unwrap_or(0..0);
    let message = error.message().trim();
    // serde's own wording for a key that no field takes; the names stand in backquotes.
    if let Some(rest) = message.strip_prefix("unknown field `").or_else(|| message.strip_prefix("unknown variant `")) {
        let what = if message.starts_with("unknown field") { "key" } else { "word" };
        let mut quoted = rest.split('`');
        let found = quoted.next().unwrap_or_default().to_owned();
        let known: Vec<&str> = quoted.skip(1).step_by(2).collect();
        return Diagnostic::at(span, format!("unknown {what} `{found}`"))
            .label(format!("no such {what}"))
            .help_names(&found, known);
    }
    // The reader's own wording for the tables of patterns and motions.
    if let Some((found, known)) =
        message.strip_prefix("unexpected keys in table: ").and_then(|rest| rest.split_once(", available keys: "))
    {
        let found = found.split(", ").next().unwrap_or(found);
        return Diagnostic::at(span, format!("unknown key `{found}`"))
            .label("no such key")
            .help_names(found, known.split(", "));
    }
    if let Some(field) = message.strip_prefix("missing field `").and_then(|rest| rest.split('`').next()) {
        // A table in braces has no lines.
        let inline = text.get(span.start..).is_some_and(|rest| rest.starts_with('{'));
        let help = match inline {
            true => format!("add `{field} = ...` inside the braces"),
            false => format!("add a line `{field} = ...`"),
        };
        return Diagnostic::at(first_line_of(span, text), format!("the key `{field}` is missing"))
            .label(format!("`{field}` is missing here"))
            .help(help);
    }
    if let Some((found, expected)) =
        message.strip_prefix("invalid type: ").and_then(|rest| rest.split_once(", expected "))
    {
        let expected = in_words(expected);
        let found = in_words(found);
        return Diagnostic::at(span, format!("found {found} where {expected} is expected"))
            .label(format!("expected {expected}"));
    }
    Diagnostic::at(span, message.lines().next().unwrap_or("not a scene file").to_owned()).label("cannot be read")
}

/// What the reader found or expected, in words of the file and not of the program.
fn in_words(what: &str) -> String {
    match what {
        "map" | "a map" => "a table".to_owned(),
        "sequence" | "a sequence" => "a list".to_owned(),
        _ if what.starts_with("struct ") => "a table, such as { key = value },".to_owned(),
        _ => what.replace("map", "table").replace("sequence", "list"),
    }
}

/// The part of a span on its first line: a missing key is reported at the head of its table.
fn first_line_of(span: Range<usize>, text: &str) -> Range<usize> {
    let upto = text.get(span.clone()).and_then(|piece| piece.find('\n')).map_or(span.end, |at| span.start + at);
    span.start..upto.max(span.start)
}
