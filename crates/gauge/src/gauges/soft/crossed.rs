//! Skins that cross themselves or each other.

use super::{SOFT, edges as edges_of, is_there, places, softs_of};
use crate::advice;
use crate::entry::GaugeEntry;
use crate::gauge::{Gauge, Reading, Scope, View};
use ironspin_model::{DVec2, DVec3, World};

pub(crate) const CROSSED: GaugeEntry = GaugeEntry {
    name: "skin.crossed",
    label: "crossings of skins",
    unit: "crossings",
    definition: "Most crossings of the skins of the soft bodies with themselves and each other in any frame: in the plane pairs of segments that cross, in space pairs of an edge and a triangle that it goes through. Pieces with a node in common are none.",
    formula: "max_t |{ (e, f) : e and f have no common node and cross }|",
    source: "orientation test: the ends of each lie on different sides of the other",
    limits: "Pieces that just touch are none. One skin wholly inside of another crosses nothing: see the overlap gauges.",
    usual_causes: "only nodes are kept apart and not the pieces between them; a skin folded over while it is pressed flat; soft bodies that miss each other",
    counts: true,
    by_default: false,
    next_step: advice::SOFT,
    make: crossed,
    ..SOFT
};

struct Crossed {
    softs: Vec<usize>,
    frames: u64,
    worst: usize,
    /// Nodes of a crossing, and the time.
    at: Option<(usize, usize, f64)>,
}

pub(crate) fn crossed(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    let mut softs = softs_of(world, &scope.of);
    softs.retain(|&soft| world.softs[soft].has_skin());
    Box::new(Crossed { softs, frames: 0, worst: 0, at: None })
}

/// A segment, an edge of a triangle or a triangle, by ids of its nodes; with the box around it.
struct Piece {
    nodes: Vec<usize>,
    places: Vec<DVec3>,
    low: DVec3,
    high: DVec3,
}

impl Piece {
    fn of(first: usize, nodes: &[usize], at: impl Fn(usize) -> DVec3) -> Piece {
        let places: Vec<DVec3> = nodes.iter().map(|&node| at(node)).collect();
        Piece {
            nodes: nodes.iter().map(|node| first + node).collect(),
            low: places.iter().copied().fold(DVec3::INFINITY, DVec3::min),
            high: places.iter().copied().fold(DVec3::NEG_INFINITY, DVec3::max),
            places,
        }
    }

    fn may_cross(&self, other: &Piece) -> bool {
        self.low.cmple(other.high).all()
            && other.low.cmple(self.high).all()
            && !self.nodes.iter().any(|node| other.nodes.contains(node))
    }
}

/// Whether two segments of the plane cross within both.
fn segments_cross([a, b]: [DVec2; 2], [c, d]: [DVec2; 2]) -> bool {
    let side = |from: DVec2, to: DVec2, p: DVec2| (to - from).perp_dot(p - from);
    side(a, b, c) * side(a, b, d) < 0.0 && side(c, d, a) * side(c, d, b) < 0.0
}

/// Whether a segment goes through a triangle within both.
fn goes_through([p, q]: [DVec3; 2], [a, b, c]: [DVec3; 3]) -> bool {
    let six = |a: DVec3, b: DVec3, c: DVec3, d: DVec3| (b - a).cross(c - a).dot(d - a);
    if six(a, b, c, p) * six(a, b, c, q) >= 0.0 {
        return false;
    }
    let around = [six(p, q, a, b), six(p, q, b, c), six(p, q, c, a)];
    around.iter().all(|&side| side > 0.0) || around.iter().all(|&side| side < 0.0)
}

/// Pairs of which the boxes meet, by a sweep along x, first of the one kind and second of the other.
fn each_meeting(edges: &[Piece], faces: &[Piece], mut met: impl FnMut(&Piece, &Piece)) {
    let by_low = |list: &[Piece]| {
        let mut order: Vec<usize> = (0..list.len()).collect();
        order.sort_by(|&a, &b| list[a].low.x.total_cmp(&list[b].low.x).then(a.cmp(&b)));
        order
    };
    let (edge_order, face_order) = (by_low(edges), by_low(faces));
    let widest = faces.iter().map(|face| face.high.x - face.low.x).fold(0.0, f64::max);
    let mut begin = 0;
    for &edge in &edge_order {
        let edge = &edges[edge];
        while begin < face_order.len() && faces[face_order[begin]].low.x + widest < edge.low.x {
            begin += 1;
        }
        for &face in &face_order[begin..] {
            let face = &faces[face];
            if face.low.x > edge.high.x {
                break;
            }
            if edge.may_cross(face) {
                met(edge, face);
            }
        }
    }
}

