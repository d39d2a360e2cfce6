//! What the way of a body's centre does to a barrier.

use ironspin_model::DVec3;

/// How a straight way meets a solid's core (its outline without the rim of a hull).
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Crossing {
    /// Outward normal of the face by which it comes in; absent when it begins inside.
    pub(crate) entry: Option<DVec3>,
    /// Outward normal of the face by which it goes out; absent when it ends inside.
    pub(crate) exit: Option<DVec3>,
}

/// What a straight way, in the frame of a barrier, does to a part of it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Met {
    /// The part has no far side: how deep both ends of the way lie below its surface, m.
    Depths {
        /// Outward unit normal.
        normal: DVec3,
        /// At both ends, m; below nothing outside.
        depths: [f64; 2],
    },
    /// The part has two faces and nothing between them: the unit normal on the side where the way comes out, if it crosses.
    Sheet(Option<DVec3>),
    /// The part is solid: nothing where the way stays outside.
    Solid(Option<Crossing>),
}
