//! Where a straight path crosses an outline.

use super::Collider;
use crate::geometry::common::{Crossing, Met};
use ironspin_model::DVec2;

/// Clips a path against an outline (Cyrus and Beck, 1978); `None` when it stays outside. A disc is taken as the diamond
/// inside it, so that a path through its middle has two faces to cross.
pub(super) fn cross(collider: &Collider, from: DVec2, to: DVec2) -> Option<Crossing> {
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
                crossing.entry = Some(normal.extend(0.0));
            }
        } else if share < leave {
            leave = share;
            crossing.exit = Some(normal.extend(0.0));
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

/// What a straight way does to an outline: a half-plane has no far side, a segment has two faces and nothing between them.
pub(super) fn met(collider: &Collider, [from, to]: [DVec2; 2]) -> Met {
    match collider {
        Collider::HalfPlane { normal, level } => {
            Met::Depths { normal: normal.extend(0.0), depths: [from, to].map(|point| level - normal.dot(point)) }
        }
        Collider::Hull { corners, .. } if corners.len() == 2 => {
            let (p, q) = (corners[0], corners[1]);
            let side = |point: DVec2| (q - p).perp_dot(point - p);
            let (was, is) = (side(from), side(to));
            let way = to - from;
            let crossed = (was < 0.0) != (is < 0.0) && way.perp_dot(p - from) * way.perp_dot(q - from) <= 0.0;
            let out = (q - p).perp().normalize_or_zero() * if is < 0.0 { -1.0 } else { 1.0 };
            Met::Sheet(crossed.then_some(out.extend(0.0)))
        }
        Collider::Hull { .. } => Met::Solid(cross(collider, from, to)),
    }
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
    use ironspin_model::DVec3;

    #[test]
    fn paths_through_into_out_of_and_beside_a_plate() {
        let plate = Collider::Hull {
            corners: vec![DVec2::new(-0.1, -1.0), DVec2::new(0.1, -1.0), DVec2::new(0.1, 1.0), DVec2::new(-0.1, 1.0)],
            radius: 0.0,
        };
        let path = |x0: f64, x1: f64, y: f64| cross(&plate, DVec2::new(x0, y), DVec2::new(x1, y));
        assert_eq!(path(-1.0, 1.0, 0.0), Some(Crossing { entry: Some(DVec3::NEG_X), exit: Some(DVec3::X) }));
        assert_eq!(path(-1.0, 0.0, 0.0), Some(Crossing { entry: Some(DVec3::NEG_X), exit: None }));
        assert_eq!(path(0.0, -1.0, 0.0), Some(Crossing { entry: None, exit: Some(DVec3::NEG_X) }));
        assert_eq!(path(-1.0, -0.2, 0.0), None);
        assert_eq!(path(-1.0, 1.0, 1.5), None);
    }
}
