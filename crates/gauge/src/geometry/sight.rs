//! What all gauges see of a frame: outlines in place and who is near whom, worked out once.

use super::bounds::{Anchor, Bounds};
use super::nearness::{KnownGap, Neighbour, Neighbours};
use super::outline::Outline;
use super::placement::{Placed, Placement, furthest_strayed, sweep};
use super::shapes::Shapes;
use crate::gauges::explainer::Explainers;
use ironspin_model::{Frame, World};
use std::cell::{Cell, RefCell};

/// Which of the two frames of a step.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum When {
    Before,
    Now,
}

/// The two last frames of a trial as the gauges see them. Shared by all gauges of a trial, so that outlines are placed and
/// neighbours looked for once a frame.
#[derive(Clone, Debug)]
pub struct Sight {
    pub(super) shapes: Shapes,
    pub(super) now: Placement,
    pub(super) before: Placement,
    pub(super) neighbours: Neighbours,
    /// For each pair of neighbours its gap in the frame now, and in the frame before.
    pub(super) gaps: [RefCell<Vec<Option<KnownGap>>>; 2],
    /// For each pair of neighbours the gap that was worked out last.
    pub(super) anchors: RefCell<Vec<Anchor>>,
    /// What follows from these for the frame now, if anybody asked for it in the frame before.
    pub(super) bounds: Vec<Cell<Bounds>>,
    pub(super) bounds_asked: Cell<bool>,
    /// How many frames were seen.
    pub(super) frame: u64,
    /// What gauges know of the pushes on bodies, kept here because several ask for the same.
    pub(super) explainers: RefCell<Explainers>,
    /// Added to a search, so that it need not be done again at once, m.
    pub(super) slack: f64,
    /// The widest search asked for since the last frame, m.
    pub(super) wanted: Cell<f64>,
    /// The highest speed of any point of any body in the frame now and the one before, m/s.
    pub(super) speeds: [f64; 2],
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
            anchors: RefCell::new(Vec::new()),
            bounds: Vec::new(),
            bounds_asked: Cell::new(false),
            frame: 0,
            explainers: RefCell::default(),
            neighbours: Neighbours { found_within: f64::NEG_INFINITY, ..Neighbours::default() },
            slack: 0.2 * mean,
            wanted: Cell::new(f64::NEG_INFINITY),
            speeds: [0.0; 2],
        }
    }

    /// Takes the next frame; the one before becomes the frame before.
    pub fn see(&mut self, frame: &Frame) {
        self.frame += 1;
        std::mem::swap(&mut self.now, &mut self.before);
        self.gaps.swap(0, 1);
        self.speeds = [self.now.see(&self.shapes, frame), self.speeds[0]];
        let wanted = self.wanted.replace(f64::NEG_INFINITY);
        let neighbours = &mut self.neighbours;
        if wanted == f64::NEG_INFINITY {
            // Nobody has looked for pairs: what is known grows old unseen.
            neighbours.found_within = f64::NEG_INFINITY;
            self.bounds.clear();
            return;
        }
        let strayed = furthest_strayed(&self.shapes, &self.now.spots, &neighbours.spots);
        // The frame before was near enough for its own search, so its bodies have strayed no further than known.
        neighbours.strayed = neighbours.strayed.max(strayed);
        if !(wanted + 2.0 * neighbours.strayed <= neighbours.found_within) {
            self.find_neighbours(wanted + self.slack);
        }
        self.bounds.clear();
        if self.bounds_asked.replace(false) {
            self.work_out_bounds();
        }
    }

    /// Works out for all neighbours between what their gaps lie now.
    fn work_out_bounds(&mut self) {
        let (now, shapes) = (&self.now, &self.shapes);
        let pairs = self.neighbours.pairs.iter().zip(self.anchors.get_mut());
        self.bounds.extend(pairs.map(|(&(a, b), anchor)| {
            let spots = [now.spots[a], now.spots[b]];
            let reaches = [shapes.reach(a), shapes.reach(b)];
            let bounds = anchor.bounds_at(spots, reaches);
            if bounds.high < f64::INFINITY || bounds.low > 0.0 {
                return Cell::new(bounds);
            }
            // Only known to be no nearer than they now may be: their rectangles tell more.
            let least = now.of(shapes, a).all.least_gap(&now.of(shapes, b).all);
            *anchor = Anchor { bounds: Bounds::at_least(least), spots };
            Cell::new(anchor.bounds_at(spots, reaches))
        }));
    }

    fn find_neighbours(&mut self, within: f64) {
        // The frame before may be asked about too.
        let strayed = furthest_strayed(&self.shapes, &self.before.spots, &self.now.spots);
        let within = within + if strayed.is_finite() { 2.0 * strayed } else { 0.0 };
        let mut pairs = Vec::with_capacity(self.neighbours.pairs.len());
        sweep(&self.shapes, &self.now, within, |_| true, |a, b| pairs.push((a, b)));
        pairs.sort_unstable();
        let mut anchors = vec![Anchor::UNKNOWN; pairs.len()];
        let mut known = self.neighbours.pairs.iter().zip(self.anchors.get_mut()).peekable();
        for (pair, anchor) in pairs.iter().zip(&mut anchors) {
            while known.next_if(|(old, _)| *old < pair).is_some() {}
            if let Some((_, old)) = known.next_if(|(old, _)| *old == pair) {
                *anchor = *old;
            }
        }
        *self.anchors.get_mut() = anchors;
        for gaps in &mut self.gaps {
            gaps.get_mut().clear();
            gaps.get_mut().resize(pairs.len(), None);
        }
        let mut of = std::mem::take(&mut self.neighbours.of);
        of.resize(self.now.spots.len(), Vec::new());
        of.iter_mut().for_each(Vec::clear);
        for (number, &(a, b)) in pairs.iter().enumerate() {
            of[a].push(Neighbour { body: b, number: Some(number) });
            of[b].push(Neighbour { body: a, number: Some(number) });
        }
        let search = self.neighbours.search + 1;
        let spots = self.now.spots.clone();
        self.neighbours = Neighbours { pairs, of, spots, found_within: within, strayed, search };
    }

    /// Whether the same bodies are there in both frames.
    pub(crate) fn same_are_there(&self) -> bool {
        self.now.absent == self.before.absent
    }

    /// The speed of a body in a frame, m/s; 0 when it is not there.
    #[inline]
    pub(crate) fn speed(&self, when: When, body: usize) -> f64 {
        self.placement(when).speed[body]
    }

    /// The highest speed of any point of a body in a frame, m/s, but for points without end.
    #[inline]
    pub(crate) fn swiftness(&self, when: When, body: usize) -> f64 {
        self.placement(when).swiftness[body]
    }

    /// The highest speed of any point of any body in both frames, m/s.
    pub(crate) fn fastest(&self) -> f64 {
        self.speeds[0].max(self.speeds[1])
    }

    pub(crate) fn shapes(&self) -> &Shapes {
        &self.shapes
    }

    pub(super) fn placement(&self, when: When) -> &Placement {
        match when {
            When::Now => &self.now,
            When::Before => &self.before,
        }
    }

    /// Outlines of a body's solid parts, in place.
    pub(crate) fn outlines(&self, when: When, body: usize) -> &[Outline] {
        &self.placed(when, body).outlines
    }

    pub(super) fn placed(&self, when: When, body: usize) -> &Placed {
        self.placement(when).of(&self.shapes, body)
    }

    /// Whether the rectangles of two bodies come within a distance of each other.
    pub(super) fn may_be_within(&self, when: When, a: usize, b: usize, within: f64) -> bool {
        self.placed(when, a).all.meets(&self.placed(when, b).all, within)
    }

    /// The number of the frame now.
    pub(crate) fn frame(&self) -> u64 {
        self.frame
    }

    pub(crate) fn explainers(&self) -> &RefCell<Explainers> {
        &self.explainers
    }
}
