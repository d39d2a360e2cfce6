//! Space on a raster image by depth: of all that lies behind a dot the nearest is seen (Catmull 1974), so that bowls and bodies that stick into each
//! other are right from every side. Drawn finer than it is shown, and averaged.

use crate::figure::{Camera, Ground, Sight, Solid};
use crate::look::{GRID, GROUND, SHADOW, strain_colour};
use ironspin_model::{Body, DQuat, DVec2, DVec3, Pose, SoftBody, World, turn};
use tiny_skia::{Pixmap, PremultipliedColorU8};

type Colour = (u8, u8, u8);

const INK: Colour = (0x22, 0x26, 0x2a);
const PAPER: Colour = (0xfb, 0xfa, 0xf6);
/// Dots drawn for each dot shown, along each side.
const FINER: usize = 2;
/// Owners of dots that a body may have: its parts, and their faces.
const OWNERS: u32 = 4_096;
const PARTS: u32 = 64;
/// How much of a face is seen that would hide what a bowl holds, and of a sensor.
const GLASS: f64 = 0.25;
const SENSOR: f64 = 0.18;
/// A face of a surface is in the way when it lies so far out, as a share of the surface's size.
const NEAR_WALL: f64 = 0.1;

/// A corner on the picture: dots to the right and down, and how near it is, m.
type Spot = [f64; 3];

/// What stands behind all that moves.
pub(super) struct Backdrop {
    colours: Vec<Colour>,
    near: Vec<f32>,
}

/// A picture under way.
pub(super) struct Depth<'a> {
    wide: usize,
    tall: usize,
    colours: Vec<Colour>,
    near: Vec<f32>,
    owner: Vec<u32>,
    camera: &'a Camera,
    sight: &'a Sight,
    /// Size of what is seen, m, and its middle.
    region: f64,
    middle: DVec3,
    /// What is seen through: painted when all else stands.
    glass: Vec<(Vec<Spot>, Colour, f64, Option<Colour>)>,
}

