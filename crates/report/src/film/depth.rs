//! Space on a raster image by depth: of all that lies behind a dot the nearest is seen (Catmull 1974), so that bowls and bodies that stick into each
//! other are right from every side. Drawn finer than it is shown, and averaged.

use super::fine::{Backdrop, Colour, FINER, Room, Rooms, Spot, packed, within};
use crate::figure::{Camera, Ground, Sight, Solid};
use crate::look::{GRID, GROUND, INK, PAPER, SHADOW, mixed, strain_colour};
use ironspin_model::{Body, DQuat, DVec3, Pose, SoftBody, World, turn};
use tiny_skia::Pixmap;

/// Owners of dots that a body may have: its parts, and their faces.
const OWNERS: u32 = 4_096;
const PARTS: u32 = 64;
/// How much of a face is seen that would hide what a bowl holds, and of a sensor.
const GLASS: f64 = 0.25;
const SENSOR: f64 = 0.18;
/// A face of a surface is in the way when it lies so far out, as a share of the surface's size.
const NEAR_WALL: f64 = 0.1;

/// A picture under way.
pub(super) struct Depth<'a> {
    room: Room,
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
        Depth::within(Room::empty(size), camera, sight, region)
    }

    /// One that begins with what was drawn before, on a picture of the same size and view.
    pub(super) fn over(
        backdrop: &Backdrop,
        rooms: &Rooms,
        camera: &'a Camera,
        sight: &'a Sight,
        region: (DVec3, DVec3),
    ) -> Depth<'a> {
        Depth::within(rooms.over(backdrop), camera, sight, region)
    }

    fn within(room: Room, camera: &'a Camera, sight: &'a Sight, region: (DVec3, DVec3)) -> Depth<'a> {
        Depth {
            room,
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

    /// A ball with the two great circles that show how it is turned.
    fn ball(&mut self, centre: DVec3, radius: f64, rotation: Option<DQuat>, colour: Colour, owner: u32) {
        let spot = self.spot(centre);
        let reach = (radius * self.camera.scale() * FINER as f64).max(1.5);
        let tone = |light: f64| packed(self.tone(colour, light, centre));
        let tones: Vec<u32> = (0..=32).map(|k| tone(0.62 + 0.55 * (f64::from(k) / 16.0 - 1.0))).collect();
        let dark = tone(0.3);
        let axes = self.sight.axes();
        let light = Sight::LIGHT.normalize();
        let rings: Vec<DVec3> = rotation
            .into_iter()
            .filter(|_| reach > 8.0)
            .flat_map(|rotation| [DVec3::X, DVec3::Y].map(|own| turn::turned(rotation, own)))
            .map(|axis| DVec3::from_array(axes.map(|seen| seen.dot(axis))))
            .collect();
        let thin = 1.2 / reach;
        let [wide, tall] = self.room.size();
        for row in within(spot[1] - reach, spot[1] + reach, tall) {
            let v = (spot[1] - row as f64 - 0.5) / reach;
            let half = reach * (1.0 - v * v).max(0.0).sqrt();
            for column in within(spot[0] - half, spot[0] + half, wide) {
                let u = (column as f64 + 0.5 - spot[0]) / reach;
                let n = DVec3::new(u, v, (1.0 - u * u - v * v).max(0.0).sqrt());
                self.room.dot(row * wide + column, (spot[2] + radius * n.z) as f32, owner, || {
                    let on_ring = rings.iter().any(|ring| ring.dot(n).abs() < thin);
                    if on_ring { dark } else { tones[(16.0 + 15.9 * n.dot(light)).round() as usize] }
                });
            }
        }
    }

    /// The picture so far, to begin others with.
    pub(super) fn backdrop(self) -> Backdrop {
        self.room.backdrop()
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
        self.room.face(&patch, GROUND, 0, 1.0, 0.0);
        for ends in &ground.lines {
            let ends = ends.map(|p| self.spot(p));
            self.room.line(ends, 1.0, GRID, 2.0 * hair);
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
                    self.room.face(&cast, SHADOW, 0, 1.0, hair);
                }
            }
        }
        let onto = |p: DVec3| p - ground.normal * (p - ground.point).dot(ground.normal);
        for soft in &world.softs {
            for face in &soft.faces {
                let points = face.map(|node| poses[soft.nodes.start + node].position);
                if points.iter().all(|p| p.is_finite() && (*p - ground.point).dot(ground.normal) >= 0.0) {
                    let cast = points.map(|p| self.spot(onto(p)));
                    self.room.face(&cast, SHADOW, 0, 1.0, hair);
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
                    self.room.face(&corners, tone, owner + PARTS * (id % (OWNERS / PARTS - 1) + 1), 1.0, 0.0);
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
            self.room.face(&corners, tone, owner + u32::from(slant < 0.0), 1.0, 0.0);
        }
    }

    /// Sticks, and springs by their strain, over everything that they lie before; `most` is the strain of the deepest colour.
    pub(super) fn springs(&mut self, world: &World, soft: &SoftBody, poses: &[Pose], most: f64) {
        let lift = 3e-3 * self.region;
        let place = |node: usize| poses[soft.nodes.start + node].position;
        for spring in &soft.springs {
            let [a, b] = spring.ends.map(place);
            if a.is_finite() && b.is_finite() {
                let strain = spring.strain(a.distance(b)).unwrap_or(0.0);
                let ends = [a, b].map(|p| self.spot(p));
                self.room.line(ends, 1.6, strain_colour((strain / most).clamp(-1.0, 1.0)), lift);
            }
        }
        for stick in &soft.sticks {
            let ends = stick.ends.map(place);
            if ends.iter().all(|p| p.is_finite()) {
                self.room.line(ends.map(|p| self.spot(p)), 1.6, INK, lift);
            }
        }
        for node in soft.nodes.clone() {
            let at = poses[node].position;
            let held = world.bodies[node].mass == 0.0;
            if at.is_finite() && (held || soft.faces.is_empty()) {
                let (spot, half) = (self.spot(at), FINER as f64 * if held { 3.5 } else { 2.0 });
                let corner = |x: f64, y: f64| [spot[0] + x * half, spot[1] + y * half, spot[2]];
                let square = [corner(-1.0, -1.0), corner(1.0, -1.0), corner(1.0, 1.0), corner(-1.0, 1.0)];
                self.room.face(&square, INK, 0, 1.0, 2.0 * lift);
            }
        }
    }

    /// What is seen through.
    pub(super) fn glasses(&mut self) {
        for (corners, tone, opacity, rim) in std::mem::take(&mut self.glass) {
            self.room.face(&corners, tone, 0, opacity, 0.0);
            let Some(rim) = rim else { continue };
            for k in 0..corners.len() {
                self.room.line([corners[k], corners[(k + 1) % corners.len()]], 0.6, rim, 0.0);
            }
        }
    }

    /// Lines where one thing ends before another.
    pub(super) fn outline(&mut self) {
        self.room.outline();
    }

    /// How many fine dots each of the first bodies takes.
    pub(super) fn dots(&self, bodies: usize) -> Vec<usize> {
        let mut dots = vec![0; bodies];
        for &owner in self.room.owners() {
            if let Some(count) = (owner / OWNERS).checked_sub(1).and_then(|body| dots.get_mut(body as usize)) {
                *count += 1;
            }
        }
        dots
    }

    /// Puts it on a picture of the size that was asked for, and gives its room to pictures to come.
    pub(super) fn put(self, pixels: &mut Pixmap, rooms: &Rooms) {
        self.room.put(pixels);
        rooms.give_back(self.room);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::figure::View;
    use ironspin_model::{DVec2, Dimension, Part, SpaceShape};

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
