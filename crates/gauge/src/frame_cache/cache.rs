//! What there is to know of the two last frames of a world of one dimension.

use super::nearness::{KnownGap, Neighbour, Neighbours};
use super::{LOOSE, When};
use crate::geometry::{Anchor, Bounds, Placed, Placement, Room, Shapes, furthest_moved, sweep};
use ironspin_model::{Frame, World};
use std::cell::{Cell, RefCell};

/// The two last frames of a trial as the gauges see them. Shared by all gauges of a trial, so that outlines are placed and
/// neighbours looked for once a frame.
#[derive(Clone, Debug)]
pub(crate) struct Cache<G: Room> {
    pub(super) shapes: Shapes,
    /// Outlines of every body's solid parts in its own frame.
    pub(super) parts: Vec<Vec<G::Collider>>,
    pub(super) now: Placement<G>,
    before: Placement<G>,
    pub(super) neighbours: Neighbours<G>,
    /// For each pair of neighbours its gap in the frame now, and in the frame before.
    pub(super) gaps: [RefCell<Vec<Option<KnownGap<G>>>>; 2],
    /// For each pair of neighbours the gap that was worked out last.
    pub(super) anchors: RefCell<Vec<Anchor<G>>>,
    /// What follows from these for the frame now, if anybody asked for it in the frame before.
    pub(super) bounds: Vec<Cell<Bounds>>,
    pub(super) bounds_asked: Cell<bool>,
    /// Where bodies were when they were worked out, and by how much any gap can have changed since, m.
    bounds_spots: Vec<G::Pose>,
    pub(super) bounds_loose: f64,
    /// How many frames were seen.
    frame: u64,
    /// Whether the frame now is the one that was seen last.
    is_current: bool,
    /// Added to a search, so that it need not be done again at once, m.
    slack: f64,
    /// The widest search asked for since the last frame, m.
    pub(super) wanted: Cell<f64>,
    /// The highest speed of any point of any body in the frame now and the one before, m/s.
    speeds: [f64; 2],
}

impl<G: Room> Cache<G> {
    /// Knows the shapes of a world, and has seen no frame yet.
    pub(crate) fn new(world: &World) -> Self {
        let parts: Vec<Vec<G::Collider>> = world
            .bodies
            .iter()
            .map(|body| body.parts.iter().filter(|part| !part.sensor).flat_map(G::colliders).collect())
            .collect();
        let reach = parts.iter().map(|colliders| colliders.iter().map(G::reach).fold(0.0, f64::max)).collect();
        let shapes = Shapes::new(world, reach);
        let sizes: Vec<f64> = world.dynamic_bodies().map(|id| world.bodies[id].smallest_size()).collect();
        let mean = sizes.iter().filter(|size| size.is_finite()).sum::<f64>() / sizes.len().max(1) as f64;
        let placement = Placement::new(shapes.count());
        Cache {
            parts,
            now: placement.clone(),
            before: placement,
            shapes,
            gaps: [0, 1].map(|_| RefCell::new(Vec::new())),
            anchors: RefCell::new(Vec::new()),
            bounds: Vec::new(),
            bounds_asked: Cell::new(false),
            bounds_spots: Vec::new(),
            bounds_loose: 0.0,
            frame: 0,
            is_current: false,
            neighbours: Neighbours::new(),
            slack: 0.2 * mean,
            wanted: Cell::new(f64::NEG_INFINITY),
            speeds: [0.0; 2],
        }
    }

    /// Takes the next frame; the one before becomes the frame before.
    pub(crate) fn update(&mut self, frame: &Frame) {
        self.frame += 1;
        self.is_current = true;
        std::mem::swap(&mut self.now, &mut self.before);
        self.gaps.swap(0, 1);
        self.speeds = [self.now.update(&self.shapes, frame), self.speeds[0]];
        let wanted = self.wanted.replace(f64::NEG_INFINITY);
        let neighbours = &mut self.neighbours;
        if wanted == f64::NEG_INFINITY {
            // Nobody has looked for pairs: what is known grows old unseen.
            neighbours.found_within = f64::NEG_INFINITY;
            self.bounds.clear();
            return;
        }
        let moved = furthest_moved::<G>(&self.shapes, &self.now.poses, &neighbours.poses);
        // The frame before was near enough for its own search, so its bodies have moved no further than known.
        neighbours.moved = neighbours.moved.max(moved);
        if !(wanted + 2.0 * neighbours.moved <= neighbours.found_within) {
            self.find_neighbours(wanted + self.slack);
        }
        if !self.bounds_asked.replace(false) {
            self.bounds.clear();
        } else if !self.bounds_still_tell() {
            self.bounds.clear();
            self.work_out_bounds();
            self.bounds_spots.clone_from(&self.now.poses);
            self.bounds_loose = 0.0;
        }
    }

