//! Which triangles of a surface run through each other.

use ironspin_model::DVec3;

/// Most pairs of triangles that are looked at closely.
const PAIR_LIMIT: u64 = 100_000_000;
/// Triangles of a leaf of the tree.
const LEAF: usize = 8;

/// What a search for crossings came to.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Crossing {
    None,
    Of(usize, usize),
    /// Too many triangles lie in one place.
    TooMany,
}

struct Boxed {
    low: DVec3,
    high: DVec3,
}

impl Boxed {
    fn of(triangles: &[[DVec3; 3]], numbers: &[u32]) -> Boxed {
        let mut all = Boxed { low: DVec3::INFINITY, high: DVec3::NEG_INFINITY };
        for &number in numbers {
            for &corner in &triangles[number as usize] {
                all.low = all.low.min(corner);
                all.high = all.high.max(corner);
            }
        }
        all
    }

    fn meets(&self, other: &Boxed) -> bool {
        self.low.cmple(other.high).all() && other.low.cmple(self.high).all()
    }
}

/// A part of the triangles, with its two halves unless it is small.
struct Branch {
    bounds: Boxed,
    from: usize,
    to: usize,
    halves: Option<[usize; 2]>,
}

struct Search<'a> {
    triangles: &'a [[DVec3; 3]],
    faces: &'a [[u32; 3]],
    order: Vec<u32>,
    branches: Vec<Branch>,
    slack: f64,
    looked_at: u64,
}

/// The first crossing of two triangles of a surface; what is nearer than `slack`, m, only touches.
pub(super) fn find(points: &[DVec3], faces: &[[u32; 3]], slack: f64) -> Crossing {
    let triangles: Vec<[DVec3; 3]> = faces.iter().map(|face| face.map(|k| points[k as usize])).collect();
    let mut search = Search {
        triangles: &triangles,
        faces,
        order: (0..faces.len() as u32).collect(),
        branches: Vec::new(),
        slack,
        looked_at: 0,
    };
    if faces.is_empty() {
        return Crossing::None;
    }
    search.grow(0, faces.len());
    let mut todo = vec![(0, 0)];
    while let Some((a, b)) = todo.pop() {
        let (one, two) = (&search.branches[a], &search.branches[b]);
        if a != b && !one.bounds.meets(&two.bounds) {
            continue;
        }
        match (one.halves, two.halves) {
            (Some([left, right]), _) if a == b => todo.extend([(left, left), (right, right), (left, right)]),
            (Some([left, right]), _) if one.to - one.from >= two.to - two.from || two.halves.is_none() => {
                todo.extend([(left, b), (right, b)]);
            }
            (_, Some([left, right])) => todo.extend([(a, left), (a, right)]),
            _ => {
                let (one, two) = (one.from..one.to, two.from..two.to);
                if let Some(found) = search.leaves(one, two, a == b) {
                    return found;
                }
            }
        }
    }
    Crossing::None
}

