//! Bodies that a soft body draws to itself where it should push them off.

use super::{SOFT, is_there, places, softs_of};
use crate::advice;
use crate::derived::unexplained;
use crate::entry::{GaugeEntry, Need};
use crate::frame_cache::{Dimensioned, When};
use crate::gauge::{Gauge, Reading, Scope, View};
use crate::geometry::{Membership, Plane, Room, Space};
use ironspin_model::{DVec3, Dimension, World};

pub(crate) const SUCTION: GaugeEntry = GaugeEntry {
    name: "suction",
    label: "suction",
    unit: "m/s",
    definition: "Largest speed by which a rigid body is drawn in one step towards a soft body that it overlaps or is about to touch, while it is near nothing else: its change of velocity beyond gravity, damping and actions, against the outward direction of the skin there.",
    formula: "max_t max(0, -dv . n), n the mean of the unit normals from the pieces of skin (or the nodes) within reach to the body",
    source: "a contact pushes and never pulls (Signorini)",
    limits: "Where the normals of what is within reach spread by more than 45 degrees about their mean, as around a body in a bag, nothing is told, nor of bodies with joints or pins. Friction up to 1 is never taken for suction.",
    usual_causes: "a body pushed out on the side of the skin that is nearest to it, which is the inner one; a penalty that pulls once a gap opens; a skin without orientation",
    needs: &[Need::Soft, Need::Against],
    by_default: false,
    needs_geometry: true,
    next_step: advice::SOFT,
    make: suction,
    ..SOFT
};

/// Cosine of the widest spread of normals about their mean.
const SPREAD: f64 = std::f64::consts::FRAC_1_SQRT_2;

struct Suction {
    softs: Vec<usize>,
    bodies: Vec<usize>,
    all: Membership,
    steps: u64,
    worst: f64,
    /// Body, soft body and time of the worst.
    at: Option<(usize, usize, f64)>,
}

pub(crate) fn suction(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    let jointed = |id: usize| {
        let joints = world.joints.iter().map(|joint| joint.bodies).chain(world.pinned_pairs());
        joints.into_iter().flatten().any(|own| own == id)
    };
    let free = |id: &usize| *id < world.rigid_count() && world.bodies[*id].mass > 0.0 && !jointed(*id);
    Box::new(Suction {
        softs: softs_of(world, &scope.of),
        bodies: scope.against.iter().copied().filter(free).collect(),
        all: Membership::of(world, &(0..world.rigid_count()).collect::<Vec<_>>()),
        steps: 0,
        worst: 0.0,
        at: None,
    })
}

/// The mean of the unit normals from all of a soft body that lies within reach of a body to it; nothing where nothing does, or they spread too far.
fn outwards<G: Room + Dimensioned>(view: &View<'_>, soft: usize, body: usize) -> Option<DVec3> {
    let cache = view.cache.of::<G>()?;
    let soft = &view.world.softs[soft];
    let place = places(soft, view.now);
    let speed = |id: usize| view.now.bodies[id].velocity.length();
    let fastest = soft.nodes.clone().map(speed).fold(0.0, f64::max);
    let within =
        (fastest + view.cache.swiftness(When::Now, body).max(view.cache.swiftness(When::Before, body))) * view.span();
    let around = cache.around(When::Now, body);
    let pieces = soft.skin_nodes().map(<[usize]>::to_vec);
    let bare = (0..soft.nodes.len()).filter(|_| !soft.has_skin()).map(|node| vec![node]);
    let mut normals: Vec<DVec3> = Vec::new();
    for nodes in pieces.chain(bare) {
        let piece = G::piece(nodes.into_iter().map(place).collect(), soft.radius);
        if !G::meets(around, &G::around(&piece), within) {
            continue;
        }
        for collider in cache.colliders(When::Now, body) {
            let gap = G::gap_within(&piece, collider, within);
            if G::distance(&gap) <= within {
                normals.push(G::shown(gap).normal);
            }
        }
    }
    let mean = normals.iter().sum::<DVec3>().try_normalize()?;
    normals.iter().all(|normal| normal.dot(mean) >= SPREAD).then_some(mean)
}

impl Gauge for Suction {
    fn observe(&mut self, view: &View<'_>) {
        let Some(before) = view.before else { return };
        self.steps += 1;
        let fastest = view.cache.fastest();
        let mut crowded = vec![false; view.world.rigid_count()];
        view.cache.near_pairs(When::Now, &self.all, &self.all, 3.0 * fastest * view.span(), |a, b| {
            crowded[a] = true;
            crowded[b] = true;
        });
        for &body in self.bodies.iter().filter(|&&body| view.present(body) && !crowded[body]) {
            let Some(change) = unexplained(view, body) else { continue };
            if change.velocity.length() <= self.worst {
                continue;
            }
            let mut near = self.softs.iter().filter(|&&number| {
                let soft = &view.world.softs[number];
                is_there(soft, before) && is_there(soft, view.now)
            });
            let found = near.find_map(|&number| {
                let outwards = match view.world.dimension {
                    Dimension::Plane => outwards::<Plane>(view, number, body),
                    Dimension::Space => outwards::<Space>(view, number, body),
                };
                outwards.map(|outwards| (number, -change.velocity.dot(outwards)))
            });
            if let Some((number, drawn)) = found.filter(|(_, drawn)| *drawn > self.worst) {
                (self.worst, self.at) = (drawn, Some((body, number, view.now.time)));
            }
        }
    }

    fn reading(&self, world: &World) -> Reading {
        if self.softs.is_empty() || self.bodies.is_empty() {
            return Reading::nothing("no soft body and free rigid body are measured against each other");
        }
        if self.steps == 0 {
            return Reading::nothing("fewer than two frames lie in the window");
        }
        let Some((body, soft, time)) = self.at else { return Reading::of(0.0, "nothing is drawn") };
        let detail = format!("{} towards {} at {time:.3} s", world.bodies[body].name, world.softs[soft].name);
        Reading::of(self.worst, detail).seen_at(time, body)
    }
}

#[cfg(test)]
mod tests {
    use super::super::tests::{CORNERS, frames, square};
    use crate::gauges::trace::{measure, state};
    use ironspin_model::{Body, Frame, Part, PlaneShape, World};

    /// The square at rest and a ball that comes from the right and leaves with a speed.
    fn ball(leaves: f64) -> (World, Vec<Frame>) {
        let mut world = square();
        let ball = Body { mass: 1.0, parts: vec![Part::solid(PlaneShape::Disc(0.1), 0)], ..Body::plain("shot") };
        world.bodies.insert(1, ball);
        world.softs[0].nodes = 2..6;
        let mut seen = frames(11, |i, _| state(CORNERS[i][0], CORNERS[i][1] + 9.0, 0.0, 0.0));
        for frame in &mut seen {
            let t = frame.time - 0.5;
            let (x, v) = if t < 0.0 { (1.21 - t, -1.0) } else { (1.21 + leaves * t, leaves) };
            frame.bodies.insert(1, state(x, 10.5, v, 0.0));
        }
        (world, seen)
    }

    #[test]
    fn a_bounce_is_no_suction_and_a_ball_that_is_drawn_in_is() {
        let (world, bounced) = ball(0.5);
        assert_eq!(measure("suction", &world, &[2], &[1], &bounced).value, Some(0.0));
        let (world, drawn) = ball(-1.5);
        let reading = measure("suction", &world, &[2], &[1], &drawn);
        assert!((reading.value.unwrap() - 0.5).abs() < 1e-9, "{reading:?}");
        assert!(reading.detail.contains("shot towards pad at 0.500 s"), "{reading:?}");
    }
}
