//! The bodies of one frame in place, and which of them come near each other.

use super::bounds::Spot;
use super::outline::Outline;
use super::shapes::Shapes;
use ironspin_model::{BodyState, DVec2, Frame};

/// A rectangle along the axes; empty of everything when it holds not-a-number.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Rectangle {
    pub(super) low: DVec2,
    pub(super) high: DVec2,
}

impl Rectangle {
    pub(super) const NONE: Rectangle = Rectangle { low: DVec2::INFINITY, high: DVec2::NEG_INFINITY };

    pub(super) fn of(outline: &Outline) -> Self {
        match outline {
            Outline::Hull { corners, radius } => {
                let none = Rectangle::NONE;
                let (low, high) = corners
                    .iter()
                    .fold((none.low, none.high), |(low, high), &corner| (low.min(corner), high.max(corner)));
                Rectangle { low: low - *radius, high: high + *radius }
            }
            Outline::HalfPlane { normal, level } => {
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

    pub(super) fn around(self, other: Rectangle) -> Self {
        Rectangle { low: self.low.min(other.low), high: self.high.max(other.high) }
    }

    /// The gap of two that overlap along one axis at most, or less; minus infinity for two that overlap.
    pub(super) fn least_gap(&self, other: &Rectangle) -> f64 {
        let apart = (self.low - other.high).max(other.low - self.high).max_element();
        if apart > 0.0 { apart } else { f64::NEG_INFINITY }
    }

    /// Whether two come within a distance of each other along both axes.
    pub(super) fn meets(&self, other: &Rectangle, within: f64) -> bool {
        self.low.x - within <= other.high.x
            && other.low.x - within <= self.high.x
            && self.low.y - within <= other.high.y
            && other.low.y - within <= self.high.y
    }
}

/// How far any side of any rectangle lies from where it was, m; infinite for one that came or went.
pub(super) fn furthest_strayed(now: &[Rectangle], then: &[Rectangle]) -> f64 {
    // Sides without end have not moved.
    let side = |a: f64, b: f64| if a == b { 0.0 } else { (a - b).abs() };
    let corner = |a: DVec2, b: DVec2| side(a.x, b.x).max(side(a.y, b.y));
    let strayed = |(is, was): (&Rectangle, &Rectangle)| corner(is.low, was.low).max(corner(is.high, was.high));
    now.iter().zip(then).map(strayed).fold(0.0, f64::max)
}

/// The bodies of one frame, in place.
#[derive(Clone, Debug)]
pub(super) struct Placement {
    pub(super) states: Vec<BodyState>,
    pub(super) spots: Vec<Spot>,
    /// The highest speed of any point of each body, m/s, but for points without end.
    pub(super) swiftness: Vec<f64>,
    pub(super) outlines: Vec<Vec<Outline>>,
    pub(super) parts: Vec<Vec<Rectangle>>,
    pub(super) bodies: Vec<Rectangle>,
    /// Bodies in the order of the lower ends of their rectangles along x.
    pub(super) order: Vec<usize>,
}

impl Placement {
    pub(super) fn new(shapes: &Shapes) -> Self {
        let count = shapes.count();
        Placement {
            states: vec![BodyState::absent(); count],
            spots: vec![Spot::NOWHERE; count],
            swiftness: vec![0.0; count],
            outlines: (0..count).map(|id| shapes.parts(id).to_vec()).collect(),
            parts: (0..count).map(|id| vec![Rectangle::NONE; shapes.parts(id).len()]).collect(),
            bodies: vec![Rectangle::NONE; count],
            order: (0..count).collect(),
        }
    }

    pub(super) fn place(&mut self, shapes: &Shapes, frame: &Frame) {
        for (id, state) in frame.bodies.iter().enumerate().take(self.states.len()) {
            if *state == self.states[id] {
                continue;
            }
            self.states[id] = *state;
            self.spots[id] = if state.is_absent() { Spot::NOWHERE } else { Spot::of(state) };
            let reach = shapes.reach(id);
            let turning = if state.spin.z == 0.0 || !reach.is_finite() { 0.0 } else { state.spin.z.abs() * reach };
            self.swiftness[id] = if state.is_absent() { 0.0 } else { state.velocity.length() + turning };
            let mut all = Rectangle::NONE;
            if !state.is_absent() {
                for (number, part) in shapes.parts(id).iter().enumerate() {
                    part.place_into(state, &mut self.outlines[id][number]);
                    let rectangle = Rectangle::of(&self.outlines[id][number]);
                    self.parts[id][number] = rectangle;
                    all = all.around(rectangle);
                }
            }
            self.bodies[id] = all;
        }
        // Nearly in order already, from the frame before last.
        let bodies = &self.bodies;
        self.order.sort_by(|&a, &b| bodies[a].low.x.total_cmp(&bodies[b].low.x).then(a.cmp(&b)));
    }
}

/// Every pair that may touch and whose rectangles come within a distance, by a sweep along x.
pub(super) fn sweep(
    shapes: &Shapes,
    placement: &Placement,
    within: f64,
    counts: impl Fn(usize) -> bool,
    mut each: impl FnMut(usize, usize),
) {
    let there = |id: &&usize| counts(**id) && !placement.states[**id].is_absent();
    let order: Vec<usize> = placement.order.iter().filter(there).copied().collect();
    for (number, &a) in order.iter().enumerate() {
        let mine = &placement.bodies[a];
        let end = mine.high.x + within;
        for &b in order[number + 1..].iter().take_while(|&&b| placement.bodies[b].low.x <= end) {
            if mine.meets(&placement.bodies[b], within) && shapes.may_meet(a, b) {
                each(a.min(b), a.max(b));
            }
        }
    }
}
