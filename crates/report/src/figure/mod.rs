//! Bodies and joints as primitives: the one place that knows what shapes and joints look like. SVG, films, sketches and the page draw primitives,
//! each by its own means, through a [`Camera`].
//!
//! | file | duty |
//! |---|---|
//! | `camera.rs` | what part of a world is seen, and where a point of it lies on the picture |
//! | `sight.rs` | from where it is seen |
//! | `bodies.rs` | primitives of the parts of a body |
//! | `solids.rs` | what is seen of solids: faces, what hides what, shadows |
//! | `coarse.rs` | large surfaces with fewer faces |
//! | `ground.rs` | the ground of space with its grid and the shadows on it |
//! | `joints.rs` | primitives of a joint |
//! | `softs.rs` | skins, springs and nodes of soft bodies |

mod bodies;
mod camera;
mod coarse;
mod facets;
mod ground;
mod joints;
mod sight;
mod softs;
mod solids;

pub(crate) use bodies::{PartFigure, body_figure, placed_point};
pub(crate) use camera::Camera;
pub use coarse::coarsened;
pub(crate) use ground::{Ground, Tint};
pub(crate) use joints::{JointSign, joint_figure};
pub(crate) use sight::Sight;
pub use sight::View;
pub(crate) use softs::{deepest_strain, largest_strain, soft_figure};
pub(crate) use solids::{Solid, paint_order};

use ironspin_model::{DVec2, Dimension};

/// The worlds that figures are made for.
pub const FIGURES_MADE_FOR: &[Dimension] = Dimension::BOTH;

/// Something drawn of a body.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Piece {
    pub(crate) primitive: Primitive,
    /// Factor of the body's colour by the light that falls on it; 1 in the plane.
    pub(crate) light: f64,
    /// Whether its outline is drawn.
    pub(crate) edged: bool,
}

impl Piece {
    fn flat(primitive: Primitive) -> Piece {
        Piece { primitive, light: 1.0, edged: true }
    }

    /// The body's colour in its light.
    pub(crate) fn lit(&self, (r, g, b): (u8, u8, u8)) -> (u8, u8, u8) {
        let part = |part: u8| (f64::from(part) * self.light).clamp(0.0, 255.0) as u8;
        (part(r), part(g), part(b))
    }
}

/// Something to be drawn, in the coordinates of the plane that is looked at, m.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Primitive {
    /// A circle; a spoke shows how it is turned.
    Round {
        /// m.
        centre: DVec2,
        /// m.
        radius: f64,
        /// The point of the rim to which a spoke is drawn.
        spoke: Option<DVec2>,
    },
    /// All points within a radius of a line between two points.
    Stadium {
        /// m.
        ends: [DVec2; 2],
        /// m.
        radius: f64,
    },
    /// A convex area.
    Area(Vec<DVec2>),
    /// An area of any form, by the even-odd rule.
    Blob(Vec<DVec2>),
    /// A line through points.
    Line(Vec<DVec2>),
    /// Everything on the inner side of a line without end.
    HalfPlane {
        /// A point of the line, m.
        point: DVec2,
        /// Unit vector out of it.
        normal: DVec2,
    },
}

impl Primitive {
    /// Whether it has an inside to be filled.
    pub(crate) fn is_filled(&self) -> bool {
        match self {
            Primitive::Round { .. }
            | Primitive::Stadium { .. }
            | Primitive::Area(_)
            | Primitive::Blob(_)
            | Primitive::HalfPlane { .. } => true,
            Primitive::Line(_) => false,
        }
    }

    /// Corners of an area that stands for it in a picture of which no point lies further than `far` from it; nothing for what has an outline of
    /// its own.
    pub(crate) fn corners(&self, far: f64) -> Option<Vec<DVec2>> {
        match self {
            Primitive::Area(corners) | Primitive::Blob(corners) => Some(corners.clone()),
            Primitive::HalfPlane { point, normal } => {
                let (along, deep) = (normal.perp() * far, -*normal * far);
                Some([along, -along, deep - along, deep + along].map(|corner| *point + corner).to_vec())
            }
            Primitive::Round { .. } | Primitive::Stadium { .. } | Primitive::Line(_) => None,
        }
    }

