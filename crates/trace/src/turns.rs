//! How a row tells a rotation of space: as a quaternion, a matrix, or three angles.

use crate::columns::Column;
use ironspin_model::{DMat3, DQuat, DVec3, turn};

/// Which hand the axes of a file have.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Hand {
    /// x, y and z as thumb, forefinger and middle finger of the right hand.
    #[default]
    Right,
    /// Of the left hand: of x and up being as said, the third axis points the other way.
    Left,
}

/// Which of the four numbers of a quaternion in columns `q0` to `q3` is the scalar.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ScalarPlace {
    /// `q0`.
    First,
    /// `q3`.
    Last,
}

/// The axes of the world about which three angles turn a body, one after the other.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct TurnOrder([usize; 3]);

impl std::str::FromStr for TurnOrder {
    type Err = String;

    /// Three letters, such as `zxy` or `zxz`.
    fn from_str(text: &str) -> Result<Self, String> {
        let axis = |letter: char| "xyz".find(letter);
        let axes: Option<Vec<usize>> = text.chars().map(axis).collect();
        match axes.as_deref() {
            Some(&[a, b, c]) if a != b && b != c => Ok(TurnOrder([a, b, c])),
            _ => Err("three axes, one after the other and none twice in a row, such as xyz or zxz".to_owned()),
        }
    }
}

impl TurnOrder {
    /// The rotation by three angles, rad.
    pub(crate) fn rotation(self, angles: [f64; 3]) -> DQuat {
        let axes = self.0.map(|axis| [DVec3::X, DVec3::Y, DVec3::Z][axis]);
        let turns = axes.into_iter().zip(angles).map(|(axis, angle)| turn::about(axis, angle));
        turns.fold(DQuat::IDENTITY, |before, next| turn::product(next, before))
    }
}

/// The columns of a matrix, row by row: `r12` stands in row 1 and column 2.
pub(crate) const MATRIX: [Column; 9] = [
    Column::R11,
    Column::R12,
    Column::R13,
    Column::R21,
    Column::R22,
    Column::R23,
    Column::R31,
    Column::R32,
    Column::R33,
];

/// How far a matrix may be off a rotation.
const OFF: f64 = 1e-3;

/// The rotation of a matrix; why it is none, and what to do.
pub(crate) fn of_matrix(rows: [f64; 9]) -> Result<DQuat, (String, &'static str)> {
    if rows.iter().any(|number| !number.is_finite()) {
        // A mistake of the engine, which is told where its states are looked at.
        return Ok(DQuat::from_xyzw(f64::NAN, f64::NAN, f64::NAN, f64::NAN));
    }
    let [a, b, c] = [0, 3, 6].map(|row| DVec3::new(rows[row], rows[row + 1], rows[row + 2]));
    let lengths = [a, b, c].map(|row| row.length());
    let across = [a.dot(b), b.dot(c), c.dot(a)];
    let off = lengths.iter().map(|length| (length - 1.0).abs()).chain(across.map(f64::abs)).fold(0.0, f64::max);
    if !(off <= OFF) {
        let why = format!(
            "the matrix is off a rotation by {off:.1e}: its rows are not of unit length and square to each other"
        );
        return Err((why, "`r12` stands in row 1 and column 2; take scale and shear out of it"));
    }
    if a.cross(b).dot(c) < 0.0 {
        let why = "the matrix mirrors: its determinant is -1".to_owned();
        return Err((
            why,
            "a rotation of left-handed axes has +1 as well: give --hand left for such a file, and its own matrix",
        ));
    }
    Ok(DQuat::from_mat3(&DMat3::from_cols(a, b, c).transpose()).normalize())
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::f64::consts::FRAC_PI_2;

    #[test]
    fn angles_turn_about_the_axes_of_the_world_one_after_the_other() {
        let order: TurnOrder = "xzy".parse().unwrap();
        // A quarter about x carries y to z; the quarter about z then leaves it there.
        let rotation = order.rotation([FRAC_PI_2, FRAC_PI_2, 0.0]);
        assert!((turn::turned(rotation, DVec3::Y) - DVec3::Z).length() < 1e-15);
        assert!((turn::turned(rotation, DVec3::X) - DVec3::Y).length() < 1e-15);
        for wrong in ["", "xy", "xxy", "xyzx", "xyw"] {
            assert!(wrong.parse::<TurnOrder>().is_err(), "{wrong}");
        }
    }

    #[test]
    fn a_matrix_is_read_row_by_row_and_one_that_mirrors_or_shears_is_told() {
        // About z by a quarter: x goes to y, so that the first column is y.
        let quarter = of_matrix([0.0, -1.0, 0.0, 1.0, 0.0, 0.0, 0.0, 0.0, 1.0]).unwrap();
        assert!((turn::turned(quarter, DVec3::X) - DVec3::Y).length() < 1e-15);
        assert!(of_matrix([1.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, -1.0]).unwrap_err().0.contains("mirrors"));
        assert!(
            of_matrix([1.0, 0.1, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 1.0]).unwrap_err().0.contains("square to each other")
        );
        assert!(of_matrix([f64::NAN; 9]).unwrap().is_nan());
    }
}