impl Gauge for Crossed {
    fn observe(&mut self, view: &View<'_>) {
        self.frames += 1;
        let (mut segments, mut edges, mut faces) = (Vec::new(), Vec::new(), Vec::new());
        for soft in self.softs.iter().map(|&number| &view.world.softs[number]).filter(|soft| is_there(soft, view.now)) {
            let (first, at) = (soft.nodes.start, places(soft, view.now));
            segments.extend(soft.skin.iter().map(|ends| Piece::of(first, ends, at)));
            faces.extend(soft.faces.iter().map(|corners| Piece::of(first, corners, at)));
            edges.extend(edges_of(soft).iter().map(|ends| Piece::of(first, ends, at)));
        }
        let (mut count, mut first) = (0, None);
        let flat = |piece: &Piece| [piece.places[0].truncate(), piece.places[1].truncate()];
        each_meeting(&segments, &segments, |one, other| {
            // Each pair comes twice.
            if one.nodes < other.nodes && segments_cross(flat(one), flat(other)) {
                count += 1;
                first.get_or_insert((one.nodes[0], other.nodes[0]));
            }
        });
        each_meeting(&edges, &faces, |edge, face| {
            let corners = [face.places[0], face.places[1], face.places[2]];
            if goes_through([edge.places[0], edge.places[1]], corners) {
                count += 1;
                first.get_or_insert((edge.nodes[0], face.nodes[0]));
            }
        });
        if count > self.worst {
            self.worst = count;
            self.at = first.map(|(a, b)| (a, b, view.now.time));
        }
    }

    fn reading(&self, world: &World) -> Reading {
        if self.softs.is_empty() {
            return Reading::nothing("no soft body has a skin");
        }
        if self.frames == 0 {
            return Reading::nothing("no frame lies in the window");
        }
        let Some((a, b, time)) = self.at else { return Reading::of(0.0, "no skin crosses another or itself") };
        let detail = format!("at {} and {}, most at {time:.3} s", world.bodies[a].name, world.bodies[b].name);
        Reading::of(self.worst as f64, detail).seen_at(time, a)
    }
}

#[cfg(test)]
mod tests {
    use super::super::tests::{CORNERS, frames, square};
    use super::*;
    use crate::gauges::trace::{measure, state};

    #[test]
    fn a_square_crosses_nothing_and_one_that_is_twisted_crosses_itself_once() {
        let built = frames(3, |i, _| state(CORNERS[i][0], CORNERS[i][1], 0.0, 0.0));
        assert_eq!(measure("skin.crossed", &square(), &[1], &[], &built).value, Some(0.0));
        // Its two lower corners change places.
        let twisted = frames(3, |i, t| {
            let k = if t > 0.05 && i < 2 { 1 - i } else { i };
            state(CORNERS[k][0], CORNERS[k][1], 0.0, 0.0)
        });
        let reading = measure("skin.crossed", &square(), &[1], &[], &twisted);
        assert_eq!(reading.value, Some(1.0), "{reading:?}");
        assert!(reading.detail.contains("0.100 s"), "{reading:?}");
    }

    #[test]
    fn a_line_goes_through_a_triangle_within_both_alone() {
        let triangle = [DVec3::ZERO, DVec3::X, DVec3::Y];
        let at = |x: f64, y: f64| [DVec3::new(x, y, -1.0), DVec3::new(x, y, 1.0)];
        assert!(goes_through(at(0.2, 0.2), triangle));
        assert!(goes_through([at(0.2, 0.2)[1], at(0.2, 0.2)[0]], triangle));
        assert!(!goes_through(at(0.8, 0.8), triangle));
        assert!(!goes_through([DVec3::new(0.2, 0.2, 0.1), DVec3::new(0.2, 0.2, 1.0)], triangle));
    }
}
