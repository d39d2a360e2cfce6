//! Where two bodies first touch within a step.

use crate::gauge::View;
use crate::geometry::{Gap, velocity_at};
use ironspin_model::{BodyState, DVec3, Dimension, turn};

/// Steps of Newton's method to a first touch.
const TOUCH_STEPS: u32 = 12;

/// The first touch of two bodies that fly freely from the start of a step on.
pub(crate) struct Touch {
    /// From the start of the step, s.
    pub(crate) time: f64,
    /// Both just before they touch.
    pub(crate) states: [BodyState; 2],
    /// How each falls, m/s².
    pub(crate) fall: [DVec3; 2],
    /// The gap there: nothing.
    pub(crate) gap: Gap,
}

/// Speed with which two bodies come nearer to each other at a gap, m/s.
pub(crate) fn closing(states: &[BodyState; 2], gap: &Gap) -> f64 {
    (velocity_at(&states[0], gap.point) - velocity_at(&states[1], gap.point)).dot(gap.normal)
}

/// The first touch of a pair within the step, if they fly into each other; nothing where they touched before or do not come together.
pub(crate) fn first_touch(view: &View<'_>, pair: [usize; 2]) -> Option<Touch> {
    let (before, span) = (view.before?, view.span());
    let flown = |state: &BodyState, fall: DVec3, time: f64| {
        let mut then = *state;
        then.pose.position += state.velocity * time + fall * (0.5 * time * time);
        match view.world.dimension {
            Dimension::Plane => then.pose.angle += state.spin.z * time,
            Dimension::Space if state.spin == DVec3::ZERO => {}
            Dimension::Space => {
                then.pose.rotation = turn::product(turn::by_vector(state.spin * time), state.pose.rotation);
            }
        }
        then.velocity += fall * time;
        then
    };
    let fall = pair.map(|id| if view.cache.traits(id).mass > 0.0 { view.fall(id) } else { DVec3::ZERO });
    let at = |time: f64| [0, 1].map(|k| flown(&before.bodies[pair[k]], fall[k], time));
    let gap_of = |states: &[BodyState; 2]| view.cache.gap_in(pair, states);
    let size = view.smaller_size(pair[0], pair[1]);
    let mut time = 0.0;
    let mut states = at(time);
    let mut gap = gap_of(&states)?;
    for _ in 0..TOUCH_STEPS {
        let speed = closing(&states, &gap);
        if !(speed > 0.0) || gap.distance.abs() <= 1e-14 * size {
            break;
        }
        time = (time + gap.distance / speed).clamp(0.0, span);
        states = at(time);
        gap = gap_of(&states)?;
    }
    (gap.distance.abs() <= 1e-9 * size).then_some(Touch { time, states, fall, gap })
}
