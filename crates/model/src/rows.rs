//! The one layout of states and contacts as rows of numbers: what the engine protocol, the C interface, shared memory and recorded traces hand
//! on, and in which frames are compared. One module for each kind of row.

use crate::{BodyState, Contact, Dimension};
use glam::DVec3;

/// Rows of the plane.
pub mod plane {
    use super::*;

    /// Numbers of the state of a body: x, y, angle, vx, vy, spin, in m, rad, m/s and rad/s.
    pub const STATE: usize = 6;
    /// What the numbers of a state are called, in tables and messages.
    pub const STATE_NAMES: [&str; STATE] = ["x", "y", "angle", "vx", "vy", "spin"];
    /// Numbers of a contact: i, j, x, y, nx, ny, depth, impulse, times.
    pub const CONTACT: usize = 9;
    /// Numbers of a contact of which it is not said how many impacts it stands for.
    pub const PLAIN_CONTACT: usize = 8;

    /// The row of a state.
    pub fn state_row(state: &BodyState) -> [f64; STATE] {
        let (p, v) = (state.pose.position, state.velocity);
        [p.x, p.y, state.pose.angle, v.x, v.y, state.spin.z]
    }

    /// The state of a row of [`STATE`] numbers; a row of nothing but not-a-number is a body that is not there.
    pub fn state_of(n: &[f64]) -> BodyState {
        if n.iter().all(|number| number.is_nan()) {
            return BodyState::absent();
        }
        BodyState::planar(DVec3::new(n[0], n[1], 0.0), n[2], DVec3::new(n[3], n[4], 0.0), n[5])
    }

    /// The row of a contact.
    pub fn contact_row(contact: &Contact) -> [f64; CONTACT] {
        let ([i, j], p, n) = (contact.bodies, contact.point, contact.normal);
        let times = contact.times.map_or(f64::NAN, |times| times as f64);
        [i as f64, j as f64, p.x, p.y, n.x, n.y, contact.depth, contact.impulse, times]
    }

    /// The contact of a row of [`PLAIN_CONTACT`] or [`CONTACT`] numbers.
    pub fn contact_of(n: &[f64]) -> Contact {
        Contact {
            bodies: [whole(n[0]), whole(n[1])],
            point: DVec3::new(n[2], n[3], 0.0),
            normal: DVec3::new(n[4], n[5], 0.0),
            depth: n[6],
            impulse: n[7],
            times: n.get(8).filter(|times| !times.is_nan()).map(|times| times.max(0.0) as u64),
        }
    }
}

/// Rows of space.
pub mod space {
    use super::*;
    use crate::Pose;
    use glam::DQuat;

    /// Numbers of the state of a body: x, y, z, the quaternion qw, qx, qy, qz, the velocity vx, vy, vz and the spin wx, wy, wz, in m, 1, m/s and
    /// rad/s.
    pub const STATE: usize = 13;
    /// What the numbers of a state are called, in tables and messages.
    pub const STATE_NAMES: [&str; STATE] = ["x", "y", "z", "qw", "qx", "qy", "qz", "vx", "vy", "vz", "wx", "wy", "wz"];

    /// The row of a state.
    pub fn state_row(state: &BodyState) -> [f64; STATE] {
        let (p, r, v, w) = (state.pose.position, state.pose.rotation, state.velocity, state.spin);
        [p.x, p.y, p.z, r.w, r.x, r.y, r.z, v.x, v.y, v.z, w.x, w.y, w.z]
    }

    /// Numbers of a contact: i, j, x, y, z, nx, ny, nz, depth, impulse, times.
    pub const CONTACT: usize = 11;
    /// Numbers of a contact of which it is not said how many impacts it stands for.
    pub const PLAIN_CONTACT: usize = 10;

    /// The state of a row of [`STATE`] numbers; the unwrapped turn of the plane is 0 in space. A row of nothing but not-a-number is a body
    /// that is not there.
    pub fn state_of(n: &[f64]) -> BodyState {
        if n.iter().all(|number| number.is_nan()) {
            return BodyState::absent();
        }
        BodyState {
            pose: Pose {
                position: DVec3::new(n[0], n[1], n[2]),
                rotation: DQuat::from_xyzw(n[4], n[5], n[6], n[3]),
                angle: 0.0,
            },
            velocity: DVec3::new(n[7], n[8], n[9]),
            spin: DVec3::new(n[10], n[11], n[12]),
        }
    }

    /// The row of a contact.
    pub fn contact_row(contact: &Contact) -> [f64; CONTACT] {
        let ([i, j], p, n) = (contact.bodies, contact.point, contact.normal);
        let times = contact.times.map_or(f64::NAN, |times| times as f64);
        [i as f64, j as f64, p.x, p.y, p.z, n.x, n.y, n.z, contact.depth, contact.impulse, times]
    }

    /// The contact of a row of [`PLAIN_CONTACT`] or [`CONTACT`] numbers.
    pub fn contact_of(n: &[f64]) -> Contact {
        Contact {
            bodies: [whole(n[0]), whole(n[1])],
            point: DVec3::new(n[2], n[3], n[4]),
            normal: DVec3::new(n[5], n[6], n[7]),
            depth: n[8],
            impulse: n[9],
            times: n.get(10).filter(|times| !times.is_nan()).map(|times| times.max(0.0) as u64),
        }
    }
}

/// The number of a body as a number of a row; one that there is not, where it is no whole one.
fn whole(number: f64) -> usize {
    if number >= 0.0 && number.fract() == 0.0 { number as usize } else { usize::MAX }
}

