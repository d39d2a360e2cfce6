//! Bodies that went through a barrier, and how.

mod entries;
mod follow;
mod seam;

use crate::derived::unexplained;
use crate::frame_cache::When;
use crate::gauge::{Gauge, Reading, Scope, View};
use crate::geometry::{Plane, Space, barriers, winding};
pub(crate) use entries::{COUNT, PUSHED, SEAM, STACK, TOUCHED, UNTOUCHED};
use follow::{Stage, Through, follow, path};
use ironspin_model::{BodyState, DVec2, DVec3, Dimension, Frame, PlaneShape, World};
use seam::{Seam, SeamRoom, seams};

/// How a body went through.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Kind {
    Untouched,
    Touched,
    Stack,
    Pushed,
    Seam,
}

impl Kind {
    const ALL: [Kind; 5] = [Kind::Untouched, Kind::Touched, Kind::Stack, Kind::Pushed, Kind::Seam];

    fn words(self) -> &'static str {
        match self {
            Kind::Untouched => "without a touch",
            Kind::Touched => "though touched",
            Kind::Stack => "out at the other end of a stack",
            Kind::Pushed => "pushed out on the wrong side",
            Kind::Seam => "through a seam",
        }
    }
}

/// Overlap that counts as one, as a share of the smaller size: a touch is none.
const OVERLAPS: f64 = 1e-6;

/// A body that went through.
#[derive(Clone, Copy, Debug)]
struct Passage {
    kind: Kind,
    barrier: usize,
    time: f64,
    /// Speed relative to the barrier when it went in, m/s.
    speed: f64,
}

/// What is known of one measured body.
#[derive(Clone, Copy, Debug, Default)]
struct Course {
    passage: Option<Passage>,
    /// Highest speed, m/s.
    fastest: f64,
    /// A barrier has changed its velocity since it last was clear of all.
    touched: bool,
    /// Barriers gone through since it last was clear of all.
    in_one_go: u32,
    /// The last of them.
    last: Option<usize>,
}

struct Tunnel<G: SeamRoom> {
    scope: Scope,
    /// `None` counts all kinds.
    counts: Option<Kind>,
    /// The pieces of every body.
    pieces: Vec<Vec<G::Barrier>>,
    /// One for each measured body, barrier and part of it, in this order.
    stages: Vec<Stage>,
    courses: Vec<Course>,
    /// Closed chains of the plane among the barriers, in their own frames.
    chains: Vec<(usize, Vec<DVec2>)>,
    seams: Vec<Seam<G>>,
    /// States of the barriers for which the seams were found.
    seams_of: Vec<BodyState>,
    /// The widest measured body, m.
    widest: f64,
    frames: u64,
}

fn new(world: &World, scope: &Scope, counts: Option<Kind>) -> Box<dyn Gauge> {
    match world.dimension {
        Dimension::Plane => Box::new(Tunnel::<Plane>::new(world, scope, counts)),
        Dimension::Space => Box::new(Tunnel::<Space>::new(world, scope, counts)),
    }
}

pub(crate) fn count(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    new(world, scope, None)
}

pub(crate) fn untouched(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    new(world, scope, Some(Kind::Untouched))
}

pub(crate) fn touched(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    new(world, scope, Some(Kind::Touched))
}

pub(crate) fn stack(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    new(world, scope, Some(Kind::Stack))
}

pub(crate) fn pushed(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    new(world, scope, Some(Kind::Pushed))
}

pub(crate) fn seam(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    new(world, scope, Some(Kind::Seam))
}

/// The closed polylines of a body, in its own frame.
fn closed_chains(world: &World, id: usize) -> Vec<(usize, Vec<DVec2>)> {
    let chains = world.bodies[id].parts.iter().filter_map(|part| match part.shape.planar() {
        Some(PlaneShape::Polyline(points)) if points.len() > 3 && points.first() == points.last() => {
            let turn = DVec2::new(libm::cos(part.pose.angle), libm::sin(part.pose.angle));
            Some((id, points[1..].iter().map(|&point| part.pose.xy() + turn.rotate(point)).collect()))
        }
        _ => None,
    });
    chains.collect()
}

