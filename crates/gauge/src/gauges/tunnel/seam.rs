//! Seams: gaps between parts of barriers that are too narrow for a body.

use crate::frame_cache::Dimensioned;
use crate::geometry::{Collider, Plane, PlaneGap, Space, SpaceCollider};
use ironspin_model::{DVec2, DVec3};

/// A gap must be narrower than this share of a body's smallest size to be one that the body cannot pass.
const NARROW: f64 = 0.98;

/// Cosine of the angle between the ways to both rims from which on a point lies between them.
const BETWEEN: f64 = -0.94;

/// Thirds by which the narrowest place of a way is looked for.
const THIRDS: usize = 80;

/// A gap between two parts of barriers.
#[derive(Clone, Debug)]
pub(super) struct Seam<G: SeamRoom> {
    pub(super) barriers: (usize, usize),
    place: G::Place,
}

/// How a body slips through a gap between two parts, in worlds of one dimension.
pub(super) trait SeamRoom: Dimensioned {
    /// Where the gap is.
    type Place: Clone + Send;

    /// The gap of two parts that are apart by less than `widest`.
    fn place(part: &Self::Collider, counterpart: &Self::Collider, widest: f64) -> Option<Self::Place>;

    /// Whether the straight way of a centre leads through the gap, though the body, as wide as that, does not fit.
    fn lets_through(place: &Self::Place, way: [DVec3; 2], size: f64) -> bool;
}

impl SeamRoom for Plane {
    type Place = PlaneGap;

    fn place(part: &Collider, counterpart: &Collider, widest: f64) -> Option<PlaneGap> {
        Some(part.gap_to(counterpart)).filter(|gap| gap.distance > 0.0 && gap.distance < widest)
    }

    /// The way crosses the line between both rims.
    fn lets_through(gap: &PlaneGap, way: [DVec3; 2], size: f64) -> bool {
        if gap.distance >= NARROW * size {
            return false;
        }
        let [from, to] = way.map(DVec3::truncate);
        let half = 0.5 * gap.distance * gap.normal;
        let (p, q) = (gap.point - half, gap.point + half);
        let side = |point: DVec2| (q - p).perp_dot(point - p);
        let way = to - from;
        // The line itself belongs to one side, so that a way in two pieces crosses it once.
        (side(from) < 0.0) != (side(to) < 0.0) && way.perp_dot(p - from) * way.perp_dot(q - from) <= 0.0
    }
}

impl SeamRoom for Space {
    type Place = [SpaceCollider; 2];

    fn place(part: &SpaceCollider, counterpart: &SpaceCollider, widest: f64) -> Option<[SpaceCollider; 2]> {
        let distance = part.gap_within(counterpart, widest).distance;
        (distance > 0.0 && distance < widest).then(|| [part.clone(), counterpart.clone()])
    }

    /// The sum of the distances to both parts is convex along the way: amid it, where it is least, the way leads between them if they lie in opposite
    /// directions.
    fn lets_through(parts: &[SpaceCollider; 2], way: [DVec3; 2], size: f64) -> bool {
        let [from, to] = way;
        let gaps = |share: f64| {
            let point = SpaceCollider::Hull { corners: vec![from.lerp(to, share)], radius: 0.0 };
            parts.each_ref().map(|part| part.gap_to(&point))
        };
        let sum = |share: f64| gaps(share).map(|gap| gap.distance).iter().sum::<f64>();
        // Along the way the sum changes by twice its length at most.
        if sum(0.5) - (to - from).length() >= NARROW * size {
            return false;
        }
        let (mut low, mut high) = (0.0, 1.0);
        for _ in 0..THIRDS {
            let third = (high - low) / 3.0;
            if sum(low + third) <= sum(high - third) { high -= third } else { low += third }
        }
        let least = 0.5 * (low + high);
        let [a, b] = gaps(least);
        let crossed = least > 1e-9 && least < 1.0 - 1e-9;
        let apart = a.distance > 0.0 && b.distance > 0.0 && a.distance + b.distance < NARROW * size;
        crossed && apart && a.normal.dot(b.normal) < BETWEEN
    }
}

/// The gaps between parts of different barriers that are narrower than `widest`.
pub(super) fn seams<G: SeamRoom>(barriers: &[(usize, &[G::Collider])], widest: f64) -> Vec<Seam<G>> {
    let mut found = Vec::new();
    for (number, (a, parts)) in barriers.iter().enumerate() {
        for (b, counterparts) in &barriers[number + 1..] {
            for part in *parts {
                let places = counterparts.iter().filter_map(|counterpart| G::place(part, counterpart, widest));
                found.extend(places.map(|place| Seam { barriers: (*a, *b), place }));
            }
        }
    }
    found
}

impl<G: SeamRoom> Seam<G> {
    /// Whether the straight way of a centre leads through, though the body does not fit.
    pub(super) fn lets_through(&self, from: DVec3, to: DVec3, size: f64) -> bool {
        G::lets_through(&self.place, [from, to], size)
    }
}
