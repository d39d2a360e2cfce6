//! Contacts and notices of sensors: CSV files beside a trace, where there are any.

use crate::error::TraceError;
use crate::output::{exact, temporary_in};
use ironspin_model::{Contact, DVec3, Dimension, Frame, SensorEvent, SensorEventKind};
use std::collections::BTreeMap;
use std::io::BufWriter;
use std::path::{Path, PathBuf};
use tempfile::NamedTempFile;

/// A file beside a trace: `drop.csv` has `drop.contacts.csv`.
pub(crate) fn companion(path: &Path, what: &str) -> PathBuf {
    path.with_extension(format!("{what}.csv"))
}

const CONTACTS: [&str; 10] = ["step", "body", "other", "x", "y", "nx", "ny", "depth", "impulse", "times"];
const CONTACTS_IN_SPACE: [&str; 12] =
    ["step", "body", "other", "x", "y", "z", "nx", "ny", "nz", "depth", "impulse", "times"];
const EVENTS: [&str; 6] = ["step", "kind", "sensor", "sensor_part", "other", "other_part"];

type Out = csv::Writer<BufWriter<NamedTempFile>>;

/// The columns of contacts in a world.
fn contact_columns(dimension: Dimension) -> &'static [&'static str] {
    match dimension {
        Dimension::Plane => &CONTACTS,
        Dimension::Space => &CONTACTS_IN_SPACE,
    }
}

/// Writes the files beside a trace; each begins with its first row.
pub(crate) struct Companions {
    path: PathBuf,
    dimension: Dimension,
    contacts: Option<Out>,
    events: Option<Out>,
}

impl Companions {
    pub(crate) fn new(path: &Path, dimension: Dimension) -> Self {
        Companions { path: path.to_owned(), dimension, contacts: None, events: None }
    }

    pub(crate) fn add(&mut self, frame: &Frame, names: &[String]) -> Result<(), TraceError> {
        let error = |cause: std::io::Error| TraceError::File { what: "write", path: self.path.clone(), cause };
        let folder = self.path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
        let begin = |header: &[&str]| -> std::io::Result<Out> {
            let mut out = csv::Writer::from_writer(BufWriter::new(temporary_in(folder)?));
            out.write_record(header)?;
            Ok(out)
        };
        if !frame.contacts.is_empty() && self.contacts.is_none() {
            self.contacts = Some(begin(contact_columns(self.dimension)).map_err(error)?);
        }
        if !frame.events.is_empty() && self.events.is_none() {
            self.events = Some(begin(&EVENTS).map_err(error)?);
        }
        let name = |id: usize| names.get(id).cloned().unwrap_or_default();
        if let Some(out) = &mut self.contacts {
            for contact in &frame.contacts {
                let [a, b] = contact.bodies;
                let (p, n) = (contact.point, contact.normal);
                let mut numbers = match self.dimension {
                    Dimension::Plane => vec![p.x, p.y, n.x, n.y],
                    Dimension::Space => vec![p.x, p.y, p.z, n.x, n.y, n.z],
                };
                numbers.extend([contact.depth, contact.impulse]);
                let row = [frame.step.to_string(), name(a), name(b)].into_iter();
                let row = row.chain(numbers.into_iter().map(exact));
                out.write_record(row.chain([contact.times.map_or_else(String::new, |times| times.to_string())]))
                    .map_err(|cause| error(cause.into()))?;
            }
        }
        if let Some(out) = &mut self.events {
            for event in &frame.events {
                let kind = match event.kind {
                    SensorEventKind::Enter => "enter",
                    SensorEventKind::Leave => "leave",
                };
                let row = [
                    event.step.to_string(),
                    kind.to_owned(),
                    name(event.sensor[0]),
                    event.sensor[1].to_string(),
                    name(event.other[0]),
                    event.other[1].to_string(),
                ];
                out.write_record(row).map_err(|cause| error(cause.into()))?;
            }
        }
        Ok(())
    }

    pub(crate) fn finish(self) -> Result<(), TraceError> {
        for (out, what) in [(self.contacts, "contacts"), (self.events, "events")] {
            let path = companion(&self.path, what);
            let error = |cause: std::io::Error| TraceError::File { what: "write", path: path.clone(), cause };
            match out {
                Some(out) => {
                    let out = out.into_inner().map_err(|cause| error(cause.into_error()))?;
                    let file = out.into_inner().map_err(|cause| error(cause.into_error()))?;
                    file.persist(&path).map_err(|cause| error(cause.error))?;
                }
                // What an earlier trace left there is not of this one.
                None => match std::fs::remove_file(&path) {
                    Err(cause) if cause.kind() != std::io::ErrorKind::NotFound => return Err(error(cause)),
                    _ => {}
                },
            }
        }
        Ok(())
    }
}

