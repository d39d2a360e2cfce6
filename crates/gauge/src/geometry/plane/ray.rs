//! Where rays meet outlines of the plane.

use super::Collider;
use ironspin_model::DVec2;

/// How far along a ray an outline begins, as a share of the ray; 0 from inside, `None` where it is missed.
pub(super) fn meets(collider: &Collider, from: DVec2, way: DVec2) -> Option<f64> {
    let clip = |faces: &mut dyn Iterator<Item = (DVec2, f64)>| {
        let (mut enter, mut leave) = (0.0_f64, 1.0_f64);
        for (normal, level) in faces {
            let (height, slope) = (normal.dot(from) - level, normal.dot(way));
            if slope == 0.0 {
                if height > 0.0 {
                    return None;
                }
            } else if slope < 0.0 {
                enter = enter.max(-height / slope);
            } else {
                leave = leave.min(-height / slope);
            }
        }
        (enter <= leave).then_some(enter)
    };
    match collider {
        Collider::HalfPlane { normal, level } => clip(&mut std::iter::once((*normal, *level))),
        Collider::Hull { corners, radius } => {
            let count = corners.len();
            let edge = |i: usize| (corners[i], corners[(i + 1) % count]);
            let face = |(p, q): (DVec2, DVec2)| -(q - p).perp().normalize_or_zero();
            let mut first: Option<f64> = None;
            let mut found = |share: Option<f64>| {
                if let Some(share) = share.filter(|share| (0.0..=1.0).contains(share)) {
                    first = Some(first.map_or(share, |best| best.min(share)));
                }
            };
            match count {
                0 | 1 => {}
                2 => {
                    // A segment with a rim is a rectangle between two caps.
                    let (p, q) = edge(0);
                    let (side, along) = (face((p, q)), (q - p).normalize_or_zero());
                    let faces = [
                        (side, side.dot(p) + radius),
                        (-side, -side.dot(p) + radius),
                        (along, along.dot(q)),
                        (-along, -along.dot(p)),
                    ];
                    found(clip(&mut faces.into_iter()));
                }
                _ => found(clip(&mut (0..count).map(|i| (face(edge(i)), face(edge(i)).dot(edge(i).0))))),
            }
            if *radius > 0.0 {
                for &corner in corners {
                    found(cap(corner, *radius, from, way));
                }
            }
            first
        }
    }
}

/// Where a ray comes into a disc, as a share of the ray.
fn cap(centre: DVec2, radius: f64, from: DVec2, way: DVec2) -> Option<f64> {
    let to = from - centre;
    let (a, b, c) = (way.length_squared(), to.dot(way), to.length_squared() - radius * radius);
    if c <= 0.0 {
        return Some(0.0);
    }
    let root = b * b - a * c;
    // The form without cancellation: c and -b + sqrt are of the same sign as the roots.
    (root >= 0.0 && b < 0.0 && a > 0.0).then(|| c / (-b + root.sqrt()))
}
