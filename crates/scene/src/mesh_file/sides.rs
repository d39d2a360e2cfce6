//! Which faces of a surface lie side by side: its rims, and which faces look the wrong way.

use ironspin_model::DVec3;
use std::collections::BTreeMap;

/// The edges of a surface, each with its one or two faces.
pub(super) struct Sides {
    /// By the lower and the higher point: the faces, and whether each goes from the lower to the higher.
    edges: BTreeMap<(u32, u32), Vec<(u32, bool)>>,
    faces: usize,
}

/// An edge of too many faces: its points, and the faces.
pub(super) type Crowded = (u32, u32, Vec<u32>);

/// What it takes to have a surface look outwards.
pub(super) enum Turned {
    /// Whether each face is to be turned.
    Faces(Vec<bool>),
    /// It has one side only; found between these faces.
    Twisted { a: usize, b: usize },
    /// So many closed parts lie around each other that it would take too long to tell which encloses which.
    TooNested,
}

impl Sides {
    /// # Errors
    /// The first edge of three faces or more.
    pub(super) fn of(faces: &[[u32; 3]]) -> Result<Sides, Crowded> {
        let mut edges: BTreeMap<(u32, u32), Vec<(u32, bool)>> = BTreeMap::new();
        for (number, corners) in faces.iter().enumerate() {
            for k in 0..3 {
                let (from, to) = (corners[k], corners[(k + 1) % 3]);
                edges.entry((from.min(to), from.max(to))).or_default().push((number as u32, from < to));
            }
        }
        match edges.iter().find(|(_, faces)| faces.len() > 2) {
            Some((&(from, to), faces)) => Err((from, to, faces.iter().map(|&(face, _)| face).collect())),
            None => Ok(Sides { edges, faces: faces.len() }),
        }
    }

    /// The open rims: of each its points in turn, with the face at the edge from there.
    pub(super) fn rims(&self) -> Vec<Vec<(u32, usize)>> {
        // By the lower point first, so that the order is that of the points.
        let mut next: BTreeMap<u32, Vec<(u32, usize)>> = BTreeMap::new();
        for (&(low, high), faces) in &self.edges {
            if let [(face, _)] = faces[..] {
                next.entry(low).or_default().push((high, face as usize));
                next.entry(high).or_default().push((low, face as usize));
            }
        }
        let mut rims = Vec::new();
        while let Some((&start, _)) = next.first_key_value() {
            let mut rim = Vec::new();
            let mut at = start;
            while let Some((to, face)) = take_one(&mut next, at) {
                rim.push((at, face));
                if let Some(back) = next.get_mut(&to) {
                    if let Some(place) = back.iter().position(|&(end, of)| end == at && of == face) {
                        back.swap_remove(place);
                    }
                    if back.is_empty() {
                        next.remove(&to);
                    }
                }
                at = to;
            }
            rims.push(rim);
        }
        rims
    }

    /// Which faces must be turned for neighbours to look the same way, closed parts outwards, and those within another inwards.
    pub(super) fn turns(&self, points: &[DVec3], faces: &[[u32; 3]]) -> Turned {
        let mut neighbours: Vec<Vec<(u32, bool)>> = vec![Vec::new(); self.faces];
        let mut is_open = vec![false; self.faces];
        for sides in self.edges.values() {
            match sides[..] {
                [(a, up), (b, other)] => {
                    neighbours[a as usize].push((b, up == other));
                    neighbours[b as usize].push((a, up == other));
                }
                [(a, _)] => is_open[a as usize] = true,
                _ => {}
            }
        }
        let mut turned: Vec<Option<bool>> = vec![None; self.faces];
        let mut parts: Vec<Vec<usize>> = Vec::new();
        for first in 0..self.faces {
            if turned[first].is_some() {
                continue;
            }
            turned[first] = Some(false);
            let mut part = vec![first];
            let mut next = 0;
            while next < part.len() {
                let a = part[next];
                next += 1;
                for &(b, differs) in &neighbours[a] {
                    let b = b as usize;
                    let due = turned[a].unwrap_or(false) != differs;
                    match turned[b] {
                        None => {
                            turned[b] = Some(due);
                            part.push(b);
                        }
                        Some(known) if known != due => return Turned::Twisted { a: a.min(b), b: a.max(b) },
                        Some(_) => {}
                    }
                }
            }
            parts.push(part);
        }
        let mut turned: Vec<bool> = turned.into_iter().map(|turned| turned.unwrap_or(false)).collect();
        match look_outwards(points, faces, &parts, &is_open, &mut turned) {
            true => Turned::Faces(turned),
            false => Turned::TooNested,
        }
    }
}

/// Comparisons of a point with a box or a face that may be spent on finding which part encloses which: less than a second.
const NESTING_WORK: usize = 100_000_000;

/// A closed part and the box around it.
struct Shell<'a> {
    part: &'a [usize],
    low: DVec3,
    high: DVec3,
}

