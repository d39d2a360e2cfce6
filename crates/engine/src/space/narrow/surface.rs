//! A convex piece against the faces of a mesh. A face pushes to the side on which the piece has its middle; what touches an edge or a corner from a
//! direction in which the surface goes on is taken as touching the face itself, so that edges between level faces trip nothing.

use super::cylinder::Parting;
use super::patch::{self, Solid};
use super::{Gap, Manifold, Point, Pressed, parting, reduced, with_solid};
use crate::common::scalar::Real;
use crate::space::mesh::Mesh;
use crate::space::shape::{Form, Piece};
use crate::space::shell::{Core, View, sides};
use crate::space::vector::{Pose, Vec3};

/// Contacts of faces whose normals make a smaller angle than this, and whose planes are no further apart than the same share of the margin, are one.
const SAME_FACE: f64 = 1e-4;

/// Cosine of the angle to the face from which on a direction is its normal.
const FLAT: f64 = 1.0 - 1e-7;

/// A contact of some faces: the lowest of them, and where it touches.
pub(crate) type FaceContact<R> = (u32, Manifold<R>);

/// Contacts of a mesh, which is the first, with a convex piece: normals point away from the surface. Faces of one plane make one contact.
pub(crate) fn touch_surface<R: Real>(
    mesh: &Mesh<R>,
    mesh_pose: &Pose<R>,
    piece: &Piece<R>,
    body: &Pose<R>,
    (margin, pressed): (R, Pressed<R>),
    out: &mut Vec<FaceContact<R>>,
) {
    out.clear();
    // In the frame of the mesh, in which its faces stand still.
    let pose = back(mesh_pose, &piece.pose(body));
    let pressed = pressed.map(|place| mesh_pose.point_back(place));
    let (middle, half) = piece.around(&pose);
    let by = Vec3::new(margin, margin, margin);
    let mut touched: Vec<(u32, Vec3<R>, Vec<Point<R>>)> = Vec::new();
    mesh.meeting(middle - half - by, middle + half + by, &mut |face| {
        let Some(manifold) = touch_face(mesh, face, &piece.form, &pose, (margin, pressed)) else { return };
        let level = manifold.points().first().map_or(Vec3::ZERO, |point| point.position);
        let near = |(_, normal, points): &&mut (u32, Vec3<R>, Vec<Point<R>>)| {
            let apart = points.first().map_or(R::ZERO, |first| normal.dot(first.position - level).abs());
            (*normal - manifold.normal).length() <= R::of(SAME_FACE) && apart <= margin
        };
        match touched.iter_mut().find(near) {
            Some((first, _, points)) => {
                *first = (*first).min(face as u32);
                points.extend(manifold.points());
            }
            None => touched.push((face as u32, manifold.normal, manifold.points().to_vec())),
        }
    });
    touched.sort_by_key(|&(face, ..)| face);
    for (face, normal, points) in touched {
        let mut manifold = reduced(normal, &without_doubles(points, margin));
        manifold.normal = mesh_pose.axes.times(normal);
        for point in &mut manifold.points {
            point.position = mesh_pose.point(point.position);
        }
        out.push((face, manifold));
    }
}

/// A pose as seen from another.
fn back<R: Real>(from: &Pose<R>, pose: &Pose<R>) -> Pose<R> {
    Pose {
        position: from.point_back(pose.position),
        axes: crate::space::vector::Mat3(pose.axes.0.map(|axis| from.axes.times_back(axis))),
    }
}

/// Points on a common edge come from both faces.
fn without_doubles<R: Real>(points: Vec<Point<R>>, margin: R) -> Vec<Point<R>> {
    let mut kept: Vec<Point<R>> = Vec::with_capacity(points.len());
    for point in points {
        let way = |other: &Point<R>| (other.position - point.position).length();
        if kept.iter().all(|other| way(other) > R::of(1e-3) * margin) {
            kept.push(point);
        }
    }
    kept
}

/// A face as it looks from the side on which a piece has its middle: counter-clockwise there.
struct Facing<R> {
    corners: [Vec3<R>; 3],
    numbers: [u32; 3],
    normal: Vec3<R>,
}

