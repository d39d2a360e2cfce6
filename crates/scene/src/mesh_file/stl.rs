//! Surfaces in STL: each triangle brings its own corners, as text or in 50 bytes. Normals are worked out anew from the corners.

use super::obj::number_of;
use super::polygons::{Fault, Polygons};
use ironspin_model::{DVec3, TriangleMesh};

/// Bytes before the triangles: a line of words and their count.
const HEAD: usize = 84;
/// Bytes of a triangle: normal, three corners, two spare bytes.
const EACH: usize = 50;

pub(super) fn read(bytes: &[u8]) -> Result<Polygons, Fault> {
    if is_text(bytes) { read_text(&String::from_utf8_lossy(bytes)) } else { read_binary(bytes) }
}

/// Whether a file is text: then its complaints have lines.
pub(super) fn is_text(bytes: &[u8]) -> bool {
    bytes.trim_ascii_start().starts_with(b"solid") && !has_binary_length(bytes)
}

fn count(bytes: &[u8]) -> Option<usize> {
    let count: [u8; 4] = bytes.get(HEAD - 4..HEAD)?.try_into().ok()?;
    Some(u32::from_le_bytes(count) as usize)
}

/// Some binary files begin with `solid` too; their length gives them away.
fn has_binary_length(bytes: &[u8]) -> bool {
    count(bytes).is_some_and(|count| count.checked_mul(EACH).is_some_and(|size| size + HEAD == bytes.len()))
}

fn read_binary(bytes: &[u8]) -> Result<Polygons, Fault> {
    let Some(count) = count(bytes) else {
        let what = format!("the file has {} bytes, and the head of a binary STL file has {HEAD}", bytes.len());
        return Err(Fault::at(0, what, "no STL file"));
    };
    if count > TriangleMesh::MOST || HEAD + count * EACH > bytes.len() {
        let what = format!("the file says it has {count} triangles, and its {} bytes hold fewer", bytes.len());
        return Err(Fault::at(0, what, "cut short, or no STL file"));
    }
    let mut found = Polygons::default();
    for number in 0..count {
        let triangle = &bytes[HEAD + number * EACH..][..EACH];
        let float = |k: usize| {
            let at = 4 * k;
            f64::from(f32::from_le_bytes([triangle[at], triangle[at + 1], triangle[at + 2], triangle[at + 3]]))
        };
        // The first three are the normal.
        let corners = [3, 6, 9].map(|k| DVec3::new(float(k), float(k + 1), float(k + 2)));
        add(&mut found, number as u32 + 1, [0; 3], corners)?;
    }
    Ok(found)
}

fn add(found: &mut Polygons, number: u32, lines: [u32; 3], corners: [DVec3; 3]) -> Result<(), Fault> {
    let mut numbers = [0; 3];
    for k in 0..3 {
        numbers[k] = found.point(lines[k], corners[k])?;
    }
    found.face(number, lines[0], &numbers)
}

fn read_text(text: &str) -> Result<Polygons, Fault> {
    let mut found = Polygons::default();
    let mut corners: Vec<(u32, DVec3)> = Vec::with_capacity(3);
    let mut faces = 0;
    for (line, number) in text.lines().zip(1..) {
        let mut words = line.split_whitespace();
        match words.next() {
            Some("vertex") => {
                if corners.len() == 3 {
                    return Err(Fault::at(number, "a facet has three corners, and this is the fourth", "one too many"));
                }
                let mut point = [0.0; 3];
                for coordinate in &mut point {
                    *coordinate = number_of(words.next(), number)?;
                }
                corners.push((number, DVec3::from(point)));
            }
            Some("endfacet") => {
                let &[(a, p), (b, q), (c, r)] = &corners[..] else {
                    let what = format!("a facet has three corners, and this has {}", corners.len());
                    return Err(Fault::at(number, what, "expected three lines `vertex x y z`"));
                };
                faces += 1;
                add(&mut found, faces, [a, b, c], [p, q, r])?;
                corners.clear();
            }
            None | Some("solid" | "endsolid" | "facet" | "outer" | "endloop" | "color") => {}
            Some(word) => {
                let known = ["solid", "facet", "outer", "vertex", "endloop", "endfacet", "endsolid"];
                let fault = Fault::at(number, format!("`{word}` is no word of an STL file"), "unknown word");
                return Err(match ironspin_model::nearest(word, known) {
                    Some(near) => fault.help(format!("did you mean `{near}`?")),
                    None => fault.help(format!("known here: {}", known.join(", "))),
                });
            }
        }
    }
    if !corners.is_empty() {
        return Err(Fault::at(text.lines().count() as u32, "the file ends within a facet", "cut short"));
    }
    Ok(found)
}
