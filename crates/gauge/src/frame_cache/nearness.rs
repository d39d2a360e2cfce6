//! Who is near whom, and how near.

use super::When;
use super::cache::Cache;
use crate::geometry::{Anchor, Bounds, Membership, Room, sweep};
use ironspin_model::BodyState;

/// A gap and where both bodies were.
#[derive(Clone, Copy, Debug)]
pub(super) struct KnownGap<G: Room> {
    pub(super) gap: G::OwnGap,
    /// What is further than this may be reported as infinitely far.
    pub(super) within: f64,
    pub(super) poses: [G::Pose; 2],
}

impl<G: Room> KnownGap<G> {
    /// Whether the bodies are where they were, but for rounding.
    pub(super) fn is_of(&self, poses: [G::Pose; 2]) -> bool {
        self.poses.iter().zip(&poses).all(|(known, pose)| G::is_same(known, pose))
    }
}

/// Pairs near each other, good until bodies have moved on.
#[derive(Clone, Debug)]
pub(super) struct Neighbours<G: Room> {
    pub(super) pairs: Vec<(usize, usize)>,
    /// The others of each body, by its id.
    pub(super) of: Vec<Vec<Neighbour>>,
    /// Where the bodies were when the pairs were found.
    pub(super) poses: Vec<G::Pose>,
    /// All pairs nearer than this were found, m.
    pub(super) found_within: f64,
    /// How far any side of a around has moved since, m.
    pub(super) moved: f64,
    /// How often pairs were looked for.
    pub(super) search: u64,
}

impl<G: Room> Neighbours<G> {
    /// Before any search.
    pub(super) fn new() -> Self {
        Neighbours {
            pairs: Vec::new(),
            of: Vec::new(),
            poses: Vec::new(),
            found_within: f64::NEG_INFINITY,
            moved: 0.0,
            search: 0,
        }
    }

    /// Whether all pairs within a distance are among them.
    pub(super) fn cover(&self, within: f64) -> bool {
        within + 2.0 * self.moved <= self.found_within
    }
}

/// A body beside another.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Neighbour {
    pub(crate) body: usize,
    /// The number of their pair in the last search, if it is there.
    pub(super) number: Option<usize>,
}

/// Two bodies that may be near each other now.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Candidate {
    /// The smaller id first.
    pub(crate) bodies: (usize, usize),
    /// Between what their gap lies.
    pub(crate) bounds: Bounds,
    /// Their number among the pairs of the last search, if they are there.
    pub(crate) number: Option<usize>,
}

impl<G: Room> Cache<G> {
    /// The smallest gap of any parts of two bodies; infinity at once when it is certainly above `within`. What has not moved against each other by
    /// more than a rounding error since its gap was worked out has that gap still.
    pub(crate) fn gap(&self, when: When, a: usize, b: usize, within: f64) -> G::OwnGap {
        self.assert_current();
        if !self.may_be_within(when, a, b, within) {
            return G::FAR;
        }
        let (low, high) = (a.min(b), a.max(b));
        let Ok(number) = self.neighbours.pairs.binary_search(&(low, high)) else {
            return self.worked_out(when, a, b, within);
        };
        let gap = self.gap_of_neighbours(when, number, within);
        if a == low { gap } else { G::turned_round(gap) }
    }

    fn gap_of_neighbours(&self, when: When, number: usize, within: f64) -> G::OwnGap {
        let placement = self.placement(when);
        let (a, b) = self.neighbours.pairs[number];
        let poses = [placement.poses[a], placement.poses[b]];
        let known = self.gaps[usize::from(when == When::Before)].borrow()[number];
        if let Some(known) = &known
            && (G::distance(&known.gap) <= known.within || within <= known.within)
            && known.is_of(poses)
        {
            return known.gap;
        }
        let gap = self.worked_out(when, a, b, within);
        let known = KnownGap { gap, within, poses };
        self.gaps[usize::from(when == When::Before)].borrow_mut()[number] = Some(known);
        if when == When::Now {
            // Beyond `within` other parts may be nearer than the one that is reported.
            let near = G::distance(&gap) <= within;
            let bounds = if near { Bounds::exactly(G::distance(&gap)) } else { Bounds::at_least(within) };
            self.anchors.borrow_mut()[number] = Anchor { bounds, poses };
            if let Some(cell) = self.bounds.get(number) {
                // Read with as much room as bodies have gone since all were worked out, now and later.
                cell.set(bounds.widened(self.bounds_loose));
            }
        }
        gap
    }

