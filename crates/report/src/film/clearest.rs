//! From where a trial is seen so that nothing that matters is hidden.

use super::depth::Depth;
use super::nearest;
use crate::drawing::moments;
use crate::figure::{Camera, Sight, View};
use crate::picture::Scenery;
use ironspin_lab::TrialRecord;
use ironspin_model::{BodyKind, DVec2, Dimension, World};

/// Dots across and up of the pictures that are compared.
const SIZE: [u32; 2] = [160, 120];
/// Of more bodies some, evenly, are asked for.
const BODIES: usize = 400;
/// Fine dots below which a body cannot be made out.
const SEEN: usize = 6;

/// The corner from which the fewest moving bodies are hidden at the start, at the end, and when something broke; what broke a claim counts for all of
/// them. The usual one where none is better. `world` is that of the trial as it is drawn.
pub(super) fn view(record: &TrialRecord, world: &World) -> View {
    if world.dimension == Dimension::Plane || world.bodies.is_empty() {
        return View::usual(world.dimension);
    }
    let replay = &record.recording.replay;
    let last = replay.times.len() - 1;
    let broken = moments(record);
    let mut frames: Vec<(usize, Option<usize>)> = vec![(0, None), (last, None)];
    let all = world.rigid_count();
    // A soft body counts as one, behind the rigid ones.
    let one = |id: usize| world.soft_of_node(id).map_or(id, |soft| all + soft);
    frames.extend(broken.iter().take(2).map(|moment| (nearest(&replay.times, moment.time), moment.body.map(one))));
    let mut asked: Vec<usize> =
        (0..all).step_by(all.div_ceil(BODIES).max(1)).filter(|&id| world.bodies[id].kind != BodyKind::Static).collect();
    asked.extend((0..world.softs.len()).filter(|&soft| !world.softs[soft].faces.is_empty()).map(|soft| all + soft));
    let hidden = |view: View| -> usize {
        let scenery = Scenery::of_trial(world, &record.recording, Some(view));
        let of_frame = |&(frame, body): &(usize, Option<usize>)| {
            let lost = lost(world, &scenery, replay.frame(frame), &asked);
            lost.len() + if body.is_some_and(|body| lost.contains(&body)) { all } else { 0 }
        };
        frames.iter().map(of_frame).sum()
    };
    let mut best = (View::Corner, hidden(View::Corner));
    for view in Sight::corners(world).skip(1) {
        if best.1 == 0 {
            break;
        }
        // A picture from another side than usual must be worth it.
        let found = hidden(view);
        if 10 * found < 9 * best.1 {
            best = (view, found);
        }
    }
    best.0
}

/// Those of some bodies that stand within the picture and cannot be made out on it.
fn lost(world: &World, scenery: &Scenery, poses: &[ironspin_model::Pose], asked: &[usize]) -> Vec<usize> {
    let (low, high) = scenery.corners();
    let camera = Camera::showing(low, high, DVec2::new(f64::from(SIZE[0]), f64::from(SIZE[1])));
    let sight = scenery.sight();
    let mut depth = Depth::new(SIZE, &camera, sight, scenery.region());
    for (id, body) in world.rigid().iter().enumerate().filter(|(id, _)| poses[*id].position.is_finite()) {
        depth.body(id, body, &poses[id], (0, 0, 0), true);
    }
    let all = world.rigid_count();
    for (number, soft) in world.softs.iter().enumerate() {
        depth.skin(all + number, soft, poses, (0, 0, 0));
    }
    let dots = depth.dots(all + world.softs.len());
    let seen_at = |id: usize| id.checked_sub(all).map_or(id, |soft| world.softs[soft].nodes.start);
    let within = |id: usize| {
        let place = poses[seen_at(id)].position;
        place.is_finite() && camera.shows(sight.project(place))
    };
    let solid = |id: usize| id >= all || world.bodies[id].parts.iter().any(|part| !part.sensor);
    asked.iter().copied().filter(|&id| within(id) && solid(id) && dots[id] < SEEN).collect()
}
