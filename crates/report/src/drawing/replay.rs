//! What a trial is played back from, as whole numbers.

use super::packed::{self, BITS, at_rest};
use super::short;
use crate::figure::{Ground, JointSign, Primitive, Sight, Solid, View, body_figure, coarsened, largest_strain};
use crate::picture::Scenery;
use ironspin_lab::{Recording, Replay};
use ironspin_model::{Body, BodyKind, DVec2, DVec3, Dimension, Joint, Part, Pose, SoftBody, SpaceShape, World, turn};
use serde::{Deserialize, Serialize};

/// A place that is none.
const NOWHERE: u16 = u16::MAX;
/// Largest number of a place within the range that is written.
const STEPS: f64 = 65_000.0;
/// How far beyond the picture bodies are followed, in pictures.
const BEYOND: f64 = 1.0;

/// A trial to be played back. Places are whole numbers between the corners of `range`, and angles shares of a turn; in space a rotation is a quaternion
/// whose numbers are whole ones between -1 and 1.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub(crate) struct DrawnReplay {
    /// Left, bottom, right and top of the picture, m.
    view: [f64; 4],
    /// The same of the places that can be written: lower and upper corner, of two or three numbers each.
    range: Vec<f64>,
    /// From where space can be seen, the usual side first; none in the plane.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    sights: Vec<DrawnSight>,
    /// On what shadows fall in space.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    ground: Option<DrawnGround>,
    bodies: Vec<DrawnBody>,
    /// None in files of earlier versions.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    joints: Vec<DrawnJoint>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    softs: Vec<DrawnSoft>,
    /// What is drawn coarser than it is.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    coarser: Vec<String>,
    times: Vec<f64>,
    /// x, y and angle of every body, frame after frame; x, y, z and the quaternion w, x, y, z in space.
    #[serde(with = "packed")]
    states: Vec<u16>,
    /// Which moving bodies are at rest to the last bit: a bit each, sixteen to a number, frame after frame; none where no body ever is.
    #[serde(default, with = "packed", skip_serializing_if = "Vec::is_empty")]
    at_rest: Vec<u16>,
    /// x, y (and z in space) and impulse of every contact, as a share of the largest.
    #[serde(with = "packed")]
    contacts: Vec<u16>,
    contact_counts: Vec<u16>,
    /// Of every contact in space, from its first body to the second: numbers between -1 and 1. None in the plane, where the points say enough, and in
    /// files of earlier versions.
    #[serde(default, with = "packed", skip_serializing_if = "Vec::is_empty")]
    normals: Vec<u16>,
    /// The same as `states` of a twin, at the same times.
    #[serde(default, with = "packed", skip_serializing_if = "Vec::is_empty")]
    ghost: Vec<u16>,
    /// What is worth seeing.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(super) moments: Vec<DrawnMoment>,
}

/// A side from which space is seen.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
struct DrawnSight {
    name: String,
    /// Unit vectors to the right, up and to the eye.
    axes: [[f64; 3]; 3],
    /// Left, bottom, right and top of the picture, m.
    view: [f64; 4],
}

/// The ground and the lines of its grid, m.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
struct DrawnGround {
    point: [f64; 3],
    normal: [f64; 3],
    patch: [[f64; 3]; 4],
    lines: Vec<[[f64; 3]; 2]>,
}

/// A moment worth seeing.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub(crate) struct DrawnMoment {
    /// s.
    pub(crate) time: f64,
    /// The body to look at, by its number.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) body: Option<usize>,
    /// What is to be seen.
    pub(crate) text: String,
}

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
struct DrawnBody {
    name: String,
    kind: BodyKindWord,
    parts: Vec<DrawnPart>,
}

#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
enum BodyKindWord {
    Static,
    Kinematic,
    Dynamic,
}

/// A joint, drawn from where its bodies are by the look that [`JointSign`] gives it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
struct DrawnJoint {
    /// A straight line in files of earlier versions.
    #[serde(default)]
    sign: JointSign,
    /// By their numbers.
    bodies: [usize; 2],
    /// In the frames of the bodies, m.
    anchors: [Vec<f64>; 2],
}

impl DrawnJoint {
    fn of(joint: &Joint, world: &World) -> DrawnJoint {
        let in_space = world.dimension == Dimension::Space;
        DrawnJoint {
            sign: JointSign::of(joint, world),
            bodies: joint.bodies,
            anchors: joint.frames.map(|frame| {
                let [x, y, z] = three(frame.anchor);
                if in_space { vec![x, y, z] } else { vec![x, y] }
            }),
        }
    }
}

