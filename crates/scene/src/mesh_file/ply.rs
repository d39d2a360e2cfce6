//! Surfaces in PLY: a head of text that tells of which properties the elements are, then their values as text or bytes.

use super::polygons::{Fault, MOST_CORNERS, Polygons};
use ironspin_model::{DVec3, TriangleMesh};

/// Most lines of a head.
const HEAD_LINES: u32 = 1_000;

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Form {
    Text,
    LittleEndian,
    BigEndian,
}

/// How a number is stored.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Scalar {
    Signed(usize),
    Unsigned(usize),
    Float,
    Double,
}

impl Scalar {
    fn of(word: &str) -> Option<Scalar> {
        Some(match word {
            "char" | "int8" => Scalar::Signed(1),
            "uchar" | "uint8" => Scalar::Unsigned(1),
            "short" | "int16" => Scalar::Signed(2),
            "ushort" | "uint16" => Scalar::Unsigned(2),
            "int" | "int32" => Scalar::Signed(4),
            "uint" | "uint32" => Scalar::Unsigned(4),
            "float" | "float32" => Scalar::Float,
            "double" | "float64" => Scalar::Double,
            _ => return None,
        })
    }

    fn size(self) -> usize {
        match self {
            Scalar::Signed(size) | Scalar::Unsigned(size) => size,
            Scalar::Float => 4,
            Scalar::Double => 8,
        }
    }
}

#[derive(Debug)]
struct Property {
    name: String,
    scalar: Scalar,
    /// How the count of a list is stored.
    count: Option<Scalar>,
}

#[derive(Debug)]
struct Element {
    name: String,
    count: usize,
    properties: Vec<Property>,
}

#[derive(Debug)]
struct Head {
    form: Form,
    elements: Vec<Element>,
    /// Where the values begin, byte and line.
    end: usize,
    lines: u32,
}

/// Whether a file is text: then its complaints have lines.
pub(super) fn is_text(bytes: &[u8]) -> bool {
    let head = String::from_utf8_lossy(&bytes[..bytes.len().min(200)]).into_owned();
    head.contains("format ascii")
}

pub(super) fn read(bytes: &[u8]) -> Result<Polygons, Fault> {
    let head = head(bytes)?;
    let mut values =
        Values { form: head.form, bytes: &bytes[head.end..], line: head.lines, words: Vec::new(), next_word: 0 };
    let mut found = Polygons { shares_points: true, ..Polygons::default() };
    for element in &head.elements {
        if element.properties.is_empty() {
            continue;
        }
        for number in 0..element.count {
            values.begin()?;
            match element.name.as_str() {
                "vertex" => point(element, &mut values, &mut found)?,
                "face" => face(element, number as u32 + 1, &mut values, &mut found)?,
                _ => pass_over(element, &mut values)?,
            }
        }
    }
    Ok(found)
}

fn point(element: &Element, values: &mut Values<'_>, found: &mut Polygons) -> Result<(), Fault> {
    let mut point = DVec3::ZERO;
    for property in &element.properties {
        let value = values.property(property, &mut |_| {})?;
        match property.name.as_str() {
            "x" => point.x = value,
            "y" => point.y = value,
            "z" => point.z = value,
            _ => {}
        }
    }
    found.point(values.place(), point).map(|_| ())
}

fn face(element: &Element, number: u32, values: &mut Values<'_>, found: &mut Polygons) -> Result<(), Fault> {
    let mut corners = Vec::new();
    for property in &element.properties {
        let is_corners = matches!(property.name.as_str(), "vertex_indices" | "vertex_index");
        values.property(property, &mut |value| {
            if is_corners {
                corners.push(value);
            }
        })?;
    }
    let line = values.place();
    let points = found.points.len();
    let mut numbers = Vec::with_capacity(corners.len());
    for corner in corners {
        if !(corner >= 0.0 && corner < points as f64 && corner.fract() == 0.0) {
            let what =
                format!("face {number} names point {corner}, and points 0 to {} are there", points.saturating_sub(1));
            return Err(Fault::at(line, what, "no such point"));
        }
        numbers.push(corner as u32);
    }
    found.face(number, line, &numbers)
}