/// Numbers of the state of a body.
pub fn state_len(dimension: Dimension) -> usize {
    match dimension {
        Dimension::Plane => plane::STATE,
        Dimension::Space => space::STATE,
    }
}

/// What the numbers of a state are called.
pub fn state_names(dimension: Dimension) -> &'static [&'static str] {
    match dimension {
        Dimension::Plane => &plane::STATE_NAMES,
        Dimension::Space => &space::STATE_NAMES,
    }
}

/// Appends the row of a state.
pub fn push_state(dimension: Dimension, state: &BodyState, out: &mut Vec<f64>) {
    match dimension {
        Dimension::Plane => out.extend(plane::state_row(state)),
        Dimension::Space => out.extend(space::state_row(state)),
    }
}

/// The state of a row of [`state_len`] numbers.
pub fn state_of(dimension: Dimension, row: &[f64]) -> BodyState {
    match dimension {
        Dimension::Plane => plane::state_of(row),
        Dimension::Space => space::state_of(row),
    }
}

/// Numbers of a node of a soft body: its place and its velocity.
pub fn node_len(dimension: Dimension) -> usize {
    2 * usize::from(dimension.number())
}

/// Appends the row of a node: x, y, vx, vy in the plane, x, y, z, vx, vy, vz in space.
pub fn push_node(dimension: Dimension, state: &BodyState, out: &mut Vec<f64>) {
    let axes = usize::from(dimension.number());
    out.extend(&state.pose.position.to_array()[..axes]);
    out.extend(&state.velocity.to_array()[..axes]);
}

/// The node of a row of [`node_len`] numbers; nothing but not-a-number is one that is not there.
pub fn node_of(dimension: Dimension, row: &[f64]) -> BodyState {
    if row.iter().all(|number| number.is_nan()) {
        return BodyState::absent();
    }
    let axes = usize::from(dimension.number());
    let vector = |numbers: &[f64]| DVec3::new(numbers[0], numbers[1], numbers.get(2).copied().unwrap_or(0.0));
    BodyState::planar(vector(&row[..axes]), 0.0, vector(&row[axes..]), 0.0)
}

/// Numbers of a contact; one fewer where it is not said how many impacts it stands for.
pub fn contact_len(dimension: Dimension) -> usize {
    match dimension {
        Dimension::Plane => plane::CONTACT,
        Dimension::Space => space::CONTACT,
    }
}

/// Appends the row of a contact.
pub fn push_contact(dimension: Dimension, contact: &Contact, out: &mut Vec<f64>) {
    match dimension {
        Dimension::Plane => out.extend(plane::contact_row(contact)),
        Dimension::Space => out.extend(space::contact_row(contact)),
    }
}

/// The contact of a row of [`contact_len`] numbers, or of one fewer.
pub fn contact_of(dimension: Dimension, row: &[f64]) -> Contact {
    match dimension {
        Dimension::Plane => plane::contact_of(row),
        Dimension::Space => space::contact_of(row),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn states_of_space_come_back_from_their_rows_to_the_bit() {
        let rotation = glam::DQuat::from_xyzw(0.1, -0.2, 0.3, 0.9).normalize();
        let state = BodyState {
            pose: crate::Pose { position: DVec3::new(1.0 / 3.0, -0.0, 5e-324), rotation, angle: 0.0 },
            velocity: DVec3::new(1.0, 2.0, 3.0),
            spin: DVec3::new(-4.0, 5.0, -6.0),
        };
        let row = space::state_row(&state);
        assert_eq!(row[3], rotation.w);
        let back = space::state_of(&row);
        assert_eq!(space::state_row(&back).map(f64::to_bits), row.map(f64::to_bits));
        assert!(back.is_finite() && !back.is_absent());
        let contact = Contact {
            bodies: [3, 9],
            point: DVec3::new(0.1, 0.2, 0.3),
            normal: DVec3::Z,
            depth: -1e-9,
            impulse: 4.0,
            times: Some(2),
        };
        let row = space::contact_row(&contact);
        assert_eq!(space::contact_of(&row), contact);
        assert_eq!(space::contact_of(&row[..space::PLAIN_CONTACT]), Contact { times: None, ..contact });
        assert!(space::state_of(&[f64::NAN; space::STATE]).is_absent());
        assert_eq!(plane::STATE_NAMES.len(), plane::state_row(&state).len());
        assert_eq!(space::STATE_NAMES[3..7], ["qw", "qx", "qy", "qz"]);
    }

    #[test]
    fn states_and_contacts_come_back_from_their_rows_to_the_bit() {
        let state = BodyState::planar(DVec3::new(1.0 / 3.0, -2.0, 0.0), 7.5, DVec3::new(0.1, -0.0, 0.0), 1e-300);
        assert_eq!(plane::state_of(&plane::state_row(&state)), state);
        assert!(plane::state_of(&plane::state_row(&BodyState::absent())).is_absent());
        let contact = Contact {
            bodies: [3, 9],
            point: DVec3::new(0.1, 0.2, 0.0),
            normal: DVec3::Y,
            depth: -1e-9,
            impulse: 4.0,
            times: None,
        };
        let row = plane::contact_row(&contact);
        assert_eq!(plane::contact_of(&row), contact);
        assert_eq!(plane::contact_of(&row[..plane::PLAIN_CONTACT]), contact);
        let many = Contact { times: Some(12), ..contact };
        assert_eq!(plane::contact_of(&plane::contact_row(&many)), many);
    }
}
