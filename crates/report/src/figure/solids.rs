//! What is seen of solids: their faces towards the eye, what stands before what, and shadows.

use super::facets::Facets;
use super::{Piece, Primitive, Sight};
use ironspin_model::{Body, DVec2, DVec3, Part, Pose, SpaceShape, turn};
use std::f64::consts::{FRAC_PI_2, TAU};

/// A part where it stands: the sum of a box and a ball, or a body of flat faces.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Solid {
    /// m.
    pub(crate) centre: DVec3,
    /// Half of each edge, m; nothing of a ball.
    pub(crate) halves: [DVec3; 3],
    /// m.
    pub(crate) radius: f64,
    /// Faces in the place of the box, turned as it stands and about the centre.
    pub(crate) facets: Option<Facets>,
}

/// A flat face where it stands.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct FlatFace {
    /// m.
    pub(crate) corners: Vec<DVec3>,
    /// Unit vector outward.
    pub(crate) normal: DVec3,
    /// Whether a line runs around it.
    pub(crate) edged: bool,
    /// Whether it is seen from both sides.
    pub(crate) two_sided: bool,
}

/// Points of the arcs on a ball, and how far a solid may stick into another without being taken for one behind it, as a share of both.
const ARC: usize = 12;
const STUCK: f64 = 0.1;

/// Where a part of a body stands in the world.
pub(super) fn placed(part: &Part, pose: &Pose) -> Pose {
    Pose {
        position: pose.position + turn::turned(pose.rotation, part.pose.position),
        rotation: turn::product(pose.rotation, part.pose.rotation),
        angle: 0.0,
    }
}

impl Solid {
    /// A part of a body; nothing for what has no end.
    pub(crate) fn of(part: &Part, pose: &Pose) -> Option<Solid> {
        let Pose { position: centre, rotation, .. } = placed(part, pose);
        let plain = Solid { centre, halves: [0.0; 3].map(DVec3::splat), radius: 0.0, facets: None };
        match part.shape.spatial()? {
            SpaceShape::Sphere(radius) => Some(Solid { radius: *radius, ..plain }),
            SpaceShape::Box(size) => {
                let half = 0.5 * *size;
                let halves = [DVec3::X * half.x, DVec3::Y * half.y, DVec3::Z * half.z];
                Some(Solid { halves: halves.map(|half| turn::turned(rotation, half)), ..plain })
            }
            shape @ (SpaceShape::Capsule { .. }
            | SpaceShape::Cylinder { .. }
            | SpaceShape::Hull(_)
            | SpaceShape::Mesh(_)) => {
                let mut facets = Facets::of(shape)?;
                let middle = facets.centre();
                facets.corners.iter_mut().for_each(|corner| *corner = turn::turned(rotation, *corner - middle));
                Some(Solid { centre: centre + turn::turned(rotation, middle), facets: Some(facets), ..plain })
            }
            SpaceShape::HalfSpace(_) => None,
        }
    }

    /// How far it reaches along a unit vector from its centre, m.
    fn reach(&self, n: DVec3) -> f64 {
        let of_facets = self.facets.iter().flat_map(|facets| &facets.corners).map(|corner| corner.dot(n));
        of_facets.fold(0.0, f64::max) + self.halves.iter().map(|half| half.dot(n).abs()).sum::<f64>() + self.radius
    }

    /// The furthest of its corners from its centre, m.
    pub(crate) fn size(&self) -> f64 {
        self.corners().iter().map(|corner| corner.distance(self.centre)).fold(self.radius, f64::max)
    }

    /// All its flat faces where they stand, corners counter-clockwise seen from outside; none of a ball.
    pub(crate) fn flat_faces(&self) -> Vec<FlatFace> {
        if let Some(facets) = &self.facets {
            return facets.placed(self.centre);
        }
        let sides = (0..3).flat_map(|axis| [1.0, -1.0].map(|sign| (axis, sign)));
        let face = |(axis, sign): (usize, f64)| {
            let (out, u, v) =
                (sign * self.halves[axis], sign * self.halves[(axis + 1) % 3], self.halves[(axis + 2) % 3]);
            let corners = [-u - v, u - v, u + v, v - u].map(|to| self.centre + out + to);
            let normal = out.normalize_or_zero();
            FlatFace { corners: corners.to_vec(), normal, edged: true, two_sided: false }
        };
        if self.radius > 0.0 { Vec::new() } else { sides.map(face).collect() }
    }