    /// Whether a point lies in it. What is long and thin, and lines, are taken to be at least as thick as `thin` to both sides.
    pub(crate) fn covers(&self, p: DVec2, thin: f64) -> bool {
        match self {
            Primitive::Round { centre, radius, .. } => p.distance(*centre) <= *radius,
            Primitive::Stadium { ends, radius } => distance_to(p, ends[0], ends[1]) <= *radius,
            Primitive::HalfPlane { point, normal } => normal.dot(p - *point) <= 0.0,
            Primitive::Blob(corners) => crosses_oddly(corners, p),
            Primitive::Line(points) => points.windows(2).any(|ends| distance_to(p, ends[0], ends[1]) <= 0.9 * thin),
            Primitive::Area(corners) => {
                let count = corners.len();
                let side = |i: usize| (corners[(i + 1) % count] - corners[i]).perp_dot(p - corners[i]);
                let inside = (0..count).all(|i| side(i) >= 0.0) || (0..count).all(|i| side(i) <= 0.0);
                let margin = thinness(corners, thin);
                inside
                    || margin > 0.0
                        && (0..count).any(|i| distance_to(p, corners[i], corners[(i + 1) % count]) <= margin)
            }
        }
    }
}

/// How far an area is widened to be seen however thin it is, so that it is twice as thick as a thin line: nothing unless it is long.
fn thinness(corners: &[DVec2], thin: f64) -> f64 {
    let next = || corners.iter().cycle().skip(1);
    let longest = corners.iter().zip(next()).map(|(a, b)| a.distance(*b)).fold(0.0, f64::max);
    let area: f64 = corners.iter().zip(next()).map(|(a, b)| a.perp_dot(*b)).sum::<f64>().abs() / 2.0;
    if longest > 4.0 * thin { (thin - 0.5 * area / longest).max(0.0) } else { 0.0 }
}

/// Whether a ray from a point crosses the rim of an area an odd number of times.
fn crosses_oddly(corners: &[DVec2], p: DVec2) -> bool {
    let next = corners.iter().cycle().skip(1);
    let crossed = corners
        .iter()
        .zip(next)
        .filter(|(a, b)| (a.y > p.y) != (b.y > p.y) && p.x < a.x + (b.x - a.x) * (p.y - a.y) / (b.y - a.y));
    crossed.count() % 2 == 1
}

fn distance_to(p: DVec2, from: DVec2, to: DVec2) -> f64 {
    let way = to - from;
    let share = if way == DVec2::ZERO { 0.0 } else { ((p - from).dot(way) / way.length_squared()).clamp(0.0, 1.0) };
    p.distance(from + way * share)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn primitives_cover_what_lies_in_them() {
        let square = Primitive::Area(vec![DVec2::ZERO, DVec2::X, DVec2::ONE, DVec2::Y]);
        let clockwise = Primitive::Area(vec![DVec2::ZERO, DVec2::Y, DVec2::ONE, DVec2::X]);
        let half = DVec2::splat(0.5);
        for area in [&square, &clockwise] {
            assert!(area.covers(half, 1.0) && !area.covers(DVec2::new(1.4, 0.5), 1.0));
        }
        let plank =
            Primitive::Area(vec![DVec2::ZERO, DVec2::new(9.0, 0.0), DVec2::new(9.0, 0.01), DVec2::new(0.0, 0.01)]);
        assert!(plank.covers(DVec2::new(4.0, 0.9), 1.0) && !plank.covers(DVec2::new(4.0, 1.1), 1.0));
        let disc = Primitive::Round { centre: half, radius: 0.5, spoke: None };
        assert!(disc.covers(half, 0.0) && !disc.covers(DVec2::ZERO, 0.0));
        let stadium = Primitive::Stadium { ends: [DVec2::ZERO, DVec2::X], radius: 0.2 };
        assert!(stadium.covers(DVec2::new(1.1, 0.1), 0.0) && !stadium.covers(DVec2::new(1.2, 0.2), 0.0));
        let ground = Primitive::HalfPlane { point: half, normal: DVec2::Y };
        assert!(ground.covers(DVec2::ZERO, 0.0) && !ground.covers(DVec2::ONE, 0.0));
        let line = Primitive::Line(vec![DVec2::ZERO, DVec2::X]);
        assert!(
            line.covers(DVec2::new(0.5, 0.05), 0.1) && !line.covers(DVec2::new(0.5, 0.1), 0.1) && !line.is_filled()
        );
    }

    #[test]
    fn the_edge_of_a_half_plane_goes_through_its_point() {
        let ground = Primitive::HalfPlane { point: DVec2::new(0.0, 2.0), normal: DVec2::Y };
        let corners = ground.corners(10.0).unwrap();
        assert_eq!(corners.iter().filter(|corner| corner.y == 2.0).count(), 2);
        assert!(corners.iter().all(|corner| corner.y <= 2.0));
    }
}
