//! The columns of a trace.

use ironspin_model::Dimension;

/// One column. A trace needs `body`, one of `step` and `time`, and `x` and `y`; all others may be left out.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Column {
    /// Steps done, from 0.
    Step,
    /// Simulated time, s.
    Time,
    /// Name of the body in the scene.
    Body,
    /// Centre of mass, m.
    X,
    /// Centre of mass, m.
    Y,
    /// Centre of mass, m; 0 in the plane.
    Z,
    /// Angle about z, counter-clockwise, not wrapped, rad; in the plane.
    Angle,
    /// Real part of the unit quaternion; in space.
    Qw,
    /// i part of the unit quaternion.
    Qx,
    /// j part of the unit quaternion.
    Qy,
    /// k part of the unit quaternion.
    Qz,
    /// The numbers of a quaternion whose order is told with the file.
    Q0,
    /// The second.
    Q1,
    /// The third.
    Q2,
    /// The fourth.
    Q3,
    /// The first of three angles, about axes that are told with the file, rad.
    A1,
    /// The second.
    A2,
    /// The third.
    A3,
    /// Row 1 and column 1 of the matrix that turns the body's axes to the world's.
    R11,
    /// Row 1, column 2.
    R12,
    /// Row 1, column 3.
    R13,
    /// Row 2, column 1.
    R21,
    /// Row 2, column 2.
    R22,
    /// Row 2, column 3.
    R23,
    /// Row 3, column 1.
    R31,
    /// Row 3, column 2.
    R32,
    /// Row 3, column 3.
    R33,
    /// Velocity of the centre, m/s.
    Vx,
    /// Velocity of the centre, m/s.
    Vy,
    /// Velocity of the centre, m/s.
    Vz,
    /// Angular velocity about z, rad/s; in the plane.
    Spin,
    /// Angular velocity, rad/s; in space.
    Wx,
    /// Angular velocity, rad/s.
    Wy,
    /// Angular velocity, rad/s.
    Wz,
}

impl Column {
    const ALL: [(Column, &'static str); 34] = [
        (Column::Step, "step"),
        (Column::Time, "time"),
        (Column::Body, "body"),
        (Column::X, "x"),
        (Column::Y, "y"),
        (Column::Z, "z"),
        (Column::Angle, "angle"),
        (Column::Qw, "qw"),
        (Column::Qx, "qx"),
        (Column::Qy, "qy"),
        (Column::Qz, "qz"),
        (Column::Q0, "q0"),
        (Column::Q1, "q1"),
        (Column::Q2, "q2"),
        (Column::Q3, "q3"),
        (Column::A1, "a1"),
        (Column::A2, "a2"),
        (Column::A3, "a3"),
        (Column::R11, "r11"),
        (Column::R12, "r12"),
        (Column::R13, "r13"),
        (Column::R21, "r21"),
        (Column::R22, "r22"),
        (Column::R23, "r23"),
        (Column::R31, "r31"),
        (Column::R32, "r32"),
        (Column::R33, "r33"),
        (Column::Vx, "vx"),
        (Column::Vy, "vy"),
        (Column::Vz, "vz"),
        (Column::Spin, "spin"),
        (Column::Wx, "wx"),
        (Column::Wy, "wy"),
        (Column::Wz, "wz"),
    ];
    /// The columns that are written for a planar world.
    pub(crate) const PLANAR: [Column; 9] = [
        Column::Step,
        Column::Time,
        Column::Body,
        Column::X,
        Column::Y,
        Column::Angle,
        Column::Vx,
        Column::Vy,
        Column::Spin,
    ];

    /// The columns that are written for a world of space.
    pub(crate) const SPATIAL: [Column; 16] = [
        Column::Step,
        Column::Time,
        Column::Body,
        Column::X,
        Column::Y,
        Column::Z,
        Column::Qw,
        Column::Qx,
        Column::Qy,
        Column::Qz,
        Column::Vx,
        Column::Vy,
        Column::Vz,
        Column::Wx,
        Column::Wy,
        Column::Wz,
    ];

    /// The columns that are written for a world.
    pub(crate) fn of_world(dimension: Dimension) -> &'static [Column] {
        match dimension {
            Dimension::Plane => &Column::PLANAR,
            Dimension::Space => &Column::SPATIAL,
        }
    }

    /// The column of a name.
    pub fn named(name: &str) -> Option<Column> {
        Column::ALL.iter().find(|(_, known)| *known == name).map(|(column, _)| *column)
    }

    /// Its name.
    pub fn name(self) -> &'static str {
        Column::ALL.iter().find(|(column, _)| *column == self).map_or("", |(_, name)| name)
    }
}

/// All names of columns.
pub fn column_names() -> impl Iterator<Item = &'static str> {
    Column::ALL.iter().map(|(_, name)| *name)
}

#[cfg(test)]
mod tests {
    use super::*;
    use ironspin_model::rows::{plane, space, state_names};

    #[test]
    fn the_columns_of_a_trace_are_those_of_its_rows_in_their_order() {
        for dimension in [Dimension::Plane, Dimension::Space] {
            let names: Vec<&str> = Column::of_world(dimension).iter().map(|column| column.name()).collect();
            assert_eq!(names[..3], ["step", "time", "body"]);
            assert_eq!(names[3..], *state_names(dimension));
        }
    }

    #[test]
    fn every_number_of_a_row_has_a_column_and_every_column_its_name() {
        for name in plane::STATE_NAMES.iter().chain(&space::STATE_NAMES) {
            assert_eq!(Column::named(name).map(Column::name), Some(*name));
        }
        assert_eq!(Column::named("height"), None);
        assert_eq!(column_names().count(), Column::ALL.len());
    }
}