impl<'a> Depth<'a> {
    /// An empty picture; `region` is the lower and upper corner of what is seen.
    pub(super) fn new(size: [u32; 2], camera: &'a Camera, sight: &'a Sight, region: (DVec3, DVec3)) -> Depth<'a> {
        let [wide, tall] = size.map(|side| FINER * side as usize);
        Depth {
            wide,
            tall,
            colours: vec![PAPER; wide * tall],
            near: vec![f32::NEG_INFINITY; wide * tall],
            owner: vec![0; wide * tall],
            camera,
            sight,
            region: (region.1 - region.0).length().max(f64::MIN_POSITIVE),
            middle: 0.5 * (region.0 + region.1),
            glass: Vec::new(),
        }
    }

    fn spot(&self, p: DVec3) -> Spot {
        let at = self.camera.place(self.sight.project(p)) * FINER as f64;
        [at.x, at.y, (p - self.middle).dot(self.sight.toward)]
    }

    /// A colour in its light, paler the further away it is.
    fn tone(&self, (r, g, b): Colour, light: f64, at: DVec3) -> Colour {
        let pale = (0.16 - 0.28 * (at - self.middle).dot(self.sight.toward) / self.region).clamp(0.0, 0.4);
        let part = |part: u8, paper: u8| {
            let lit = (f64::from(part) * light).clamp(0.0, 255.0);
            (lit + pale * (f64::from(paper) - lit)).round() as u8
        };
        (part(r, PAPER.0), part(g, PAPER.1), part(b, PAPER.2))
    }

    /// A flat convex face. Below an opacity of 1 it hides nothing; `lift` brings it nearer, m.
    fn face(&mut self, corners: &[Spot], colour: Colour, owner: u32, opacity: f64, lift: f64) {
        let [ox, oy, oq] = corners[0];
        let mut n = DVec3::ZERO;
        for pair in corners[1..].windows(2) {
            let way = |p: Spot| DVec3::new(p[0] - ox, p[1] - oy, p[2] - oq);
            n += way(pair[0]).cross(way(pair[1]));
        }
        if !(n.z.abs() > 1e-9) {
            return;
        }
        let (across, down) = (-n.x / n.z, -n.y / n.z);
        let top = corners.iter().map(|p| p[1]).fold(f64::INFINITY, f64::min);
        let bottom = corners.iter().map(|p| p[1]).fold(f64::NEG_INFINITY, f64::max);
        for row in within(top, bottom, self.tall) {
            let y = row as f64 + 0.5;
            let (mut left, mut right) = (f64::INFINITY, f64::NEG_INFINITY);
            let mut a = corners[corners.len() - 1];
            for &b in corners {
                if (a[1] <= y) != (b[1] <= y) {
                    let x = a[0] + (b[0] - a[0]) * (y - a[1]) / (b[1] - a[1]);
                    left = left.min(x);
                    right = right.max(x);
                }
                a = b;
            }
            let columns = within(left, right, self.wide);
            let first = oq + across * (columns.start as f64 + 0.5 - ox) + down * (y - oy) + lift;
            let dots = row * self.wide + columns.start..row * self.wide + columns.end;
            let near = &mut self.near[dots.clone()];
            let colours = &mut self.colours[dots.clone()];
            let owners = &mut self.owner[dots];
            for (k, ((near, dot), own)) in near.iter_mut().zip(colours).zip(owners).enumerate() {
                let q = (first + across * k as f64) as f32;
                if q > *near {
                    if opacity < 1.0 {
                        *dot = mixed(*dot, colour, opacity);
                    } else {
                        (*near, *dot, *own) = (q, colour, owner);
                    }
                }
            }
        }
    }

    /// A line of so many dots' thickness; owned by nobody, so that nothing runs around it.
    fn line(&mut self, ends: [Spot; 2], thick: f64, colour: Colour, lift: f64) {
        let [a, b] = ends;
        let way = DVec2::new(b[0] - a[0], b[1] - a[1]);
        let side = way.perp().normalize_or(DVec2::Y) * (0.5 * thick * FINER as f64);
        let beside = |p: Spot, to: f64| [p[0] + to * side.x, p[1] + to * side.y, p[2]];
        self.face(&[beside(a, 1.0), beside(b, 1.0), beside(b, -1.0), beside(a, -1.0)], colour, 0, 1.0, lift);
    }

    /// A ball with the two great circles that show how it is turned.
    fn ball(&mut self, centre: DVec3, radius: f64, rotation: Option<DQuat>, colour: Colour, owner: u32) {
        let spot = self.spot(centre);
        let reach = (radius * self.camera.scale() * FINER as f64).max(1.5);
        let tones: Vec<Colour> =
            (0..=32).map(|k| self.tone(colour, 0.62 + 0.55 * (f64::from(k) / 16.0 - 1.0), centre)).collect();
        let dark = self.tone(colour, 0.3, centre);
        let axes = self.sight.axes();
        let light = DVec3::new(0.35, 0.75, 0.55).normalize();
        let rings: Vec<DVec3> = rotation
            .into_iter()
            .filter(|_| reach > 8.0)
            .flat_map(|rotation| [DVec3::X, DVec3::Y].map(|own| turn::turned(rotation, own)))
            .map(|axis| DVec3::from_array(axes.map(|seen| seen.dot(axis))))
            .collect();
        let thin = 1.2 / reach;
        for row in within(spot[1] - reach, spot[1] + reach, self.tall) {
            let v = (spot[1] - row as f64 - 0.5) / reach;
            let half = reach * (1.0 - v * v).max(0.0).sqrt();
            for column in within(spot[0] - half, spot[0] + half, self.wide) {
                let u = (column as f64 + 0.5 - spot[0]) / reach;
                let n = DVec3::new(u, v, (1.0 - u * u - v * v).max(0.0).sqrt());
                let (q, at) = ((spot[2] + radius * n.z) as f32, row * self.wide + column);
                if q > self.near[at] {
                    let on_ring = rings.iter().any(|ring| ring.dot(n).abs() < thin);
                    let tone = if on_ring { dark } else { tones[(16.0 + 15.9 * n.dot(light)).round() as usize] };
                    (self.near[at], self.colours[at], self.owner[at]) = (q, tone, owner);
                }
            }
        }
    }

    /// The picture so far, to begin others with.
    pub(super) fn backdrop(self) -> Backdrop {
        Backdrop { colours: self.colours, near: self.near }
    }

    /// Begins with what was drawn before, on a picture of the same size and view.
    pub(super) fn begin(&mut self, backdrop: &Backdrop) {
        self.colours.copy_from_slice(&backdrop.colours);
        self.near.copy_from_slice(&backdrop.near);
    }

    fn sees_top_of(&self, ground: &Ground) -> bool {
        ground.normal.dot(self.sight.toward) >= 0.05
    }

    /// The ground with its grid.
    pub(super) fn ground(&mut self, ground: &Ground) {
        if !self.sees_top_of(ground) {
            return;
        }
        let hair = 2e-4 * self.region;
        let patch = ground.patch.map(|p| self.spot(p));
        self.face(&patch, GROUND, 0, 1.0, 0.0);
        for ends in &ground.lines {
            let ends = ends.map(|p| self.spot(p));
            self.line(ends, 1.0, GRID, 2.0 * hair);
        }
    }

    /// The shadows on the ground.
    pub(super) fn shadows(&mut self, ground: &Ground, world: &World, poses: &[Pose]) {
        if !self.sees_top_of(ground) {
            return;
        }
        let hair = 2e-4 * self.region;
        for (body, pose) in world.rigid().iter().zip(poses).filter(|(_, pose)| pose.position.is_finite()) {
            for solid in body.parts.iter().filter(|part| !part.sensor).filter_map(|part| Solid::of(part, pose)) {
                for cast in solid.shadows(ground.point, ground.normal) {
                    let cast: Vec<Spot> = cast.into_iter().map(|p| self.spot(p)).collect();
                    self.face(&cast, SHADOW, 0, 1.0, hair);
                }
            }
        }
        let onto = |p: DVec3| p - ground.normal * (p - ground.point).dot(ground.normal);
        for soft in &world.softs {
            for face in &soft.faces {
                let points = face.map(|node| poses[soft.nodes.start + node].position);
                if points.iter().all(|p| p.is_finite() && (*p - ground.point).dot(ground.normal) >= 0.0) {
                    let cast = points.map(|p| self.spot(onto(p)));
                    self.face(&cast, SHADOW, 0, 1.0, hair);
                }
            }
        }
    }

    /// A body in a colour; the number tells it from others.
    pub(super) fn body(&mut self, number: usize, body: &Body, pose: &Pose, colour: Colour, still: bool) {
        for (k, part) in body.parts.iter().enumerate() {
            let owner = (number as u32 + 1) * OWNERS + k as u32 % PARTS;
            let Some(solid) = Solid::of(part, pose) else { continue };
            if solid.radius > 0.0 {
                let rotation = (!still).then_some(pose.rotation);
                if !part.sensor {
                    self.ball(solid.centre, solid.radius, rotation, colour, owner);
                }
                continue;
            }
            let size = solid.size();
            for (number, face) in solid.flat_faces().into_iter().enumerate() {
                let slant = face.normal.dot(self.sight.toward);
                if slant.abs() < 1e-6 || (slant < 0.0 && !face.two_sided) {
                    continue;
                }
                let seen = face.normal * slant.signum();
                let tone = self.tone(colour, self.sight.light(seen), solid.centre);
                let corners: Vec<Spot> = face.corners.iter().map(|&p| self.spot(p)).collect();
                let out = (face.corners[0] - solid.centre).dot(seen);
                if part.sensor {
                    self.glass.push((corners, tone, SENSOR, Some(INK)));
                } else if face.two_sided && out > NEAR_WALL * size {
                    self.glass.push((corners, tone, GLASS, Some(mixed(colour, INK, 0.5))));
                } else {
                    // Smooth faces share an owner, so that no line runs between them.
                    let id = if face.edged { number as u32 + 2 } else { u32::from(slant < 0.0) };
                    self.face(&corners, tone, owner + PARTS * (id % (OWNERS / PARTS - 1) + 1), 1.0, 0.0);
                }
            }
        }
    }

    /// The skin of a soft body, as faces of both sides.
    pub(super) fn skin(&mut self, number: usize, soft: &SoftBody, poses: &[Pose], colour: Colour) {
        let owner = (number as u32 + 1) * OWNERS;
        let place = |node: usize| poses[soft.nodes.start + node].position;
        for face in &soft.faces {
            let points = face.map(place);
            let normal = (points[1] - points[0]).cross(points[2] - points[0]).normalize_or_zero();
            if !points.iter().all(|p| p.is_finite()) {
                continue;
            }
            let slant = normal.dot(self.sight.toward);
            let tone = self.tone(colour, self.sight.light(normal * slant.signum()), points[0]);
            let corners = points.map(|p| self.spot(p));
            self.face(&corners, tone, owner + u32::from(slant < 0.0), 1.0, 0.0);
        }
    }

    /// Springs by their strain over everything that they lie before; `most` is the strain of the deepest colour.
    pub(super) fn springs(&mut self, world: &World, soft: &SoftBody, poses: &[Pose], most: f64) {
        let lift = 3e-3 * self.region;
        let place = |node: usize| poses[soft.nodes.start + node].position;
        for spring in &soft.springs {
            let [a, b] = spring.ends.map(place);
            if a.is_finite() && b.is_finite() {
                let strain = spring.strain(a.distance(b)).unwrap_or(0.0);
                let ends = [a, b].map(|p| self.spot(p));
                self.line(ends, 1.6, strain_colour((strain / most).clamp(-1.0, 1.0)), lift);
            }
        }
        for node in soft.nodes.clone() {
            let at = poses[node].position;
            let held = world.bodies[node].mass == 0.0;
            if at.is_finite() && (held || soft.faces.is_empty()) {
                let (spot, half) = (self.spot(at), FINER as f64 * if held { 3.5 } else { 2.0 });
                let corner = |x: f64, y: f64| [spot[0] + x * half, spot[1] + y * half, spot[2]];
                let square = [corner(-1.0, -1.0), corner(1.0, -1.0), corner(1.0, 1.0), corner(-1.0, 1.0)];
                self.face(&square, INK, 0, 1.0, 2.0 * lift);
            }
        }
    }

    /// Lines where one thing ends before another.
    pub(super) fn outline(&mut self) {
        let wide = self.wide;
        for row in 1..self.tall.saturating_sub(1) {
            let line = |row: usize| &self.owner[row * wide..(row + 1) * wide];
            let (above, own, below) = (line(row - 1), line(row), line(row + 1));
            let inner = &mut self.colours[row * wide + 1..(row + 1) * wide - 1];
            for (k, dot) in inner.iter_mut().enumerate() {
                let (here, at) = (own[k + 1], k + 1);
                if (own[k] != here) | (own[k + 2] != here) | (above[at] != here) | (below[at] != here) {
                    *dot = INK;
                }
            }
        }
    }

    /// What is seen through.
    pub(super) fn glasses(&mut self) {
        for (corners, tone, opacity, rim) in std::mem::take(&mut self.glass) {
            self.face(&corners, tone, 0, opacity, 0.0);
            let Some(rim) = rim else { continue };
            for k in 0..corners.len() {
                self.line([corners[k], corners[(k + 1) % corners.len()]], 0.6, rim, 0.0);
            }
        }
    }

    /// How many fine dots each of the first bodies takes.
    pub(super) fn dots(&self, bodies: usize) -> Vec<usize> {
        let mut dots = vec![0; bodies];
        for &owner in &self.owner {
            if let Some(count) = (owner / OWNERS).checked_sub(1).and_then(|body| dots.get_mut(body as usize)) {
                *count += 1;
            }
        }
        dots
    }

    /// Puts it on a picture of the size that was asked for.
    pub(super) fn put(&self, pixels: &mut Pixmap) {
        let wide = pixels.width() as usize;
        let mut sums = vec![[0_u32; 3]; wide];
        for (number, line) in pixels.pixels_mut().chunks_exact_mut(wide).enumerate() {
            sums.fill([0; 3]);
            for row in FINER * number..FINER * (number + 1) {
                let fine = &self.colours[row * self.wide..row * self.wide + FINER * wide];
                for (sum, dots) in sums.iter_mut().zip(fine.chunks_exact(FINER)) {
                    for &(r, g, b) in dots {
                        sum[0] += u32::from(r);
                        sum[1] += u32::from(g);
                        sum[2] += u32::from(b);
                    }
                }
            }
            for (dot, sum) in line.iter_mut().zip(&sums) {
                let [r, g, b] = sum.map(|sum| (sum / (FINER * FINER) as u32) as u8);
                if let Some(colour) = PremultipliedColorU8::from_rgba(r, g, b, 255) {
                    *dot = colour;
                }
            }
        }
    }
}

