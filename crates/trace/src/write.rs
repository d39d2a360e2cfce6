//! Frames to a trace file.

use crate::columns::Column;
use crate::companions::{Companions, companion};
use crate::error::TraceError;
use crate::output::{exact, temporary_in};
use ironspin_model::{BodyState, Dimension, Frame, rows};
use parquet::column::writer::ColumnWriter;
use parquet::data_type::ByteArray;
use parquet::file::metadata::KeyValue;
use parquet::file::properties::WriterProperties;
use parquet::file::writer::SerializedFileWriter;
use parquet::schema::parser::parse_message_type;
use std::fs::File;
use std::io::{BufWriter, Write};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use tempfile::NamedTempFile;

/// Rows of a group of a Parquet file, about.
const GROUP: usize = 100_000;

/// The two formats of a trace.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum TraceFormat {
    /// Text, one row a line.
    Csv,
    /// Columns, packed.
    Parquet,
}

impl TraceFormat {
    /// The ending of its files.
    pub fn ending(self) -> &'static str {
        match self {
            TraceFormat::Csv => "csv",
            TraceFormat::Parquet => "parquet",
        }
    }
}

/// What a trace says of itself.
#[derive(Clone, Debug, PartialEq)]
pub struct Header {
    /// Name of the scene.
    pub scene: String,
    /// The engine as it was named.
    pub engine: String,
    /// Length of a step as typed, such as `1/60`.
    pub dt: String,
    /// Seed of everything random.
    pub seed: u64,
}

impl Header {
    fn pairs(&self) -> [(&'static str, String); 5] {
        [
            ("format", "ironspin.trace/1".to_owned()),
            ("scene", self.scene.clone()),
            ("engine", self.engine.clone()),
            ("dt", self.dt.clone()),
            ("seed", self.seed.to_string()),
        ]
    }
}

enum Sink {
    Csv(Box<csv::Writer<BufWriter<NamedTempFile>>>),
    Parquet(Box<SerializedFileWriter<File>>, NamedTempFile, Vec<(i64, f64, usize, BodyState)>),
}

/// Writes the frames of one trial. The file appears when it is whole, and not before.
pub struct TraceWriter {
    path: PathBuf,
    dimension: Dimension,
    names: Vec<String>,
    sink: Sink,
    companions: Companions,
}

impl TraceWriter {
    /// Begins a trace of a world of some dimension; its folder must be there. Contacts and notices go to files beside it, where there are any.
    ///
    /// # Errors
    /// When nothing can be written there.
    pub fn begin(
        path: &Path,
        format: TraceFormat,
        header: &Header,
        dimension: Dimension,
        names: Vec<String>,
    ) -> Result<Self, TraceError> {
        let error = |cause| TraceError::File { what: "write", path: path.to_owned(), cause };
        let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
        let temporary = temporary_in(folder).map_err(error)?;
        let sink = match format {
            TraceFormat::Csv => {
                let mut out = BufWriter::new(temporary);
                for (name, value) in header.pairs() {
                    writeln!(out, "# {name}: {value}").map_err(error)?;
                }
                let mut writer = csv::Writer::from_writer(out);
                let names = Column::of_world(dimension).iter().map(|column| column.name());
                writer.write_record(names).map_err(|cause| error(cause.into()))?;
                Sink::Csv(Box::new(writer))
            }
            TraceFormat::Parquet => {
                let writer = parquet_writer(&temporary, header, dimension)
                    .map_err(|cause| error(std::io::Error::other(cause)))?;
                Sink::Parquet(Box::new(writer), temporary, Vec::new())
            }
        };
        Ok(TraceWriter { path: path.to_owned(), dimension, names, sink, companions: Companions::new(path, dimension) })
    }

    fn error(&self, cause: std::io::Error) -> TraceError {
        TraceError::File { what: "write", path: self.path.clone(), cause }
    }

    /// Adds a frame. Bodies that are not there have no row.
    ///
    /// # Errors
    /// When it cannot be written.
    pub fn add(&mut self, frame: &Frame) -> Result<(), TraceError> {
        let there = frame.bodies.iter().enumerate().filter(|(_, state)| !state.is_absent());
        let dimension = self.dimension;
        let done = match &mut self.sink {
            Sink::Csv(writer) => {
                let mut there = there;
                there.try_for_each(|(id, state)| csv_row(writer, dimension, frame, &self.names[id], state))
            }
            Sink::Parquet(writer, _, rows) => {
                rows.extend(there.map(|(id, state)| (frame.step as i64, frame.time, id, *state)));
                if rows.len() >= GROUP { write_group(writer, dimension, rows, &self.names) } else { Ok(()) }
            }
        };
        done.map_err(|cause| self.error(cause))?;
        self.companions.add(frame, &self.names)
    }

