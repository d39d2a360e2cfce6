//! The raw rows of a trace file, whatever its format.

use crate::columns::{Column, column_names};
use crate::error::TraceError;
use ironspin_model::{nearest, open_plain};
use parquet::errors::ParquetError;
use parquet::file::reader::{FileReader, SerializedFileReader};
use parquet::record::{Field, Row};
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

/// A cell of a row.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Cell {
    Number(f64),
    Text(String),
    Empty,
}

/// A row with its place in the file.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct TableRow {
    /// Line of a CSV file, or number of the row of a Parquet file, from 1.
    pub(crate) line: u64,
    /// One cell for each of the table's columns.
    pub(crate) cells: Vec<Cell>,
}

/// A trace file opened for reading: its columns, what it says of itself, and its rows one after the other.
pub struct Table {
    path: PathBuf,
    /// Which column each cell of a row is.
    columns: Vec<Column>,
    /// Columns of the file that mean nothing here.
    unknown: Vec<String>,
    /// What the file says of itself: scene, engine, dt.
    about: BTreeMap<String, String>,
    rows: Box<dyn Iterator<Item = Result<TableRow, TraceError>>>,
}

impl std::fmt::Debug for Table {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(out, "Table({}, {:?})", self.path.display(), self.columns)
    }
}

impl Table {
    /// Opens a file by its ending.
    ///
    /// # Errors
    /// When it cannot be opened, is of no known format, or lacks a column that is needed.
    pub fn open(path: &Path) -> Result<Table, TraceError> {
        match path.extension().and_then(|ending| ending.to_str()) {
            Some("csv") => open_csv(path),
            Some("parquet") => open_parquet(path),
            _ => Err(TraceError::Format { path: path.to_owned() }),
        }
    }

    /// The columns it has.
    pub fn columns(&self) -> &[Column] {
        &self.columns
    }

    /// Columns of the file that mean nothing here and are kept out.
    pub fn unknown_columns(&self) -> &[String] {
        &self.unknown
    }

    /// What the file says of itself under a name, such as `dt`.
    pub fn about(&self, name: &str) -> Option<&str> {
        self.about.get(name).map(String::as_str)
    }

    pub(crate) fn path(&self) -> &Path {
        &self.path
    }

    pub(crate) fn next_row(&mut self) -> Option<Result<TableRow, TraceError>> {
        self.rows.next()
    }
}

/// Which cells of the file's rows are kept, and as what.
struct Plan {
    /// For each kept column its place in the file.
    places: Vec<usize>,
    columns: Vec<Column>,
    unknown: Vec<String>,
}

fn plan(path: &Path, names: &[String]) -> Result<Plan, TraceError> {
    let whole = |why: String, help: Option<String>| TraceError::Whole { path: path.to_owned(), why, help };
    let mut plan = Plan { places: Vec::new(), columns: Vec::new(), unknown: Vec::new() };
    for (place, name) in names.iter().enumerate() {
        match Column::named(name.trim()) {
            Some(column) if plan.columns.contains(&column) => {
                return Err(whole(format!("it has two columns `{name}`"), None));
            }
            Some(column) => {
                plan.columns.push(column);
                plan.places.push(place);
            }
            None => plan.unknown.push(name.trim().to_owned()),
        }
    }
    let has = |column: Column| plan.columns.contains(&column);
    let missing = [Column::Body, Column::X, Column::Y].into_iter().find(|&column| !has(column)).map(Column::name);
    let missing = missing.or((!has(Column::Step) && !has(Column::Time)).then_some("time"));
    if let Some(missing) = missing {
        let near = nearest(missing, plan.unknown.iter().map(String::as_str));
        let help = near.map_or_else(
            || format!("columns: {}", column_names().collect::<Vec<_>>().join(", ")),
            |near| format!("is it the column `{near}`?"),
        );
        return Err(whole(format!("it has no column `{missing}`"), Some(help)));
    }
    Ok(plan)
}

fn open_csv(path: &Path) -> Result<Table, TraceError> {
    let file_fault = |cause: std::io::Error| TraceError::File { what: "read", path: path.to_owned(), cause };
    let about = csv_about(path).map_err(file_fault)?;
    let file = open_plain(path).map_err(file_fault)?;
    let mut reader = csv::ReaderBuilder::new()
        .comment(Some(b'#'))
        .trim(csv::Trim::All)
        .flexible(true)
        .from_reader(std::io::BufReader::new(file));
    let whole = |error: &csv::Error| TraceError::Whole {
        path: path.to_owned(),
        why: format!("it is no CSV file: {error}"),
        help: None,
    };
    let names: Vec<String> = reader.headers().map_err(|error| whole(&error))?.iter().map(str::to_owned).collect();
    let Plan { places, columns, unknown } = plan(path, &names)?;
    let (place, width, kept) = (path.to_owned(), names.len(), columns.clone());
    let rows = reader.into_records().map(move |record| {
        let row = |line: u64, why: String| TraceError::Row { path: place.clone(), line, why, help: None };
        let record = record.map_err(|error| {
            let line = error.position().map_or(0, csv::Position::line);
            row(line, format!("it cannot be read: {error}"))
        })?;
        let line = record.position().map_or(0, csv::Position::line);
        if record.len() != width {
            return Err(row(line, format!("{} cells where {width} are expected", record.len())));
        }
        let cells = places.iter().zip(&kept).map(|(&place, &column)| {
            let text = record.get(place).unwrap_or("");
            match column {
                Column::Body => Ok(Cell::Text(text.to_owned())),
                _ if text.is_empty() => Ok(Cell::Empty),
                _ => text.parse::<f64>().map(Cell::Number).map_err(|_| {
                    row(line, format!("`{text}` in the column `{}`, where a number is expected", column.name()))
                }),
            }
        });
        Ok(TableRow { line, cells: cells.collect::<Result<_, _>>()? })
    });
    Ok(Table { path: path.to_owned(), columns, unknown, about, rows: Box::new(rows) })
}

