//! Contact with one segment of a polyline.
//!
//! A segment pushes along its own normal. Another direction is allowed only inside the wedge between its normal and that of
//! a neighbour over a ridge, or at a free end. So nothing that slides along a chain is caught by the seam between two
//! segments: there is no direction in which a seam could push it back.

use super::distance::{Gap, convex_gap};
use super::manifold::{Manifold, Point, clip, clip_end};
use crate::common::scalar::Real;
use crate::common::tolerance::FACE_PREFERENCE;
use crate::plane::shape::{Convex, Seams};
use crate::plane::vector::{Pose, Vec2};

/// A segment as seen from the side on which a body is: walked so that the body is on the left.
struct Side<R> {
    start: Vec2<R>,
    end: Vec2<R>,
    along: Vec2<R>,
    normal: Vec2<R>,
    before: Option<Vec2<R>>,
    after: Option<Vec2<R>>,
}

impl<R: Real> Side<R> {
    fn new(segment: &Convex<R>, seams: &Seams<R>, pose: &Pose<R>, of: Vec2<R>) -> Self {
        let (start, end) = (pose.point(segment.corners[0]), pose.point(segment.corners[1]));
        let along = (end - start).unit_or(Vec2::new(R::ONE, R::ZERO));
        let turned = |way: Option<Vec2<R>>| way.map(|way| pose.rotation.turn(way));
        let (before, after) = (turned(seams.before), turned(seams.after));
        if along.left().dot(of - start) >= R::ZERO {
            Side { start, end, along, normal: along.left(), before, after }
        } else {
            let back = |way: Option<Vec2<R>>| way.map(|way| -way);
            Side {
                start: end,
                end: start,
                along: -along,
                normal: -along.left(),
                before: back(after),
                after: back(before),
            }
        }
    }

    /// Whether the segment may push along a direction other than its normal.
    fn allows(&self, direction: Vec2<R>) -> bool {
        let forward = direction.dot(self.along) > R::ZERO;
        let (first, second) = match (forward, self.before, self.after) {
            (true, _, None) | (false, None, _) => return true,
            (true, _, Some(after)) => (self.along, after),
            (false, Some(before), _) => (before, self.along),
        };
        // A ridge turns right; the direction lies between both normals, going clockwise.
        first.cross(second) < R::ZERO
            && first.left().cross(direction) <= R::ZERO
            && direction.cross(second.left()) <= R::ZERO
    }
}

/// Gap of a segment and a convex that is no segment, in a direction in which the segment may push: where the nearest points
/// lie in another, the gap along the segment's own normal, which is never larger.
pub(crate) fn gap<R: Real>(
    segment: &Convex<R>,
    seams: &Seams<R>,
    pose: &Pose<R>,
    other: &Convex<R>,
    other_pose: &Pose<R>,
) -> Gap<R> {
    let found = convex_gap(segment, pose, other, other_pose);
    let side = Side::new(segment, seams, pose, other_pose.point(other.middle()));
    let free = |end: Option<Vec2<R>>| end.is_none();
    let beyond_free_end = (free(side.before) || free(side.after)) && found.gap > R::ZERO;
    if found.gap > R::ZERO && (beyond_free_end || side.allows(found.normal) || found.normal == side.normal) {
        return found;
    }
    let lowest =
        other.corners.iter().map(|&c| side.normal.dot(other_pose.point(c) - side.start)).fold(R::INFINITY, R::min);
    let along = lowest - other.radius;
    // Far past an end the line goes on and the segment does not.
    if found.gap > along.abs().max(R::ZERO) && found.gap > (side.end - side.start).length() {
        return found;
    }
    Gap { gap: along, normal: side.normal, point: found.point }
}

