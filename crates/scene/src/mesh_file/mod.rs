//! Surfaces in files beside a scene: OBJ, STL and PLY.

mod crossing;
mod obj;
mod ply;
mod polygons;
mod sides;
mod stl;
mod surface;
#[cfg(test)]
mod tests;

use crate::diagnostic::{Diagnostic, Source};
use ironspin_model::DVec3;
use polygons::{Fault, Polygons};
use std::collections::BTreeMap;
use std::ops::Range;
use std::sync::{Arc, OnceLock};
pub(crate) use surface::{Need, Surface};

/// Most bytes of a file of a surface.
pub(crate) const FILE_LIMIT: u64 = 256 << 20;

/// A form of file.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Form {
    Obj,
    Stl,
    Ply,
}

impl Form {
    const ENDINGS: [(&'static str, Form); 3] = [("obj", Form::Obj), ("stl", Form::Stl), ("ply", Form::Ply)];

    fn of(name: &str) -> Option<Form> {
        let (_, ending) = name.rsplit_once('.')?;
        Self::ENDINGS.iter().find(|(known, _)| known.eq_ignore_ascii_case(ending)).map(|(_, form)| *form)
    }
}

/// Whether a file is read by its name.
pub(crate) fn has_known_ending(name: &str) -> bool {
    Form::of(name).is_some()
}

/// A file that was read.
#[derive(Clone, Debug)]
pub(crate) struct MeshFile {
    name: String,
    polygons: Polygons,
    /// Its text and where its places count from; none for bytes.
    text: Option<(Arc<str>, usize)>,
    /// Checked for each need, as it is and mended.
    checked: [OnceLock<Result<Arc<Surface>, Box<Fault>>>; 4],
}

/// The files of a scene by name.
#[derive(Clone, Debug, Default)]
pub(crate) struct MeshFiles(BTreeMap<String, Arc<MeshFile>>);

impl MeshFiles {
    pub(crate) fn find(&self, name: &str) -> Option<&MeshFile> {
        self.0.get(name).map(|file| &**file)
    }

    /// Reads a file from its bytes and adds it to the sources of the scene, so that complaints show its lines; `used` is where the scene names it.
    pub(crate) fn add(
        &mut self,
        name: &str,
        bytes: &[u8],
        used: &Range<usize>,
        sources: &mut Vec<Source>,
    ) -> Result<(), Diagnostic> {
        let form = Form::of(name).unwrap_or(Form::Obj);
        let is_text = match form {
            Form::Obj => true,
            Form::Stl => stl::is_text(bytes),
            Form::Ply => ply::is_text(bytes),
        };
        let offset = sources.last().map_or(0, |source| source.offset + source.text.len() + 1);
        let (polygons, text) = if is_text {
            let text: Arc<str> = String::from_utf8_lossy(bytes).into();
            let polygons = match form {
                Form::Obj => obj::read(&text),
                Form::Stl => stl::read(text.as_bytes()),
                Form::Ply => ply::read(text.as_bytes()),
            };
            (polygons, text)
        } else {
            let polygons = if form == Form::Ply { ply::read(bytes) } else { stl::read(bytes) };
            // Stands for the bytes where scenes are told apart by their texts.
            (polygons, format!("{} bytes, {:032x}", bytes.len(), fingerprint(bytes)).into())
        };
        sources.push(Source { origin: name.to_owned(), text: Arc::clone(&text), offset });
        let text = is_text.then_some((text, offset));
        let mut file =
            MeshFile { name: name.to_owned(), polygons: Polygons::default(), text, checked: Default::default() };
        file.polygons = polygons.map_err(|fault| file.diagnostic(&fault, used))?;
        self.0.insert(name.to_owned(), Arc::new(file));
        Ok(())
    }
}

/// FNV-1a of 128 bits (Fowler, Noll and Vo): tells two files apart, and guards against nothing else.
fn fingerprint(bytes: &[u8]) -> u128 {
    bytes.iter().fold(0x6c62_272e_07bb_0142_62b8_2175_6295_c58d, |hash: u128, &byte| {
        (hash ^ u128::from(byte)).wrapping_mul(0x0000_0000_0100_0000_0000_0000_0000_013b)
    })
}

/// Checks that points and faces without a file enclose a volume.
///
/// # Errors
/// The first mistake, in words.
pub(crate) fn check_lists(points: &[DVec3], faces: &[[u32; 3]]) -> Result<(), String> {
    let mut polygons = Polygons { shares_points: true, ..Polygons::default() };
    let add = |polygons: &mut Polygons| -> Result<(), Fault> {
        for &point in points {
            polygons.point(0, point)?;
        }
        for (number, corners) in (1..).zip(faces) {
            if let Some(corner) = corners.iter().find(|&&corner| corner as usize >= points.len()) {
                let what = format!("face {number} names point {corner}, and there are {}", points.len());
                return Err(Fault::at(0, what, "no such point"));
            }
            polygons.face(number, 0, corners)?;
        }
        surface::checked(polygons, Need::Volume, false).map(|_| ())
    };
    add(&mut polygons).map_err(|fault| fault.message)
}

impl MeshFile {
    pub(crate) fn name(&self) -> &str {
        &self.name
    }

    /// Its points, as they stand there.
    pub(crate) fn points(&self) -> &[DVec3] {
        &self.polygons.points
    }

    /// Its surface without mistakes; `used` is where the scene names it.
    ///
    /// # Errors
    /// The first mistake that is not mended.
    pub(crate) fn surface(&self, need: Need, mend: bool, used: &Range<usize>) -> Result<Arc<Surface>, Diagnostic> {
        let known = &self.checked[2 * usize::from(need == Need::Volume) + usize::from(mend)];
        known
            .get_or_init(|| surface::checked(&self.polygons, need, mend).map(Arc::new).map_err(Box::new))
            .clone()
            .map_err(|fault| self.diagnostic(&fault, used))
    }

    /// A complaint at its line, or where the scene names the file.
    fn diagnostic(&self, fault: &Fault, used: &Range<usize>) -> Diagnostic {
        let span = match (&self.text, fault.line) {
            (Some((text, offset)), line @ 1..) => {
                let range = line_range(text, line as usize);
                range.start + offset..range.end + offset
            }
            _ => used.clone(),
        };
        let mut diagnostic = Diagnostic::at(span, format!("`{}`: {}", self.name, fault.message));
        diagnostic = diagnostic.label(fault.label.clone());
        diagnostic.help = fault.help.clone();
        diagnostic
    }
}

/// The bytes of a line, counted from 1.
fn line_range(text: &str, line: usize) -> Range<usize> {
    let mut from = 0;
    for (number, piece) in text.split_inclusive('\n').enumerate() {
        if number + 1 == line {
            return from..from + piece.trim_end().len();
        }
        from += piece.len();
    }
    from.saturating_sub(1)..text.len()
}
