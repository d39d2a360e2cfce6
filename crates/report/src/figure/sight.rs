//! From where a world is looked at. The plane is seen from the front; space from one of four sides, by parallel projection, so that equal lengths
//! look equal wherever they are.

use ironspin_model::{DVec2, DVec3, Dimension, World};
use std::f64::consts::FRAC_PI_2;

/// A side from which a world is seen. Up is where gravity comes from, else y.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum View {
    /// Along -z: x to the right.
    Front,
    /// Along -x: z to the left.
    Side,
    /// From above: x to the right, z down.
    Top,
    /// From in front, from the right and from above.
    Corner,
    /// From where a vector of the world points, whatever its length.
    From(DVec3),
}

impl View {
    /// All that have a name.
    pub const ALL: [View; 4] = [View::Front, View::Side, View::Top, View::Corner];

    /// Its word.
    pub fn word(self) -> &'static str {
        match self {
            View::Front => "front",
            View::Side => "side",
            View::Top => "top",
            View::Corner => "corner",
            View::From(_) => "free",
        }
    }

    /// The side of a word.
    pub fn of(word: &str) -> Option<View> {
        View::ALL.into_iter().find(|view| view.word() == word)
    }

    /// The one from which a world is seen unless something else is asked for.
    pub fn usual(dimension: Dimension) -> View {
        match dimension {
            Dimension::Plane => View::Front,
            Dimension::Space => View::Corner,
        }
    }
}

/// How far to the right and up the eye of [`View::Corner`] stands, rad.
const AROUND: f64 = 0.58;
const ABOVE: f64 = 0.42;

/// The axes of a view, unit vectors of the world.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Sight {
    right: DVec3,
    up: DVec3,
    /// To the eye.
    pub(crate) toward: DVec3,
}

impl Sight {
    /// The plane, or space from the front with y up.
    pub(crate) const FRONT: Sight = Sight { right: DVec3::X, up: DVec3::Y, toward: DVec3::Z };

    pub(crate) fn of(world: &World, view: View) -> Sight {
        if world.dimension == Dimension::Plane {
            return Sight::FRONT;
        }
        let (right, toward) = match view {
            View::From(to_eye) => {
                let toward = to_eye.try_normalize().unwrap_or(DVec3::Z);
                let right = upright(world.gravity, DVec3::Y).cross(toward).try_normalize();
                // Straight from above there is no side that is up.
                let right = right.unwrap_or_else(|| upright(world.gravity, DVec3::X));
                return Sight { right, up: toward.cross(right), toward };
            }
            View::Front => (DVec3::X, DVec3::Z),
            View::Side => (-DVec3::Z, DVec3::X),
            View::Top => (DVec3::X, DVec3::Y),
            View::Corner => {
                let (sin, cos) = (libm::sin(AROUND), libm::cos(AROUND));
                let (high, flat) = (libm::sin(ABOVE), libm::cos(ABOVE));
                (DVec3::new(cos, 0.0, -sin), DVec3::new(flat * sin, high, flat * cos))
            }
        };
        let [right, toward] = [right, toward].map(|axis| upright(world.gravity, axis));
        Sight { right, up: toward.cross(right), toward }
    }

