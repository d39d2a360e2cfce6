//! Vectors of a file: the one place that knows how many numbers they have in the plane and in space.

use super::Resolver;
use crate::diagnostic::Diagnostic;
use crate::file::{Amount, Placed, TurnTable, Turns};
use crate::names::Names;
use crate::number::Number;
use crate::random::Generator;
use ironspin_model::{DQuat, DVec2, DVec3, Dimension, Pose, about_z, turn};
use std::ops::Range;

/// What `space` of a file says.
pub(crate) fn dimension(space: &Placed<i64>) -> Result<Dimension, Diagnostic> {
    match space.get_ref() {
        2 => Ok(Dimension::Plane),
        3 => Ok(Dimension::Space),
        other => Err(Diagnostic::at(space.span(), format!("space = {other} cannot be built"))
            .label("expected 2 or 3")
            .help("scenes of the plane have space = 2, scenes of space have space = 3")),
    }
}

impl Resolver {
    /// The numbers of a list as a vector of the world; z is 0 in the plane.
    pub(super) fn vector(&self, list: &[Number], span: Range<usize>, names: &Names) -> Result<DVec3, Diagnostic> {
        let (form, words) = match self.dimension {
            Dimension::Plane => ("[x, y]", "two"),
            Dimension::Space => ("[x, y, z]", "three"),
        };
        let value = |number: &Number| self.evaluator.value(number, names);
        match (self.dimension, list) {
            (Dimension::Plane, [x, y]) => Ok(DVec3::new(value(x)?, value(y)?, 0.0)),
            (Dimension::Space, [x, y, z]) => Ok(DVec3::new(value(x)?, value(y)?, value(z)?)),
            (Dimension::Plane | Dimension::Space, _) => {
                Err(Diagnostic::at(span, format!("found {} numbers where {form} is expected", list.len()))
                    .label(format!("expected {words} numbers")))
            }
        }
    }

    pub(super) fn placed_vector(&self, list: &Placed<Vec<Number>>, names: &Names) -> Result<DVec3, Diagnostic> {
        self.vector(list.get_ref(), list.span(), names)
    }

    /// Zero where none is given.
    pub(super) fn optional_vector(
        &self,
        list: Option<&Placed<Vec<Number>>>,
        names: &Names,
    ) -> Result<DVec3, Diagnostic> {
        list.map_or(Ok(DVec3::ZERO), |list| self.placed_vector(list, names))
    }

    /// A spin or a torque: one number about z in the plane, three along the world's axes in space.
    pub(super) fn axial(&self, amount: &Amount, what: &str, names: &Names) -> Result<DVec3, Diagnostic> {
        match (self.dimension, amount) {
            (Dimension::Plane, Amount::One(number)) => Ok(about_z(self.evaluator.value(number, names)?)),
            (Dimension::Space, Amount::List(list)) => self.placed_vector(list, names),
            (Dimension::Plane, Amount::List(list)) => {
                Err(Diagnostic::at(list.span(), format!("{what} in the plane is one number, about z"))
                    .label("expected one number"))
            }
            (Dimension::Space, Amount::One(number)) => {
                Err(Diagnostic::at(number.span(), format!("{what} in space has three numbers, along the world's axes"))
                    .label("expected [x, y, z]")
                    .help("one about z is [0, 0, ...]"))
            }
        }
    }

    /// How something is turned: by `angle` in the plane, by `turn` in space. `stream` is a number of its own for random turns.
    pub(super) fn pose(
        &self,
        position: DVec3,
        angle: Option<&Number>,
        turn: Option<&Placed<Turns>>,
        stream: u64,
        names: &Names,
    ) -> Result<Pose, Diagnostic> {
        match self.dimension {
            Dimension::Plane => {
                if let Some(turn) = turn {
                    return Err(Diagnostic::at(
                        turn.span(),
                        "`turn` is for scenes of space; in the plane there is `angle`",
                    )
                    .label("this scene has space = 2")
                    .help("write angle = \"30 deg\", or space = 3 at the head of the scene"));
                }
                Ok(Pose::planar(position, self.optional(angle, 0.0, names)?))
            }
            Dimension::Space => {
                if let Some(angle) = angle {
                    return Err(Diagnostic::at(
                        angle.span(),
                        "`angle` is for scenes of the plane; in space there is `turn`",
                    )
                    .label("about which axis?")
                    .help("write turn = { axis = [0, 0, 1], angle = \"30 deg\" }"));
                }
                let rotation = turn.map_or(Ok(DQuat::IDENTITY), |turn| self.turns(turn, stream, names))?;
                Ok(Pose { position, rotation, angle: 0.0 })
            }
        }
    }

