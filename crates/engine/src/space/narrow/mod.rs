//! Gap and contact points of two pieces, by their forms. Closed forms for balls, half-spaces and blocks; separating axes, and for cylinders the directions
//! in which they part, for the rest; points by clipping.
//!
//! | function | duty | file |
//! |---|---|---|
//! | `collide` | contact points of two convex pieces within a margin | `mod.rs` |
//! | `gap` | distance or depth of two pieces, and its direction | `mod.rs` |
//! | `depth_of` | how deep a point lies in a piece | `mod.rs` |
//! | `touch_surface` | contact points of a piece and the faces of a mesh | `surface.rs` |
//! | | what a ball or a half-space is one of | `round.rs` |
//! | | two blocks: axes that separate them, points by clipping | `blocks.rs` |
//! | | two blocks: distance when they are apart | `apart.rs` |
//! | | bodies of flat faces: axes that separate them, distance | `axes.rs` |
//! | | cylinders beside anything; the ellipse that a rim is seen as | `cylinder.rs`, `ellipse.rs` |
//! | | which of these a pair needs | `parting.rs` |
//! | | points of a contact once its normal is known; those of a cylinder's end | `patch.rs`, `disc.rs` |

mod apart;
mod axes;
mod blocks;
mod cylinder;
mod disc;
mod ellipse;
mod parting;
mod patch;
mod round;
mod surface;

pub(crate) use surface::{FaceContact, touch_surface};

use crate::common::scalar::Real;
use crate::space::contact::POINTS;
use crate::space::shape::{Form, Piece};
use crate::space::shell::{Core, View};
use crate::space::vector::{Pose, Vec3};
use cylinder::Cylinder;
use patch::Solid;

/// A point where two pieces touch.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Point<R> {
    /// Midway between both surfaces.
    pub(crate) position: Vec3<R>,
    pub(crate) gap: R,
    /// What touches what, the same from step to step.
    pub(crate) feature: u32,
}

/// Where two pieces touch.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Manifold<R> {
    /// From the first to the second.
    pub(crate) normal: Vec3<R>,
    points: [Point<R>; POINTS],
    pub(crate) count: usize,
}

impl<R: Real> Manifold<R> {
    pub(crate) fn points(&self) -> &[Point<R>] {
        &self.points[..self.count]
    }

    fn one(normal: Vec3<R>, position: Vec3<R>, gap: R, feature: u32) -> Self {
        let mut manifold = Manifold { normal, ..Manifold::default() };
        manifold.push(Point { position, gap, feature });
        manifold
    }

    /// Adds a point while there is room.
    fn push(&mut self, point: Point<R>) {
        if self.count < POINTS {
            self.points[self.count] = point;
            self.count += 1;
        }
    }

    pub(crate) fn turned_round(mut self) -> Self {
        self.normal = -self.normal;
        self
    }
}

/// At most four points that hold what all of them hold: the deepest, the one furthest from it, and those furthest to either side of the
/// line through both.
fn reduced<R: Real>(normal: Vec3<R>, points: &[Point<R>]) -> Manifold<R> {
    let mut manifold = Manifold { normal, ..Manifold::default() };
    if points.len() <= POINTS {
        points.iter().for_each(|&point| manifold.push(point));
        return manifold;
    }
    let most = |value: &dyn Fn(&Point<R>) -> R| {
        (1..points.len()).fold(0, |best, k| if value(&points[k]) > value(&points[best]) { k } else { best })
    };
    let deepest = most(&|point| -point.gap);
    let from = points[deepest].position;
    let furthest = most(&|point| (point.position - from).dot(point.position - from));
    let line = normal.cross(points[furthest].position - from);
    let left = most(&|point| line.dot(point.position - from));
    let right = most(&|point| -line.dot(point.position - from));
    let mut chosen = [deepest, furthest, left, right];
    chosen.sort_unstable();
    for (k, &number) in chosen.iter().enumerate() {
        if k == 0 || chosen[k - 1] != number {
            manifold.push(points[number]);
        }
    }
    manifold
}

