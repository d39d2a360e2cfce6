//! Surfaces that were checked, and what mending them took.

use super::crossing::{self, Crossing};
use super::polygons::{FacePlace, Fault, Polygons};
use super::sides::{Sides, Turned};
use ironspin_model::DVec3;
use std::collections::BTreeMap;

/// Share of the extent within which two points are one: what single precision holds apart at ten times its rounding.
const NEAR: f64 = 1e-6;
/// What a mending may be asked for, in words.
const MEND: &str = "`mend = true`";

/// What a surface is for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Need {
    /// To be touched from either side.
    Surface,
    /// It encloses a volume.
    Volume,
}

/// A surface without mistakes.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Surface {
    pub(crate) points: Vec<DVec3>,
    pub(crate) faces: Vec<[u32; 3]>,
    /// What was mended.
    pub(crate) mended: Mended,
    /// How many open rims it has.
    pub(crate) rims: usize,
}

/// What mending took.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Mended {
    /// Points that were merged with another.
    pub(crate) merged: usize,
    /// Faces without area that were dropped.
    pub(crate) flat: usize,
    /// Faces that came again and were dropped.
    pub(crate) repeated: usize,
    /// Faces that were turned to look outwards.
    pub(crate) turned: usize,
}

impl Mended {
    /// In words; nothing when nothing was done.
    pub(crate) fn words(&self) -> Option<String> {
        let count = |count: usize, one: &str, many: &str| match count {
            0 => None,
            1 => Some(format!("1 {one}")),
            _ => Some(format!("{count} {many}")),
        };
        let parts: Vec<String> = [
            count(self.merged, "doubled point merged", "doubled points merged"),
            count(self.flat, "face without area dropped", "faces without area dropped"),
            count(self.repeated, "repeated face dropped", "repeated faces dropped"),
            count(self.turned, "face turned", "faces turned"),
        ]
        .into_iter()
        .flatten()
        .collect();
        (!parts.is_empty()).then(|| parts.join(", "))
    }
}

/// Checks a surface, and mends it where that is asked for.
///
/// # Errors
/// The first mistake that is left.
pub(crate) fn checked(polygons: &Polygons, need: Need, mend: bool) -> Result<Surface, Fault> {
    let mut work = Work::new(polygons)?;
    let mut mended = Mended { merged: work.merge(mend)?, ..Mended::default() };
    (mended.flat, mended.repeated) = work.drop_needless(mend)?;
    if work.faces.is_empty() {
        return Err(Fault::at(0, "no face is left that has an area", "no surface"));
    }
    let sides = Sides::of(&work.faces).map_err(|(from, to, faces)| work.crowded_side(from, to, &faces))?;
    match crossing::find(&work.points, &work.faces, work.near) {
        Crossing::None => {}
        Crossing::Of(a, b) => return Err(work.crossing(a, b)),
        Crossing::TooMany => {
            return Err(Fault::at(
                0,
                "too many faces lie in one place to tell whether they cross",
                "cannot be checked",
            ));
        }
    }
    mended.turned = work.turn(&sides, mend)?;
    let rims = sides.rims();
    if need == Need::Volume && !rims.is_empty() {
        return Err(work.open(&rims));
    }
    work.drop_unused_points();
    Ok(Surface { points: work.points, faces: work.faces, mended, rims: rims.len() })
}

/// A surface while it is checked.
struct Work<'a> {
    from: &'a Polygons,
    points: Vec<DVec3>,
    faces: Vec<[u32; 3]>,
    places: Vec<FacePlace>,
    /// Distance below which points are one, m.
    near: f64,
}

