//! What all gauges see of a frame: outlines in place and who is near whom, worked out once.

use super::gap::Gap;
use super::outline::Outline;
use super::shapes::{Membership, Shapes};
use ironspin_model::{BodyState, DVec2, DVec3, Frame, World};
use std::cell::{Cell, RefCell};

/// Which of the two frames of a step.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum When {
    Before,
    Now,
}

/// A rectangle along the axes; empty of everything when it holds not-a-number.
#[derive(Clone, Copy, Debug, PartialEq)]
struct Rectangle {
    low: DVec2,
    high: DVec2,
}

impl Rectangle {
    const NONE: Rectangle = Rectangle { low: DVec2::INFINITY, high: DVec2::NEG_INFINITY };

    fn of(outline: &Outline) -> Self {
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

    fn around(self, other: Rectangle) -> Self {
        Rectangle { low: self.low.min(other.low), high: self.high.max(other.high) }
    }

    /// Whether two come within a distance of each other along both axes.
    fn meets(&self, other: &Rectangle, within: f64) -> bool {
        self.low.x - within <= other.high.x
            && other.low.x - within <= self.high.x
            && self.low.y - within <= other.high.y
            && other.low.y - within <= self.high.y
    }
}

/// How far any side of any rectangle lies from where it was, m; infinite for one that came or went.
fn furthest_strayed(now: &[Rectangle], then: &[Rectangle]) -> f64 {
    // Sides without end have not moved.
    let side = |a: f64, b: f64| if a == b { 0.0 } else { (a - b).abs() };
    let corner = |a: DVec2, b: DVec2| side(a.x, b.x).max(side(a.y, b.y));
    let strayed = |(is, was): (&Rectangle, &Rectangle)| corner(is.low, was.low).max(corner(is.high, was.high));
    now.iter().zip(then).map(strayed).fold(0.0, f64::max)
}

/// The bodies of one frame, in place.
#[derive(Clone, Debug)]
struct Placement {
    states: Vec<BodyState>,
    outlines: Vec<Vec<Outline>>,
    parts: Vec<Vec<Rectangle>>,
    bodies: Vec<Rectangle>,
    /// Bodies in the order of the lower ends of their rectangles along x.
    order: Vec<usize>,
}

impl Placement {
    fn new(shapes: &Shapes) -> Self {
        let count = shapes.count();
        Placement {
            states: vec![BodyState::absent(); count],
            outlines: (0..count).map(|id| shapes.parts(id).to_vec()).collect(),
            parts: (0..count).map(|id| vec![Rectangle::NONE; shapes.parts(id).len()]).collect(),
            bodies: vec![Rectangle::NONE; count],
            order: (0..count).collect(),
        }
    }

