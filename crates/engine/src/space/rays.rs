//! Rays: all solid pieces on the way, the nearest first.
//!
//! Source: the quadratic for what is round; Kay and Kajiya, "Ray Tracing Complex Scenes" (1986) for the slabs of a block; Cyrus and Beck (1978) for
//! hulls; Möller and Trumbore (1997) for triangles.

use crate::common::scalar::Real;
use crate::space::bodies::Bodies;
use crate::space::mesh::Mesh;
use crate::space::shape::Form;
use crate::space::shell::View;
use crate::space::vector::{Pose, Vec3};

/// Where a ray meets a piece.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Hit<R> {
    pub(crate) body: usize,
    /// Share of the way from the ray's start to its end.
    pub(crate) share: R,
    pub(crate) normal: Vec3<R>,
}

/// Hits of the solid pieces of all bodies, the nearest first; one a body.
pub(crate) fn cast<R: Real>(bodies: &Bodies<R>, from: Vec3<R>, to: Vec3<R>) -> Vec<Hit<R>> {
    let mut hits: Vec<Hit<R>> = Vec::new();
    for piece in bodies.pieces.iter().filter(|piece| bodies.present[piece.body]) {
        let pose = piece.pose(&bodies.pose(piece.body));
        let Some((share, normal)) = meet(&piece.form, &pose, from, to) else { continue };
        let hit = Hit { body: piece.body, share, normal };
        match hits.iter_mut().find(|other| other.body == piece.body) {
            Some(other) if other.share <= share => {}
            Some(other) => *other = hit,
            None => hits.push(hit),
        }
    }
    in_order(&mut hits);
    hits
}

/// The nearest first.
pub(crate) fn in_order<R: Real>(hits: &mut [Hit<R>]) {
    hits.sort_by(|a, b| a.share.to_f64().total_cmp(&b.share.to_f64()).then(a.body.cmp(&b.body)));
}

/// The share of the way at which a ray comes in, and the normal there; from inside nothing of it, and back along the ray.
fn meet<R: Real>(form: &Form<R>, pose: &Pose<R>, from: Vec3<R>, to: Vec3<R>) -> Option<(R, Vec3<R>)> {
    let way = to - from;
    let back = (-way).unit_or(Vec3::axis(1));
    match form {
        Form::HalfSpace(normal) => {
            let normal = pose.axes.times(*normal);
            let height = normal.dot(from - pose.position);
            if height <= R::ZERO {
                return Some((R::ZERO, back));
            }
            let share = height / -normal.dot(way);
            (share >= R::ZERO && share <= R::ONE).then_some((share, normal))
        }
        Form::Ball(radius) => through_ball(from - pose.position, way, *radius, back),
        Form::Block(half, _) => through_slabs(*half, pose, from, way, back),
        Form::Capsule { half, radius } => through_capsule(*half, *radius, pose, from, way, back),
        Form::Cylinder { half, radius } => through_cylinder(*half, *radius, pose, from, way, back),
        Form::Hull(shell) => through_faces(&shell.view(), pose, from, way, back),
        Form::Mesh(mesh) => through_mesh(mesh, pose, from, way),
    }
}

/// Shares at which a quadratic a s² + 2 b s + c that opens upward goes below nothing and comes back.
fn below<R: Real>(a: R, b: R, c: R) -> Option<[R; 2]> {
    if !(a > R::ZERO) {
        return (c <= R::ZERO).then_some([-R::INFINITY, R::INFINITY]);
    }
    let square = b * b - a * c;
    if !(square >= R::ZERO) {
        return None;
    }
    // Each root in the form that does not cancel.
    let root = square.sqrt();
    let far = if b > R::ZERO { -b - root } else { root - b };
    if far == R::ZERO {
        return Some([R::ZERO; 2]);
    }
    let (one, other) = (far / a, c / far);
    Some([one.min(other), one.max(other)])
}

fn through_ball<R: Real>(between: Vec3<R>, way: Vec3<R>, radius: R, back: Vec3<R>) -> Option<(R, Vec3<R>)> {
    let (a, half_b, c) = (way.dot(way), between.dot(way), between.dot(between) - radius * radius);
    if c <= R::ZERO {
        return Some((R::ZERO, back));
    }
    let inside = half_b * half_b - a * c;
    if !(inside >= R::ZERO && half_b < R::ZERO) {
        return None;
    }
    // The nearer root in the form that does not cancel.
    let share = c / (inside.sqrt() - half_b);
    (share <= R::ONE).then(|| (share, (between + way * share).unit_or(back)))
}

/// What of a vector is across x.
fn across<R: Real>(v: Vec3<R>) -> Vec3<R> {
    Vec3::new(R::ZERO, v.y, v.z)
}

/// Where a way through the infinite cylinder about x goes in and out.
fn round_the_axis<R: Real>(start: Vec3<R>, along: Vec3<R>, radius: R) -> Option<[R; 2]> {
    let (p, d) = (across(start), across(along));
    below(d.dot(d), p.dot(d), p.dot(p) - radius * radius)
}