impl<G: SeamRoom> Tunnel<G> {
    fn new(world: &World, scope: &Scope, counts: Option<Kind>) -> Self {
        let pieces = barriers::<G>(world);
        let parts: usize = scope.against.iter().map(|&barrier| pieces[barrier].len()).sum();
        let sizes = scope.of.iter().map(|&id| world.bodies[id].smallest_size());
        Tunnel {
            stages: vec![Stage::Outside; parts * scope.of.len()],
            courses: vec![Course::default(); scope.of.len()],
            chains: scope.against.iter().flat_map(|&id| closed_chains(world, id)).collect(),
            seams: Vec::new(),
            seams_of: Vec::new(),
            widest: sizes.filter(|size| size.is_finite()).fold(0.0, f64::max),
            pieces,
            scope: scope.clone(),
            counts,
            frames: 0,
        }
    }

    /// Follows one body against every part of every barrier; the part it has gone through last in this step, if any.
    fn follow_body(
        &mut self,
        view: &View<'_>,
        before: &Frame,
        slot: usize,
        number: &mut usize,
    ) -> Option<(usize, Through)> {
        let id = self.scope.of[slot];
        let (was, is) = (&before.bodies[id], &view.now.bodies[id]);
        let step = (is.pose.position - was.pose.position).length();
        let mut through = None;
        for &barrier in &self.scope.against {
            let (stood, stands) = (&before.bodies[barrier], &view.now.bodies[barrier]);
            let parts = &self.pieces[barrier];
            let near =
                view.cache.shapes().reach(barrier) + step + (stands.pose.position - stood.pose.position).length();
            let here = view.present(id) && view.present(barrier);
            let far = !here || barrier == id || (was.pose.position - stood.pose.position).length() > near;
            let stages = &mut self.stages[*number..*number + parts.len()];
            *number += parts.len();
            if !here {
                stages.fill(Stage::Outside);
            }
            if far && stages.iter().all(|stage| *stage == Stage::Outside) {
                continue;
            }
            let corners = path::<G>(stood, stands, was.pose.position, is.pose.position);
            let speed = (was.velocity - stood.velocity).length();
            for (stage, piece) in stages.iter_mut().zip(parts) {
                let began_inside = *stage != Stage::Outside;
                let mut net: Option<Through> = None;
                for ends in corners.windows(2) {
                    let (next, passed) =
                        follow::<G>(piece, *stage, [ends[0], ends[1]], speed, view.cache.shapes().reach(id));
                    *stage = next;
                    if let Some(passed) = passed {
                        // There and back within a step is none: what a turning barrier takes along on an arc leaves the chord of it on both ways.
                        let is_back = net.is_some_and(|there| there.out.dot(passed.out) < 0.0);
                        net = (!is_back).then_some(passed);
                    }
                }
                if let Some(passed) = net {
                    let was_inside = began_inside && passed.was_inside;
                    through =
                        Some((barrier, Through { was_inside, out: G::seen_outside(stands, passed.out), ..passed }));
                    // One barrier is gone through once, however many parts it has.
                    let course = &mut self.courses[slot];
                    course.in_one_go += u32::from(course.last != Some(barrier));
                    course.last = Some(barrier);
                }
            }
        }
        through
    }