    fn place(&mut self, shapes: &Shapes, frame: &Frame) {
        for (id, state) in frame.bodies.iter().enumerate().take(self.states.len()) {
            if *state == self.states[id] {
                continue;
            }
            self.states[id] = *state;
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

/// A gap and where both bodies were.
#[derive(Clone, Copy, Debug)]
struct KnownGap {
    gap: Gap,
    /// What is further than this may be told as infinitely far.
    within: f64,
    places: [(DVec3, f64); 2],
}

impl KnownGap {
    /// Whether the bodies are where they were, but for rounding.
    fn is_of(&self, states: [&BodyState; 2]) -> bool {
        self.places.iter().zip(states).all(|((place, angle), state)| {
            let noise = 4.0 * f64::EPSILON * (place.x.abs() + place.y.abs() + 1e-300);
            let moved = state.position - *place;
            moved.x.abs() + moved.y.abs() <= noise && (state.angle - angle).abs() <= 1e-15
        })
    }
}

/// Pairs near each other, good until bodies have moved on.
#[derive(Clone, Debug, Default)]
struct Neighbours {
    pairs: Vec<(usize, usize)>,
    /// The others of each body, by its id.
    of: Vec<Vec<usize>>,
    /// Where the bodies were when the pairs were found.
    rectangles: Vec<Rectangle>,
    /// All pairs nearer than this were found, m.
    found_within: f64,
    /// How far any side of a rectangle has moved since, m.
    strayed: f64,
}

/// The two last frames of a trial as the gauges see them. Shared by all gauges of a trial, so that outlines are placed and
/// neighbours looked for once a frame.
#[derive(Clone, Debug)]
pub struct Sight {
    shapes: Shapes,
    now: Placement,
    before: Placement,
    neighbours: Neighbours,
    /// For each pair of neighbours its gap in the frame now, and in the frame before.
    gaps: [RefCell<Vec<Option<KnownGap>>>; 2],
    /// Added to a search, so that it need not be done again at once, m.
    slack: f64,
    /// The widest search asked for since the last frame, m.
    wanted: Cell<f64>,
    /// The highest speed of any point of any body in the frame now and the one before, m/s.
    speeds: [f64; 2],
}

impl Sight {
    /// Knows the shapes of a world, and has seen no frame yet.
    pub fn new(world: &World) -> Self {
        let shapes = Shapes::new(world);
        let sizes: Vec<f64> = world.dynamic_bodies().map(|id| world.bodies[id].smallest_size()).collect();
        let mean = sizes.iter().filter(|size| size.is_finite()).sum::<f64>() / sizes.len().max(1) as f64;
        let placement = Placement::new(&shapes);
        Sight {
            now: placement.clone(),
            before: placement,
            shapes,
            gaps: [0, 1].map(|_| RefCell::new(Vec::new())),
            neighbours: Neighbours { found_within: f64::NEG_INFINITY, ..Neighbours::default() },
            slack: 0.2 * mean,
            wanted: Cell::new(f64::NEG_INFINITY),
            speeds: [0.0; 2],
        }
    }

    /// Takes the next frame; the one before becomes the frame before.
    pub fn see(&mut self, frame: &Frame) {
        std::mem::swap(&mut self.now, &mut self.before);
        self.gaps.swap(0, 1);
        self.now.place(&self.shapes, frame);
        let swift = |(id, state): (usize, &BodyState)| {
            let reach = self.shapes.reach(id);
            let turning = if state.spin.z == 0.0 || !reach.is_finite() { 0.0 } else { state.spin.z.abs() * reach };
            state.velocity.length() + turning
        };
        let there = frame.bodies.iter().enumerate().take(self.shapes.count()).filter(|(_, state)| !state.is_absent());
        self.speeds = [there.map(swift).fold(0.0, f64::max), self.speeds[0]];
        let wanted = self.wanted.replace(f64::NEG_INFINITY);
        let neighbours = &mut self.neighbours;
        if wanted == f64::NEG_INFINITY {
            // Nobody has looked for pairs: what is known grows old unseen.
            neighbours.found_within = f64::NEG_INFINITY;
            return;
        }
        let strayed = furthest_strayed(&self.now.bodies, &neighbours.rectangles);
        // The frame before was near enough for its own search, so its bodies have strayed no further than known.
        neighbours.strayed = neighbours.strayed.max(strayed);
        if !(wanted + 2.0 * neighbours.strayed <= neighbours.found_within) {
            self.find_neighbours(wanted + self.slack);
        }
    }

    fn find_neighbours(&mut self, within: f64) {
        // The frame before may be asked about too.
        let strayed = furthest_strayed(&self.before.bodies, &self.now.bodies);
        let within = within + if strayed.is_finite() { 2.0 * strayed } else { 0.0 };
        let mut pairs = std::mem::take(&mut self.neighbours.pairs);
        pairs.clear();
        sweep(&self.shapes, &self.now, within, |_| true, |a, b| pairs.push((a, b)));
        pairs.sort_unstable();
        for gaps in &mut self.gaps {
            gaps.get_mut().clear();
            gaps.get_mut().resize(pairs.len(), None);
        }
        let mut of = std::mem::take(&mut self.neighbours.of);
        of.resize(self.now.states.len(), Vec::new());
        of.iter_mut().for_each(Vec::clear);
        for &(a, b) in &pairs {
            of[a].push(b);
            of[b].push(a);
        }
        self.neighbours = Neighbours { pairs, of, rectangles: self.now.bodies.clone(), found_within: within, strayed };
    }

    /// The highest speed of any point of any body in both frames, m/s.
    pub(crate) fn fastest(&self) -> f64 {
        self.speeds[0].max(self.speeds[1])
    }

    pub(crate) fn shapes(&self) -> &Shapes {
        &self.shapes
    }

    fn placement(&self, when: When) -> &Placement {
        match when {
            When::Now => &self.now,
            When::Before => &self.before,
        }
    }

    /// Outlines of a body's solid parts, in place.
    pub(crate) fn outlines(&self, when: When, body: usize) -> &[Outline] {
        &self.placement(when).outlines[body]
    }

    /// The smallest gap of any parts of two bodies; infinity at once when it is certainly above `within`. What has not moved against each other by
    /// more than a rounding error since its gap was worked out has that gap still.
    pub(crate) fn gap(&self, when: When, a: usize, b: usize, within: f64) -> Gap {
        let placement = self.placement(when);
        if !placement.bodies[a].meets(&placement.bodies[b], within) {
            return Gap::FAR;
        }
        let (low, high) = (a.min(b), a.max(b));
        let Ok(number) = self.neighbours.pairs.binary_search(&(low, high)) else {
            return self.worked_out(when, a, b, within);
        };
        let mut gaps = self.gaps[usize::from(when == When::Before)].borrow_mut();
        let places = [low, high].map(|id| &placement.states[id]);
        if let Some(known) = &gaps[number]
            && (known.gap.distance <= known.within || within <= known.within)
            && known.is_of(places)
        {
            return if a == low { known.gap } else { known.gap.turned_round() };
        }
        let gap = self.worked_out(when, low, high, within);
        gaps[number] = Some(KnownGap { gap, within, places: places.map(|state| (state.position, state.angle)) });
        if a == low { gap } else { gap.turned_round() }
    }

    fn worked_out(&self, when: When, a: usize, b: usize, within: f64) -> Gap {
        let mut best = Gap::FAR;
        self.gaps(when, a, b, within, |gap| {
            if gap.distance < best.distance {
                best = gap;
            }
        });
        best
    }

    /// The gap of every part of one body to every part of another that may be within a distance.
    pub(crate) fn gaps(&self, when: When, a: usize, b: usize, within: f64, mut each: impl FnMut(Gap)) {
        let placement = self.placement(when);
        if !placement.bodies[a].meets(&placement.bodies[b], within) {
            return;
        }
        for (part, rectangle) in placement.outlines[a].iter().zip(&placement.parts[a]) {
            for (counterpart, other) in placement.outlines[b].iter().zip(&placement.parts[b]) {
                if rectangle.meets(other, within) {
                    each(part.gap_within(counterpart, within));
                }
            }
        }
    }

    /// Calls `each` for every pair of bodies that may touch, one of them in `of` and the other in `others`, whose rectangles
    /// come within a distance of each other. Each pair comes once, the smaller id first.
    pub(crate) fn near_pairs(
        &self,
        when: When,
        of: &Membership,
        others: &Membership,
        within: f64,
        mut each: impl FnMut(usize, usize),
    ) {
        self.wanted.set(self.wanted.get().max(within));
        let placement = self.placement(when);
        let asked = |a: usize, b: usize| (of.has(a) && others.has(b)) || (of.has(b) && others.has(a));
        if within + 2.0 * self.neighbours.strayed <= self.neighbours.found_within {
            for &(a, b) in &self.neighbours.pairs {
                if asked(a, b) && placement.bodies[a].meets(&placement.bodies[b], within) {
                    each(a, b);
                }
            }
            return;
        }
        let mut pairs = Vec::new();
        sweep(
            &self.shapes,
            placement,
            within,
            |id| of.has(id) || others.has(id),
            |a, b| {
                if asked(a, b) {
                    pairs.push((a, b));
                }
            },
        );
        pairs.sort_unstable();
        pairs.into_iter().for_each(|(a, b)| each(a, b));
    }
}

impl Sight {
    /// Calls `each` for every body that may touch one and whose rectangle now comes within a distance of its own, in the order of
    /// their ids.
    pub(crate) fn neighbours_of(&self, body: usize, within: f64, mut each: impl FnMut(usize)) {
        self.wanted.set(self.wanted.get().max(within));
        let mine = &self.now.bodies[body];
        let mut tell = |other: usize| {
            if mine.meets(&self.now.bodies[other], within) {
                each(other);
            }
        };
        if within + 2.0 * self.neighbours.strayed <= self.neighbours.found_within {
            self.neighbours.of[body].iter().for_each(|&other| tell(other));
        } else {
            let others = (0..self.now.bodies.len()).filter(|&other| other != body && self.shapes.may_meet(body, other));
            others.for_each(tell);
        }
    }
}

/// Every pair that may touch and whose rectangles come within a distance, by a sweep along x.
fn sweep(
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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::gauges::trace::{state, world};
    use ironspin_model::{BodyKind, Shape};
    use proptest::prelude::*;

    proptest! {
        /// Pairs and gaps over several frames, some asked for and some not, against every pair looked at afresh.
        #[test]
        fn finds_what_looking_at_every_pair_finds(
            starts in prop::collection::vec((-2.0..2.0_f64, -2.0..2.0_f64), 8),
            moves in prop::collection::vec((0.0..0.5_f64, 0..8_usize, -0.6..0.6_f64), 1..12),
        ) {
            let boxes: Vec<_> = (0..8).map(|_| ("ingot", BodyKind::Dynamic, Shape::Box(DVec2::new(0.5, 0.3)), DVec2::ZERO)).collect();
            let world = world(&boxes);
            let mut sight = Sight::new(&world);
            let mut places = starts;
            let everything = Membership::everything(&world);
            let mut last: Option<Frame> = None;
            for (within, body, by) in moves {
                places[body].0 += by;
                let frame = Frame { bodies: places.iter().map(|&(x, y)| state(x, y, 0.0, 0.0)).collect(), ..Frame::default() };
                sight.see(&frame);
                for (when, frame) in [(When::Now, Some(&frame)), (When::Before, last.as_ref())] {
                    let Some(frame) = frame else { continue };
                    let mut found = Vec::new();
                    sight.near_pairs(when, &everything, &everything, within, |a, b| {
                        if sight.gap(when, a, b, within).distance <= within {
                            found.push((a, b));
                        }
                    });
                    let mut plain = Vec::new();
                    for a in 0..8 {
                        for b in a + 1..8 {
                            let placed = |id: usize| sight.shapes().parts(id)[0].placed(&frame.bodies[id]);
                            if placed(a).gap_to(&placed(b)).distance <= within {
                                plain.push((a, b));
                            }
                        }
                    }
                    prop_assert_eq!(&found, &plain);
                }
                last = Some(frame);
            }
        }
    }
}