fn pass_over(element: &Element, values: &mut Values<'_>) -> Result<(), Fault> {
    for property in &element.properties {
        values.property(property, &mut |_| {})?;
    }
    Ok(())
}

/// The values behind the head, one after the other.
struct Values<'a> {
    form: Form,
    bytes: &'a [u8],
    line: u32,
    /// Words of the present line of a text.
    words: Vec<&'a str>,
    next_word: usize,
}

impl<'a> Values<'a> {
    /// The line that is being read, 0 in a file of bytes.
    fn place(&self) -> u32 {
        if self.form == Form::Text { self.line } else { 0 }
    }

    /// Goes on to the next element: in a text, a line that is not empty.
    fn begin(&mut self) -> Result<(), Fault> {
        if self.form != Form::Text {
            return Ok(());
        }
        loop {
            if self.bytes.is_empty() {
                return Err(Fault::at(self.line, "the file ends before its last element", "cut short"));
            }
            let (line, rest) = split_line(self.bytes);
            (self.bytes, self.line) = (rest, self.line + 1);
            let text = std::str::from_utf8(line)
                .map_err(|_| Fault::at(self.line, "the line is no text", "expected numbers"))?;
            self.words.clear();
            self.words.extend(text.split_whitespace());
            self.next_word = 0;
            if !self.words.is_empty() {
                return Ok(());
            }
        }
    }

    /// A property: its value, or each value of its list in turn.
    fn property(&mut self, property: &Property, each: &mut dyn FnMut(f64)) -> Result<f64, Fault> {
        let Some(count) = property.count else { return self.value(property.scalar) };
        let length = self.value(count)?;
        if !(length >= 0.0 && length <= MOST_CORNERS as f64 && length.fract() == 0.0) {
            let what = format!("a list `{}` of {length} values", property.name);
            return Err(Fault::at(self.place(), what, format!("expected 0 to {MOST_CORNERS}")));
        }
        for _ in 0..length as usize {
            each(self.value(property.scalar)?);
        }
        Ok(length)
    }

    fn value(&mut self, scalar: Scalar) -> Result<f64, Fault> {
        if self.form == Form::Text {
            let line = self.line;
            let Some(word) = self.words.get(self.next_word) else {
                return Err(Fault::at(line, "the line has fewer values than the head says", "too short"));
            };
            self.next_word += 1;
            return word
                .parse()
                .map_err(|_| Fault::at(line, format!("found `{word}` where a number is expected"), "not a number"));
        }
        let size = scalar.size();
        let Some((bytes, rest)) = self.bytes.split_at_checked(size) else {
            return Err(Fault::at(0, "the file ends before its last element", "cut short"));
        };
        self.bytes = rest;
        let mut wide = [0; 8];
        wide[..size].copy_from_slice(bytes);
        if self.form == Form::BigEndian {
            wide[..size].reverse();
        }
        let word = u64::from_le_bytes(wide);
        let unused = 64 - 8 * size as u32;
        Ok(match scalar {
            Scalar::Unsigned(_) => word as f64,
            Scalar::Signed(_) => (((word << unused) as i64) >> unused) as f64,
            Scalar::Float => f64::from(f32::from_bits(word as u32)),
            Scalar::Double => f64::from_bits(word),
        })
    }
}

/// A line without its end, and what follows.
fn split_line(bytes: &[u8]) -> (&[u8], &[u8]) {
    let end = bytes.iter().position(|&byte| byte == b'\n').unwrap_or(bytes.len());
    let rest = bytes.get(end + 1..).unwrap_or(&[]);
    (bytes[..end].strip_suffix(b"\r").unwrap_or(&bytes[..end]), rest)
}

