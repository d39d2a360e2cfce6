//! One body of space in numbers over time: its place in three components, its tilt, and its turn about the upright.

use super::{DrawnCurve, POINTS, moments, short};
use ironspin_lab::TrialRecord;
use ironspin_model::{Body, BodyKind, DQuat, DVec3, Dimension, World};
use serde::{Deserialize, Serialize};
use std::f64::consts::TAU;

/// How a body moves and turns.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub(crate) struct WatchedBody {
    name: String,
    /// Times of all curves, s.
    pub(crate) times: Vec<f64>,
    /// Along x, y and z, m; empty of what stays where it is.
    place: Vec<DrawnCurve>,
    /// Degrees between an axis of its own and the upright; empty of what does not turn.
    tilt: Vec<DrawnCurve>,
    /// Degrees turned about the upright since the first frame; empty of what does not, or turns too fast for the frames.
    turn: Vec<DrawnCurve>,
}

impl WatchedBody {
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
pub(super) fn watched(record: &TrialRecord) -> Option<WatchedBody> {
    let world = record.world();
    if world.dimension != Dimension::Space {
        return None;
    }
    let body = moments(record).iter().find_map(|moment| moment.body).or_else(|| liveliest(record))?;
    let replay = &record.recording.replay;
    let poses: Vec<_> = (0..replay.times.len()).map(|frame| replay.frame(frame)[body]).collect();
    let stride = poses.len().div_ceil(POINTS).max(1);
    let curve = |name: &str, values: &[f64]| DrawnCurve {
        name: name.to_owned(),
        values: values.iter().step_by(stride).map(|&value| value.is_finite().then(|| short(value))).collect(),
    };
    let place = [0, 1, 2].map(|axis| poses.iter().map(|pose| pose.position[axis]).collect::<Vec<f64>>());
    let turning = turning(poses.iter().map(|pose| pose.rotation), &world.bodies[body], upright(world));
    let told = range(&turning.turn) > TURNS && (turning.of_axis || is_told_by_frames(record, body));
    let turns = world.soft_of_node(body).is_none() && (told || range(&turning.tilt) > TURNS);
    let one = |name: &str, angles: &[f64], shown: bool| if shown { vec![curve(name, angles)] } else { Vec::new() };
    let moves = place.iter().any(|values| range(values) > MOVES);
    let places = ["x", "y", "z"].into_iter().zip(&place).map(|(name, values)| curve(name, values));
    let drawn = WatchedBody {
        name: world.bodies[body].name.clone(),
        times: replay.times.iter().step_by(stride).map(|&time| short(time)).collect(),
        place: if moves { places.collect() } else { Vec::new() },
        tilt: one("tilt", &turning.tilt, turns),
        turn: one("turn", &turning.turn, turns && told),
    };
    let anything = drawn.plots().next().is_some();
    anything.then_some(drawn)
}

/// Whether a body turns by less than a third of a circle from one frame of the replay to the next, as far as its spin at the start and in the end tells.
fn is_told_by_frames(record: &TrialRecord, body: usize) -> bool {
    let recording = &record.recording;
    let spins =
        [&recording.start, &recording.end].map(|states| states.get(body).map_or(0.0, |state| state.spin.length()));
    let gaps = recording.replay.times.windows(2).map(|pair| pair[1] - pair[0]);
    // What is not there has no spin.
    spins[0].max(spins[1]) * gaps.fold(0.0, f64::max) < TAU / 3.0
}

/// From the least to the largest of some numbers; nothing of numbers that are none.
fn range(values: &[f64]) -> f64 {
    let finite = values.iter().filter(|value| value.is_finite());
    let (low, high) = finite.fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), &v| (l.min(v), h.max(v)));
    if low < high { high - low } else { 0.0 }
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

/// How a body turns over time, degrees; not-a-number while it is not there.
struct Turning {
    tilt: Vec<f64>,
    turn: Vec<f64>,
    /// Whether the turn is that of its leaning axis, and not of the body as a whole.
    of_axis: bool,
}

/// An axis that leans by less has no direction to speak of, degrees.
const LEANS: f64 = 10.0;

/// The tilt of a body's own axis, and its turn about the upright since the first frame, counted on through whole turns: of that axis where it leans in every
/// frame (precession), or else of the body (the twist of its rotation; Dobrowolski 2015).
fn turning(rotations: impl Iterator<Item = DQuat>, body: &Body, up: DVec3) -> Turning {
    let (u, mut first) = (up.any_orthonormal_vector(), None);
    let v = up.cross(u);
    let (mut tilt, mut azimuth, mut twist) = (Vec::new(), Vec::new(), Vec::new());
    for rotation in rotations {
        // Nothing is told of what is not there.
        if !rotation.is_finite() {
            for angles in [&mut tilt, &mut azimuth, &mut twist] {
                angles.push(f64::NAN);
            }
            continue;
        }
        let &mut (start, own) = first.get_or_insert_with(|| (rotation, own_axis(body, rotation, up)));
        let axis = rotation * own;
        tilt.push(libm::atan2(axis.cross(up).length(), axis.dot(up)).to_degrees());
        azimuth.push(libm::atan2(axis.dot(v), axis.dot(u)).to_degrees());
        let since = rotation * start.inverse();
        twist.push((2.0 * libm::atan2(DVec3::new(since.x, since.y, since.z).dot(up), since.w)).to_degrees());
    }
    let leans = |angle: &f64| (LEANS..180.0 - LEANS).contains(angle);
    let of_axis = tilt.iter().filter(|angle| angle.is_finite()).all(leans);
    Turning { tilt, turn: counted_on(if of_axis { azimuth } else { twist }), of_axis }
}

