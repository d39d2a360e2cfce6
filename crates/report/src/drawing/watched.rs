//! One body of space in numbers over time: its place in three components, its tilt, and its turn about the upright.

use super::{DrawnCurve, moments, short};
use ironspin_lab::TrialRecord;
use ironspin_model::{BodyKind, DQuat, DVec3, Dimension, World};
use serde::{Deserialize, Serialize};
use std::f64::consts::{PI, TAU};

/// How a body moves and turns.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub(crate) struct DrawnBody {
    pub(crate) name: String,
    /// Along x, y and z, m; empty of what stays where it is.
    place: Vec<DrawnCurve>,
    /// Degrees between what was upright in the first frame and now; empty of what does not tilt.
    tilt: Vec<DrawnCurve>,
    /// Degrees turned about the upright since then; empty of what does not turn.
    turn: Vec<DrawnCurve>,
}

impl DrawnBody {
    /// What is plotted of it, with the unit.
    pub(crate) fn plots(&self) -> impl Iterator<Item = (String, &'static str, &[DrawnCurve])> {
        let place = (format!("Place of {}", self.name), "m", &self.place[..]);
        let tilt = (format!("Tilt of {}", self.name), "deg", &self.tilt[..]);
        let turn = (format!("Turn of {} about the upright", self.name), "deg", &self.turn[..]);
        [place, tilt, turn].into_iter().filter(|(.., curves)| !curves.is_empty())
    }
}

/// Angles below it are none, degrees, and ways, m.
const TURNS: f64 = 0.01;
const MOVES: f64 = 1e-6;

/// The body at which a claim broke first, or else the one that moves that has the largest way or turn; nothing in the plane.
pub(super) fn watched(record: &TrialRecord, stride: usize) -> Option<DrawnBody> {
    let world = record.world();
    if world.dimension != Dimension::Space {
        return None;
    }
    let body = moments(record).iter().find_map(|moment| moment.body).or_else(|| liveliest(record))?;
    let replay = &record.recording.replay;
    let poses: Vec<_> = (0..replay.times.len()).map(|frame| replay.frame(frame)[body]).collect();
    let curve = |name: &str, values: Vec<f64>| DrawnCurve {
        name: name.to_owned(),
        values: values.into_iter().step_by(stride).map(|value| value.is_finite().then(|| short(value))).collect(),
    };
    let along = |axis: usize| poses.iter().map(|pose| pose.position[axis]).collect::<Vec<f64>>();
    let place = [along(0), along(1), along(2)];
    let [tilt, turn] = tilt_and_turn(poses.iter().map(|pose| pose.rotation), upright(world));
    let varies = |values: &[f64], least: f64| values.iter().any(|value| (value - values[0]).abs() > least);
    let turns = |name: &str, angles: Vec<f64>| {
        let shown = world.soft_of_node(body).is_none() && varies(&angles, TURNS);
        if shown { vec![curve(name, angles)] } else { Vec::new() }
    };
    let moves = place.iter().any(|values| varies(values, MOVES));
    let drawn = DrawnBody {
        name: world.bodies[body].name.clone(),
        place: if moves {
            ["x", "y", "z"].into_iter().zip(place).map(|(name, v)| curve(name, v)).collect()
        } else {
            Vec::new()
        },
        tilt: turns("tilt", tilt),
        turn: turns("turn", turn),
    };
    let anything = drawn.plots().next().is_some();
    anything.then_some(drawn)
}

/// Where gravity comes from, or y.
fn upright(world: &World) -> DVec3 {
    (-world.gravity).try_normalize().unwrap_or(DVec3::Y)
}

/// The rigid body that goes furthest from where it was, a turn counted as a way of a tenth of a metre a radian.
fn liveliest(record: &TrialRecord) -> Option<usize> {
    let (world, replay) = (record.world(), &record.recording.replay);
    let frames = replay.times.len();
    let some = (0..frames).step_by(frames.div_ceil(40).max(1));
    let way = |body: usize| {
        let first = replay.frame(0)[body];
        let far = some.clone().map(|frame| {
            let now = replay.frame(frame)[body];
            let way = (now.position - first.position).length() + 0.1 * now.rotation.angle_between(first.rotation);
            if way.is_finite() { way } else { 0.0 }
        });
        far.fold(0.0, f64::max)
    };
    let moving = (0..world.rigid_count()).filter(|&body| world.bodies[body].kind == BodyKind::Dynamic);
    moving
        .map(|body| (way(body), body))
        .reduce(|best, one| if one.0 > best.0 { one } else { best })
        .map(|(_, body)| body)
}

/// Degrees over time: between the axis of the body that was upright at first and the upright, and how far the body has turned about the upright, counted
/// on through whole turns (the twist of the turn since the first frame, Dobrowolski 2015).
fn tilt_and_turn(rotations: impl Iterator<Item = DQuat>, up: DVec3) -> [Vec<f64>; 2] {
    let (mut tilts, mut turns) = (Vec::new(), Vec::new());
    let (mut first, mut last) = (None, 0.0);
    for rotation in rotations {
        let since = rotation * first.get_or_insert(rotation).inverse();
        let axis = since * up;
        tilts.push(libm::atan2(axis.cross(up).length(), axis.dot(up)).to_degrees());
        let about = DVec3::new(since.x, since.y, since.z).dot(up);
        let angle = 2.0 * libm::atan2(about, since.w);
        // The nearest of all turns that look alike to that of the frame before.
        let near = angle + TAU * ((last - angle) / TAU).round();
        last = if (near - last).abs() <= PI { near } else { angle };
        turns.push(last.to_degrees());
    }
    [tilts, turns]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_top_that_leans_and_turns_three_times_is_told_in_degrees() {
        let lean = DQuat::from_axis_angle(DVec3::X, 0.3);
        let frames = (0..=300).map(|k| {
            let turned = DQuat::from_axis_angle(DVec3::Y, 3.0 * TAU * f64::from(k) / 300.0);
            // From the sixtieth frame on it leans.
            if k < 60 { turned } else { turned * lean }
        });
        let [tilt, turn] = tilt_and_turn(frames, DVec3::Y);
        assert!(tilt[59] < 1e-6 && (tilt[60] - 0.3_f64.to_degrees()).abs() < 1e-6, "{tilt:?}");
        assert!((turn[59] - 3.0 * 360.0 * 59.0 / 300.0).abs() < 1e-6, "{turn:?}");
        assert!((turn[300] - 1080.0).abs() < 1e-6, "{}", turn[300]);
    }
}