fn head(bytes: &[u8]) -> Result<Head, Fault> {
    let mut rest = bytes;
    let mut form = None;
    let mut elements: Vec<Element> = Vec::new();
    for line in 1..=HEAD_LINES {
        let (text, after) = split_line(rest);
        rest = after;
        let text =
            std::str::from_utf8(text).map_err(|_| Fault::at(0, "the head of the file is no text", "no PLY file"))?;
        let words: Vec<&str> = text.split_whitespace().collect();
        match (line, &words[..]) {
            (1, ["ply"]) => {}
            (1, _) => return Err(Fault::at(1, "the first line of a PLY file is `ply`", "no PLY file")),
            (_, [] | ["comment" | "obj_info", ..]) if !rest.is_empty() => {}
            (_, ["format", word, "1.0"]) => {
                form = match *word {
                    "ascii" => Some(Form::Text),
                    "binary_little_endian" => Some(Form::LittleEndian),
                    "binary_big_endian" => Some(Form::BigEndian),
                    _ => {
                        let fault = Fault::at(line, format!("`{word}` is no form of a PLY file"), "unknown form");
                        return Err(fault.help("known here: ascii, binary_little_endian, binary_big_endian"));
                    }
                };
            }
            (_, ["element", name, count]) => elements.push(element(name, count, line)?),
            (_, ["property", kind @ ..]) => {
                let Some(element) = elements.last_mut() else {
                    return Err(Fault::at(line, "a property stands before the first element", "of which element?"));
                };
                element.properties.push(property(kind, line)?);
            }
            (_, ["end_header"]) => {
                let Some(form) = form else {
                    return Err(Fault::at(line, "the head does not say `format`", "of which form?")
                        .help("add a line `format ascii 1.0`"));
                };
                let has = |axis: &str| {
                    let points = elements.iter().filter(|element| element.name == "vertex");
                    points.flat_map(|points| &points.properties).any(|property| property.name == axis)
                };
                if let Some(axis) = ["x", "y", "z"].into_iter().find(|&axis| !has(axis)) {
                    return Err(Fault::at(line, format!("the element `vertex` has no property `{axis}`"), "no points"));
                }
                return Ok(Head { form, elements, end: bytes.len() - rest.len(), lines: line });
            }
            _ if rest.is_empty() => return Err(Fault::at(line, "the file has no `end_header`", "cut short")),
            _ => {
                return Err(Fault::at(line, format!("`{text}` is no line of a head"), "not understood")
                    .help("known here: format, comment, element, property, end_header"));
            }
        }
    }
    Err(Fault::at(HEAD_LINES, format!("the head has more than {HEAD_LINES} lines"), "too long"))
}

fn element(name: &str, count: &str, line: u32) -> Result<Element, Fault> {
    match count.parse() {
        Ok(count) if count <= 8 * TriangleMesh::MOST => {
            Ok(Element { name: name.to_owned(), count, properties: Vec::new() })
        }
        _ => Err(Fault::at(line, format!("an element cannot come {count} times"), "not a count")),
    }
}

fn property(words: &[&str], line: u32) -> Result<Property, Fault> {
    let scalar = |word: &str| {
        Scalar::of(word).ok_or_else(|| {
            Fault::at(line, format!("`{word}` is no kind of number"), "unknown kind")
                .help("known here: char, uchar, short, ushort, int, uint, float, double")
        })
    };
    match *words {
        ["list", count, kind, name] => {
            Ok(Property { name: name.to_owned(), scalar: scalar(kind)?, count: Some(scalar(count)?) })
        }
        [kind, name] => Ok(Property { name: name.to_owned(), scalar: scalar(kind)?, count: None }),
        _ => Err(Fault::at(line, "a property has a kind and a name", "not understood")
            .help("as `property double x` or `property list uchar int vertex_indices`")),
    }
}