impl<R: Real> Facing<R> {
    fn new(mesh: &Mesh<R>, face: usize, pose: &Pose<R>) -> Self {
        let (corners, numbers, normal) = (mesh.triangle(face), mesh.corner_numbers(face), mesh.normal(face));
        if normal.dot(pose.position - corners[0]) < R::ZERO {
            let turned = |k: usize| [0, 2, 1][k];
            Facing {
                corners: std::array::from_fn(|k| corners[turned(k)]),
                numbers: std::array::from_fn(|k| numbers[turned(k)]),
                normal: -normal,
            }
        } else {
            Facing { corners, numbers, normal }
        }
    }
}

fn touch_face<R: Real>(
    mesh: &Mesh<R>,
    face: usize,
    form: &Form<R>,
    pose: &Pose<R>,
    (margin, pressed): (R, Pressed<R>),
) -> Option<Manifold<R>> {
    let Facing { corners, numbers, normal } = Facing::new(mesh, face, pose);
    let both = sides(&corners, normal);
    let core = Core::new(View::triangle(&corners, &both), &Pose { position: Vec3::ZERO, axes: unturned() }, R::ZERO);
    let triangle = Solid::Core(core);
    with_solid(form, pose, pressed, |solid| {
        let found = parting::within(&triangle, solid, margin)?;
        let is_face = found.normal.dot(normal) >= R::of(FLAT);
        let found = if is_face || !may_touch(mesh, &numbers, &core, &found, normal) {
            // Along the face's own normal, if it lies over the face.
            let gap = axes_gap(&core, solid, normal);
            if gap > margin {
                return None;
            }
            Parting { gap, normal }
        } else {
            found
        };
        let manifold = if found.normal.dot(normal) >= R::of(FLAT) {
            patch::over_face(&core, solid, margin)
        } else {
            patch::points(&triangle, solid, found.normal, found.gap, margin)
        };
        (manifold.count > 0).then_some(manifold)
    })
    .flatten()
}

fn unturned<R: Real>() -> crate::space::vector::Mat3<R> {
    crate::space::vector::Mat3::alike(R::ONE)
}

/// Whether something can touch the surface where the face lies furthest along a direction: nothing of the surface beside it rises further.
fn may_touch<R: Real>(
    mesh: &Mesh<R>,
    numbers: &[u32; 3],
    core: &Core<'_, R>,
    found: &Parting<R>,
    normal: Vec3<R>,
) -> bool {
    if found.normal.dot(normal) < R::ZERO {
        return false;
    }
    let top = core.height(found.normal);
    let size = (core.corner(0) - core.corner(1)).length();
    let on_top = |k: usize| top - found.normal.dot(core.corner(k)) <= R::of(1e-6) * size;
    (0..3).filter(|&k| on_top(k)).all(|k| mesh.is_foremost(numbers[k], found.normal))
}

/// The gap of a face and a solid along the face's normal.
fn axes_gap<R: Real>(core: &Core<'_, R>, solid: &Solid<'_, R>, normal: Vec3<R>) -> R {
    -patch::height(solid, -normal) - core.height(normal)
}

/// The least gap to any face that may be within reach.
pub(super) fn gap<R: Real>(
    mesh: &Mesh<R>,
    mesh_pose: &Pose<R>,
    piece: &Piece<R>,
    body: &Pose<R>,
    reach: R,
) -> Option<Gap<R>> {
    let pose = back(mesh_pose, &piece.pose(body));
    let (middle, half) = piece.around(&pose);
    let by = Vec3::new(reach, reach, reach);
    let mut best: Option<Parting<R>> = None;
    mesh.meeting(middle - half - by, middle + half + by, &mut |face| {
        let Facing { corners, normal, .. } = Facing::new(mesh, face, &pose);
        let both = sides(&corners, normal);
        let core =
            Core::new(View::triangle(&corners, &both), &Pose { position: Vec3::ZERO, axes: unturned() }, R::ZERO);
        let found = with_solid(&piece.form, &pose, None, |solid| parting::exact(&Solid::Core(core), solid));
        if let Some(found) = found.filter(|found| best.is_none_or(|known| found.gap < known.gap)) {
            best = Some(found);
        }
    });
    best.map(|found| Gap { distance: found.gap, normal: mesh_pose.axes.times(found.normal) })
}