    /// The barrier whose seam, or closed chain, a body has just slipped through.
    fn slipped(&self, view: &View<'_>, before: &Frame, id: usize) -> Option<usize> {
        let (from, to) = (before.bodies[id].pose.position, view.now.bodies[id].pose.position);
        let size = view.world.bodies[id].smallest_size();
        let seam = self.seams.iter().find(|seam| seam.lets_through(from, to, size));
        seam.map(|seam| seam.barriers.0).or_else(|| {
            let left = |(barrier, chain): &&(usize, Vec<DVec2>)| {
                let (stood, stands) = (&before.bodies[*barrier], &view.now.bodies[*barrier]);
                let corners: Vec<DVec2> = path::<G>(stood, stands, from, to).into_iter().map(DVec3::truncate).collect();
                view.present(*barrier)
                    && winding(chain, corners[0]) != 0
                    && winding(chain, corners[corners.len() - 1]) == 0
            };
            self.chains.iter().find(left).map(|(barrier, _)| *barrier)
        })
    }

    fn find_seams(&mut self, view: &View<'_>) {
        let Some(room) = view.cache.of::<G>() else { return };
        let states = || self.scope.against.iter().map(|&id| view.now.bodies[id]);
        if self.scope.against.len() < 2 || states().eq(self.seams_of.iter().copied()) {
            return;
        }
        let barriers: Vec<(usize, &[G::Collider])> = self
            .scope
            .against
            .iter()
            .filter(|&&id| !view.now.bodies[id].is_absent())
            .map(|&id| (id, room.colliders(When::Now, id)))
            .collect();
        self.seams = seams(&barriers, self.widest);
        self.seams_of = states().collect();
    }

    /// Whether the frame shows a body inside a barrier, at least in part.
    fn overlaps(&self, view: &View<'_>, id: usize) -> bool {
        self.scope
            .against
            .iter()
            .filter(|&&barrier| barrier != id && view.present(barrier))
            .any(|&barrier| view.gap(When::Now, barrier, id, 0.0).distance < -OVERLAPS * view.smaller_size(barrier, id))
    }

    /// Whether no barrier is near enough to be touched within a step.
    fn is_clear(&self, view: &View<'_>, id: usize) -> bool {
        let size = view.world.bodies[id].smallest_size();
        let travel = view.now.bodies[id].velocity.length() * view.span();
        let within = travel + if size.is_finite() { size } else { 0.0 };
        self.scope
            .against
            .iter()
            .all(|&barrier| barrier == id || view.gap(When::Now, barrier, id, within).distance > within)
    }
}

impl<G: SeamRoom> Gauge for Tunnel<G> {
    fn observe(&mut self, view: &View<'_>) {
        self.frames += 1;
        self.find_seams(view);
        let Some(before) = view.before else { return };
        let mut number = 0;
        for slot in 0..self.scope.of.len() {
            let id = self.scope.of[slot];
            let through = self.follow_body(view, before, slot, &mut number);
            if !view.present(id) {
                continue;
            }
            let (was, is) = (&before.bodies[id], &view.now.bodies[id]);
            self.courses[slot].fastest = self.courses[slot].fastest.max(was.velocity.length());
            if self.courses[slot].passage.is_some() && self.courses[slot].in_one_go == 0 {
                continue;
            }
            let change = unexplained(view, id);
            let push = change.map_or(0.0, |change| change.velocity.length());
            let noticeable = 1e-6 * was.velocity.length() + 0.5 * change.map_or(0.0, |change| change.explained);
            let slipped = if through.is_none() { self.slipped(view, before, id) } else { None };
            let clear = through.is_none() && slipped.is_none() && push <= noticeable && self.is_clear(view, id);
            // A frame that shows them overlapping could have told the engine.
            let caught = !clear && self.overlaps(view, id);
            let course = &mut self.courses[slot];
            if clear {
                (course.touched, course.in_one_go, course.last) = (false, 0, None);
                continue;
            }
            course.touched |= push > noticeable || caught;
            let found = match (through, slipped) {
                (Some((barrier, through)), _) => {
                    let faster = change.is_some_and(|change| change.velocity.dot(through.out) > noticeable);
                    let carried = was.velocity.length().max(is.velocity.length()) * view.span();
                    let further = (is.pose.position - was.pose.position).length() > 1.1 * carried + 1e-12;
                    let kind = if course.in_one_go > 1 {
                        Kind::Stack
                    } else if through.was_inside && (faster || further) {
                        Kind::Pushed
                    } else if course.touched {
                        Kind::Touched
                    } else {
                        Kind::Untouched
                    };
                    Some((kind, barrier, through.speed))
                }
                (None, Some(barrier)) => {
                    Some((Kind::Seam, barrier, (was.velocity - before.bodies[barrier].velocity).length()))
                }
                (None, None) => None,
            };
            if let Some((kind, barrier, speed)) = found {
                let time = view.now.time;
                match &mut course.passage {
                    None => course.passage = Some(Passage { kind, barrier, time, speed }),
                    // Only that it went on to the next barrier of a stack is news.
                    Some(passage) if kind == Kind::Stack => passage.kind = kind,
                    Some(_) => {}
                }
            }
        }
    }

