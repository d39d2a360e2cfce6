//! Points and triangles, and what lies inside of a closed skin.

use crate::common::scalar::Real;
use crate::space::vector::Vec3;

/// The point of a triangle that is nearest to another, by the shares of its corners.
///
/// Source: Ericson, Real-Time Collision Detection (2005), section 5.1.5, by the regions of Voronoi.
pub(super) fn nearest<R: Real>(p: Vec3<R>, [a, b, c]: [Vec3<R>; 3]) -> [R; 3] {
    let (ab, ac, ap) = (b - a, c - a, p - a);
    let (d1, d2) = (ab.dot(ap), ac.dot(ap));
    if d1 <= R::ZERO && d2 <= R::ZERO {
        return [R::ONE, R::ZERO, R::ZERO];
    }
    let bp = p - b;
    let (d3, d4) = (ab.dot(bp), ac.dot(bp));
    if d3 >= R::ZERO && d4 <= d3 {
        return [R::ZERO, R::ONE, R::ZERO];
    }
    let vc = d1 * d4 - d3 * d2;
    if vc <= R::ZERO && d1 >= R::ZERO && d3 <= R::ZERO {
        let v = d1 / (d1 - d3);
        return [R::ONE - v, v, R::ZERO];
    }
    let cp = p - c;
    let (d5, d6) = (ab.dot(cp), ac.dot(cp));
    if d6 >= R::ZERO && d5 <= d6 {
        return [R::ZERO, R::ZERO, R::ONE];
    }
    let vb = d5 * d2 - d1 * d6;
    if vb <= R::ZERO && d2 >= R::ZERO && d6 <= R::ZERO {
        let w = d2 / (d2 - d6);
        return [R::ONE - w, R::ZERO, w];
    }
    let va = d3 * d6 - d5 * d4;
    if va <= R::ZERO && d4 - d3 >= R::ZERO && d5 - d6 >= R::ZERO {
        let w = (d4 - d3) / ((d4 - d3) + (d5 - d6));
        return [R::ZERO, R::ONE - w, w];
    }
    let all = va + vb + vc;
    if !(all > R::ZERO) {
        return [R::ONE, R::ZERO, R::ZERO];
    }
    let (v, w) = (vb / all, vc / all);
    [R::ONE - v - w, v, w]
}

/// The sum of three points by their shares.
pub(super) fn blend<R: Real>(shares: [R; 3], [a, b, c]: [Vec3<R>; 3]) -> Vec3<R> {
    a * shares[0] + b * shares[1] + c * shares[2]
}

/// The normal of a triangle, to the side from which it is counter-clockwise.
pub(super) fn normal<R: Real>([a, b, c]: [Vec3<R>; 3]) -> Vec3<R> {
    (b - a).cross(c - a).unit_or(Vec3::axis(1))
}

/// Whether a point lies inside of a closed skin: its triangles fill all directions around it.
///
/// Source: Van Oosterom and Strackee, "The solid angle of a plane triangle" (1983).
pub(super) fn encloses<R: Real>(skin: &[[usize; 3]], at: impl Fn(usize) -> Vec3<R>, p: Vec3<R>) -> bool {
    let mut sum = R::ZERO;
    for corners in skin {
        let [a, b, c] = corners.map(|corner| at(corner) - p);
        let (la, lb, lc) = (a.length(), b.length(), c.length());
        let volume = a.dot(b.cross(c));
        let flat = la * lb * lc + a.dot(b) * lc + b.dot(c) * la + c.dot(a) * lb;
        sum += volume.atan2(flat);
    }
    // Half of the solid angle: two pi inside, nothing outside.
    sum > R::of(std::f64::consts::PI)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn v(x: f64, y: f64, z: f64) -> Vec3<f64> {
        Vec3::new(x, y, z)
    }

    #[test]
    fn the_nearest_point_lies_in_the_face_on_an_edge_or_at_a_corner() {
        let triangle = [v(0.0, 0.0, 0.0), v(2.0, 0.0, 0.0), v(0.0, 2.0, 0.0)];
        for (point, foot) in [
            (v(0.5, 0.5, 3.0), v(0.5, 0.5, 0.0)),
            (v(1.0, -1.0, 1.0), v(1.0, 0.0, 0.0)),
            (v(2.0, 2.0, 0.0), v(1.0, 1.0, 0.0)),
            (v(-1.0, -1.0, 0.0), v(0.0, 0.0, 0.0)),
            (v(5.0, 0.0, 0.0), v(2.0, 0.0, 0.0)),
            (v(-1.0, 1.5, 1.0), v(0.0, 1.5, 0.0)),
        ] {
            assert!((blend(nearest(point, triangle), triangle) - foot).length() < 1e-15, "{point:?}");
        }
    }

    #[test]
    fn a_tetrahedron_encloses_its_middle() {
        let corners = [v(0.0, 0.0, 0.0), v(1.0, 0.0, 0.0), v(0.0, 1.0, 0.0), v(0.0, 0.0, 1.0)];
        let skin = [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]];
        let inside = |p| encloses(&skin, |corner| corners[corner], p);
        assert!(inside(v(0.2, 0.2, 0.2)) && !inside(v(0.5, 0.5, 0.5)) && !inside(v(-0.1, 0.1, 0.1)));
    }
}
