//! The same trial given to the engine in other coordinates: in other units, mirrored, moved far out. What the engine answers is carried
//! back in the terms of the scene, so that gauges and comparisons know one world only.
//!
//! Every quantity is a product of powers of length, mass and time; with factors that are powers of two (of four where a root
//! is taken) the transform and its inverse are exact.

mod from_engine;
mod to_engine;
mod transformed;

pub(crate) use transformed::Transformed;

use ironspin_model::{Body, BodyKind, Conditions, DMat3, DQuat, DVec3, Dimension, Effect, Inertia, World};

/// A turn of the whole world.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum Turned {
    /// As it is.
    #[default]
    No,
    /// The coordinate along an axis (0, 1 or 2) changes its sign.
    Mirrored(usize),
    /// A quarter turn about an axis, by the right-hand rule. Bodies are built turned, so that no angle is rounded.
    Quarter(usize),
}

impl Turned {
    /// A vector after it.
    fn turn(self, v: DVec3) -> DVec3 {
        let mut turned = v;
        match self {
            Turned::No => {}
            Turned::Mirrored(axis) => turned[axis] = -v[axis],
            Turned::Quarter(axis) => {
                let (b, c) = ((axis + 1) % 3, (axis + 2) % 3);
                (turned[b], turned[c]) = (-v[c], v[b]);
            }
        }
        turned
    }

    /// The opposite of [`Turned::turn`].
    fn turn_back(self, v: DVec3) -> DVec3 {
        match self {
            Turned::No | Turned::Mirrored(_) => self.turn(v),
            // Three more of them come round.
            Turned::Quarter(_) => self.turn(self.turn(self.turn(v))),
        }
    }

    /// The sign of axial vectors, such as spins: a mirror turns them round once more.
    fn hand(self) -> f64 {
        if matches!(self, Turned::Mirrored(_)) { -1.0 } else { 1.0 }
    }

    /// The rotation of a body whose own axes are turned like the world: M R M⁻¹, whose axis is an axial vector.
    fn rotation(self, rotation: DQuat) -> DQuat {
        let axis = self.hand() * self.turn(DVec3::new(rotation.x, rotation.y, rotation.z));
        DQuat::from_xyzw(axis.x, axis.y, axis.z, rotation.w)
    }

    /// The opposite of [`Turned::rotation`].
    fn rotation_back(self, rotation: DQuat) -> DQuat {
        let axis = self.hand() * self.turn_back(DVec3::new(rotation.x, rotation.y, rotation.z));
        DQuat::from_xyzw(axis.x, axis.y, axis.z, rotation.w)
    }

    /// Inertia in own axes that are turned like the world: M I Mᵀ.
    fn inertia(self, Inertia(own): Inertia) -> Inertia {
        let columns = |m: DMat3| DMat3::from_cols(self.turn(m.x_axis), self.turn(m.y_axis), self.turn(m.z_axis));
        Inertia(columns(columns(own).transpose()))
    }
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
    pub(crate) shift: DVec3,
    /// In uniform motion as a whole, m/s of the scene.
    pub(crate) boost: DVec3,
    /// Bodies handed over in the opposite order.
    pub(crate) reversed: bool,
    /// A body more, far away.
    pub(crate) bystander: bool,
}

/// How many bodies a scene has: ids of nodes begin behind the rigid ones.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Census {
    rigid: usize,
    bodies: usize,
}

impl Census {
    pub(crate) fn of(world: &World) -> Census {
        Census { rigid: world.rigid_count(), bodies: world.bodies.len() }
    }
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
            shift: DVec3::ZERO,
            boost: DVec3::ZERO,
            reversed: false,
            bystander: false,
        }
    }
}

impl Transform {
    /// The transform that conditions ask for: other units, another size, another place.
    pub(crate) fn of(conditions: &Conditions, dimension: Dimension) -> Transform {
        let size = conditions.size.value;
        Transform {
            length: conditions.units.value * size,
            // The density stays.
            mass: power(size, i32::from(dimension.number())),
            time: conditions.slowness(),
            shift: DVec3::from_array(conditions.origin.at),
            ..Transform::default()
        }
    }

    /// Why a world cannot be transformed in this way.
    pub(crate) fn obstacle(&self, world: &World) -> Option<String> {
        if self.boost == DVec3::ZERO {
            return None;
        }
        let held =
            |body: &Body| body.kind == BodyKind::Static && body.parts.iter().any(|part| part.shape.static_only());
        let reported = |what: &str, body: &Body| Some(format!("{what} `{}` cannot be in uniform motion", body.name));
        let lets_go = world.actions.iter().any(|action| matches!(action.effect, Effect::Hold(_)));
        let held_node = world.bodies[world.rigid_count()..].iter().find(|node| node.mass == 0.0 || lets_go);
        if let Some(node) = held_node {
            return reported("a node that is held:", node);
        }
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

#[cfg(test)]
mod tests {
    use super::*;
    use ironspin_model::turn;

    #[test]
    fn a_turn_of_the_world_turns_what_a_body_does_likewise() {
        let rotation = turn::about(DVec3::new(2.0, -3.0, 6.0) / 7.0, 0.8);
        let own = DVec3::new(0.3, -0.5, 0.7);
        let inertia = Inertia(DMat3::from_cols_array(&[3.0, 0.2, 0.1, 0.2, 2.0, -0.3, 0.1, -0.3, 4.0]));
        let all = (0..3).flat_map(|axis| [Turned::Mirrored(axis), Turned::Quarter(axis)]);
        for turned in all.chain([Turned::No]) {
            assert_eq!(turned.turn_back(turned.turn(own)), own);
            assert_eq!(turned.rotation_back(turned.rotation(rotation)), rotation);
            // A point of the body goes where the turned world has it.
            let there = turned.turn(turn::turned(rotation, own));
            assert!(turn::turned(turned.rotation(rotation), turned.turn(own)).distance(there) < 1e-15, "{turned:?}");
            // The energy of a spin in own axes is what it was.
            let spin = turned.hand() * turned.turn(own);
            let energy = |Inertia(m): Inertia, w: DVec3| w.dot(m * w);
            assert!((energy(turned.inertia(inertia), spin) - energy(inertia, own)).abs() < 1e-15, "{turned:?}");
        }
    }
}
