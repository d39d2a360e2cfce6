//! The bodies of one frame in place, and which of them come near each other.

use super::room::Room;
use super::shapes::Shapes;
use ironspin_model::Frame;
use std::cell::{OnceCell, RefCell};

/// The outlines of a body in place, and the boxes around them.
#[derive(Clone, Debug)]
pub(crate) struct Placed<G: Room> {
    pub(crate) colliders: Vec<G::Collider>,
    pub(crate) parts: Vec<G::Around>,
    /// Around all parts; empty for a body that is not there.
    pub(crate) all: G::Around,
}

impl<G: Room> Placed<G> {
    fn new(colliders: &[G::Collider]) -> Self {
        Placed { colliders: colliders.to_vec(), parts: vec![G::NONE; colliders.len()], all: G::NONE }
    }

    fn carry(&mut self, colliders: &[G::Collider], pose: &G::Pose) {
        self.all = G::NONE;
        if G::is_nowhere(pose) {
            return;
        }
        G::carry(colliders, pose, &mut self.colliders, &mut self.parts);
        for part in &self.parts {
            self.all = G::around_both(self.all, *part);
        }
    }
}

/// The bodies of one frame. Outlines are put in place when somebody asks for them first.
#[derive(Clone, Debug)]
pub(crate) struct Placement<G: Room> {
    pub(crate) poses: Vec<G::Pose>,
    /// Speed of each body, m/s, and the highest of any of its points, but for points without end; 0 for one that is not there.
    pub(crate) speed: Vec<f64>,
    pub(crate) swiftness: Vec<f64>,
    /// Who is not there, in order.
    pub(crate) absent: Vec<usize>,
    placed: Vec<OnceCell<Box<Placed<G>>>>,
    /// What earlier frames have left, to be written over.
    spare: Vec<RefCell<Option<Box<Placed<G>>>>>,
}

impl<G: Room> Placement<G> {
    pub(crate) fn new(count: usize) -> Self {
        Placement {
            poses: vec![G::NOWHERE; count],
            speed: vec![0.0; count],
            swiftness: vec![0.0; count],
            absent: (0..count).collect(),
            placed: vec![OnceCell::new(); count],
            spare: vec![RefCell::new(None); count],
        }
    }

    /// Takes the next frame, and returns the highest speed of any point, m/s.
    pub(crate) fn update(&mut self, shapes: &Shapes, frame: &Frame) -> f64 {
        let mut fastest = 0.0_f64;
        self.absent.clear();
        for (id, state) in frame.bodies.iter().enumerate().take(self.poses.len()) {
            let (absent, pose) = (state.is_absent(), G::pose(state));
            if absent {
                self.absent.push(id);
            }
            let (reach, turning) = (shapes.reach(id), G::turning(state));
            let turning = if turning == 0.0 || !reach.is_finite() { 0.0 } else { turning * reach };
            self.speed[id] = if absent { 0.0 } else { state.velocity.length() };
            self.swiftness[id] = if absent { 0.0 } else { self.speed[id] + turning };
            fastest = fastest.max(self.swiftness[id]);
            if pose != self.poses[id] {
                self.poses[id] = if absent { G::NOWHERE } else { pose };
                if let Some(old) = self.placed[id].take() {
                    *self.spare[id].get_mut() = Some(old);
                }
            }
        }
        fastest
    }

    /// A body in place; `parts` are the outlines of all in their own frames.
    #[inline]
    pub(crate) fn of(&self, parts: &[Vec<G::Collider>], id: usize) -> &Placed<G> {
        self.placed[id].get_or_init(|| {
            let mut placed = self.spare[id].take().unwrap_or_else(|| Box::new(Placed::new(&parts[id])));
            placed.carry(&parts[id], &self.poses[id]);
            placed
        })
    }
}

/// How far any side of a body's box may lie from where it was, m, for the one that went furthest; infinite for one that came or went.
pub(crate) fn furthest_moved<G: Room>(shapes: &Shapes, now: &[G::Pose], then: &[G::Pose]) -> f64 {
    let moved = |id: usize| G::moved(&now[id], &then[id], shapes.reach(id));
    (0..now.len().min(then.len())).map(moved).fold(0.0, f64::max)
}

/// Every pair that may touch and whose boxes come within a distance, by a sweep along x.
pub(crate) fn sweep<G: Room>(
    shapes: &Shapes,
    parts: &[Vec<G::Collider>],
    placement: &Placement<G>,
    within: f64,
    counts: impl Fn(usize) -> bool,
    mut each: impl FnMut(usize, usize),
) {
    let boxes: Vec<&G::Around> = (0..placement.poses.len()).map(|id| &placement.of(parts, id).all).collect();
    let low = |id: usize| G::along_x(boxes[id])[0];
    let mut order: Vec<usize> =
        (0..boxes.len()).filter(|&id| counts(id) && !G::is_nowhere(&placement.poses[id])).collect();
    order.sort_by(|&a, &b| low(a).total_cmp(&low(b)).then(a.cmp(&b)));
    for (number, &a) in order.iter().enumerate() {
        let end = G::along_x(boxes[a])[1] + within;
        for &b in order[number + 1..].iter().take_while(|&&b| low(b) <= end) {
            if G::meets(boxes[a], boxes[b], within) && shapes.may_meet(a, b) {
                each(a.min(b), a.max(b));
            }
        }
    }
}