    fn reading(&self, world: &World) -> Reading {
        if self.frames < 2 {
            return Reading::nothing("fewer than two frames lie in the window");
        }
        let all = self.scope.of.len();
        let passages =
            || self.courses.iter().zip(&self.scope.of).filter_map(|(course, &id)| Some((course.passage?, id)));
        let counted = || passages().filter(|(passage, _)| self.counts.is_none_or(|kind| passage.kind == kind));
        let through = counted().count();
        let stopped = self.courses.iter().filter(|course| course.passage.is_none()).map(|course| course.fastest);
        let stopped = stopped.fold(0.0, f64::max);
        let slowest = counted().min_by(|a, b| a.0.speed.total_cmp(&b.0.speed).then(a.1.cmp(&b.1)));
        let kinds: Vec<String> = Kind::ALL
            .into_iter()
            .map(|kind| (kind, passages().filter(|(passage, _)| passage.kind == kind).count()))
            .filter(|(_, count)| *count > 0)
            .map(|(kind, count)| format!("{count} {}", kind.words()))
            .collect();
        let detail = match slowest {
            None if kinds.is_empty() => format!("none of {all} went through, up to {stopped:.6} m/s"),
            None => format!("none of {all} in this way: {}", kinds.join(", ")),
            Some((passage, id)) => format!(
                "{through} of {all} went through, from {:.6} m/s on ({} through {} at {:.3} s): {}; fastest one stopped: {stopped:.6} m/s",
                passage.speed,
                world.bodies[id].name,
                world.bodies[passage.barrier].name,
                passage.time,
                kinds.join(", ")
            ),
        };
        let stuck = self.stages.iter().filter(|stage| matches!(stage, Stage::Inside { by: Some(_), .. })).count();
        let mut reading = Reading::of(through as f64, tidy(&detail));
        let first = counted().min_by(|a, b| a.0.time.total_cmp(&b.0.time).then(a.1.cmp(&b.1)));
        if let Some((passage, id)) = first {
            reading = reading.seen_at(passage.time, id);
        }
        if stuck > 0 { reading.warn(format!("{stuck} ended with their centre inside a barrier")) } else { reading }
    }
}

/// Takes the zeros off the end of the decimals of a text: `64.000000 m/s` to `64 m/s`.
fn tidy(text: &str) -> String {
    let trim = |word: &str| -> String {
        match word.split_once('.') {
            Some((_, decimals)) if decimals.len() == 6 && decimals.bytes().all(|b| b.is_ascii_digit()) => {
                word.trim_end_matches('0').trim_end_matches('.').to_owned()
            }
            _ => word.to_owned(),
        }
    };
    text.split(' ').map(trim).collect::<Vec<_>>().join(" ")
}

#[cfg(test)]
mod tests {
    use super::Kind;
    use crate::gauges::trace::{measure, state, trace, world};
    use ironspin_model::{BodyKind, BodyState, DVec2, DVec3, PlaneShape, World};