/// Contact points of a segment and a convex that is no segment; the segment is the first piece.
pub(crate) fn segment<R: Real>(
    segment: &Convex<R>,
    seams: &Seams<R>,
    pose: &Pose<R>,
    other: &Convex<R>,
    other_pose: &Pose<R>,
    margin: R,
) -> Manifold<R> {
    let side = Side::new(segment, seams, pose, other_pose.point(other.middle()));
    if other.corners.len() == 1 {
        return disc(&side, other_pose.point(other.corners[0]), other.radius, margin);
    }
    let lowest =
        other.corners.iter().map(|&c| side.normal.dot(other_pose.point(c) - side.start)).fold(R::INFINITY, R::min);
    let gap = lowest - other.radius;
    if gap > margin {
        return Manifold::default();
    }
    // The faces of the other shape, from which both ends of the segment are seen.
    let mut best = (-R::INFINITY, 0);
    for (face, &outward) in other.normals.iter().enumerate() {
        let outward = other_pose.rotation.turn(outward);
        let corner = other_pose.point(other.corners[face]);
        let apart = outward.dot(side.start - corner).min(outward.dot(side.end - corner)) - other.radius;
        if apart > margin {
            return Manifold::default();
        }
        if apart > best.0 && side.allows(-outward) {
            best = (apart, face);
        }
    }
    let preference = R::of(FACE_PREFERENCE) * (side.end - side.start).length();
    if other.radius > R::ZERO {
        // A rounded end over a ridge or a free end.
        let found = convex_gap(segment, pose, other, other_pose);
        let on_end = found.normal.dot(side.normal) < R::of(0.999_99) && found.gap + other.radius > R::ZERO;
        if on_end && found.gap <= margin && side.allows(found.normal) {
            let mut manifold = Manifold::with_normal(found.normal);
            manifold.push(Point { position: found.point, gap: found.gap, feature: 1 << 17 });
            return manifold;
        }
    } else if best.0 > gap + preference {
        return clip(other, other_pose, best.1, segment, pose, margin, 1 << 16).flipped();
    }
    face(&side, other, other_pose, margin)
}

fn disc<R: Real>(side: &Side<R>, centre: Vec2<R>, radius: R, margin: R) -> Manifold<R> {
    let share = (centre - side.start).dot(side.along);
    let full = (side.end - side.start).dot(side.along);
    let (distance, normal, feature) = if share < R::ZERO || share > full {
        let (corner, feature) = if share < R::ZERO { (side.start, 0x40) } else { (side.end, 0x41) };
        let direction = (centre - corner).unit_or(side.normal);
        if !side.allows(direction) {
            return Manifold::default();
        }
        ((centre - corner).length(), direction, feature)
    } else {
        (side.normal.dot(centre - side.start), side.normal, 0)
    };
    let gap = distance - radius;
    let mut manifold = Manifold::with_normal(normal);
    if gap <= margin {
        manifold.push(Point { position: centre - normal * (radius + gap * R::HALF), gap, feature });
    }
    manifold
}

/// The edge of the other shape that looks most at the segment, clipped to the segment's length.
fn face<R: Real>(side: &Side<R>, other: &Convex<R>, pose: &Pose<R>, margin: R) -> Manifold<R> {
    let mut incident = (R::INFINITY, 0);
    for (index, &outward) in other.normals.iter().enumerate() {
        let facing = side.normal.dot(pose.rotation.turn(outward));
        if facing < incident.0 {
            incident = (facing, index);
        }
    }
    let (from, to) = (incident.1, (incident.1 + 1) % other.corners.len());
    // Counter-clockwise, the lower edge of a shape on the left runs along the walk.
    let mut ends = [(pose.point(other.corners[to]), to as u32), (pose.point(other.corners[from]), from as u32)];
    let span = [side.along.dot(side.start), side.along.dot(side.end)];
    if !clip_end(&mut ends, 0, side.along, span[1], R::ONE, 0x100)
        || !clip_end(&mut ends, 1, side.along, span[0], -R::ONE, 0x200)
    {
        return Manifold::default();
    }
    let mut manifold = Manifold::with_normal(side.normal);
    for (position, feature) in ends {
        let gap = side.normal.dot(position - side.start) - other.radius;
        if gap <= margin {
            let midway = position - side.normal * (other.radius + gap * R::HALF);
            manifold.push(Point { position: midway, gap, feature });
        }
    }
    manifold
}
