//! The bodies of one frame in place, and which of them come near each other.

use super::bounds::Pose;
use super::collider::Collider;
use super::shapes::Shapes;
use ironspin_model::{DVec2, Frame};
use std::cell::{OnceCell, RefCell};

/// A rectangle along the axes; empty of everything when it holds not-a-number.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Rectangle {
    pub(crate) low: DVec2,
    pub(crate) high: DVec2,
}

impl Rectangle {
    pub(crate) const NONE: Rectangle = Rectangle { low: DVec2::INFINITY, high: DVec2::NEG_INFINITY };

    pub(crate) fn of(collider: &Collider) -> Self {
        match collider {
            Collider::Hull { corners, radius } => {
                let none = Rectangle::NONE;
                let (low, high) = corners
                    .iter()
                    .fold((none.low, none.high), |(low, high), &corner| (low.min(corner), high.max(corner)));
                Rectangle { low: low - *radius, high: high + *radius }
            }
            Collider::HalfPlane { normal, level } => {
                // Only a surface along an axis bounds its solid on that side.
                let (mut low, mut high) = (DVec2::NEG_INFINITY, DVec2::INFINITY);
                match (normal.x, normal.y) {
                    (x, 0.0) if x > 0.0 => high.x = *level,
                    (x, 0.0) if x < 0.0 => low.x = -level,
                    (0.0, y) if y > 0.0 => high.y = *level,
                    (0.0, y) if y < 0.0 => low.y = -level,
                    _ => {}
                }
                Rectangle { low, high }
            }
        }
    }

    pub(crate) fn around(self, other: Rectangle) -> Self {
        Rectangle { low: self.low.min(other.low), high: self.high.max(other.high) }
    }

    /// The gap of two that overlap along one axis at most, or less; minus infinity for two that overlap.
    pub(crate) fn least_gap(&self, other: &Rectangle) -> f64 {
        let apart = (self.low - other.high).max(other.low - self.high).max_element();
        if apart > 0.0 { apart } else { f64::NEG_INFINITY }
    }

    /// Whether two come within a distance of each other along both axes.
    pub(crate) fn meets(&self, other: &Rectangle, within: f64) -> bool {
        self.low.x - within <= other.high.x
            && other.low.x - within <= self.high.x
            && self.low.y - within <= other.high.y
            && other.low.y - within <= self.high.y
    }
}

/// The outlines of a body in place, and the rectangles around them.
#[derive(Clone, Debug)]
pub(crate) struct Placed {
    pub(crate) colliders: Vec<Collider>,
    pub(crate) parts: Vec<Rectangle>,
    /// Around all parts; empty for a body that is not there.
    pub(crate) all: Rectangle,
}

impl Placed {
    fn new(colliders: &[Collider]) -> Self {
        Placed { colliders: colliders.to_vec(), parts: vec![Rectangle::NONE; colliders.len()], all: Rectangle::NONE }
    }

    fn carry(&mut self, colliders: &[Collider], pose: Pose) {
        self.all = Rectangle::NONE;
        if pose.is_nowhere() {
            return;
        }
        let (at, angle) = (pose.place(), pose.angle());
        let (sin, cos) = if angle == 0.0 { (0.0, 1.0) } else { (libm::sin(angle), libm::cos(angle)) };
        for ((collider, placed), part) in colliders.iter().zip(&mut self.colliders).zip(&mut self.parts) {
            collider.carry_into(at, DVec2::new(cos, sin), placed);
            *part = Rectangle::of(placed);
            self.all = self.all.around(*part);
        }
    }
}

/// The bodies of one frame. Outlines are put in place when somebody asks for them first.
#[derive(Clone, Debug)]
pub(crate) struct Placement {
    pub(crate) poses: Vec<Pose>,
    /// Speed of each body, m/s, and the highest of any of its points, but for points without end; 0 for one that is not there.
    pub(crate) speed: Vec<f64>,
    pub(crate) swiftness: Vec<f64>,
    /// Who is not there, in order.
    pub(crate) absent: Vec<usize>,
    placed: Vec<OnceCell<Box<Placed>>>,
    /// What earlier frames have left, to be written over.
    spare: Vec<RefCell<Option<Box<Placed>>>>,
}

impl Placement {
    pub(crate) fn new(shapes: &Shapes) -> Self {
        let count = shapes.count();
        Placement {
            poses: vec![Pose::NOWHERE; count],
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
            let (absent, pose) = (state.is_absent(), Pose::of(state));
            if absent {
                self.absent.push(id);
            }
            let reach = shapes.reach(id);
            let turning = if state.spin.z == 0.0 || !reach.is_finite() { 0.0 } else { state.spin.z.abs() * reach };
            self.speed[id] = if absent { 0.0 } else { state.velocity.length() };
            self.swiftness[id] = if absent { 0.0 } else { self.speed[id] + turning };
            fastest = fastest.max(self.swiftness[id]);
            if pose != self.poses[id] {
                self.poses[id] = if absent { Pose::NOWHERE } else { pose };
                if let Some(old) = self.placed[id].take() {
                    *self.spare[id].get_mut() = Some(old);
                }
            }
        }
        fastest
    }

    #[inline]
    pub(crate) fn of(&self, shapes: &Shapes, id: usize) -> &Placed {
        self.placed[id].get_or_init(|| {
            let mut placed = self.spare[id].take().unwrap_or_else(|| Box::new(Placed::new(shapes.parts(id))));
            placed.carry(shapes.parts(id), self.poses[id]);
            placed
        })
    }
}

/// How far any side of a body's rectangle may lie from where it was, m, for the one that went furthest; infinite for one that came or went.
pub(crate) fn furthest_moved(shapes: &Shapes, now: &[Pose], then: &[Pose]) -> f64 {
    let moved = |id: usize| now[id].moved(&then[id], shapes.reach(id));
    (0..now.len().min(then.len())).map(moved).fold(0.0, f64::max)
}

/// Every pair that may touch and whose rectangles come within a distance, by a sweep along x.
pub(crate) fn sweep(
    shapes: &Shapes,
    placement: &Placement,
    within: f64,
    counts: impl Fn(usize) -> bool,
    mut each: impl FnMut(usize, usize),
) {
    let rectangles: Vec<&Rectangle> = (0..placement.poses.len()).map(|id| &placement.of(shapes, id).all).collect();
    let mut order: Vec<usize> =
        (0..rectangles.len()).filter(|&id| counts(id) && !placement.poses[id].is_nowhere()).collect();
    order.sort_by(|&a, &b| rectangles[a].low.x.total_cmp(&rectangles[b].low.x).then(a.cmp(&b)));
    for (number, &a) in order.iter().enumerate() {
        let end = rectangles[a].high.x + within;
        for &b in order[number + 1..].iter().take_while(|&&b| rectangles[b].low.x <= end) {
            if rectangles[a].meets(rectangles[b], within) && shapes.may_meet(a, b) {
                each(a.min(b), a.max(b));
            }
        }
    }
}