    fn plate() -> World {
        world(&[
            ("plate", BodyKind::Static, PlaneShape::Box(DVec2::new(0.1, 2.0)), DVec2::ZERO),
            ("rivet", BodyKind::Dynamic, PlaneShape::Disc(0.05), DVec2::new(-1.0, 0.0)),
        ])
    }

    fn through(barrier: impl Fn(f64) -> BodyState, rivet: impl Fn(f64) -> BodyState, dt: f64) -> f64 {
        let frames = trace(dt, 1.0, |t| vec![barrier(t), rivet(t)]);
        measure("tunnel.count", &plate(), &[1], &[0], &frames).value.unwrap()
    }

    #[test]
    fn a_straight_shot_goes_through_at_any_step() {
        let still = |_| state(0.0, 0.0, 0.0, 0.0);
        for dt in [0.3, 0.1, 0.01, 0.001] {
            assert_eq!(through(still, |t| state(4.0 * t - 1.0, 0.0, 4.0, 0.0), dt), 1.0, "step {dt}");
        }
    }

    #[test]
    fn stopping_turning_back_and_passing_beside_are_not_tunnelling() {
        let still = |_| state(0.0, 0.0, 0.0, 0.0);
        assert_eq!(through(still, |t| state((4.0 * t - 1.0).min(-0.1), 0.0, 4.0, 0.0), 0.01), 0.0);
        assert_eq!(through(still, |t| state(-(4.0 * t - 1.0).abs(), 0.0, 4.0, 0.0), 0.01), 0.0);
        assert_eq!(
            through(still, |t| state(-(4.0 * t - 1.0).abs() + 0.03, 0.0, 4.0, 0.0), 0.01),
            0.0,
            "in and out by the same face"
        );
        assert_eq!(through(still, |t| state(4.0 * t - 1.0, 1.5, 4.0, 0.0), 0.01), 0.0);
    }

    #[test]
    fn the_barrier_may_be_the_one_that_moves() {
        let rivet = |_| state(-1.0, 0.0, 0.0, 0.0);
        assert_eq!(through(|t| state(-4.0 * t, 0.0, -4.0, 0.0), rivet, 0.1), 1.0);
        // A plate that turns about its end sweeps over the rivet.
        let turning = |t: f64| {
            BodyState::planar(DVec3::new(-libm::sin(3.0 * t), -libm::cos(3.0 * t), 0.0), -3.0 * t, DVec3::ZERO, -3.0)
        };
        assert_eq!(through(turning, |_| state(-1.0, -0.2, 0.0, 0.0), 0.05), 1.0);
    }

    #[test]
    fn sinking_into_a_half_plane_counts_when_it_is_whole() {
        let floor = world(&[
            ("floor", BodyKind::Static, PlaneShape::HalfPlane(DVec2::Y), DVec2::ZERO),
            ("ball", BodyKind::Dynamic, PlaneShape::Disc(0.1), DVec2::Y),
        ]);
        let fall = |end: f64| {
            trace(0.01, 1.0, move |t| vec![state(0.0, 0.0, 0.0, 0.0), state(0.0, (1.0 - 2.0 * t).max(end), 0.0, -2.0)])
        };
        assert_eq!(measure("tunnel.count", &floor, &[1], &[0], &fall(0.09)).value, Some(0.0));
        assert_eq!(measure("tunnel.count", &floor, &[1], &[0], &fall(-0.05)).value, Some(0.0));
        assert_eq!(measure("tunnel.count", &floor, &[1], &[0], &fall(-0.5)).value, Some(1.0));
    }