fn through_capsule<R: Real>(
    half: R,
    radius: R,
    pose: &Pose<R>,
    from: Vec3<R>,
    way: Vec3<R>,
    back: Vec3<R>,
) -> Option<(R, Vec3<R>)> {
    let (start, along) = (pose.point_back(from), pose.axes.times_back(way));
    let near = start.x.held(-half, half);
    let out = start - Vec3::axis(0) * near;
    if out.dot(out) <= radius * radius {
        return Some((R::ZERO, back));
    }
    let side = round_the_axis(start, along, radius).and_then(|[enter, _]| {
        let place = start + along * enter;
        (enter >= R::ZERO && enter <= R::ONE && place.x.abs() <= half)
            .then(|| (enter, pose.axes.times(across(place)).unit_or(back)))
    });
    let caps = [-half, half].map(|x| {
        let end = pose.point(Vec3::axis(0) * x);
        through_ball(from - end, way, radius, back)
    });
    [side, caps[0], caps[1]].into_iter().flatten().reduce(|best, hit| if hit.0 < best.0 { hit } else { best })
}

fn through_cylinder<R: Real>(
    half: R,
    radius: R,
    pose: &Pose<R>,
    from: Vec3<R>,
    way: Vec3<R>,
    back: Vec3<R>,
) -> Option<(R, Vec3<R>)> {
    let (start, along) = (pose.point_back(from), pose.axes.times_back(way));
    let [mut enter, mut leave] = round_the_axis(start, along, radius)?;
    let mut normal = across(start + along * enter);
    if along.x == R::ZERO {
        if start.x.abs() > half {
            return None;
        }
    } else {
        let side = if along.x > R::ZERO { -R::ONE } else { R::ONE };
        let (near, far) = ((side * half - start.x) / along.x, (-side * half - start.x) / along.x);
        if near > enter {
            (enter, normal) = (near, Vec3::axis(0) * side);
        }
        leave = leave.min(far);
    }
    if !(enter <= leave && leave >= R::ZERO && enter <= R::ONE) {
        return None;
    }
    if enter <= R::ZERO {
        return Some((R::ZERO, back));
    }
    Some((enter, pose.axes.times(normal).unit_or(back)))
}

fn through_faces<R: Real>(
    view: &View<'_, R>,
    pose: &Pose<R>,
    from: Vec3<R>,
    way: Vec3<R>,
    back: Vec3<R>,
) -> Option<(R, Vec3<R>)> {
    let (start, along) = (pose.point_back(from), pose.axes.times_back(way));
    let (mut enter, mut leave, mut normal) = (R::ZERO, R::ONE, None);
    for face in view.faces {
        let (height, slope) = (face.normal.dot(start) - face.level, face.normal.dot(along));
        if slope == R::ZERO {
            if height > R::ZERO {
                return None;
            }
            continue;
        }
        let share = -height / slope;
        if slope > R::ZERO {
            leave = leave.min(share);
        } else if share > enter {
            (enter, normal) = (share, Some(pose.axes.times(face.normal)));
        }
    }
    (enter <= leave).then(|| (enter, normal.unwrap_or(back)))
}

/// The next face on the way, from either side.
fn through_mesh<R: Real>(mesh: &Mesh<R>, pose: &Pose<R>, from: Vec3<R>, way: Vec3<R>) -> Option<(R, Vec3<R>)> {
    let (start, along) = (pose.point_back(from), pose.axes.times_back(way));
    let end = start + along;
    let mut best: Option<(R, usize)> = None;
    mesh.meeting(start.min(end), start.max(end), &mut |face| {
        let [p, q, r] = mesh.triangle(face);
        let (u, v) = (q - p, r - p);
        let across = along.cross(v);
        let determinant = u.dot(across);
        if determinant == R::ZERO {
            return;
        }
        let to_start = start - p;
        let second = to_start.cross(u);
        let (a, b) = (to_start.dot(across) / determinant, along.dot(second) / determinant);
        let share = v.dot(second) / determinant;
        let hit = a >= R::ZERO && b >= R::ZERO && a + b <= R::ONE && share >= R::ZERO && share <= R::ONE;
        let nearer = best.is_none_or(|(least, known)| share < least || (share == least && face < known));
        if hit && nearer {
            best = Some((share, face));
        }
    });
    best.map(|(share, face)| {
        let normal = pose.axes.times(mesh.normal(face));
        (share, if normal.dot(way) > R::ZERO { -normal } else { normal })
    })
}

fn through_slabs<R: Real>(
    half: Vec3<R>,
    pose: &Pose<R>,
    from: Vec3<R>,
    way: Vec3<R>,
    back: Vec3<R>,
) -> Option<(R, Vec3<R>)> {
    let (start, along) = (pose.point_back(from), pose.axes.times_back(way));
    let (mut enter, mut leave, mut normal) = (R::ZERO, R::ONE, None);
    for axis in 0..3 {
        let (p, d, h) = (start.component(axis), along.component(axis), half.component(axis));
        if d == R::ZERO {
            if p.abs() > h {
                return None;
            }
            continue;
        }
        let side = if d > R::ZERO { -R::ONE } else { R::ONE };
        let (near, far) = ((side * h - p) / d, (-side * h - p) / d);
        if near > enter {
            (enter, normal) = (near, Some(pose.axes.0[axis] * side));
        }
        leave = leave.min(far);
    }
    (enter <= leave).then(|| (enter, normal.unwrap_or(back)))
}
