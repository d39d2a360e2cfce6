//! Vectors, turns and what goes with them on the wire: two numbers in the plane, three in space.

use super::number::Number;
use ironspin_model::{DMat3, DQuat, DVec3, Dimension, Inertia, Pose, about_z};
use serde::{Deserialize, Serialize};

/// The numbers of a vector.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
#[serde(transparent)]
pub(crate) struct Vector(Vec<Number>);

impl Vector {
    pub(crate) fn of(dimension: Dimension, v: DVec3) -> Vector {
        Vector(match dimension {
            Dimension::Plane => vec![Number(v.x), Number(v.y)],
            Dimension::Space => vec![Number(v.x), Number(v.y), Number(v.z)],
        })
    }

    /// # Errors
    /// For another count of numbers than the dimension has.
    pub(crate) fn read(&self, dimension: Dimension) -> Result<DVec3, String> {
        match (dimension, self.0.as_slice()) {
            (Dimension::Plane, [x, y]) => Ok(DVec3::new(x.0, y.0, 0.0)),
            (Dimension::Space, [x, y, z]) => Ok(DVec3::new(x.0, y.0, z.0)),
            (Dimension::Plane, other) => Err(format!("a vector of {} numbers, and two are due", other.len())),
            (Dimension::Space, other) => Err(format!("a vector of {} numbers, and three are due", other.len())),
        }
    }
}

/// A number in the plane, several in space: spins, torques, inertias.
#[derive(Clone, Debug, Serialize, Deserialize)]
#[serde(untagged)]
pub(crate) enum Amount {
    One(Number),
    Several(Vec<Number>),
}

impl Amount {
    /// A spin or a torque.
    pub(crate) fn axial(dimension: Dimension, v: DVec3) -> Amount {
        match dimension {
            Dimension::Plane => Amount::One(Number(v.z)),
            Dimension::Space => Amount::Several(vec![Number(v.x), Number(v.y), Number(v.z)]),
        }
    }

    pub(crate) fn read_axial(&self, dimension: Dimension) -> Result<DVec3, String> {
        match (dimension, self) {
            (Dimension::Plane, Amount::One(number)) => Ok(about_z(number.0)),
            (Dimension::Space, Amount::Several(list)) if list.len() == 3 => {
                Ok(DVec3::new(list[0].0, list[1].0, list[2].0))
            }
            (Dimension::Plane, _) => Err("a spin or torque of several numbers, and one is due".to_owned()),
            (Dimension::Space, _) => Err("a spin or torque that is not of three numbers".to_owned()),
        }
    }

    /// A moment about z, or the six numbers of a matrix: Ixx, Iyy, Izz, Ixy, Ixz, Iyz.
    pub(crate) fn inertia(dimension: Dimension, inertia: Inertia) -> Amount {
        let m = inertia.0;
        match dimension {
            Dimension::Plane => Amount::One(Number(inertia.zz())),
            Dimension::Space => Amount::Several(
                [m.x_axis.x, m.y_axis.y, m.z_axis.z, m.x_axis.y, m.x_axis.z, m.y_axis.z].map(Number).to_vec(),
            ),
        }
    }

    pub(crate) fn read_inertia(&self, dimension: Dimension) -> Result<Inertia, String> {
        match (dimension, self) {
            (Dimension::Plane, Amount::One(moment)) => Ok(Inertia::planar(moment.0)),
            (Dimension::Space, Amount::Several(list)) if list.len() == 6 => {
                let n = |place: usize| list[place].0;
                Ok(Inertia(DMat3::from_cols(
                    DVec3::new(n(0), n(3), n(4)),
                    DVec3::new(n(3), n(1), n(5)),
                    DVec3::new(n(4), n(5), n(2)),
                )))
            }
            (Dimension::Plane, _) => Err("an inertia of several numbers, and one is due".to_owned()),
            (Dimension::Space, _) => Err("an inertia that is not of six numbers".to_owned()),
        }
    }
}

/// How something is turned: `angle` in the plane, `rotation` in space.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
pub(crate) struct TurnRow {
    #[serde(default, skip_serializing_if = "Option::is_none")]
    angle: Option<Number>,
    /// The quaternion, scalar first.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    rotation: Option<[Number; 4]>,
}

impl TurnRow {
    pub(crate) fn of(dimension: Dimension, pose: &Pose) -> TurnRow {
        let q = pose.rotation;
        match dimension {
            Dimension::Plane => TurnRow { angle: Some(Number(pose.angle)), rotation: None },
            Dimension::Space => TurnRow { angle: None, rotation: Some([q.w, q.x, q.y, q.z].map(Number)) },
        }
    }

    /// The pose at a place.
    pub(crate) fn pose(&self, dimension: Dimension, position: &Vector) -> Result<Pose, String> {
        let position = position.read(dimension)?;
        match (dimension, self.angle, self.rotation) {
            (Dimension::Plane, Some(angle), _) => Ok(Pose::planar(position, angle.0)),
            (Dimension::Space, _, Some([w, x, y, z])) => {
                Ok(Pose { position, rotation: DQuat::from_xyzw(x.0, y.0, z.0, w.0), angle: 0.0 })
            }
            (Dimension::Plane, None, _) => Err("the missing field `angle`".to_owned()),
            (Dimension::Space, _, None) => Err("the missing field `rotation`".to_owned()),
        }
    }
}