    /// Several turns, one after the other.
    fn turns(&self, turns: &Placed<Turns>, stream: u64, names: &Names) -> Result<DQuat, Diagnostic> {
        let mut rotation: Option<DQuat> = None;
        for table in &turns.get_ref().0 {
            let next = self.turn(table, turns.span(), stream, names)?;
            rotation = Some(rotation.map_or(next, |before| turn::product(next, before)));
        }
        let rotation = rotation
            .ok_or_else(|| Diagnostic::at(turns.span(), "a list of turns has one turn at least").label("is empty"))?;
        // What is a unit quaternion but for a rounding keeps its bits.
        Ok(if (rotation.length_squared() - 1.0).abs() <= 1e-15 { rotation } else { rotation.normalize() })
    }

    fn turn(&self, table: &TurnTable, span: Range<usize>, stream: u64, names: &Names) -> Result<DQuat, Diagnostic> {
        match (&table.axis, &table.angle, &table.quaternion, &table.random) {
            (Some(axis), Some(angle), None, None) => {
                let direction = self.placed_vector(axis, names)?;
                let length = direction.length();
                if !(length > 0.0 && length.is_finite()) {
                    return Err(Diagnostic::at(axis.span(), "a turn needs an axis, and this one has no direction")
                        .label("no axis")
                        .help("about the vertical it is [0, 1, 0]"));
                }
                Ok(turn::about(direction / length, self.evaluator.value(angle, names)?))
            }
            (None, None, Some(quaternion), None) => {
                let numbers = quaternion.get_ref();
                let values = numbers.iter().map(|n| self.evaluator.value(n, names)).collect::<Result<Vec<_>, _>>()?;
                let [w, x, y, z] = values[..] else {
                    return Err(Diagnostic::at(
                        quaternion.span(),
                        format!("a quaternion has four numbers, and here are {}", values.len()),
                    )
                    .label("expected [w, x, y, z]"));
                };
                let found = DQuat::from_xyzw(x, y, z, w);
                if (found.length() - 1.0).abs() <= 1e-6 {
                    return Ok(found);
                }
                Err(Diagnostic::at(
                    quaternion.span(),
                    format!("a rotation is a unit quaternion, and this one is {} long", found.length()),
                )
                .label("not of unit length")
                .help("not turned at all is [1, 0, 0, 0]: the scalar comes first"))
            }
            (None, None, None, Some(number)) => {
                let own = self.evaluator.value(number, names)?;
                Ok(any_turn(&mut Generator::new(self.seed, stream ^ own.to_bits().rotate_left(29))))
            }
            (Some(axis), None, None, None) => Err(Diagnostic::at(axis.span(), "this turn has an axis and no angle")
                .label("by how much?")
                .help("add angle = \"30 deg\"")),
            (None, Some(angle), None, None) => Err(Diagnostic::at(angle.span(), "this turn has an angle and no axis")
                .label("about which axis?")
                .help("add axis = [0, 1, 0]")),
            _ => Err(Diagnostic::at(span, "a turn is given by `axis` and `angle`, by `quaternion`, or by `random`")
                .label("one of these")
                .help("{ axis = [0, 1, 0], angle = \"30 deg\" }")),
        }
    }
}

/// A rotation, each as likely as any other (Marsaglia, "Choosing a point from the surface of a sphere", 1972): two points of the unit disc, the
/// second stretched so that the four numbers are of unit length.
fn any_turn(generator: &mut Generator) -> DQuat {
    let mut disc = || loop {
        let point = DVec2::new(2.0 * generator.share() - 1.0, 2.0 * generator.share() - 1.0);
        let square = point.length_squared();
        if square <= 1.0 && square > 0.0 {
            return (point, square);
        }
    };
    let ((a, one), (b, other)) = (disc(), disc());
    let b = b * ((1.0 - one) / other).sqrt();
    DQuat::from_xyzw(a.y, b.x, b.y, a.x).normalize()
}