    /// The smallest gap of a candidate now; infinity at once when it is certainly above `within`.
    pub(crate) fn gap_of(&self, candidate: &Candidate, within: f64) -> G::OwnGap {
        let (a, b) = candidate.bodies;
        match candidate.number {
            Some(number) if self.may_be_within(When::Now, a, b, within) => {
                self.gap_of_neighbours(When::Now, number, within)
            }
            Some(_) => G::FAR,
            None => self.gap(When::Now, a, b, within),
        }
    }

    /// Calls `each` for every pair of bodies that may touch, one of them in `of` and the other in `others`, whose gap now may be within
    /// a distance, in the order of their ids.
    pub(crate) fn candidates(
        &self,
        of: &Membership,
        others: &Membership,
        within: f64,
        mut each: impl FnMut(&Candidate),
    ) {
        self.assert_current();
        self.bounds_asked.set(true);
        if self.bounds.is_empty() || !self.neighbours.cover(within) {
            self.near_pairs(When::Now, of, others, within, |a, b| {
                each(&Candidate { bodies: (a, b), bounds: Bounds::UNKNOWN, number: None });
            });
            return;
        }
        self.wanted.set(self.wanted.get().max(within));
        for (number, (bounds, &(a, b))) in self.bounds.iter().zip(&self.neighbours.pairs).enumerate() {
            let bounds = bounds.get().widened(self.bounds_loose);
            // What is not known is looked at.
            let far = bounds.low > within;
            if !far && of.links(others, a, b) {
                each(&Candidate { bodies: (a, b), bounds, number: Some(number) });
            }
        }
    }

    /// Between what the gap of two bodies lies now. The number of their pair is looked for from `from` on first, and left there, since
    /// most ask for one pair after the other.
    pub(crate) fn bounds_of(&self, (a, b): (usize, usize), from: &mut usize) -> Bounds {
        self.assert_current();
        self.bounds_asked.set(true);
        self.wanted.set(self.wanted.get().max(0.0));
        let pair = (a.min(b), a.max(b));
        let pairs = &self.neighbours.pairs;
        let number = (*from..pairs.len().min(*from + 8)).find(|&number| pairs[number] == pair);
        let Some(number) = number.or_else(|| pairs.binary_search(&pair).ok()) else { return Bounds::UNKNOWN };
        *from = number;
        self.bounds.get(number).map_or(Bounds::UNKNOWN, |bounds| bounds.get().widened(self.bounds_loose))
    }

    /// How many pairs of neighbours there are, and how often they were looked for.
    pub(crate) fn neighbours(&self) -> (usize, u64) {
        self.assert_current();
        (self.neighbours.pairs.len(), self.neighbours.search)
    }

    fn worked_out(&self, when: When, a: usize, b: usize, within: f64) -> G::OwnGap {
        let mut best = G::FAR;
        self.gaps(when, a, b, within, |gap| {
            if G::distance(&gap) < G::distance(&best) {
                best = gap;
            }
        });
        best
    }

    /// The smallest gap of two bodies in states of their own; nothing for bodies without solid parts.
    pub(super) fn gap_in(&self, pair: [usize; 2], states: &[BodyState; 2]) -> Option<G::OwnGap> {
        let placed = [0, 1].map(|k| {
            let own = &self.parts[pair[k]];
            let (mut placed, mut around) = (own.clone(), vec![G::NONE; own.len()]);
            G::carry(own, &G::pose(&states[k]), &mut placed, &mut around);
            placed
        });
        let [first, second] = &placed;
        let both =
            first.iter().flat_map(|mine| second.iter().map(move |theirs| G::gap_within(mine, theirs, f64::INFINITY)));
        both.reduce(|a, b| if G::distance(&b) < G::distance(&a) { b } else { a })
    }

