//! Pairs of which one is a ball or a half-space: closed forms.

use super::cylinder::Cylinder;
use super::patch::{self, Solid};
use super::{Manifold, Point, Pressed};
use crate::common::scalar::Real;
use crate::space::contact::POINTS;
use crate::space::shape::{Form, corner};
use crate::space::vector::{Pose, Vec3};

/// Which way balls with one centre are pushed apart; no way is better than another.
fn up<R: Real>() -> Vec3<R> {
    Vec3::axis(1)
}

pub(super) fn balls<R: Real>(a: Vec3<R>, radius_a: R, b: Vec3<R>, radius_b: R) -> Manifold<R> {
    let between = b - a;
    let distance = between.length();
    let normal = between.unit_or(up());
    let gap = distance - (radius_a + radius_b);
    Manifold::one(normal, a + normal * (radius_a + R::HALF * gap), gap, 0)
}

/// What of a form lies within a margin of the surface of a half-space.
pub(super) fn half_space_and<R: Real>(
    normal: Vec3<R>,
    pose: &Pose<R>,
    form: &Form<R>,
    other: &Pose<R>,
    (margin, pressed): (R, Pressed<R>),
) -> Manifold<R> {
    let surface = Surface { normal: pose.axes.times(normal), point: pose.position };
    match form {
        Form::Ball(radius) => {
            let gap = surface.normal.dot(other.position - surface.point) - *radius;
            Manifold::one(surface.normal, other.position - surface.normal * (*radius + R::HALF * gap), gap, 0)
        }
        Form::Block(half, _) => {
            surface.near(&std::array::from_fn::<_, 8, _>(|k| other.point(corner(*half, k))), R::ZERO, margin)
        }
        Form::Capsule { half, radius } => {
            let ends = [-*half, *half].map(|x| other.position + other.axes.0[0] * x);
            surface.near(&ends, *radius, margin)
        }
        Form::Cylinder { half, radius } => surface.near_cylinder(other, [*half, *radius], margin, pressed),
        Form::Hull(shell) => {
            let own = other.axes.times_back(surface.normal);
            let shift = surface.normal.dot(other.position - surface.point);
            let low = shell.corners.iter().map(|c| own.dot(*c) + shift).fold(R::INFINITY, R::min);
            // Of many corners only those that can be among the lowest are carried into the world.
            let within = if margin < R::INFINITY { margin } else { low };
            let near: Vec<(Vec3<R>, u32)> = shell
                .corners
                .iter()
                .zip(0..)
                .filter(|(c, _)| own.dot(**c) + shift <= within)
                .map(|(c, k)| (other.point(*c), k))
                .collect();
            surface.reduced(&near, R::ZERO, margin)
        }
        Form::Mesh(_) | Form::HalfSpace(_) => Manifold::default(),
    }
}

struct Surface<R> {
    normal: Vec3<R>,
    point: Vec3<R>,
}

impl<R: Real> Surface<R> {
    fn touch(&self, place: Vec3<R>, radius: R, feature: u32) -> Point<R> {
        let gap = self.normal.dot(place - self.point) - radius;
        Point { position: place - self.normal * (radius + R::HALF * gap), gap, feature }
    }

    /// The points within a margin; of more than four those that lie deepest.
    fn near(&self, places: &[Vec3<R>], radius: R, margin: R) -> Manifold<R> {
        let mut manifold = Manifold { normal: self.normal, ..Manifold::default() };
        let mut near = [(R::INFINITY, 0); 8];
        for (number, (near, &place)) in near.iter_mut().zip(places).enumerate() {
            *near = (self.normal.dot(place - self.point) - radius, number);
        }
        if margin < R::INFINITY && near.iter().filter(|(height, _)| *height <= margin).count() > POINTS {
            near.sort_by(|a, b| a.0.to_f64().total_cmp(&b.0.to_f64()).then(a.1.cmp(&b.1)));
            near[..POINTS].sort_by_key(|&(_, number)| number);
        } else if margin == R::INFINITY {
            near.sort_by(|a, b| a.0.to_f64().total_cmp(&b.0.to_f64()).then(a.1.cmp(&b.1)));
        }
        for (height, number) in near.into_iter().take(places.len()).filter(|(height, _)| *height <= margin) {
            debug_assert!(height < R::INFINITY);
            manifold.push(self.touch(places[number], radius, number as u32));
        }
        manifold
    }

    fn reduced(&self, places: &[(Vec3<R>, u32)], radius: R, margin: R) -> Manifold<R> {
        let points = places.iter().map(|&(place, feature)| self.touch(place, radius, feature));
        super::reduced(self.normal, &points.filter(|point| point.gap <= margin).collect::<Vec<_>>())
    }

    fn near_cylinder(&self, pose: &Pose<R>, [half, radius]: [R; 2], margin: R, pressed: Pressed<R>) -> Manifold<R> {
        let solid = Solid::Cylinder(Cylinder::new(pose, half, radius), patch::first_of_rim(pose, radius, pressed));
        let places = patch::lowest(&solid, -self.normal);
        let margin = if margin < R::INFINITY {
            margin
        } else {
            // Only the lowest is asked for.
            places.iter().map(|&(place, _)| self.normal.dot(place - self.point)).fold(R::INFINITY, R::min)
        };
        self.reduced(&places, R::ZERO, margin)
    }
}

/// The point of a block nearest to the centre of a ball; from inside the nearest face.
pub(super) fn block_and_ball<R: Real>(half: Vec3<R>, block: &Pose<R>, centre: Vec3<R>, radius: R) -> Manifold<R> {
    let local = block.point_back(centre);
    let held = Vec3::new(local.x.held(-half.x, half.x), local.y.held(-half.y, half.y), local.z.held(-half.z, half.z));
    let out = local - held;
    let distance = out.length();
    if distance > R::ZERO {
        let gap = distance - radius;
        let normal = block.axes.times(out * (R::ONE / distance));
        return Manifold::one(normal, centre - normal * (radius + R::HALF * gap), gap, 0);
    }
    // The first of the nearest faces.
    let deep = half - local.abs();
    let axis = (1..3).fold(0, |best, axis| if deep.component(axis) < deep.component(best) { axis } else { best });
    let side = if local.component(axis) < R::ZERO { -R::ONE } else { R::ONE };
    let normal = block.axes.0[axis] * side;
    let gap = -deep.component(axis) - radius;
    Manifold::one(normal, centre - normal * (radius + R::HALF * gap), gap, 1 + axis as u32)
}
