//! Joints, actions, and what must hold, as they are written.

use super::{Amount, Limit, Ordered, Placed, Turns};
use crate::number::Number;
use schemars::JsonSchema;
use serde::Deserialize;

/// Kinds of joints.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub(crate) enum JointWord {
    /// Anchors at a fixed distance.
    Rod,
    /// Anchors no further apart than a length.
    Rope,
    /// A force along the line of the anchors.
    Spring,
    /// Anchors together, free to turn; in space about an axis alone.
    Hinge,
    /// The second body slides along an axis of the first, without turning.
    Slider,
    /// Anchors together, free to turn about any axis; in space.
    Socket,
    /// The bodies keep their place and angle to each other.
    Weld,
}

/// A joint between two bodies, or one a turn of its loops.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct JointTable {
    pub(crate) kind: Placed<JointWord>,
    /// Loops; selectors may use the counters, as in link\[i+1\].
    #[serde(default)]
    pub(crate) repeat: Ordered<Number>,
    /// The two bodies.
    pub(crate) between: [Placed<String>; 2],
    /// A point in the world at which both bodies are held, m.
    pub(crate) at: Option<Placed<Vec<Number>>>,
    /// Anchors in each body's own frame about its centre of mass, m; the centres when left out.
    pub(crate) anchors: Option<[Placed<Vec<Number>>; 2]>,
    /// Of a rod, rope or spring, m; the distance as built when left out.
    pub(crate) length: Option<Number>,
    /// Of a spring, N/m.
    pub(crate) stiffness: Option<Number>,
    /// Of a spring, N s/m.
    pub(crate) damping: Option<Number>,
    /// Of a slider, and in space of a hinge, in the world as built.
    pub(crate) axis: Option<Placed<Vec<Number>>>,
    /// The same in the first body's own frame, as a resolved scene gives it.
    pub(crate) own_axis: Option<Placed<Vec<Number>>>,
    /// Smallest and largest angle of a hinge (rad) or way of a slider (m).
    pub(crate) limits: Option<[Number; 2]>,
}

/// Bodies that never touch each other.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct ApartTable {
    /// Every body of the first selector and every one of the second.
    pub(crate) between: [Placed<String>; 2],
}

/// Where a body is put.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct WhereTable {
    /// m.
    pub(crate) at: Placed<Vec<Number>>,
    /// rad; in the plane.
    pub(crate) angle: Option<Number>,
    /// How it is turned; in space.
    pub(crate) turn: Option<Placed<Turns>>,
}

/// A ray to be cast.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct RayTable {
    /// m.
    pub(crate) from: Placed<Vec<Number>>,
    /// m.
    pub(crate) to: Placed<Vec<Number>>,
}

/// A copy of the world to be stepped ahead.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct ForecastTable {
    /// How far ahead, s.
    pub(crate) horizon: Number,
}

/// A scripted action. Expressions may use mass, x, y, angle, vx, vy and spin of the body as built, and in space mass, x, y, z, qw, qx, qy, qz, vx,
/// vy, vz, wx, wy and wz.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct ActionTable {
    /// s; before the first step that starts at or after it.
    pub(crate) at_time: Option<Number>,
    /// A condition on the body, such as "y < 1 && vy < 0"; done once, before the step after it came true. It may use x, y, angle, vx, vy,
    /// speed, spin and t, and in space x, y, z, qw, qx, qy, qz, vx, vy, vz, speed, wx, wy, wz and t.
    pub(crate) when: Option<Placed<String>>,
    /// Again after this time, s.
    pub(crate) every: Option<Number>,
    /// The last time for `every`, s; the end of the trial when left out.
    pub(crate) until: Option<Number>,
    /// The bodies it is done to, nodes such as ring.node\[3\], or soft bodies as a whole.
    pub(crate) on: Option<Placed<String>>,
    /// N s.
    pub(crate) impulse: Option<Placed<Vec<Number>>>,
    /// N, over `for_time`.
    pub(crate) force: Option<Placed<Vec<Number>>>,
    /// N m, over `for_time`; in space three numbers, along the world's axes.
    pub(crate) torque: Option<Amount>,
    /// Where impulse and force act, in the world, m; at the centre when left out.
    pub(crate) point: Option<Placed<Vec<Number>>>,
    /// How long force and torque act, s.
    pub(crate) for_time: Option<Number>,
    /// m/s.
    pub(crate) velocity: Option<Placed<Vec<Number>>>,
    /// rad/s; in space three numbers, along the world's axes.
    pub(crate) spin: Option<Amount>,
    /// Put elsewhere.
    pub(crate) place: Option<WhereTable>,
    /// Nodes, or a soft body as a whole, are moved by this way, m.
    pub(crate) move_by: Option<Placed<Vec<Number>>>,
    /// Nodes are held where they are, or let go from rest.
    pub(crate) hold: Option<bool>,
    /// Taken out.
    #[serde(default)]
    pub(crate) remove: bool,
    /// An absent body comes in.
    #[serde(default)]
    pub(crate) add: bool,
    /// Taken out, and these absent bodies come in, at their places in its frame.
    pub(crate) split: Option<Placed<String>>,
    /// Cells are taken away: an expression of column, row, in space layer, and of the place x, y, z of a cell from the middle of all, not 0 for a cell
    /// that goes. What comes apart is split into bodies of its own, name_piece\[0\], name_piece\[1\], ...
    pub(crate) take_cells: Option<Number>,
    /// Gravity changes, m/s².
    pub(crate) gravity: Option<Placed<Vec<Number>>>,
    /// A ray is cast.
    pub(crate) ray: Option<RayTable>,
    /// The future is worked out ahead.
    pub(crate) forecast: Option<ForecastTable>,
}