    /// Ends the trace and gives it its name.
    ///
    /// # Errors
    /// When it cannot be written.
    pub fn finish(self) -> Result<PathBuf, TraceError> {
        let path = self.path;
        let error = |cause| TraceError::File { what: "write", path: path.clone(), cause };
        let temporary = match self.sink {
            Sink::Csv(writer) => {
                let out = writer.into_inner().map_err(|cause| error(cause.into_error()))?;
                out.into_inner().map_err(|cause| error(cause.into_error()))?
            }
            Sink::Parquet(mut writer, temporary, mut rows) => {
                write_group(&mut writer, self.dimension, &mut rows, &self.names).map_err(error)?;
                writer.close().map_err(|cause| error(std::io::Error::other(cause)))?;
                temporary
            }
        };
        self.companions.finish()?;
        temporary.persist(&path).map_err(|cause| error(cause.error))?;
        Ok(path)
    }

    /// Where the contacts of a trace are kept, beside it.
    pub fn contacts_of(path: &Path) -> PathBuf {
        companion(path, "contacts")
    }
}

fn csv_row<W: Write>(
    writer: &mut csv::Writer<W>,
    dimension: Dimension,
    frame: &Frame,
    name: &str,
    state: &BodyState,
) -> std::io::Result<()> {
    let head = [frame.step.to_string(), exact(frame.time), name.to_owned()];
    let mut row = Vec::with_capacity(rows::state_len(dimension));
    rows::push_state(dimension, state, &mut row);
    writer.write_record(head.into_iter().chain(row.into_iter().map(exact))).map_err(Into::into)
}

fn parquet_writer(
    file: &NamedTempFile,
    header: &Header,
    dimension: Dimension,
) -> Result<SerializedFileWriter<File>, Box<dyn std::error::Error + Send + Sync>> {
    let column = |column: &Column| match column {
        Column::Step => "required int64 step;".to_owned(),
        Column::Body => "required binary body (UTF8);".to_owned(),
        other => format!("required double {};", other.name()),
    };
    let columns: Vec<String> = Column::of_world(dimension).iter().map(column).collect();
    let schema = parse_message_type(&format!("message trace {{ {} }}", columns.join(" ")))?;
    let about = header.pairs().map(|(name, value)| KeyValue::new(name.to_owned(), value)).to_vec();
    let properties = WriterProperties::builder()
        .set_created_by("ironspin".to_owned())
        .set_compression(parquet::basic::Compression::SNAPPY)
        .set_key_value_metadata(Some(about));
    Ok(SerializedFileWriter::new(file.reopen()?, Arc::new(schema), Arc::new(properties.build()))?)
}

fn write_group(
    writer: &mut SerializedFileWriter<File>,
    dimension: Dimension,
    held: &mut Vec<(i64, f64, usize, BodyState)>,
    names: &[String],
) -> std::io::Result<()> {
    if held.is_empty() {
        return Ok(());
    }
    let mut group = writer.next_row_group().map_err(std::io::Error::other)?;
    let texts: Vec<ByteArray> = names.iter().map(|name| ByteArray::from(name.as_str())).collect();
    for column in Column::of_world(dimension) {
        let Some(mut open) = group.next_column().map_err(std::io::Error::other)? else { break };
        let written = match open.untyped() {
            ColumnWriter::Int64ColumnWriter(out) => {
                let steps: Vec<i64> = held.iter().map(|row| row.0).collect();
                out.write_batch(&steps, None, None)
            }
            ColumnWriter::ByteArrayColumnWriter(out) => {
                let bodies: Vec<ByteArray> = held.iter().map(|row| texts[row.2].clone()).collect();
                out.write_batch(&bodies, None, None)
            }
            ColumnWriter::DoubleColumnWriter(out) => {
                let place = rows::state_names(dimension).iter().position(|name| *name == column.name());
                let mut row = Vec::new();
                let number = |(_, time, _, state): &(i64, f64, usize, BodyState)| {
                    let Some(place) = place else { return *time };
                    row.clear();
                    rows::push_state(dimension, state, &mut row);
                    row[place]
                };
                let numbers: Vec<f64> = held.iter().map(number).collect();
                out.write_batch(&numbers, None, None)
            }
            _ => Ok(0),
        };
        written.map_err(std::io::Error::other)?;
        open.close().map_err(std::io::Error::other)?;
    }
    group.close().map_err(std::io::Error::other)?;
    held.clear();
    Ok(())
}