    /// Lets a frame pass without a look at it: no gauge of the trial needs geometry. One that asks all the same stops with a panic in debug
    /// builds.
    pub(crate) fn pass_over(&mut self) {
        self.frame += 1;
        self.is_current = false;
    }

    /// Notices gauges that ask for geometry and do not say so in their entry.
    #[inline]
    pub(super) fn assert_current(&self) {
        debug_assert!(self.is_current, "a gauge asks for geometry, and its entry does not say `needs_geometry`");
    }

    /// Whether bodies have hardly moved since bounds were worked out, so that these need no more than a little more room.
    fn bounds_still_tell(&mut self) -> bool {
        if self.bounds.is_empty() {
            return false;
        }
        self.bounds_loose = 2.0 * furthest_moved::<G>(&self.shapes, &self.now.poses, &self.bounds_spots);
        self.bounds_loose <= LOOSE * self.slack
    }

    /// Works out for all neighbours between what their gaps lie now.
    fn work_out_bounds(&mut self) {
        let (now, shapes, parts) = (&self.now, &self.shapes, &self.parts);
        let pairs = self.neighbours.pairs.iter().zip(self.anchors.get_mut());
        self.bounds.extend(pairs.map(|(&(a, b), anchor)| {
            let poses = [now.poses[a], now.poses[b]];
            let reaches = [shapes.reach(a), shapes.reach(b)];
            let bounds = G::bounds_at(anchor, poses, reaches);
            if bounds.high < f64::INFINITY || bounds.low > 0.0 {
                return Cell::new(bounds);
            }
            // Only known to be no nearer than they now may be: their rectangles bound it better.
            let least = G::least_gap(&now.of(parts, a).all, &now.of(parts, b).all);
            *anchor = Anchor { bounds: Bounds::at_least(least), poses };
            Cell::new(G::bounds_at(anchor, poses, reaches))
        }));
    }

    fn find_neighbours(&mut self, within: f64) {
        // The frame before may be asked about too.
        let moved = furthest_moved::<G>(&self.shapes, &self.before.poses, &self.now.poses);
        let within = within + if moved.is_finite() { 2.0 * moved } else { 0.0 };
        let mut pairs = Vec::with_capacity(self.neighbours.pairs.len());
        sweep(&self.shapes, &self.parts, &self.now, within, |_| true, |a, b| pairs.push((a, b)));
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
        self.bounds.clear();
        for gaps in &mut self.gaps {
            gaps.get_mut().clear();
            gaps.get_mut().resize(pairs.len(), None);
        }
        let mut of = std::mem::take(&mut self.neighbours.of);
        of.resize(self.now.poses.len(), Vec::new());
        of.iter_mut().for_each(Vec::clear);
        for (number, &(a, b)) in pairs.iter().enumerate() {
            of[a].push(Neighbour { body: b, number: Some(number) });
            of[b].push(Neighbour { body: a, number: Some(number) });
        }
        let search = self.neighbours.search + 1;
        let poses = self.now.poses.clone();
        self.neighbours = Neighbours { pairs, of, poses, found_within: within, moved, search };
    }

    /// Where a body is now.
    #[inline]
    pub(crate) fn pose(&self, body: usize) -> &G::Pose {
        &self.now.poses[body]
    }

    /// Whether all bodies are there in both frames.
    pub(crate) fn all_are_there(&self) -> bool {
        self.now.absent.is_empty() && self.before.absent.is_empty()
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

    pub(super) fn placement(&self, when: When) -> &Placement<G> {
        self.assert_current();
        match when {
            When::Now => &self.now,
            When::Before => &self.before,
        }
    }

    /// Outlines of a body's solid parts, in place.
    pub(crate) fn colliders(&self, when: When, body: usize) -> &[G::Collider] {
        &self.placed(when, body).colliders
    }

    /// The box around all parts of a body, in place.
    pub(crate) fn around(&self, when: When, body: usize) -> &G::Around {
        &self.placed(when, body).all
    }

    pub(super) fn placed(&self, when: When, body: usize) -> &Placed<G> {
        self.placement(when).of(&self.parts, body)
    }

    /// Whether the rectangles of two bodies come within a distance of each other.
    pub(super) fn may_be_within(&self, when: When, a: usize, b: usize, within: f64) -> bool {
        G::meets(&self.placed(when, a).all, &self.placed(when, b).all, within)
    }

    /// The number of the frame now.
    pub(crate) fn frame(&self) -> u64 {
        self.frame
    }
}