/// How much a failed claim weighs.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub(crate) enum SeverityWord {
    /// It fails the trial.
    #[default]
    Must,
    /// It is reported and fails nothing.
    Should,
}

/// A law of chance: one of these.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct LawTable {
    /// Number of tries and chance of each.
    pub(crate) binomial: Option<[Number; 2]>,
    /// Mean and standard deviation.
    pub(crate) normal: Option<[Number; 2]>,
    /// Mean.
    pub(crate) exponential: Option<Number>,
    /// Lower and upper end.
    pub(crate) uniform: Option<[Number; 2]>,
}

/// A gauge with a bound that must hold. Expressions may use g and dt.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct ClaimTable {
    /// Its name, unique in the scene, by which it is told and searched for; in a loop the counters stand behind it.
    pub(crate) name: Option<Placed<String>>,
    /// Loops: how many times, or from and to as "1..count", the last number left out. Everything in the claim may use the counters.
    #[serde(default, rename = "for")]
    pub(crate) loops: Ordered<Number>,
    /// Name of the gauge.
    pub(crate) gauge: Placed<String>,
    /// The bodies measured.
    #[serde(default = "everything")]
    pub(crate) of: Placed<String>,
    /// The bodies they are measured against.
    pub(crate) against: Option<Placed<String>>,
    /// An expression over the state of a body (x, y, angle, vx, vy, speed, spin, mass, inertia, t; in space x, y, z, qw, qx, qy, qz, vx, vy, vz,
    /// speed, wx, wy, wz, mass, t), of others by their names (two.x, crane.point(\[0.5, 0\]).y) and of all that are measured (sum(mass * vx)), for
    /// gauges that need one.
    pub(crate) measure: Option<Placed<String>>,
    /// Closed form of x, y and in space z over the time t, m, for gauges that need it.
    pub(crate) path: Option<Placed<Vec<Placed<String>>>>,
    /// The law that values must follow, for gauges that need it.
    pub(crate) law: Option<Placed<LawTable>>,
    /// A condition such as "vy < 0 and y > 1", of which the times are measured at which it becomes true.
    pub(crate) becomes: Option<Placed<String>>,
    /// Which of several times: a number from 1, or "last"; the first when left out.
    pub(crate) nth: Option<Number>,
    /// The time at which is measured, s; between two frames the state is interpolated.
    pub(crate) at_time: Option<Number>,
    /// A point in the body's own frame about its centre of mass, m, for gauges that follow one.
    pub(crate) point: Option<Placed<Vec<Number>>>,
    /// From and to, s.
    pub(crate) window: Option<[Number; 2]>,
    pub(crate) at_most: Option<Limit>,
    pub(crate) at_least: Option<Limit>,
    pub(crate) equals: Option<Number>,
    /// How far off still holds: in the unit of the gauge, or as "1 %" of the bound.
    pub(crate) within: Option<Limit>,
    /// Why the bound is what it is.
    pub(crate) because: Placed<String>,
    #[serde(default)]
    pub(crate) severity: SeverityWord,
}

fn everything() -> Placed<String> {
    Placed::nowhere("*".to_owned())
}

/// A word or a list of words.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
#[serde(untagged)]
pub(crate) enum OneOrMore {
    /// One.
    One(String),
    /// Several.
    More(Vec<String>),
}

impl OneOrMore {
    pub(crate) fn words(&self) -> &[String] {
        match self {
            OneOrMore::One(word) => std::slice::from_ref(word),
            OneOrMore::More(words) => words,
        }
    }
}

/// A change of the trial after which the result must agree.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct TwinTable {
    /// again, process, threads, split, restore, units, mass, tempo, bystander, order, mirror, turn, shift or boost; or a list of these.
    pub(crate) by: Placed<OneOrMore>,
    /// Largest difference of a position, m; none (to the bit) when left out.
    pub(crate) within: Option<Number>,
    /// Why.
    pub(crate) because: Option<String>,
}

/// A claim about many trials along one axis.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct SeriesTable {
    /// dt, size or a parameter.
    pub(crate) over: Placed<String>,
    /// The values along the axis.
    pub(crate) values: Option<Vec<Number>>,
    /// Name of the gauge, or cost.
    pub(crate) gauge: Placed<String>,
    #[serde(default = "everything")]
    pub(crate) of: Placed<String>,
    pub(crate) against: Option<Placed<String>>,
    /// The value falls at least as this power of the axis.
    pub(crate) falls_with_order: Option<Number>,
    /// The value grows at most as this power of the axis.
    pub(crate) grows_at_most: Option<Number>,
    /// The value never rises as the axis falls, or grows: "rises" or "falls".
    pub(crate) only: Option<Placed<String>>,
    /// Why.
    pub(crate) because: Option<String>,
}