    /// Its shadow on a plane straight below: convex areas in that plane that together cover it; nothing where it lies behind the plane.
    pub(crate) fn shadows(&self, point: DVec3, normal: DVec3) -> Vec<Vec<DVec3>> {
        let onto = |p: DVec3| p - normal * (p - point).dot(normal);
        if (self.centre - point).dot(normal) < 0.0 {
            return Vec::new();
        }
        if self.radius > 0.0 {
            let u = normal.any_orthonormal_vector() * self.radius;
            let v = normal.cross(u);
            let rim = |k: usize| {
                let angle = TAU * k as f64 / (2 * ARC) as f64;
                onto(self.centre) + libm::cos(angle) * u + libm::sin(angle) * v
            };
            return vec![(0..2 * ARC).map(rim).collect()];
        }
        // What looks up throws all of it.
        let faces = self.flat_faces().into_iter().filter(|face| face.two_sided || face.normal.dot(normal) > 0.0);
        faces.map(|face| face.corners.into_iter().map(onto).collect()).collect()
    }

    fn corners(&self) -> Vec<DVec3> {
        if let Some(facets) = &self.facets {
            return facets.corners.iter().map(|&corner| self.centre + corner).collect();
        }
        let corner = |k: usize| {
            let side = |axis: usize| if k >> axis & 1 == 1 { self.halves[axis] } else { -self.halves[axis] };
            self.centre + side(0) + side(1) + side(2)
        };
        (0..8).map(corner).collect()
    }

    /// Its faces that look at the eye, as seen; of a ball its disc, with lights on it.
    pub(crate) fn faces(&self, rotation: ironspin_model::DQuat, still: bool, sight: &Sight) -> Vec<Piece> {
        if self.radius > 0.0 {
            return self.ball(rotation, still, sight);
        }
        if let Some(facets) = &self.facets {
            return facets.seen(self.centre, sight);
        }
        let mut faces = Vec::new();
        for axis in 0..3 {
            let (half, u, v) = (self.halves[axis], self.halves[(axis + 1) % 3], self.halves[(axis + 2) % 3]);
            let out = if half.dot(sight.toward) < 0.0 { -half } else { half };
            let normal = out.normalize_or_zero();
            if normal.dot(sight.toward) < 1e-6 {
                continue;
            }
            let middle = self.centre + out;
            let corners = [-u - v, u - v, u + v, v - u].map(|to| sight.project(middle + to));
            faces.push(Piece { primitive: Primitive::Area(corners.to_vec()), light: sight.light(normal), edged: true });
        }
        faces
    }

    fn ball(&self, rotation: ironspin_model::DQuat, still: bool, sight: &Sight) -> Vec<Piece> {
        let round = |shift: f64, share: f64, light: f64, edged: bool| {
            let [right, up, _] = sight.axes();
            let centre =
                sight.project(self.centre + self.radius * shift * (Sight::LIGHT.x * right + Sight::LIGHT.y * up));
            let primitive = Primitive::Round { centre, radius: share * self.radius, spoke: None };
            Piece { primitive, light, edged }
        };
        let mut pieces = vec![
            round(0.0, 1.0, 0.8, true),
            round(0.12, 0.84, 0.92, false),
            round(0.3, 0.6, 1.04, false),
            round(0.5, 0.3, 1.16, false),
        ];
        // Two great circles show how it is turned.
        let circles = if still { [].as_slice() } else { [DVec3::X, DVec3::Y].as_slice() };
        for &own in circles {
            let axis = turn::turned(rotation, own);
            let near = sight.toward - axis * axis.dot(sight.toward);
            if near.length() < 1e-3 {
                continue;
            }
            let near = near.normalize();
            let side = axis.cross(near);
            let point = |k: usize| {
                let angle = FRAC_PI_2 * (2.0 * k as f64 / ARC as f64 - 1.0);
                sight.project(self.centre + self.radius * (libm::cos(angle) * near + libm::sin(angle) * side))
            };
            let primitive = Primitive::Line((0..=ARC).map(point).collect());
            pieces.push(Piece { primitive, light: 1.0, edged: true });
        }
        pieces
    }