/// A soft body, drawn from where its nodes are.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
struct DrawnSoft {
    /// The number of its first node, and how many it has.
    nodes: [usize; 2],
    /// m.
    radius: f64,
    closed: bool,
    /// Strain of the deepest colour.
    most: f64,
    /// Numbers of its own nodes: two a segment, three a triangle.
    skin: Vec<Vec<usize>>,
    /// Two nodes each and the length at rest, m.
    springs: Vec<(usize, usize, f64)>,
    /// Two nodes each.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    sticks: Vec<[usize; 2]>,
    /// Nodes that are held for good.
    held: Vec<usize>,
}

impl DrawnSoft {
    fn of(world: &World, soft: &SoftBody, most: f64) -> DrawnSoft {
        let held = |node: &usize| world.bodies[soft.nodes.start + node].mass == 0.0;
        DrawnSoft {
            nodes: [soft.nodes.start, soft.nodes.len()],
            radius: short(soft.radius),
            closed: soft.is_closed(),
            most: short(most),
            skin: soft.skin_nodes().map(<[usize]>::to_vec).collect(),
            sticks: soft.sticks.iter().map(|stick| stick.ends).collect(),
            springs: soft.springs.iter().map(|s| (s.ends[0], s.ends[1], short(s.length))).collect(),
            held: (0..soft.nodes.len()).filter(held).collect(),
        }
    }
}

/// A part in the frame of its body.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
struct DrawnPart {
    #[serde(flatten)]
    shape: DrawnShape,
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    sensor: bool,
}

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
enum DrawnShape {
    /// x, y, radius.
    Disc([f64; 3]),
    Polygon(Vec<[f64; 2]>),
    Line(Vec<[f64; 2]>),
    /// Both ends and the radius.
    Capsule([f64; 5]),
    /// x, y, z, radius.
    Ball([f64; 4]),
    /// The centre, and halves of the three edges.
    Block([f64; 12]),
    /// Surface point and outward normal of what has no end.
    Half([f64; 6]),
    /// Flat faces.
    Facets {
        /// Their middle.
        centre: [f64; 3],
        /// Corners from the middle on.
        corners: Vec<[f64; 3]>,
        faces: Vec<Vec<usize>>,
        edged: bool,
        two_sided: bool,
    },
}

impl DrawnReplay {
    /// How many places it has: of bodies and contacts.
    pub(crate) fn places(&self) -> usize {
        (self.states.len() + self.ghost.len()) / self.state_len() + self.contacts.len() / self.contact_len()
    }

    /// Numbers of a state, and of a contact.
    fn state_len(&self) -> usize {
        if self.sights.is_empty() { 3 } else { 7 }
    }

    fn contact_len(&self) -> usize {
        if self.sights.is_empty() { 3 } else { 4 }
    }

    /// The same with about so many places at most, but two frames at least.
    pub(crate) fn within(&self, places: usize) -> DrawnReplay {
        if self.places() <= places {
            return self.clone();
        }
        let a_frame = self.places() / self.times.len().max(1);
        self.thinned((places / a_frame.max(1)).max(2))
    }

    /// Sides from which it can be seen; none in the plane.
    pub(crate) fn sides(&self) -> impl Iterator<Item = &str> {
        self.sights.iter().map(|sight| sight.name.as_str())
    }

    /// The strain that the deepest colour of springs stands for; nothing without soft bodies.
    pub(crate) fn deepest_strain(&self) -> Option<f64> {
        self.softs.first().map(|soft| soft.most)
    }

    /// What is drawn coarser than it is, a line each.
    pub(crate) fn coarser(&self) -> &[String] {
        &self.coarser
    }

    /// Whether any body is at rest to the last bit in any frame.
    pub(crate) fn has_rest(&self) -> bool {
        !self.at_rest.is_empty()
    }

    /// Whether there is a twin to be seen.
    pub(crate) fn has_ghost(&self) -> bool {
        !self.ghost.is_empty()
    }