    /// The way in which the rivet went through, if at all: measured by the gauge of that kind, and by no other.
    fn kind(world: &World, against: &[usize], frames: &[ironspin_model::Frame]) -> Option<Kind> {
        let names = ["untouched", "touched", "stack", "pushed", "seam"];
        let rivet = world.bodies.len() - 1;
        let count = |name: &str| measure(&format!("tunnel.{name}"), world, &[rivet], against, frames).value.unwrap();
        let found: Vec<Kind> =
            names.iter().zip(Kind::ALL).filter(|(name, _)| count(name) == 1.0).map(|(_, kind)| kind).collect();
        assert!(found.len() <= 1, "{found:?}");
        assert_eq!(count("count"), found.len() as f64);
        found.first().copied()
    }

    #[test]
    fn each_way_through_is_told_apart() {
        let mut world = plate();
        world.gravity = DVec3::ZERO;
        let still = || state(0.0, 0.0, 0.0, 0.0);
        let straight = |dt: f64| trace(dt, 1.0, |t| vec![still(), state(4.0 * t - 1.0, 0.0, 4.0, 0.0)]);
        // From -0.2 to 0.2 m in a step.
        assert_eq!(kind(&world, &[0], &straight(0.1)), Some(Kind::Untouched));
        // Frames show it inside, and nothing is done about it.
        assert_eq!(kind(&world, &[0], &straight(0.01)), Some(Kind::Touched));
        // One frame shows it just beyond the middle; it goes on by the far face, which is nearer.
        let far_half = trace(0.1, 1.0, |t| vec![still(), state(4.0 * t - 0.78, 0.0, 4.0, 0.0)]);
        assert_eq!(kind(&world, &[0], &far_half), Some(Kind::Touched));
        // It loses half of its speed at the plate and goes on.
        let slowed = trace(0.01, 1.0, |t| {
            let x = 4.0 * t - 1.0;
            vec![
                still(),
                if x < -0.05 { state(x, 0.0, 4.0, 0.0) } else { state(-0.05 + 0.5 * (x + 0.05), 0.0, 2.0, 0.0) },
            ]
        });
        assert_eq!(kind(&world, &[0], &slowed), Some(Kind::Touched));
        // It stops inside and is put out on the far side.
        let out = trace(0.01, 1.0, |t| {
            let x = 4.0 * t - 1.0;
            vec![still(), if x < 0.01 { state(x, 0.0, 4.0, 0.0) } else { state(0.1, 0.0, 0.0, 0.0) }]
        });
        assert_eq!(kind(&world, &[0], &out), Some(Kind::Pushed));
        let stopped = trace(0.01, 1.0, |t| {
            let x = 4.0 * t - 1.0;
            vec![still(), if x < -0.1 { state(x, 0.0, 4.0, 0.0) } else { state(-0.1, 0.0, 0.0, 0.0) }]
        });
        assert_eq!(kind(&world, &[0], &stopped), None);
    }

    #[test]
    fn a_stack_and_a_seam_are_told_from_a_single_plate() {
        let side = |y: f64| ("plate", BodyKind::Static, PlaneShape::Box(DVec2::new(0.1, 1.0)), DVec2::new(0.0, y));
        let rivet = ("rivet", BodyKind::Dynamic, PlaneShape::Disc(0.05), DVec2::ZERO);
        let mut halves = world(&[side(0.53), side(-0.53), rivet.clone()]);
        halves.gravity = DVec3::ZERO;
        let shot = |y: f64| {
            trace(0.01, 1.0, move |t| {
                vec![state(0.0, 0.53, 0.0, 0.0), state(0.0, -0.53, 0.0, 0.0), state(4.0 * t - 1.0, y, 4.0, 0.0)]
            })
        };
        assert_eq!(kind(&halves, &[0, 1], &shot(0.0)), Some(Kind::Seam), "a gap of 0.06 and a rivet of 0.1");
        assert_eq!(kind(&halves, &[0, 1], &shot(0.5)), Some(Kind::Touched));
        halves.bodies[2].parts[0].shape = PlaneShape::Disc(0.02).into();
        assert_eq!(kind(&halves, &[0, 1], &shot(0.0)), None, "a rivet of 0.04 fits");
        // Three plates one behind the other, the first pushes.
        let plate = |x: f64| ("plate", BodyKind::Static, PlaneShape::Box(DVec2::new(0.1, 2.0)), DVec2::new(x, 0.0));
        let mut stack = world(&[plate(0.0), plate(0.1), plate(0.2), rivet]);
        stack.gravity = DVec3::ZERO;
        let places = [0.0, 0.1, 0.2].map(|x| state(x, 0.0, 0.0, 0.0));
        let frames = trace(0.005, 1.0, |t| {
            let x = 4.0 * t - 1.0;
            let rivet = if x < 0.0 { state(x, 0.0, 4.0, 0.0) } else { state(0.5 * x, 0.0, 2.0, 0.0) };
            vec![places[0], places[1], places[2], rivet]
        });
        assert_eq!(kind(&stack, &[0, 1, 2], &frames), Some(Kind::Stack));
    }