impl Search<'_> {
    /// Halves by the middle of the longest side, until few are left.
    fn grow(&mut self, from: usize, to: usize) -> usize {
        let bounds = Boxed::of(self.triangles, &self.order[from..to]);
        let size = bounds.high - bounds.low;
        let number = self.branches.len();
        self.branches.push(Branch { bounds, from, to, halves: None });
        if to - from > LEAF {
            let axis = if size.x >= size.y && size.x >= size.z {
                0
            } else if size.y >= size.z {
                1
            } else {
                2
            };
            let triangles = self.triangles;
            let middle = |number: u32| triangles[number as usize].iter().map(|corner| corner[axis]).sum::<f64>();
            let half = (to - from) / 2;
            self.order[from..to].select_nth_unstable_by(half, |&a, &b| middle(a).total_cmp(&middle(b)).then(a.cmp(&b)));
            let halves = [self.grow(from, from + half), self.grow(from + half, to)];
            self.branches[number].halves = Some(halves);
        }
        number
    }

    fn leaves(&mut self, one: std::ops::Range<usize>, two: std::ops::Range<usize>, same: bool) -> Option<Crossing> {
        for i in one {
            for j in two.clone() {
                if same && j <= i {
                    continue;
                }
                self.looked_at += 1;
                if self.looked_at > PAIR_LIMIT {
                    return Some(Crossing::TooMany);
                }
                let (a, b) = (self.order[i] as usize, self.order[j] as usize);
                if self.cross(a, b) {
                    return Some(Crossing::Of(a.min(b), a.max(b)));
                }
            }
        }
        None
    }

    fn cross(&self, a: usize, b: usize) -> bool {
        let (p, q) = (self.triangles[a], self.triangles[b]);
        let shared = |k: u32, face: [u32; 3]| face.contains(&k);
        let common = self.faces[a].iter().filter(|&&k| shared(k, self.faces[b])).count();
        if common >= 2 {
            return self.folded(a, b);
        }
        // Of triangles that share a corner only the sides opposite to it can run through the other.
        let sides = |face: [u32; 3], other: [u32; 3], at: [DVec3; 3]| {
            (0..3)
                .filter(move |&k| common == 0 || (!shared(face[k], other) && !shared(face[(k + 1) % 3], other)))
                .map(move |k| [at[k], at[(k + 1) % 3]])
        };
        sides(self.faces[a], self.faces[b], p).any(|side| self.pierces(side, q))
            || sides(self.faces[b], self.faces[a], q).any(|side| self.pierces(side, p))
            || (common == 0 && self.lie_on_each_other(p, q))
    }

    /// Whether a side comes in on one side of a triangle and goes out on the other.
    fn pierces(&self, [from, to]: [DVec3; 2], [p, q, r]: [DVec3; 3]) -> bool {
        let normal = (q - p).cross(r - p);
        let slack = self.slack * normal.length();
        let (before, after) = (normal.dot(from - p), normal.dot(to - p));
        if !((before > slack && after < -slack) || (before < -slack && after > slack)) {
            return false;
        }
        let hit = from + (to - from) * (before / (before - after));
        let inside = |a: DVec3, b: DVec3| (b - a).cross(hit - a).dot(normal) >= 0.0;
        inside(p, q) && inside(q, r) && inside(r, p)
    }

    /// Whether two triangles of one plane cover a common area.
    fn lie_on_each_other(&self, p: [DVec3; 3], q: [DVec3; 3]) -> bool {
        let normal = (p[1] - p[0]).cross(p[2] - p[0]);
        let slack = self.slack * normal.length();
        if q.iter().any(|corner| normal.dot(*corner - p[0]).abs() > slack) {
            return false;
        }
        let apart = |one: &[DVec3; 3], two: &[DVec3; 3]| {
            (0..3).any(|k| {
                let outwards = (one[(k + 1) % 3] - one[k]).cross(normal).normalize_or_zero();
                let level = one.iter().map(|corner| outwards.dot(*corner)).fold(f64::NEG_INFINITY, f64::max);
                two.iter().all(|corner| outwards.dot(*corner) >= level - self.slack)
            })
        };
        let turned = [q[0], q[2], q[1]];
        let other = if (q[1] - q[0]).cross(q[2] - q[0]).dot(normal) > 0.0 { q } else { turned };
        !apart(&p, &other) && !apart(&other, &p)
    }

    /// Whether two triangles with a common side are folded onto each other.
    fn folded(&self, a: usize, b: usize) -> bool {
        let (one, two) = (self.faces[a], self.faces[b]);
        let own = |face: [u32; 3], other: [u32; 3]| face.iter().position(|k| !other.contains(k));
        let (Some(i), Some(j)) = (own(one, two), own(two, one)) else { return true };
        let p = self.triangles[a];
        let normal = (p[1] - p[0]).cross(p[2] - p[0]);
        let tip = self.triangles[b][j];
        if normal.dot(tip - p[0]).abs() > self.slack * normal.length() {
            return false;
        }
        let (from, to) = (p[(i + 1) % 3], p[(i + 2) % 3]);
        let inwards = normal.cross(to - from);
        inwards.dot(p[i] - from) * inwards.dot(tip - from) > 0.0
    }
}