    /// The replay of a trial, with that of a twin beside it.
    pub(super) fn of(world: &World, recording: &Recording, twin: Option<&Recording>) -> DrawnReplay {
        let (world, coarser) = coarsened(world);
        let world = &*world;
        let scenery = Scenery::of_trial(world, recording, None);
        let (low, high) = scenery.corners();
        let region = scenery.region();
        let air = (region.1 - region.0) * BEYOND;
        let (from, to) = (region.0 - air, region.1 + air);
        let far = 4.0 * (high - low).max_element();
        let replay: &Replay = &recording.replay;
        let axes = usize::from(world.dimension.number());
        let places = |point: DVec3| (0..axes).map(move |axis| place(point[axis], from[axis], to[axis]));
        let reported = |replay: &Replay| -> Vec<u16> {
            let numbers = |pose: &Pose| {
                let turned = match world.dimension {
                    Dimension::Plane => vec![share_of_turn(pose.angle)],
                    Dimension::Space => {
                        let r = pose.rotation;
                        [r.w, r.x, r.y, r.z].map(|part| place(part, -1.0, 1.0)).to_vec()
                    }
                };
                places(pose.position).chain(turned)
            };
            replay.poses.iter().flat_map(numbers).collect()
        };
        // A twin that ended early has no ghost.
        let ghost = twin.map(|twin| &twin.replay).filter(|twin| twin.times.len() == replay.times.len());
        let touches = || replay.contacts.iter().flatten();
        let largest = touches().map(|contact| contact.impulse).fold(0.0, f64::max);
        let contacts = touches().flat_map(|contact| {
            let share = if largest > 0.0 { (contact.impulse / largest).clamp(0.0, 1.0) } else { 0.0 };
            places(contact.point).chain([(STEPS * share).round() as u16])
        });
        let normals = touches().flat_map(|contact| contact.normal.to_array().map(|part| place(part, -1.0, 1.0)));
        let corners = [from, to];
        let strain = largest_strain(world, replay);
        DrawnReplay {
            view: [low.x, low.y, high.x, high.y].map(short),
            range: corners.iter().flat_map(|corner| corner.to_array().into_iter().take(axes)).collect(),
            sights: drawn_sights(world, &scenery),
            ground: Ground::of(world, region.0, region.1).map(|ground| DrawnGround::of(&ground)),
            bodies: world.bodies.iter().map(|body| drawn_body(body, far)).collect(),
            joints: world.joints.iter().map(|joint| DrawnJoint::of(joint, world)).collect(),
            softs: world.softs.iter().map(|soft| DrawnSoft::of(world, soft, strain)).collect(),
            coarser,
            times: replay.times.iter().map(|&time| short(time)).collect(),
            states: reported(replay),
            at_rest: at_rest(world, replay),
            contacts: contacts.collect(),
            normals: if world.dimension == Dimension::Space { normals.collect() } else { Vec::new() },
            ghost: ghost.map_or_else(Vec::new, reported),
            moments: Vec::new(),
            contact_counts: replay.contacts.iter().map(|contacts| contacts.len() as u16).collect(),
        }
    }

    /// Some of the frames, the first and the last among them.
    fn thinned(&self, frames: usize) -> DrawnReplay {
        let all = self.times.len();
        if all <= frames || frames < 2 {
            return self.clone();
        }
        let chosen: Vec<usize> = (0..frames).map(|k| k * (all - 1) / (frames - 1)).collect();
        let rows = |numbers: &[u16], row: usize| -> Vec<u16> {
            let frame = |&frame: &usize| numbers.get(frame * row..(frame + 1) * row).unwrap_or_default();
            chosen.iter().flat_map(frame).copied().collect()
        };
        let frames_of = |states: &[u16]| rows(states, self.state_len() * self.bodies.len());
        let mut ends = vec![0];
        for &count in &self.contact_counts {
            ends.push(ends[ends.len() - 1] + usize::from(count));
        }
        let of_contacts = |numbers: &[u16], each: usize| -> Vec<u16> {
            let frame = |&frame: &usize| numbers.get(each * ends[frame]..each * ends[frame + 1]).unwrap_or_default();
            chosen.iter().flat_map(frame).copied().collect()
        };
        DrawnReplay {
            times: chosen.iter().map(|&frame| self.times[frame]).collect(),
            states: frames_of(&self.states),
            ghost: frames_of(&self.ghost),
            at_rest: rows(&self.at_rest, self.bodies.len().div_ceil(BITS)),
            contacts: of_contacts(&self.contacts, self.contact_len()),
            normals: of_contacts(&self.normals, 3),
            contact_counts: chosen.iter().map(|&frame| self.contact_counts[frame]).collect(),
            ..self.clone()
        }
    }
}

/// A place as a whole number between two others.
fn place(value: f64, from: f64, to: f64) -> u16 {
    if value.is_nan() { NOWHERE } else { (STEPS * ((value - from) / (to - from)).clamp(0.0, 1.0)).round() as u16 }
}