    #[test]
    fn what_leaves_a_closed_chain_has_gone_through_it() {
        let points = [(-1.0, -1.0), (1.0, -1.0), (1.0, 1.0), (-1.0, 1.0), (-1.0, -1.0)].map(|(x, y)| DVec2::new(x, y));
        let mut basin = world(&[
            ("basin", BodyKind::Static, PlaneShape::Polyline(points.to_vec()), DVec2::ZERO),
            ("ball", BodyKind::Dynamic, PlaneShape::Disc(0.1), DVec2::ZERO),
        ]);
        basin.gravity = DVec3::ZERO;
        let flight =
            |x: f64, y: f64| trace(0.1, 1.0, move |t| vec![state(0.0, 0.0, 0.0, 0.0), state(x * t, y * t, x, y)]);
        assert_eq!(kind(&basin, &[0], &flight(3.0, 0.0)), Some(Kind::Untouched));
        assert_eq!(kind(&basin, &[0], &flight(0.8, 0.8)), None);
        // The corner itself belongs to neither segment, but the winding number decides.
        assert_eq!(kind(&basin, &[0], &flight(2.0, 2.0)), Some(Kind::Seam));
    }

    #[test]
    fn what_a_blade_takes_along_on_an_arc_has_not_gone_through_it() {
        // 2.4 rad a step: between two frames a body on the blade's face is thought on the chord of its arc, behind the blade first and before it then.
        let blade = |t: f64| BodyState::planar(DVec3::ZERO, 24.0 * t, DVec3::ZERO, 24.0);
        let carried = |t: f64| {
            let (sin, cos) = (libm::sin(24.0 * t), libm::cos(24.0 * t));
            let at = DVec3::new(-0.1 * cos - 0.8 * sin, -0.1 * sin + 0.8 * cos, 0.0);
            BodyState::planar(at, 0.0, DVec3::new(-24.0 * at.y, 24.0 * at.x, 0.0), 0.0)
        };
        assert_eq!(through(blade, carried, 0.1), 0.0);
        // One that stands still in its way is passed.
        assert_eq!(through(blade, |_| state(-0.3, 0.7, 0.0, 0.0), 0.1), 1.0);
    }

    #[test]
    fn a_blade_that_turns_half_round_in_a_step_sweeps_what_stands_in_its_way() {
        let mut world = world(&[
            ("blade", BodyKind::Kinematic, PlaneShape::Box(DVec2::new(2.0, 0.05)), DVec2::ZERO),
            ("rivet", BodyKind::Dynamic, PlaneShape::Disc(0.02), DVec2::ZERO),
        ]);
        world.gravity = DVec3::ZERO;
        let frames = trace(1.0, 1.0, |t| {
            vec![BodyState::planar(DVec3::ZERO, 3.0 * t, DVec3::ZERO, 3.0), state(0.0, 0.5, 0.0, 0.0)]
        });
        assert_eq!(kind(&world, &[0], &frames), Some(Kind::Untouched));
    }
}
