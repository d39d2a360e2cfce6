//! Where a straight path crosses an outline.

use super::Collider;
use ironspin_model::DVec2;

/// How a path from one point to another meets an outline's core (its hull without the rim).
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Crossing {
    /// Outward normal of the face by which it comes in; absent when the path begins inside.
    pub(crate) entry: Option<DVec2>,
    /// Outward normal of the face by which it goes out; absent when the path ends inside.
    pub(crate) exit: Option<DVec2>,
}

/// Clips a path against an outline (Cyrus and Beck, 1978); `None` when it stays outside. A disc is taken as the diamond
/// inside it, so that a path through its middle has two faces to cross.
pub(crate) fn cross(collider: &Collider, from: DVec2, to: DVec2) -> Option<Crossing> {
    let faces = faces(collider);
    let way = to - from;
    let (mut enter, mut leave) = (0.0_f64, 1.0_f64);
    let mut crossing = Crossing { entry: None, exit: None };
    for &(normal, level) in &faces {
        let height = normal.dot(from) - level;
        let slope = normal.dot(way);
        if slope == 0.0 {
            if height > 0.0 {
                return None;
            }
            continue;
        }
        let share = -height / slope;
        if slope < 0.0 {
            if height > 0.0 && share >= enter {
                enter = share;
                crossing.entry = Some(normal);
            }
        } else if share < leave {
            leave = share;
            crossing.exit = Some(normal);
        }
    }
    // A path that only touches a face does not come in.
    (enter < leave
        && faces.iter().all(|(normal, level)| {
            let middle = from + way * (0.5 * (enter + leave));
            normal.dot(middle) - level <= 0.0
        }))
    .then_some(crossing)
}

/// Outward normals and levels of the faces.
fn faces(collider: &Collider) -> Vec<(DVec2, f64)> {
    match collider {
        Collider::HalfPlane { normal, level } => vec![(*normal, *level)],
        Collider::Hull { corners, radius } if corners.len() == 1 => {
            let centre = corners[0];
            let diagonal = std::f64::consts::FRAC_1_SQRT_2;
            [(1.0, 1.0), (-1.0, 1.0), (-1.0, -1.0), (1.0, -1.0)]
                .map(|(x, y)| DVec2::new(x, y) * diagonal)
                .map(|normal| (normal, normal.dot(centre) + radius * diagonal))
                .to_vec()
        }
        Collider::Hull { corners, .. } => (0..corners.len())
            .map(|i| {
                let (p, q) = (corners[i], corners[(i + 1) % corners.len()]);
                let normal = DVec2::new(q.y - p.y, p.x - q.x).normalize_or(DVec2::Y);
                (normal, normal.dot(p))
            })
            .collect(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn paths_through_into_out_of_and_beside_a_plate() {
        let plate = Collider::Hull {
            corners: vec![DVec2::new(-0.1, -1.0), DVec2::new(0.1, -1.0), DVec2::new(0.1, 1.0), DVec2::new(-0.1, 1.0)],
            radius: 0.0,
        };
        let path = |x0: f64, x1: f64, y: f64| cross(&plate, DVec2::new(x0, y), DVec2::new(x1, y));
        assert_eq!(path(-1.0, 1.0, 0.0), Some(Crossing { entry: Some(DVec2::NEG_X), exit: Some(DVec2::X) }));
        assert_eq!(path(-1.0, 0.0, 0.0), Some(Crossing { entry: Some(DVec2::NEG_X), exit: None }));
        assert_eq!(path(0.0, -1.0, 0.0), Some(Crossing { entry: None, exit: Some(DVec2::NEG_X) }));
        assert_eq!(path(-1.0, -0.2, 0.0), None);
        assert_eq!(path(-1.0, 1.0, 1.5), None);
    }
}