/// An angle as a share of a turn.
fn share_of_turn(angle: f64) -> u16 {
    let turns = angle / std::f64::consts::TAU;
    if turns.is_finite() { (STEPS * (turns - turns.floor())).round() as u16 } else { 0 }
}

fn three(v: DVec3) -> [f64; 3] {
    v.to_array().map(short)
}

/// The usual side first.
fn drawn_sights(world: &World, scenery: &Scenery) -> Vec<DrawnSight> {
    if world.dimension == Dimension::Plane {
        return Vec::new();
    }
    let usual = View::usual(world.dimension);
    let others = View::ALL.into_iter().filter(|view| *view != usual);
    let drawn = |view: View| {
        let sight = Sight::of(world, view);
        let (low, high) = scenery.corners_from(&sight);
        let view_corners = [low.x, low.y, high.x, high.y].map(short);
        DrawnSight { name: view.word().to_owned(), axes: sight.axes().map(three), view: view_corners }
    };
    [usual].into_iter().chain(others).map(drawn).collect()
}

impl DrawnGround {
    fn of(ground: &Ground) -> DrawnGround {
        DrawnGround {
            point: three(ground.point),
            normal: three(ground.normal),
            patch: ground.patch.map(three),
            lines: ground.lines.iter().map(|ends| ends.map(three)).collect(),
        }
    }
}

fn drawn_body(body: &Body, far: f64) -> DrawnBody {
    let drawn = |(number, part): (usize, &Part)| {
        let shape = match part.shape.spatial() {
            Some(shape) => Some(DrawnShape::solid(shape, part)),
            None => body_figure(body, &Pose::IDENTITY, &Sight::FRONT).nth(number).and_then(|figure| {
                let piece = figure.pieces.first()?;
                Some(DrawnShape::of(&piece.primitive, far))
            }),
        };
        Some(DrawnPart { shape: shape?, sensor: part.sensor })
    };
    DrawnBody {
        name: body.name.clone(),
        kind: match body.kind {
            BodyKind::Static => BodyKindWord::Static,
            BodyKind::Kinematic => BodyKindWord::Kinematic,
            BodyKind::Dynamic => BodyKindWord::Dynamic,
        },
        parts: body.parts.iter().enumerate().filter_map(drawn).collect(),
    }
}

impl DrawnShape {
    /// A part of space in the frame of its body.
    fn solid(shape: &SpaceShape, part: &Part) -> DrawnShape {
        let ([x, y, z], rotation) = (three(part.pose.position), part.pose.rotation);
        match (Solid::of(part, &Pose::IDENTITY), shape) {
            (Some(Solid { radius, .. }), SpaceShape::Sphere(_)) => DrawnShape::Ball([x, y, z, short(radius)]),
            (Some(Solid { centre, facets: Some(facets), .. }), _) => DrawnShape::Facets {
                centre: three(centre),
                corners: facets.corners.into_iter().map(three).collect(),
                faces: facets.faces,
                edged: facets.edged,
                two_sided: facets.two_sided,
            },
            (Some(Solid { halves: [a, b, c], .. }), _) => {
                let [a, b, c] = [a, b, c].map(three);
                DrawnShape::Block([x, y, z, a[0], a[1], a[2], b[0], b[1], b[2], c[0], c[1], c[2]])
            }
            (None, SpaceShape::HalfSpace(normal)) => {
                let [u, v, w] = three(turn::turned(rotation, *normal));
                DrawnShape::Half([x, y, z, u, v, w])
            }
            (None, _) => DrawnShape::Ball([x, y, z, 0.0]),
        }
    }

    /// A primitive in the frame of its body, in a picture of which no point lies further than `far` from it.
    fn of(primitive: &Primitive, far: f64) -> DrawnShape {
        let two = |p: DVec2| [short(p.x), short(p.y)];
        match primitive {
            Primitive::Round { centre, radius, .. } => DrawnShape::Disc([centre.x, centre.y, *radius].map(short)),
            Primitive::Stadium { ends, radius } => {
                let ([a, b], [c, d]) = (two(ends[0]), two(ends[1]));
                DrawnShape::Capsule([a, b, c, d, short(*radius)])
            }
            Primitive::Line(points) => DrawnShape::Line(points.iter().copied().map(two).collect()),
            Primitive::Area(_) | Primitive::Blob(_) | Primitive::HalfPlane { .. } => {
                DrawnShape::Polygon(primitive.corners(far).unwrap_or_default().into_iter().map(two).collect())
            }
        }
    }
}