/// Dots whose middles lie between two places, of so many.
fn within(from: f64, to: f64, count: usize) -> std::ops::Range<usize> {
    if !(from < to) {
        return 0..0;
    }
    let first = (from - 0.5).ceil().max(0.0) as usize;
    let end = (to - 0.5).ceil().clamp(0.0, count as f64) as usize;
    first.min(end)..end
}

fn mixed(under: Colour, over: Colour, opacity: f64) -> Colour {
    let part = |a: u8, b: u8| (f64::from(a) + opacity * (f64::from(b) - f64::from(a))).round() as u8;
    (part(under.0, over.0), part(under.1, over.1), part(under.2, over.2))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::figure::View;
    use ironspin_model::{Dimension, Part, SpaceShape};

    fn dots(view: View, parts: &[(SpaceShape, DVec3)]) -> Vec<usize> {
        let world = World { dimension: Dimension::Space, gravity: -DVec3::Y, ..World::planar(1.0) };
        let sight = Sight::of(&world, view);
        let camera = Camera::showing(DVec2::splat(-2.0), DVec2::splat(2.0), DVec2::splat(100.0));
        let mut depth = Depth::new([100, 100], &camera, &sight, (DVec3::splat(-2.0), DVec3::splat(2.0)));
        for (number, (shape, at)) in parts.iter().enumerate() {
            let body = Body { parts: vec![Part::solid(shape.clone(), 0)], ..Body::plain("part") };
            depth.body(number, &body, &Pose::at(*at), (100, 100, 100), false);
        }
        depth.dots(parts.len())
    }

    #[test]
    fn the_nearer_body_hides_the_further_one_in_whatever_order_they_come() {
        let wall = (SpaceShape::Box(DVec3::new(2.0, 2.0, 0.1)), DVec3::ZERO);
        let ball = (SpaceShape::Sphere(0.5), DVec3::new(0.0, 0.0, -1.0));
        assert_eq!(dots(View::Front, &[wall.clone(), ball.clone()])[1], 0);
        assert_eq!(dots(View::Front, &[ball.clone(), wall.clone()])[0], 0);
        let before = (SpaceShape::Sphere(0.5), DVec3::new(0.0, 0.0, 1.0));
        let seen = dots(View::Front, &[before, wall])[0] as f64;
        let area = std::f64::consts::PI * (0.5_f64 * 25.0 * FINER as f64).powi(2);
        assert!((seen / area - 1.0).abs() < 0.02, "{seen} {area}");
    }

    #[test]
    fn of_a_ball_that_sticks_in_a_wall_the_part_before_it_is_seen() {
        let wall = (SpaceShape::Box(DVec3::new(3.0, 3.0, 0.2)), DVec3::ZERO);
        let stuck = (SpaceShape::Sphere(0.5), DVec3::new(0.0, 0.0, -0.2));
        // A cap 0.2 m high: its circle has a radius of 0.4 m.
        let seen = dots(View::Front, &[wall, stuck])[1] as f64;
        let area = std::f64::consts::PI * (0.4_f64 * 25.0 * FINER as f64).powi(2);
        assert!((seen / area - 1.0).abs() < 0.03, "{seen} {area}");
    }
}