/// Contacts and notices of a trace by the step of their frame; empty where there are no such files.
#[derive(Debug, Default)]
pub(crate) struct Notices {
    pub(crate) contacts: BTreeMap<u64, Vec<Contact>>,
    pub(crate) events: BTreeMap<u64, Vec<SensorEvent>>,
}

/// The rows of a companion as texts, with their lines.
fn rows(path: &Path, header: &[&str]) -> Result<Vec<(u64, Vec<String>)>, TraceError> {
    let file = match ironspin_model::open_plain(path) {
        Err(cause) if cause.kind() == std::io::ErrorKind::NotFound => return Ok(Vec::new()),
        Err(cause) => return Err(TraceError::File { what: "read", path: path.to_owned(), cause }),
        Ok(file) => file,
    };
    let whole = |why: String| TraceError::Whole { path: path.to_owned(), why, help: None };
    let mut reader = csv::ReaderBuilder::new().comment(Some(b'#')).trim(csv::Trim::All).from_reader(file);
    let found: Vec<String> =
        reader.headers().map_err(|error| whole(error.to_string()))?.iter().map(str::to_owned).collect();
    if found != header {
        return Err(whole(format!("its columns are {}, where {} are expected", found.join(","), header.join(","))));
    }
    let row = |record: Result<csv::StringRecord, csv::Error>| {
        let record = record.map_err(|error| whole(error.to_string()))?;
        let line = record.position().map_or(0, csv::Position::line);
        Ok((line, record.iter().map(str::to_owned).collect()))
    };
    reader.records().map(row).collect()
}

impl Notices {
    /// Reads the files beside a trace. `id` gives the body of a name.
    pub(crate) fn read(
        path: &Path,
        dimension: Dimension,
        id: &dyn Fn(&str) -> Option<usize>,
    ) -> Result<Notices, TraceError> {
        let mut notices = Notices::default();
        let place = companion(path, "contacts");
        let columns = contact_columns(dimension);
        let last = columns.len() - 1;
        for (line, cells) in rows(&place, columns)? {
            let read = Cells { path: &place, line, cells: &cells, id };
            let (point, normal) = match dimension {
                Dimension::Plane => (read.flat(3)?, read.flat(5)?),
                Dimension::Space => (read.vector(3)?, read.vector(6)?),
            };
            // Other programs write a pair as they like; here the smaller number comes first.
            let (first, second) = (read.body(1)?, read.body(2)?);
            let ordered = first <= second;
            notices.contacts.entry(read.whole(0)?).or_default().push(Contact {
                bodies: if ordered { [first, second] } else { [second, first] },
                point,
                normal: if ordered { normal } else { -normal },
                depth: read.number(last - 2)?,
                impulse: read.number(last - 1)?,
                times: if cells[last].is_empty() { None } else { Some(read.whole(last)?) },
            });
        }
        let place = companion(path, "events");
        for (line, cells) in rows(&place, &EVENTS)? {
            let read = Cells { path: &place, line, cells: &cells, id };
            let step = read.whole(0)?;
            let kind = match cells[1].as_str() {
                "enter" => SensorEventKind::Enter,
                "leave" => SensorEventKind::Leave,
                other => return Err(read.error(format!("`{other}`, where enter or leave is expected"))),
            };
            let sensor = [read.body(2)?, read.whole(3)? as usize];
            let other = [read.body(4)?, read.whole(5)? as usize];
            notices.events.entry(step).or_default().push(SensorEvent { step, kind, sensor, other });
        }
        Ok(notices)
    }
}

struct Cells<'a> {
    path: &'a Path,
    line: u64,
    cells: &'a [String],
    id: &'a dyn Fn(&str) -> Option<usize>,
}

impl Cells<'_> {
    fn error(&self, why: String) -> TraceError {
        TraceError::Row { path: self.path.to_owned(), line: self.line, why, help: None }
    }

    fn number(&self, place: usize) -> Result<f64, TraceError> {
        let text = &self.cells[place];
        text.parse().map_err(|_| self.error(format!("`{text}`, where a number is expected")))
    }

    fn flat(&self, place: usize) -> Result<DVec3, TraceError> {
        Ok(DVec3::new(self.number(place)?, self.number(place + 1)?, 0.0))
    }

    fn vector(&self, place: usize) -> Result<DVec3, TraceError> {
        Ok(DVec3::new(self.number(place)?, self.number(place + 1)?, self.number(place + 2)?))
    }

    fn whole(&self, place: usize) -> Result<u64, TraceError> {
        let text = &self.cells[place];
        text.parse().map_err(|_| self.error(format!("`{text}`, where a whole number is expected")))
    }

    fn body(&self, place: usize) -> Result<usize, TraceError> {
        let name = &self.cells[place];
        (self.id)(name).ok_or_else(|| self.error(format!("`{name}`, which is no body of the scene")))
    }
}