/// The axis of its own about which a body is the same all round, as far as its inertia tells; or else that of its three which is the most upright.
fn own_axis(body: &Body, rotation: DQuat, up: DVec3) -> DVec3 {
    let axes = [DVec3::X, DVec3::Y, DVec3::Z];
    let moments = [0, 1, 2].map(|k| body.inertia.0.col(k)[k]);
    let alike = |a: usize, b: usize| (moments[a] - moments[b]).abs() <= 1e-6 * moments[a].abs();
    let round = (0..3).find(|&k| alike((k + 1) % 3, (k + 2) % 3) && !alike(k, (k + 1) % 3));
    let upright = |axis: &DVec3| (rotation * *axis).dot(up).abs();
    let most = axes.into_iter().reduce(|best, one| if upright(&one) > upright(&best) { one } else { best });
    let axis = round.map(|k| axes[k]).or(most).unwrap_or(DVec3::Y);
    if (rotation * axis).dot(up) < 0.0 { -axis } else { axis }
}

/// Angles from the first on, each the nearest to the one before of all that look alike, degrees.
fn counted_on(angles: Vec<f64>) -> Vec<f64> {
    let (mut first, mut last) = (None, 0.0);
    let counted = angles.into_iter().map(|angle| {
        if !angle.is_finite() {
            return angle;
        }
        let since = angle - *first.get_or_insert(angle);
        last = since + 360.0 * ((last - since) / 360.0).round();
        last
    });
    counted.collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use ironspin_lab::{GridOrder, plan_grid, run_trial};
    use ironspin_model::{DMat3, Inertia};

    #[test]
    fn places_stand_at_the_times_of_the_frames_that_they_are_from() {
        // So many steps that the recording has other times for its samples than for its replay.
        let order = GridOrder::plain(
            vec!["solid-drop".to_owned()],
            vec!["builtin".to_owned()],
            vec!["1/960".parse().expect("a step")],
        );
        let record = run_trial(&plan_grid(&order).expect("a plan")[0]);
        let drawn = watched(&record).expect("a body that moves");
        let recording = &record.recording;
        assert_ne!(recording.replay.times.len(), recording.times.len());
        let sampled = recording.y.iter().find(|curve| curve.name == drawn.name).expect("the same body");
        for (k, &time) in drawn.times.iter().enumerate() {
            let next = recording.times.partition_point(|&sample| sample < time).clamp(1, recording.times.len() - 1);
            let (from, to) = (recording.times[next - 1], recording.times[next]);
            let share = (time - from) / (to - from);
            let expected = sampled.values[next - 1] + share * (sampled.values[next] - sampled.values[next - 1]);
            let found = drawn.place[1].values[k].expect("a place");
            assert!((found - expected).abs() < 1e-3, "{found} {expected} at {time} s");
        }
    }

    fn wheel() -> Body {
        let inertia = Inertia(DMat3::from_diagonal(DVec3::new(1.0, 2.0, 1.0)));
        Body { inertia, ..Body::plain("wheel") }
    }

    #[test]
    fn what_is_not_there_yet_is_told_from_when_it_comes() {
        let none = DQuat::from_xyzw(f64::NAN, f64::NAN, f64::NAN, f64::NAN);
        let frames = [none, DQuat::IDENTITY, DQuat::from_axis_angle(DVec3::Y, 0.5)];
        let Turning { tilt, turn, of_axis } = turning(frames.into_iter(), &wheel(), DVec3::Y);
        assert!(tilt[0].is_nan() && turn[0].is_nan() && tilt[2] < 1e-9 && !of_axis);
        assert!((turn[2] - 0.5_f64.to_degrees()).abs() < 1e-9 && (range(&turn) - turn[2]).abs() < 1e-9);
    }

    #[test]
    fn an_upright_wheel_turns_as_a_whole_and_a_leaning_one_goes_round_by_its_axis() {
        let turned = |k: i32| DQuat::from_axis_angle(DVec3::Y, 3.0 * TAU * f64::from(k) / 300.0);
        let upright = turning((0..=300).map(turned), &wheel(), DVec3::Y);
        assert!((upright.turn[300] - 1080.0).abs() < 1e-6 && range(&upright.tilt) < 1e-6);
        // It spins seven times as fast about its own axis, which leans by half a radian.
        let lean = DQuat::from_axis_angle(DVec3::X, 0.5);
        let leaning = (0..=300).map(|k| turned(k) * lean * turned(7 * k));
        let Turning { tilt, turn, of_axis } = turning(leaning, &wheel(), DVec3::Y);
        assert!(of_axis && (turn[300] - 1080.0).abs() < 1e-6, "{}", turn[300]);
        assert!(tilt.iter().all(|angle| (angle - 0.5_f64.to_degrees()).abs() < 1e-9));
    }
}
