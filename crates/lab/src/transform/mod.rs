//! The same trial given to the engine in other coordinates: in other units, mirrored, moved far out. What the engine answers is carried
//! back in the terms of the scene, so that gauges and comparisons know one world only.
//!
//! Every quantity is a product of powers of length, mass and time; with factors that are powers of two (of four where a root
//! is taken) the transform and its inverse are exact.

mod from_engine;
mod to_engine;
mod transformed;

pub(crate) use transformed::Transformed;

use ironspin_model::{Body, BodyKind, Conditions, DVec2, DVec3, PlaneShape, World};

/// A turn of the whole world.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum Turned {
    /// As it is.
    #[default]
    No,
    /// x becomes -x.
    Mirrored,
    /// A quarter turn, counter-clockwise. Bodies keep their angles and are built turned, so that no angle is rounded.
    Quarter,
}

/// How the world is transformed. First lengths, masses and times, then the turn, then the place, then the motion.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Transform {
    /// A length of the scene is this many lengths of the engine.
    pub(crate) length: f64,
    /// The same of masses.
    pub(crate) mass: f64,
    /// The same of times.
    pub(crate) time: f64,
    /// Turned as a whole.
    pub(crate) turned: Turned,
    /// Moved as a whole, m of the scene.
    pub(crate) shift: DVec2,
    /// In uniform motion as a whole, m/s of the scene.
    pub(crate) boost: DVec2,
    /// Bodies handed over in the opposite order.
    pub(crate) reversed: bool,
    /// A body more, far away.
    pub(crate) bystander: bool,
}

impl Transform {
    /// How much further from the origin bodies get by it until a time, m of the scene.
    pub(crate) fn furthest(&self, until: f64) -> f64 {
        self.shift.length() + self.boost.length() * until
    }
}

impl Default for Transform {
    fn default() -> Self {
        Transform {
            length: 1.0,
            mass: 1.0,
            time: 1.0,
            turned: Turned::No,
            shift: DVec2::ZERO,
            boost: DVec2::ZERO,
            reversed: false,
            bystander: false,
        }
    }
}

impl Transform {
    /// The transform that conditions ask for: other units, another size, another place.
    pub(crate) fn of(conditions: &Conditions) -> Transform {
        let size = conditions.size.value;
        Transform {
            length: conditions.units.value * size,
            // The density of an area stays.
            mass: size * size,
            time: conditions.slowness(),
            shift: DVec2::from_array(conditions.origin.at),
            ..Transform::default()
        }
    }

    /// Why a world cannot be transformed in this way.
    pub(crate) fn obstacle(&self, world: &World) -> Option<String> {
        if self.boost == DVec2::ZERO {
            return None;
        }
        let held = |body: &Body| {
            body.kind == BodyKind::Static
                && body
                    .parts
                    .iter()
                    .any(|part| matches!(part.shape.planar(), PlaneShape::HalfPlane(_) | PlaneShape::Polyline(_)))
        };
        let reported = |what: &str, body: &Body| Some(format!("{what} `{}` cannot be in uniform motion", body.name));
        for body in &world.bodies {
            if held(body) {
                return reported("a shape that may only stand still:", body);
            }
            if body.absent {
                return reported("a body that comes in later:", body);
            }
            if body.linear_damping != 0.0 {
                return reported("damping slows down against the world at rest:", body);
            }
        }
        None
    }

    /// Multiplies a quantity of length, mass and time to these powers.
    pub(crate) fn factor(&self, length: i32, mass: i32, time: i32) -> f64 {
        power(self.length, length) * power(self.mass, mass) * power(self.time, time)
    }
}

/// By multiplication alone, so that powers of two stay exact.
fn power(base: f64, exponent: i32) -> f64 {
    let whole = (0..exponent.abs()).fold(1.0, |product, _| product * base);
    if exponent < 0 { 1.0 / whole } else { whole }
}

/// A quarter turn, or a mirror, of a vector of the plane.
fn turned_vector(turned: Turned, v: DVec2) -> DVec2 {
    match turned {
        Turned::No => v,
        Turned::Mirrored => DVec2::new(-v.x, v.y),
        Turned::Quarter => DVec2::new(-v.y, v.x),
    }
}

/// The opposite of [`turned_vector`].
fn turned_back(turned: Turned, v: DVec2) -> DVec2 {
    match turned {
        Turned::No => v,
        Turned::Mirrored => DVec2::new(-v.x, v.y),
        Turned::Quarter => DVec2::new(v.y, -v.x),
    }
}

/// The sign of angles and spins after a turn.
fn handedness(turned: Turned) -> f64 {
    if turned == Turned::Mirrored { -1.0 } else { 1.0 }
}

fn flat(v: DVec3) -> DVec2 {
    DVec2::new(v.x, v.y)
}