    /// Its shadow on a plane straight below, as seen; nothing where it lies behind the plane.
    pub(crate) fn shadow(&self, point: DVec3, normal: DVec3, sight: &Sight) -> Option<Primitive> {
        let onto = |p: DVec3| p - normal * (p - point).dot(normal);
        if (self.centre - point).dot(normal) < 0.0 {
            return None;
        }
        let cast: Vec<DVec2> = if self.radius > 0.0 {
            let u = normal.any_orthonormal_vector() * self.radius;
            let v = normal.cross(u);
            let rim = |k: usize| {
                let angle = TAU * k as f64 / (2 * ARC) as f64;
                sight.project(onto(self.centre) + libm::cos(angle) * u + libm::sin(angle) * v)
            };
            (0..2 * ARC).map(rim).collect()
        } else {
            hull(self.corners().into_iter().map(|corner| sight.project(onto(corner))).collect())
        };
        Some(Primitive::Area(cast))
    }

    /// Whether it must be painted before another, because the other hides some of it: by the plane between them that stands most against
    /// the eye. Nothing when neither hides the other.
    fn is_behind(&self, other: &Solid, sight: &Sight) -> Option<bool> {
        let way = other.centre - self.centre;
        let [right, up, toward] = sight.axes();
        if [right, up].iter().any(|&axis| way.dot(axis).abs() >= self.reach(axis) + other.reach(axis)) {
            return None;
        }
        let own = [self, other].into_iter().flat_map(|solid| solid.facets.iter().flat_map(Facets::normals));
        let normals = self.halves.iter().chain(&other.halves).chain([&way]).copied().chain(own);
        let between = normals.filter_map(|normal| {
            let normal = normal.try_normalize()?;
            let reach = self.reach(normal) + other.reach(normal);
            let apart = (way.dot(normal).abs() - reach) / reach;
            let slant = normal.dot(toward) * if way.dot(normal) < 0.0 { -1.0 } else { 1.0 };
            // A plane seen on edge parts nothing.
            (apart > -STUCK && slant.abs() > 1e-6).then_some((slant, apart))
        });
        let best = between.max_by(|a, b| a.1.min(0.0).total_cmp(&b.1.min(0.0)).then(a.0.abs().total_cmp(&b.0.abs())));
        Some(best.map_or(way.dot(toward) > 0.0, |(slant, _)| slant > 0.0))
    }
}

/// The order in which bodies are painted, the furthest from the eye first: `solids` are the parts of each.
pub(crate) fn painted(solids: &[Vec<Solid>], sight: &Sight) -> Vec<usize> {
    let count = solids.len();
    let behind = |a: usize, b: usize| {
        let pairs = solids[a].iter().flat_map(|part| solids[b].iter().map(move |other| (part, other)));
        pairs.filter_map(|(part, other)| part.is_behind(other, sight)).next()
    };
    // Who must come before each.
    let mut before: Vec<Vec<usize>> = vec![Vec::new(); count];
    for a in 0..count {
        for b in a + 1..count {
            match behind(a, b) {
                Some(true) => before[b].push(a),
                Some(false) => before[a].push(b),
                None => {}
            }
        }
    }
    let depth = |id: usize| solids[id].first().map_or(f64::NEG_INFINITY, |solid| solid.centre.dot(sight.toward));
    let mut far_first: Vec<usize> = (0..count).collect();
    far_first.sort_by(|&a, &b| depth(a).total_cmp(&depth(b)));
    let mut order = Vec::with_capacity(count);
    let mut begun = vec![false; count];
    for id in far_first {
        // Depth first without recursion; of a ring of bodies each before the next, one comes early.
        let mut stack = vec![(id, 0)];
        while let Some((id, next)) = stack.pop() {
            if next == 0 && std::mem::replace(&mut begun[id], true) {
                continue;
            }
            match before[id].get(next) {
                Some(&other) => {
                    stack.push((id, next + 1));
                    if !begun[other] {
                        stack.push((other, 0));
                    }
                }
                None => order.push(id),
            }
        }
    }
    order
}