    /// The gap of every part of one body to every part of another that may be within a distance.
    pub(crate) fn gaps(&self, when: When, a: usize, b: usize, within: f64, mut each: impl FnMut(G::OwnGap)) {
        let (one, other) = (self.placed(when, a), self.placed(when, b));
        if !G::meets(&one.all, &other.all, within) {
            return;
        }
        for (part, around) in one.colliders.iter().zip(&one.parts) {
            for (counterpart, other) in other.colliders.iter().zip(&other.parts) {
                if G::meets(around, other, within) {
                    each(G::gap_within(part, counterpart, within));
                }
            }
        }
    }

    /// The gaps that may be within a distance of every part of a neighbour to every part of a body.
    pub(crate) fn gaps_beside(
        &self,
        when: When,
        body: usize,
        neighbour: Neighbour,
        within: f64,
        mut each: impl FnMut(G::OwnGap),
    ) {
        let other = neighbour.body;
        let single = self.parts[body].len() == 1 && self.parts[other].len() == 1;
        match neighbour.number.filter(|_| single) {
            Some(number) => {
                if self.may_be_within(when, body, other, within) {
                    let gap = self.gap_of_neighbours(when, number, within);
                    each(if other < body { gap } else { G::turned_round(gap) });
                }
            }
            None => self.gaps(when, other, body, within, each),
        }
    }

    /// Calls `each` for every pair of bodies that may touch, one of them in `of` and the other in `others`, whose boxes
    /// come within a distance of each other. Each pair comes once, the smaller id first.
    pub(crate) fn near_pairs(
        &self,
        when: When,
        of: &Membership,
        others: &Membership,
        within: f64,
        mut each: impl FnMut(usize, usize),
    ) {
        self.assert_current();
        self.wanted.set(self.wanted.get().max(within));
        if self.neighbours.cover(within) {
            for &(a, b) in &self.neighbours.pairs {
                if of.links(others, a, b) && self.may_be_within(when, a, b, within) {
                    each(a, b);
                }
            }
            return;
        }
        let mut pairs = Vec::new();
        sweep(
            &self.shapes,
            &self.parts,
            self.placement(when),
            within,
            |id| of.has(id) || others.has(id),
            |a, b| {
                if of.links(others, a, b) {
                    pairs.push((a, b));
                }
            },
        );
        pairs.sort_unstable();
        pairs.into_iter().for_each(|(a, b)| each(a, b));
    }