    /// Corners from which a world of space can be seen, the usual one first: the others about the upright axis and from higher up.
    pub(crate) fn corners(world: &World) -> impl Iterator<Item = View> + '_ {
        let heights = [ABOVE, 0.9];
        let around =
            heights.into_iter().flat_map(|above| (0..4).map(move |k| (above, AROUND + FRAC_PI_2 * f64::from(k))));
        around.map(|(above, around)| {
            let (high, flat) = (libm::sin(above), libm::cos(above));
            View::From(upright(world.gravity, DVec3::new(flat * libm::sin(around), high, flat * libm::cos(around))))
        })
    }

    /// Where a point of the world lies in the plane that is looked at, m.
    pub(crate) fn project(&self, point: DVec3) -> DVec2 {
        DVec2::new(point.dot(self.right), point.dot(self.up))
    }

    /// Where light comes from: how far to the right, up and to the eye.
    pub(crate) const LIGHT: DVec3 = DVec3::new(0.35, 0.75, 0.55);

    /// How much of the light falls on a face with an outward normal, as a factor of its colour.
    pub(crate) fn light(&self, normal: DVec3) -> f64 {
        let from = (Self::LIGHT.x * self.right + Self::LIGHT.y * self.up + Self::LIGHT.z * self.toward).normalize();
        0.72 + 0.4 * normal.dot(from)
    }

    /// The three axes, for a page that projects by itself: to the right, up, to the eye.
    pub(crate) fn axes(&self) -> [DVec3; 3] {
        [self.right, self.up, self.toward]
    }
}

/// Axes as if y were up, turned so that the axis along which things fall is upright.
fn upright(gravity: DVec3, v: DVec3) -> DVec3 {
    let pull = gravity.abs();
    if gravity == DVec3::ZERO || (pull.y >= pull.x && pull.y >= pull.z) {
        return v;
    }
    // A quarter turn that carries y to z, or y to x.
    if pull.z >= pull.x { DVec3::new(v.x, -v.z, v.y) } else { DVec3::new(v.y, -v.x, v.z) }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn world(gravity: DVec3) -> World {
        World { dimension: Dimension::Space, gravity, ..World::planar(1.0) }
    }

    #[test]
    fn axes_are_a_right_handed_frame_and_things_fall_down() {
        for gravity in [DVec3::ZERO, -9.81 * DVec3::Y, -9.81 * DVec3::Z, -9.81 * DVec3::X] {
            for view in View::ALL {
                let sight = Sight::of(&world(gravity), view);
                assert!(sight.right.cross(sight.up).distance(sight.toward) < 1e-15, "{view:?} {gravity}");
                assert!(sight.right.dot(sight.up).abs() < 1e-15 && (sight.up.length() - 1.0).abs() < 1e-15);
                let fall = sight.project(gravity);
                assert!(fall.x.abs() < 1e-12 && fall.y <= 1e-12, "{view:?} {gravity} {fall}");
            }
        }
    }

    #[test]
    fn a_free_view_looks_from_where_it_is_told_with_up_upwards() {
        for gravity in [-9.81 * DVec3::Y, -9.81 * DVec3::Z] {
            let world = world(gravity);
            assert_eq!(Sight::corners(&world).count(), 8);
            for view in Sight::corners(&world).chain([View::From(-3.0 * gravity), View::From(DVec3::ONE)]) {
                let (View::From(to), sight) = (view, Sight::of(&world, view)) else { panic!() };
                assert!(sight.toward.distance(to.normalize()) < 1e-15 && sight.project(gravity).y <= 1e-12);
                assert!(sight.right.cross(sight.up).distance(sight.toward) < 1e-15);
            }
            let [usual, first] =
                [View::Corner, Sight::corners(&world).next().unwrap()].map(|view| Sight::of(&world, view));
            assert!(usual.toward.distance(first.toward) < 1e-15);
        }
    }

    #[test]
    fn each_view_shows_what_its_name_says() {
        let world = world(-9.81 * DVec3::Y);
        let seen = |view, p| Sight::of(&world, view).project(p);
        assert_eq!(seen(View::Front, DVec3::new(1.0, 2.0, 3.0)), DVec2::new(1.0, 2.0));
        assert_eq!(seen(View::Side, DVec3::new(1.0, 2.0, 3.0)), DVec2::new(-3.0, 2.0));
        assert_eq!(seen(View::Top, DVec3::new(1.0, 2.0, 3.0)), DVec2::new(1.0, -3.0));
        let corner = Sight::of(&world, View::Corner);
        assert!(corner.toward.min_element() > 0.3 && corner.light(DVec3::Y) > corner.light(DVec3::X));
    }
}