/// The order in which the bodies of a world are painted; as they come in the plane.
pub(crate) fn paint_order<'a>(
    bodies: impl Iterator<Item = (&'a Body, Pose)>,
    in_space: bool,
    sight: &Sight,
) -> Vec<usize> {
    let solids: Vec<Vec<Solid>> = bodies
        .map(|(body, pose)| {
            let there = in_space && pose.position.is_finite();
            if there { body.parts.iter().filter_map(|part| Solid::of(part, &pose)).collect() } else { Vec::new() }
        })
        .collect();
    if in_space { painted(&solids, sight) } else { (0..solids.len()).collect() }
}

/// The corners of the smallest convex area around points, counter-clockwise (monotone chain).
fn hull(mut points: Vec<DVec2>) -> Vec<DVec2> {
    points.sort_by(|a, b| a.x.total_cmp(&b.x).then(a.y.total_cmp(&b.y)));
    let chain = |points: &mut dyn Iterator<Item = DVec2>| {
        let mut kept: Vec<DVec2> = Vec::new();
        for p in points {
            while let [.., a, b] = kept[..]
                && (b - a).perp_dot(p - b) <= 0.0
            {
                kept.pop();
            }
            kept.push(p);
        }
        kept.pop();
        kept
    };
    let mut around = chain(&mut points.iter().copied());
    around.extend(chain(&mut points.iter().rev().copied()));
    around
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::figure::View;
    use ironspin_model::{Dimension, World};

    fn brick(x: f64, y: f64, z: f64) -> Solid {
        let halves = [DVec3::X, 0.5 * DVec3::Y, 0.5 * DVec3::Z];
        Solid { centre: DVec3::new(x, y, z), halves, radius: 0.0, facets: None }
    }

    fn corner() -> Sight {
        let world = World { dimension: Dimension::Space, gravity: -DVec3::Y, ..World::planar(1.0) };
        Sight::of(&world, View::Corner)
    }

    #[test]
    fn what_lies_on_top_of_two_bricks_is_painted_after_both() {
        // The middle of the upper one is further from the eye than that of the lower right one.
        let order =
            painted(&[vec![brick(0.0, 1.0, 0.0)], vec![brick(1.1, 0.0, 0.0)], vec![brick(-1.1, 0.0, 0.0)]], &corner());
        assert_eq!(order.last(), Some(&0));
        assert!(order.iter().position(|&id| id == 2) < order.iter().position(|&id| id == 1));
    }

    #[test]
    fn a_small_ball_before_a_long_wall_is_painted_after_it() {
        let wall = Solid { halves: [9.0 * DVec3::X, DVec3::Y, 0.1 * DVec3::Z], ..brick(8.0, 0.0, 0.0) };
        let ball = Solid { halves: [DVec3::ZERO; 3], radius: 0.2, ..brick(0.0, 0.0, 0.4) };
        assert_eq!(painted(&[vec![ball.clone()], vec![wall.clone()]], &corner()), [1, 0]);
        let hidden = Solid { centre: -0.4 * DVec3::Z, ..ball };
        assert_eq!(painted(&[vec![wall], vec![hidden]], &corner()), [1, 0]);
    }

    #[test]
    fn a_box_shows_three_faces_from_the_corner_and_casts_a_shadow_straight_down() {
        let (solid, sight) = (brick(0.0, 3.0, 0.0), corner());
        assert_eq!(solid.faces(Pose::IDENTITY.rotation, false, &sight).len(), 3);
        let front = Sight::FRONT;
        assert_eq!(solid.faces(Pose::IDENTITY.rotation, false, &front).len(), 1);
        let world = World { dimension: Dimension::Space, ..World::planar(1.0) };
        let above = Sight::of(&world, View::Top);
        let Some(Primitive::Area(corners)) = solid.shadow(DVec3::ZERO, DVec3::Y, &above) else { panic!() };
        assert_eq!(corners.len(), 4);
        assert!(corners.iter().all(|corner| corner.abs() == DVec2::new(1.0, 0.5)), "{corners:?}");
        assert_eq!(solid.shadow(DVec3::new(0.0, 4.0, 0.0), DVec3::Y, &above), None);
    }
}
