//! Surfaces in OBJ text: lines `v x y z` and `f a b c`, the corners of a face counted from 1 on or, negative, from the last point back.

use super::polygons::{Fault, Polygons};
use ironspin_model::DVec3;

/// Lines that say nothing of points and faces: names, groups, normals, textures, materials, lines and points.
const PASSED_OVER: [&str; 18] = [
    "vn",
    "vt",
    "vp",
    "o",
    "g",
    "s",
    "l",
    "p",
    "usemtl",
    "mtllib",
    "usemap",
    "maplib",
    "lod",
    "bevel",
    "c_interp",
    "d_interp",
    "shadow_obj",
    "trace_obj",
];
/// Of curved surfaces, which have no triangles.
const CURVED: [&str; 6] = ["curv", "curv2", "surf", "cstype", "deg", "parm"];
/// What is read.
const READ: [&str; 2] = ["v", "f"];

pub(super) fn read(text: &str) -> Result<Polygons, Fault> {
    let mut found = Polygons { shares_points: true, ..Polygons::default() };
    let mut faces = 0;
    let mut corners = Vec::new();
    let mut lines = text.lines().zip(1..);
    while let Some((first, line)) = lines.next() {
        let mut whole = first.to_owned();
        while whole.ends_with('\\') {
            whole.pop();
            whole.push(' ');
            whole.push_str(lines.next().map_or("", |(next, _)| next));
        }
        let mut words = whole.split('#').next().unwrap_or_default().split_whitespace();
        match words.next() {
            None => {}
            Some("v") => {
                let point = point(&mut words, line)?;
                found.point(line, point)?;
            }
            Some("f") => {
                faces += 1;
                corners.clear();
                for word in words {
                    corners.push(corner(word, found.points.len(), line)?);
                }
                found.face(faces, line, &corners)?;
            }
            Some(word) if PASSED_OVER.contains(&word) => {}
            Some(word) if CURVED.contains(&word) => {
                return Err(Fault::at(line, format!("`{word}` describes a curved surface"), "has no triangles")
                    .help("write the surface out as triangles"));
            }
            Some(word) => {
                let near = ironspin_model::nearest(word, PASSED_OVER.into_iter().chain(READ));
                let fault = Fault::at(line, format!("`{word}` is no word of an OBJ file"), "unknown word");
                return Err(fault.help(match near {
                    Some(near) => format!("did you mean `{near}`?"),
                    None => "points are lines `v x y z`, faces `f a b c`".to_owned(),
                }));
            }
        }
    }
    Ok(found)
}

fn point<'a>(words: &mut impl Iterator<Item = &'a str>, line: u32) -> Result<DVec3, Fault> {
    let mut numbers = [0.0; 3];
    for number in &mut numbers {
        *number = number_of(words.next(), line)?;
    }
    Ok(DVec3::from(numbers))
}

/// A coordinate.
pub(super) fn number_of(word: Option<&str>, line: u32) -> Result<f64, Fault> {
    let Some(word) = word else {
        return Err(Fault::at(line, "a point has three numbers, and this has fewer", "expected x y z"));
    };
    word.parse().map_err(|_| Fault::at(line, format!("found `{word}` where a number is expected"), "not a number"))
}

/// The point that a corner names, as `7`, `7/2/3`, `7//3` or `-1`.
fn corner(word: &str, points: usize, line: u32) -> Result<u32, Fault> {
    let number: Option<i64> = word.split('/').next().and_then(|text| text.parse().ok());
    let place = match number {
        Some(number @ 1..) => number - 1,
        Some(number @ ..=-1) => points as i64 + number,
        _ => {
            return Err(Fault::at(line, format!("found `{word}` where a corner is expected"), "not a point's number")
                .help("points are counted from 1 on, or from the last back as -1"));
        }
    };
    if (0..points as i64).contains(&place) {
        return Ok(place as u32);
    }
    let what = format!("a corner names point {}, and there are {points} before this line", word);
    Err(Fault::at(line, what, "no such point"))
}