/// Comment lines `# name: value` at the top.
fn csv_about(path: &Path) -> std::io::Result<BTreeMap<String, String>> {
    use std::io::BufRead;
    let mut about = BTreeMap::new();
    for line in std::io::BufReader::new(open_plain(path)?).lines() {
        let line = line?;
        let Some(comment) = line.strip_prefix('#') else { break };
        if let Some((name, value)) = comment.split_once(':') {
            about.insert(name.trim().to_owned(), value.trim().to_owned());
        }
    }
    Ok(about)
}

fn open_parquet(path: &Path) -> Result<Table, TraceError> {
    let file = open_plain(path).map_err(|cause| TraceError::File { what: "read", path: path.to_owned(), cause })?;
    let whole = |error: &dyn std::fmt::Display| TraceError::Whole {
        path: path.to_owned(),
        why: format!("it is no Parquet file that can be read: {error}"),
        help: None,
    };
    let reader = guarded(|| SerializedFileReader::new(file)).map_err(|error| whole(&error))?;
    let reader = reader.map_err(|error| whole(&error))?;
    let metadata = reader.metadata().file_metadata();
    let names: Vec<String> = metadata.schema().get_fields().iter().map(|field| field.name().to_owned()).collect();
    let about = metadata
        .key_value_metadata()
        .map(|pairs| pairs.iter().filter_map(|pair| Some((pair.key.clone(), pair.value.clone()?))).collect())
        .unwrap_or_default();
    let Plan { places, columns, unknown } = plan(path, &names)?;
    let (place, kept) = (path.to_owned(), columns.clone());
    let mut rows = guarded(|| reader.into_iter()).map_err(|error| whole(&error))?;
    let mut lost = false;
    // After a panic the reader's state cannot be trusted any more.
    let rows = std::iter::from_fn(move || match lost {
        true => None,
        false => guarded(|| rows.next()).unwrap_or_else(|panic| {
            lost = true;
            Some(Err(ParquetError::General(panic)))
        }),
    });
    let rows = rows.enumerate().map(move |(number, row)| {
        let line = number as u64 + 1;
        let error = |why: String| TraceError::Row { path: place.clone(), line, why, help: None };
        let row = row.map_err(|cause| error(format!("it cannot be read: {cause}")))?;
        let cells = places.iter().zip(&kept).map(|(&place, &column)| {
            cell(&row, place, column).ok_or_else(|| {
                let expected = if column == Column::Body { "text" } else { "a number" };
                error(format!("the column `{}` holds what is not {expected}", column.name()))
            })
        });
        Ok(TableRow { line, cells: cells.collect::<Result<_, _>>()? })
    });
    Ok(Table { path: path.to_owned(), columns, unknown, about, rows: Box::new(rows) })
}

/// Calls the reader of a foreign format, whose panics over a damaged file are errors of that file.
fn guarded<T>(read: impl FnOnce() -> T) -> Result<T, String> {
    std::panic::catch_unwind(std::panic::AssertUnwindSafe(read)).map_err(|panic| {
        let said = panic.downcast_ref::<&str>().map(|text| (*text).to_owned());
        let said = said.or_else(|| panic.downcast_ref::<String>().cloned());
        format!("its reader gave up: {}", said.unwrap_or_else(|| "it did not say why".to_owned()))
    })
}

fn cell(row: &Row, place: usize, column: Column) -> Option<Cell> {
    let (_, field) = row.get_column_iter().nth(place)?;
    let number = match field {
        Field::Null => return Some(Cell::Empty),
        Field::Str(text) => {
            return if column == Column::Body { Some(Cell::Text(text.clone())) } else { None };
        }
        Field::Bytes(bytes) if column == Column::Body => {
            return String::from_utf8(bytes.data().to_vec()).ok().map(Cell::Text);
        }
        Field::Double(value) => *value,
        Field::Float(value) => f64::from(*value),
        Field::Byte(value) => f64::from(*value),
        Field::Short(value) => f64::from(*value),
        Field::Int(value) => f64::from(*value),
        Field::Long(value) => *value as f64,
        Field::UByte(value) => f64::from(*value),
        Field::UShort(value) => f64::from(*value),
        Field::UInt(value) => f64::from(*value),
        Field::ULong(value) => *value as f64,
        _ => return None,
    };
    (column != Column::Body).then_some(Cell::Number(number))
}