/// Distance of two pieces, or the length of the shortest way out as a negative one, and the direction in which the second moves away
/// from the first.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Gap<R> {
    pub(crate) distance: R,
    pub(crate) normal: Vec3<R>,
}

/// Where a pair pressed on each other most in the step before, in the world, if it did.
pub(crate) type Pressed<R> = Option<Vec3<R>>;

/// Calls with a piece as a convex solid; nothing for a surface and for what has no end. The rim of a cylinder is looked at from where it pressed on: a
/// load on its edge is then carried by the very point that it lies on.
fn with_solid<R: Real, T>(
    piece: &Form<R>,
    pose: &Pose<R>,
    pressed: Pressed<R>,
    work: impl FnOnce(&Solid<'_, R>) -> T,
) -> Option<T> {
    let line = |half: R| [-half, half].map(|x| Vec3::new(x, R::ZERO, R::ZERO));
    Some(match piece {
        Form::Ball(radius) => work(&Solid::Core(Core::new(View::line(&[Vec3::ZERO]), pose, *radius))),
        Form::Capsule { half, radius } => work(&Solid::Core(Core::new(View::line(&line(*half)), pose, *radius))),
        Form::Block(_, shell) | Form::Hull(shell) => work(&Solid::Core(Core::new(shell.view(), pose, R::ZERO))),
        Form::Cylinder { half, radius } => {
            work(&Solid::Cylinder(Cylinder::new(pose, *half, *radius), patch::first_of_rim(pose, *radius, pressed)))
        }
        Form::Mesh(_) | Form::HalfSpace(_) => return None,
    })
}

/// Contact points of two pieces that overlap or are apart by no more than a margin, at the poses of their bodies. None of a mesh.
pub(crate) fn collide<R: Real>(
    first: &Piece<R>,
    first_body: &Pose<R>,
    second: &Piece<R>,
    second_body: &Pose<R>,
    margin: R,
    pressed: Pressed<R>,
) -> Manifold<R> {
    let (one, other) = (first.pose(first_body), second.pose(second_body));
    let found = match (&first.form, &second.form) {
        (Form::Ball(a), Form::Ball(b)) => round::balls(one.position, *a, other.position, *b),
        (Form::Ball(radius), Form::Block(half, _)) => {
            round::block_and_ball(*half, &other, one.position, *radius).turned_round()
        }
        (Form::Block(half, _), Form::Ball(radius)) => round::block_and_ball(*half, &one, other.position, *radius),
        (Form::Block(a, _), Form::Block(b, _)) => blocks::collide(*a, &one, *b, &other, margin),
        (Form::HalfSpace(normal), form) => round::half_space_and(*normal, &one, form, &other, (margin, pressed)),
        (form, Form::HalfSpace(normal)) => {
            round::half_space_and(*normal, &other, form, &one, (margin, pressed)).turned_round()
        }
        (a, b) => with_solid(a, &one, pressed, |a| with_solid(b, &other, pressed, |b| of_solids(a, b, margin)))
            .flatten()
            .unwrap_or_default(),
    };
    // What is apart by more than the margin does not touch.
    if found.points().iter().all(|point| point.gap > margin) { Manifold::default() } else { found }
}

fn of_solids<R: Real>(a: &Solid<'_, R>, b: &Solid<'_, R>, margin: R) -> Manifold<R> {
    match parting::within(a, b, margin) {
        Some(found) => patch::points(a, b, found.normal, found.gap, margin),
        None => Manifold::default(),
    }
}

/// How deep a point lies in a convex piece, or on a surface without end; negative outside.
pub(crate) fn depth_of<R: Real>(point: Vec3<R>, piece: &Piece<R>, body: &Pose<R>) -> R {
    let pose = piece.pose(body);
    match &piece.form {
        Form::Block(half, _) => -round::block_and_ball(*half, &pose, point, R::ZERO).points()[0].gap,
        Form::HalfSpace(normal) => pose.axes.times(*normal).dot(pose.position - point),
        form => with_solid(form, &pose, None, |solid| {
            let at = Pose { position: point, ..pose };
            -parting::exact(solid, &Solid::Core(Core::new(View::line(&[Vec3::ZERO]), &at, R::ZERO))).gap
        })
        .unwrap_or(-R::INFINITY),
    }
}

/// How far two convex pieces are apart along a direction from the first to the second, of which one without an end has it for its normal.
pub(crate) fn parting_along<R: Real>(
    first: &Piece<R>,
    first_body: &Pose<R>,
    second: &Piece<R>,
    second_body: &Pose<R>,
    normal: Vec3<R>,
) -> R {
    let height = |piece: &Piece<R>, body: &Pose<R>, along: Vec3<R>| {
        let pose = piece.pose(body);
        match &piece.form {
            Form::Block(half, _) => along.dot(pose.position) + pose.axes.times_back(along).abs().dot(*half),
            form => with_solid(form, &pose, None, |solid| patch::height(solid, along))
                .unwrap_or_else(|| along.dot(pose.position)),
        }
    };
    -height(second, second_body, -normal) - height(first, first_body, normal)
}

/// Contact points of two pieces, those of a surface by its faces.
pub(crate) fn manifolds<R: Real>(
    first: &Piece<R>,
    first_body: &Pose<R>,
    second: &Piece<R>,
    second_body: &Pose<R>,
    margin: R,
) -> Vec<Manifold<R>> {
    let mut faces = Vec::new();
    match (&first.form, &second.form) {
        (Form::Mesh(_), Form::Mesh(_)) => Vec::new(),
        (Form::Mesh(mesh), _) => {
            touch_surface(mesh, &first.pose(first_body), second, second_body, (margin, None), &mut faces);
            faces.into_iter().map(|(_, manifold)| manifold).collect()
        }
        (_, Form::Mesh(mesh)) => {
            touch_surface(mesh, &second.pose(second_body), first, first_body, (margin, None), &mut faces);
            faces.into_iter().map(|(_, manifold)| manifold.turned_round()).collect()
        }
        _ => vec![collide(first, first_body, second, second_body, margin, None)],
    }
}

/// The gap of two pieces, of a surface only as far as `reach`; nothing for two that have no inside between them, meshes and half-spaces, and for a
/// surface that is further away.
pub(crate) fn gap<R: Real>(
    first: &Piece<R>,
    first_body: &Pose<R>,
    second: &Piece<R>,
    second_body: &Pose<R>,
    reach: R,
) -> Option<Gap<R>> {
    let (one, other) = (first.pose(first_body), second.pose(second_body));
    let found = match (&first.form, &second.form) {
        (Form::Block(a, _), Form::Block(b, _)) => return Some(blocks::gap(*a, &one, *b, &other)),
        (Form::Mesh(mesh), _) => return surface::gap(mesh, &one, second, second_body, reach),
        (_, Form::Mesh(mesh)) => {
            return surface::gap(mesh, &other, first, first_body, reach).map(|gap| Gap { normal: -gap.normal, ..gap });
        }
        (Form::HalfSpace(normal), form) => round::half_space_and(*normal, &one, form, &other, (R::INFINITY, None)),
        (form, Form::HalfSpace(normal)) => {
            round::half_space_and(*normal, &other, form, &one, (R::INFINITY, None)).turned_round()
        }
        (Form::Ball(_), Form::Ball(_) | Form::Block(..)) | (Form::Block(..), Form::Ball(_)) => {
            collide(first, first_body, second, second_body, R::INFINITY, None)
        }
        (a, b) => {
            let found =
                with_solid(a, &one, None, |a| with_solid(b, &other, None, |b| parting::exact(a, b))).flatten()?;
            return Some(Gap { distance: found.gap, normal: found.normal });
        }
    };
    let nearest = found.points().iter().map(|point| point.gap).reduce(R::min)?;
    Some(Gap { distance: nearest, normal: found.normal })
}