impl<'a> Work<'a> {
    fn new(from: &'a Polygons) -> Result<Work<'a>, Fault> {
        if from.faces.is_empty() {
            let what = format!("the file has {} points and no face", from.points.len());
            return Err(Fault::at(0, what, "no surface").help("a `hull` needs points alone"));
        }
        let low = from.points.iter().copied().fold(DVec3::INFINITY, DVec3::min);
        let high = from.points.iter().copied().fold(DVec3::NEG_INFINITY, DVec3::max);
        let near = NEAR * (high - low).max_element();
        Ok(Work {
            from,
            points: from.points.clone(),
            faces: from.faces.clone(),
            places: from.face_places.clone(),
            near,
        })
    }

    /// Words for a face: its number, and its line where there are lines.
    fn face(&self, face: usize) -> String {
        match self.places[face] {
            FacePlace { number, line: 0 } => format!("face {number}"),
            FacePlace { number, line } => format!("face {number} (line {line})"),
        }
    }

    fn fault(&self, face: usize, message: String, label: &str) -> Fault {
        Fault::at(self.places[face].line, message, label)
    }

    fn spot(point: DVec3) -> String {
        format!("({}, {}, {})", point.x, point.y, point.z)
    }

    /// Joins points that are in the same place.
    fn merge(&mut self, mend: bool) -> Result<usize, Fault> {
        let mut merged = 0;
        let mut stands_for: Vec<u32> = (0..self.points.len() as u32).collect();
        let mut cells: BTreeMap<[i64; 3], Vec<u32>> = BTreeMap::new();
        let size = (4.0 * self.near).max(f64::MIN_POSITIVE);
        let cell = |point: DVec3| (point / size).floor().to_array().map(|index| index as i64);
        let mut used = vec![false; self.points.len()];
        self.faces.iter().flatten().for_each(|&k| used[k as usize] = true);
        for number in (0..self.points.len()).filter(|&number| used[number]) {
            let point = self.points[number];
            let (low, high) = (cell(point - self.near), cell(point + self.near));
            let mut near = None;
            for x in low[0]..=high[0] {
                for y in low[1]..=high[1] {
                    for z in low[2]..=high[2] {
                        let others = cells.get(&[x, y, z]).into_iter().flatten();
                        near = near.or(others.copied().find(|&other| {
                            self.points[other as usize].distance_squared(point) <= self.near * self.near
                        }));
                    }
                }
            }
            let Some(other) = near else {
                cells.entry(cell(point)).or_default().push(number as u32);
                continue;
            };
            let is_same = self.points[other as usize] == point;
            if is_same && !self.from.shares_points {
                stands_for[number] = other;
                continue;
            }
            if !mend {
                return Err(self.doubled(number as u32, other));
            }
            stands_for[number] = other;
            merged += 1;
        }
        self.faces.iter_mut().flatten().for_each(|k| *k = stands_for[*k as usize]);
        Ok(merged)
    }

    fn doubled(&self, number: u32, other: u32) -> Fault {
        let line = self.from.line_of_point(number);
        let (one, two) = (other + 1, number + 1);
        let first = match self.from.line_of_point(other) {
            0 => format!("point {one}"),
            line => format!("point {one} (line {line})"),
        };
        let what = format!("point {two} is in the place of {first}: {}", Self::spot(self.points[number as usize]));
        Fault::at(line, what, "doubled point").help(format!("{MEND} merges doubled points"))
    }

    /// Drops faces without area and faces that come again.
    fn drop_needless(&mut self, mend: bool) -> Result<(usize, usize), Fault> {
        let mut known: BTreeMap<[u32; 3], usize> = BTreeMap::new();
        let mut keep = vec![true; self.faces.len()];
        let (mut flat, mut repeated) = (0, 0);
        for face in 0..self.faces.len() {
            if self.is_flat(self.faces[face]) {
                if !mend {
                    let what = format!("{} has no area", self.face(face));
                    let fault = self.fault(face, what, "degenerate face");
                    return Err(fault.help(format!("{MEND} drops faces without area")));
                }
                keep[face] = false;
                flat += 1;
                continue;
            }
            let mut key = self.faces[face];
            key.sort_unstable();
            if let Some(&first) = known.get(&key) {
                if !mend {
                    let what = format!("{} has the corners of {}", self.face(face), self.face(first));
                    let fault = self.fault(face, what, "repeated face");
                    return Err(fault.help(format!("{MEND} drops repeated faces")));
                }
                keep[face] = false;
                repeated += 1;
                continue;
            }
            known.insert(key, face);
        }
        let mut kept = keep.iter();
        self.faces.retain(|_| *kept.next().unwrap_or(&true));
        let mut kept = keep.iter();
        self.places.retain(|_| *kept.next().unwrap_or(&true));
        Ok((flat, repeated))
    }

    /// Whether a face is a line or a point: its height over its longest side is nothing.
    fn is_flat(&self, corners: [u32; 3]) -> bool {
        let [p, q, r] = corners.map(|k| self.points[k as usize]);
        let longest = (q - p).length().max((r - q).length()).max((p - r).length());
        (q - p).cross(r - p).length() <= longest * self.near
    }

    fn crowded_side(&self, from: u32, to: u32, faces: &[u32]) -> Fault {
        let names: Vec<String> = faces.iter().map(|&face| self.face(face as usize)).collect();
        let (p, q) = (Self::spot(self.points[from as usize]), Self::spot(self.points[to as usize]));
        let what = format!("the edge from {p} to {q} has {} faces: {}", faces.len(), names.join(", "));
        let last = faces.last().map_or(0, |&face| face as usize);
        self.fault(last, what, "an edge has two faces at most").help("take the inner walls out, or split the surface")
    }

    /// Turns faces so that neighbours look the same way and closed parts look outwards.
    fn turn(&mut self, sides: &Sides, mend: bool) -> Result<usize, Fault> {
        match sides.turns(&self.points, &self.faces) {
            Turned::Twisted { a, b } => {
                let what =
                    format!("{} and {} cannot look the same way: the surface has one side", self.face(a), self.face(b));
                Err(self.fault(b, what, "a twisted band"))
            }
            Turned::TooNested => {
                let what = "too many closed parts lie around each other to tell which encloses which";
                Err(Fault::at(0, what, "cannot be checked"))
            }
            Turned::Faces(turned) => {
                let Some(first) = turned.iter().position(|turned| *turned) else { return Ok(0) };
                let count = turned.iter().filter(|turned| **turned).count();
                if !mend {
                    let many = if count == 1 { String::new() } else { format!(", and {} more", count - 1) };
                    let what = format!("{} is inside out{many}", self.face(first));
                    let fault = self.fault(first, what, "looks inwards, or another way than its neighbours");
                    return Err(
                        fault.help(format!("{MEND} turns faces; corners run counter-clockwise seen from outside"))
                    );
                }
                for (face, _) in self.faces.iter_mut().zip(&turned).filter(|(_, turned)| **turned) {
                    face.swap(1, 2);
                }
                Ok(count)
            }
        }
    }

    fn open(&self, rims: &[Vec<(u32, usize)>]) -> Fault {
        let (from, face) = rims[0][0];
        let spot = Self::spot(self.points[from as usize]);
        let holes = if rims.len() == 1 { "a hole".to_owned() } else { format!("{} holes", rims.len()) };
        let what = format!(
            "the surface has {holes}; the first has {} edges and begins at {spot}, at {}",
            rims[0].len(),
            self.face(face)
        );
        self.fault(face, what, "not closed, and a volume is needed")
            .help("close it, or give `mass` and `inertia` instead")
    }

    fn crossing(&self, a: usize, b: usize) -> Fault {
        let what = format!("{} and {} cross", self.face(a), self.face(b));
        self.fault(b, what, "the surface runs through itself")
            .help("cut the faces where they meet, or split the surface")
    }

    fn drop_unused_points(&mut self) {
        let mut used = vec![false; self.points.len()];
        self.faces.iter().flatten().for_each(|&k| used[k as usize] = true);
        let mut numbers = vec![0; self.points.len()];
        let mut kept = Vec::new();
        for (number, &point) in self.points.iter().enumerate().filter(|&(number, _)| used[number]) {
            numbers[number] = kept.len() as u32;
            kept.push(point);
        }
        self.points = kept;
        self.faces.iter_mut().flatten().for_each(|k| *k = numbers[*k as usize]);
    }
}