/// Turns whole parts; no when that would take too long.
fn look_outwards(
    points: &[DVec3],
    faces: &[[u32; 3]],
    parts: &[Vec<usize>],
    is_open: &[bool],
    turned: &mut [bool],
) -> bool {
    let corners = |face: usize| faces[face].map(|k| points[k as usize]);
    let is_sheet = |part: &[usize]| part.iter().any(|&face| is_open[face]);
    let shells: Vec<Shell<'_>> = parts
        .iter()
        .filter(|part| !is_sheet(part))
        .map(|part| {
            let places = || part.iter().flat_map(|&face| corners(face));
            let (low, high) =
                (places().fold(DVec3::INFINITY, DVec3::min), places().fold(DVec3::NEG_INFINITY, DVec3::max));
            Shell { part, low, high }
        })
        .collect();
    let mut work = NESTING_WORK;
    for part in parts {
        let flip = if is_sheet(part) {
            // A sheet looks the way in which most of its faces look.
            2 * part.iter().filter(|&&face| turned[face]).count() > part.len()
        } else {
            let origin = corners(part[0])[0];
            let Some(around) = shells_around(&shells, part, origin, &corners, &mut work) else { return false };
            let volume: f64 = part
                .iter()
                .map(|&face| {
                    let [p, q, r] = corners(face).map(|corner| corner - origin);
                    let six = p.dot(q.cross(r));
                    if turned[face] { -six } else { six }
                })
                .sum();
            (volume < 0.0) != (around % 2 == 1)
        };
        if flip {
            part.iter().for_each(|&face| turned[face] = !turned[face]);
        }
    }
    true
}

/// How many shells lie around a point of a part; nothing when the work is used up.
fn shells_around(
    shells: &[Shell<'_>],
    part: &[usize],
    from: DVec3,
    corners: &dyn Fn(usize) -> [DVec3; 3],
    work: &mut usize,
) -> Option<usize> {
    *work = work.checked_sub(shells.len())?;
    let mut count = 0;
    for shell in shells {
        let is_near = from.cmpge(shell.low).all() && from.cmple(shell.high).all();
        if is_near && shell.part[0] != part[0] {
            *work = work.checked_sub(shell.part.len())?;
            count += usize::from(encloses(shell.part, corners, from));
        }
    }
    Some(count)
}

/// Whether a point lies within a closed shell: a ray leaves it an odd number of times (in a direction that meets no edge of what people draw).
fn encloses(shell: &[usize], corners: &dyn Fn(usize) -> [DVec3; 3], from: DVec3) -> bool {
    let along = DVec3::new(0.354_119_7, 0.871_234_1, 0.339_956_3);
    let crossings = shell.iter().filter(|&&face| {
        let [p, q, r] = corners(face).map(|corner| corner - from);
        let side = |a: DVec3, b: DVec3| along.dot(a.cross(b));
        let (u, v, w) = (side(q, r), side(r, p), side(p, q));
        let same = (u >= 0.0 && v >= 0.0 && w >= 0.0) || (u <= 0.0 && v <= 0.0 && w <= 0.0);
        let sum = u + v + w;
        same && sum != 0.0 && (u * p + v * q + w * r).dot(along) / sum > 0.0
    });
    crossings.count() % 2 == 1
}

/// Takes one way on from a point.
fn take_one(next: &mut BTreeMap<u32, Vec<(u32, usize)>>, at: u32) -> Option<(u32, usize)> {
    let ways = next.get_mut(&at)?;
    let way = ways.pop();
    if ways.is_empty() {
        next.remove(&at);
    }
    way
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn work_that_is_used_up_gives_no_answer_instead_of_a_wrong_one() {
        // A small and a large tetrahedron, the small one within the large.
        let tetrahedron =
            |size: f64| [DVec3::ZERO, DVec3::X, DVec3::Y, DVec3::Z].map(|corner| size * (corner - DVec3::splat(0.2)));
        let points: Vec<DVec3> = [tetrahedron(1.0), tetrahedron(0.1)].concat();
        let faces: Vec<[u32; 3]> = [0, 4]
            .into_iter()
            .flat_map(|from| [[0, 2, 1], [0, 1, 3], [1, 2, 3], [0, 3, 2]].map(|face| face.map(|k| k + from)))
            .collect();
        let corners = |face: usize| faces[face].map(|k| points[k as usize]);
        let (large, small): (Vec<usize>, Vec<usize>) = ((0..4).collect(), (4..8).collect());
        let shell = |part| Shell { part, low: DVec3::splat(-1.0), high: DVec3::ONE };
        let shells = [shell(&large[..]), shell(&small[..])];
        let around = |part, from, mut work| shells_around(&shells, part, from, &corners, &mut work);
        assert_eq!(around(&small, points[4], 6), Some(1), "two boxes and four faces");
        assert_eq!(around(&large, points[0], 6), Some(0));
        assert_eq!(around(&small, points[4], 5), None);
        assert_eq!(around(&small, points[4], 1), None);
    }
}