    /// Calls `each` for every body that may touch one and whose around now comes within a distance of its own, in the order of
    /// their ids.
    pub(crate) fn neighbours_of(&self, body: usize, within: f64, mut each: impl FnMut(Neighbour)) {
        self.assert_current();
        self.wanted.set(self.wanted.get().max(within));
        let mut tell = |other: Neighbour| {
            if self.may_be_within(When::Now, body, other.body, within) {
                each(other);
            }
        };
        if self.neighbours.cover(within) {
            self.neighbours.of[body].iter().copied().for_each(&mut tell);
        } else {
            let others = (0..self.now.poses.len()).filter(|&other| other != body && self.shapes.may_meet(body, other));
            others.for_each(|body| tell(Neighbour { body, number: None }));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::gauges::trace::{state, world};
    use crate::geometry::Plane;
    use ironspin_model::{BodyKind, DVec2, Frame, PlaneShape};
    use proptest::prelude::*;

    proptest! {
        /// Pairs and gaps over several frames, some asked for and some not, against every pair looked at afresh.
        #[test]
        fn finds_what_looking_at_every_pair_finds(
            starts in prop::collection::vec((-2.0..2.0_f64, -2.0..2.0_f64), 8),
            // Some ways are so short that bounds are kept for several frames.
            moves in prop::collection::vec((0.0..0.5_f64, 0..8_usize, prop_oneof![-0.6..0.6_f64, -1e-7..1e-7_f64]), 1..12),
        ) {
            let boxes: Vec<_> = (0..8).map(|_| ("ingot", BodyKind::Dynamic, PlaneShape::Box(DVec2::new(0.5, 0.3)), DVec2::ZERO)).collect();
            let world = world(&boxes);
            let mut cache = Cache::<Plane>::new(&world);
            let mut places = starts;
            let everything = Membership::everything(&world);
            let mut last: Option<Frame> = None;
            for (within, body, by) in moves {
                places[body].0 += by;
                let frame = Frame { bodies: places.iter().map(|&(x, y)| state(x, y, 0.0, 0.0)).collect(), ..Frame::default() };
                cache.update(&frame);
                for (when, frame) in [(When::Now, Some(&frame)), (When::Before, last.as_ref())] {
                    let Some(frame) = frame else { continue };
                    let mut found = Vec::new();
                    cache.near_pairs(when, &everything, &everything, within, |a, b| {
                        if cache.gap(when, a, b, within).distance <= within {
                            found.push((a, b));
                        }
                    });
                    let mut plain = Vec::new();
                    for a in 0..8 {
                        for b in a + 1..8 {
                            let placed = |id: usize| cache.parts[id][0].placed(&frame.bodies[id]);
                            if placed(a).gap_to(&placed(b)).distance <= within {
                                plain.push((a, b));
                            }
                        }
                    }
                    prop_assert_eq!(&found, &plain);
                    if when == When::Before {
                        continue;
                    }
                    // No pair is missing among the candidates, and what is reported of each holds.
                    let mut near = Vec::new();
                    cache.candidates(&everything, &everything, within, |candidate| {
                        let (a, b) = candidate.bodies;
                        let gap = cache.parts[a][0].placed(&frame.bodies[a])
                            .gap_to(&cache.parts[b][0].placed(&frame.bodies[b])).distance;
                        assert!(!(gap < candidate.bounds.low || gap > candidate.bounds.high), "{gap} {candidate:?}");
                        let reported = cache.gap_of(candidate, within).distance;
                        assert!(reported == gap || reported > within && gap > within || (reported - gap).abs() < 1e-15, "{reported} {gap}");
                        if gap <= within {
                            near.push((a, b));
                        }
                    });
                    prop_assert_eq!(&near, &plain);
                }
                last = Some(frame);
            }
        }
    }

    /// Of a body of two parts the one that is looked at need not be the nearer one when both are too far away.
    #[test]
    fn a_part_that_was_not_looked_at_may_be_the_nearer_one() {
        let disc = |x: f64, y: f64| ("rivet", BodyKind::Dynamic, PlaneShape::Disc(0.5), DVec2::new(x, y));
        let mut world = world(&[disc(0.0, 0.0), disc(1.0, 1.0)]);
        let mut handle = world.bodies[0].parts[0].clone();
        (handle.shape, handle.pose) =
            (PlaneShape::Box(DVec2::new(0.2, 0.2)).into(), ironspin_model::Pose::flat(DVec2::new(1.8, 1.0), 0.0));
        world.bodies[0].parts.push(handle);
        let everything = Membership::everything(&world);
        let mut cache = Cache::<Plane>::new(&world);
        let frame = Frame { bodies: vec![state(0.0, 0.0, 0.0, 0.0), state(1.0, 1.0, 0.0, 0.0)], ..Frame::default() };
        for _ in 0..4 {
            cache.update(&frame);
            // The discs are 0.41 apart and their rectangles touch; the handle is 0.2 away.
            let mut found = Vec::new();
            for within in [0.1, 0.3] {
                cache.candidates(&everything, &everything, within, |candidate| {
                    found.extend((cache.gap_of(candidate, within).distance <= within).then_some(within));
                    assert!(candidate.bounds.low <= 0.2 + 1e-9 && candidate.bounds.high >= 0.2 - 1e-9, "{candidate:?}");
                });
            }
            assert_eq!(found, [0.3]);
        }
    }
}
