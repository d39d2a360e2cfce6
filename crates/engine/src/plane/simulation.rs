//! Everything about a world that is stepped. What a step does with it stands in the files that use this one.

use crate::common::injection::InjectionPoint;
use crate::common::joint_checks::check_joints;
use crate::common::mixed::Mixed;
use crate::common::scalar::Real;
use crate::common::settings::{Settings, Swept};
use crate::common::threads::Threads;
use crate::common::tolerance::SLOP;
use crate::plane::bodies::{Bodies, Motion};
use crate::plane::broad::Broad;
use crate::plane::contacts::Contacts;
use crate::plane::forces::Forces;
use crate::plane::joints::Joints;
use crate::plane::sensors::{Place, Sensors};
use crate::plane::sleep::Sleep;
use crate::plane::solver::Solver;
use crate::plane::sweep::{Impact, Sweeper};
use crate::plane::vector::Vec2;
use crate::soft::PlaneSofts;
use ironspin_model::{Effect, EngineError, World};

/// Everything about a world that is stepped.
#[derive(Clone, Debug)]
pub(crate) struct Simulation<R: Real> {
    pub(crate) bodies: Bodies<R>,
    /// Soft bodies, if there are any.
    pub(crate) soft: Option<Box<PlaneSofts<R>>>,
    pub(crate) settings: Settings,
    pub(crate) mixed: Mixed<R>,
    pub(crate) gravity: R,
    pub(crate) touch: R,
    pub(crate) last_dt: R,
    pub(crate) steps: u64,
    pub(crate) broad: Broad<R>,
    pub(crate) contacts: Contacts<R>,
    pub(crate) joints: Joints<R>,
    pub(crate) forces: Forces<R>,
    pub(crate) solver: Solver<R>,
    pub(crate) sensors: Sensors<R>,
    pub(crate) sleep: Sleep<R>,
    pub(crate) threads: Threads,
    pub(crate) sweeper: Sweeper<R>,
    /// Whether any body may have to be followed along its path.
    pub(crate) any_swept: bool,
    /// Motion of every body before contacts and joints push it.
    pub(crate) unpressed: Vec<Motion<R>>,
    /// Motion of every body at the start of the step, after impacts.
    pub(crate) start: Vec<Motion<R>>,
    /// Lists of the solvers that move bodies themselves, kept between steps.
    pub(crate) lists: Lists<R>,
    /// Which bodies are followed along their path in this step.
    pub(crate) swept: Vec<bool>,
    /// Impacts that may have to be applied: overlap time and number of the contact.
    pub(crate) pending: Vec<(R, usize)>,
    /// The last round of impacts in which each body was hit.
    pub(crate) hit: Vec<u32>,
    /// What was hit in this step, in order: impacts, and what swept bodies met.
    pub(crate) hit_now: Vec<Impact<R>>,
    /// Whether the contacts were pressed in this step.
    pub(crate) pressed: bool,
    /// Whether the contacts are those of the bodies as they stand now, with their impacts applied.
    pub(crate) looked_ahead: bool,
}

/// What a solver that moves bodies itself remembers within a step.
#[derive(Clone, Debug, Default)]
pub(crate) struct Lists<R> {
    /// Places at the start of the step.
    pub(crate) places: Vec<Place<R>>,
    /// Places at the start of the substep, and where the bodies would go from there.
    pub(crate) before: Vec<Place<R>>,
    pub(crate) predicted: Vec<Place<R>>,
    /// Pushes on the points of each contact in this substep and in the whole step.
    pub(crate) pressed: Vec<[R; 2]>,
    pub(crate) total: Vec<[R; 2]>,
    /// Motion at the end of the step and on the way through it.
    pub(crate) ends: Vec<Motion<R>>,
    pub(crate) means: Vec<Motion<R>>,
}

impl<R: Real> Simulation<R> {
    pub(crate) fn new(world: &World, settings: &Settings, touch: f64, threads: usize) -> Result<Self, EngineError> {
        check_joints(world)?;
        let bodies = Bodies::new(world)?;
        let any_swept = match settings.swept {
            Swept::Off => false,
            Swept::Marked => bodies.traits.iter().any(|traits| traits.marked),
            Swept::All => true,
        };
        let simulation = Simulation {
            any_swept,
            soft: PlaneSofts::new(world, settings)?.map(Box::new),
            unpressed: Vec::new(),
            settings: settings.clone(),
            mixed: Mixed::new(world, settings),
            gravity: R::of(world.gravity.length()),
            touch: R::of(touch),
            last_dt: R::ZERO,
            steps: 0,
            broad: Broad::new(&bodies, R::of(SLOP)),
            contacts: Contacts::default(),
            joints: Joints::new(world, &bodies),
            forces: Forces::new(world, &bodies),
            solver: Solver::default(),
            sensors: Sensors::default(),
            sleep: Sleep::default(),
            threads: Threads::new(threads),
            sweeper: Sweeper::default(),
            start: Vec::new(),
            lists: Lists::default(),
            swept: Vec::new(),
            pending: Vec::new(),
            hit: Vec::new(),
            hit_now: Vec::new(),
            pressed: false,
            looked_ahead: false,
            bodies,
        };
        Ok(simulation)
    }

    pub(crate) fn act(&mut self, body: usize, effect: &Effect) {
        self.looked_ahead = false;
        self.bodies.moved = true;
        self.bodies.only_falling = false;
        self.bodies.turn_axes();
        if self.settings.sleep {
            self.sleep.wake_all(&mut self.bodies);
        }
        if body >= self.bodies.len()
            && !matches!(effect, Effect::Gravity(_))
            && let Some(soft) = &mut self.soft
        {
            return soft.room.act(body, effect);
        }
        match effect {
            Effect::Impulse { impulse, point } => {
                let arm = self.arm(body, point.map(|p| Vec2::of(p.truncate())));
                let kick = self.bodies.inverse[body].kick(arm, Vec2::of(impulse.truncate()));
                self.bodies.motion[body] = self.bodies.motion[body].plus(kick);
            }
            Effect::Force { force, point } => {
                let arm = self.arm(body, point.map(|p| Vec2::of(p.truncate())));
                self.forces.push(body, Vec2::of(force.truncate()), arm, R::ZERO);
            }
            Effect::Torque(torque) => self.forces.push(body, Vec2::ZERO, Vec2::ZERO, R::of(torque.z)),
            Effect::Velocity(velocity) => self.bodies.motion[body].linear = Vec2::of(velocity.truncate()),
            Effect::Spin(spin) => self.bodies.motion[body].spin = R::of(spin.z),
            Effect::Place(pose) => self.bodies.place(body, Vec2::of(pose.xy()), R::of(pose.angle)),
            Effect::Remove => self.bodies.present[body] = false,
            Effect::Add => self.bodies.present[body] = true,
            Effect::Split(pieces) => self.split(body, pieces),
            Effect::Gravity(gravity) => {
                self.gravity = R::of(gravity.length());
                self.bodies.set_gravity(Vec2::of(gravity.truncate()));
                if let Some(soft) = &mut self.soft {
                    soft.room.set_gravity(Vec2::of(gravity.truncate()));
                }
            }
            // Of nodes alone.
            Effect::Shift(_) | Effect::Hold(_) => {}
        }
    }

    fn arm(&self, body: usize, point: Option<Vec2<R>>) -> Vec2<R> {
        point.map_or(Vec2::ZERO, |point| point - self.bodies.position[body])
    }

    /// Each piece takes its place in the frame of the whole and moves as that place moved, so that momentum, angular
    /// momentum and energy stay what they were.
    fn split(&mut self, body: usize, pieces: &[usize]) {
        let (whole, motion, angle) = (self.bodies.pose(body), self.bodies.motion[body], self.bodies.angle[body]);
        for &piece in pieces {
            let place = whole.point(self.bodies.position[piece]);
            let turned = angle + self.bodies.angle[piece];
            self.bodies.place(piece, place, turned);
            let lost = self.settings.injected(InjectionPoint::SplitLosesTurning).map_or(R::ZERO, R::of);
            let arm = (place - whole.position) * (R::ONE - lost);
            self.bodies.motion[piece] = Motion { linear: motion.at(arm), spin: motion.spin };
            self.bodies.acceleration[piece] = self.bodies.acceleration[body];
            self.bodies.present[piece] = true;
        }
        self.bodies.present[body] = false;
    }

    pub(crate) fn find_pairs(&mut self) -> usize {
        self.bodies.turn_axes();
        self.broad.find(&self.bodies, self.settings.broad);
        self.broad.pairs.len()
    }

    /// Finds pairs anew when any body has gone too far for those that are known.
    pub(crate) fn know_pairs(&mut self) {
        if self.bodies.moved {
            self.bodies.turn_axes();
            self.broad.find(&self.bodies, self.settings.broad);
            self.bodies.pairs_are_known();
        }
    }

    pub(crate) fn rest_speed(&self, dt: R) -> R {
        let natural = R::of(self.settings.rest_speed) * self.gravity * dt;
        self.settings.injected(InjectionPoint::FixedRestSpeed).map_or(natural, |fixed| natural.max(R::of(fixed)))
    }

    /// The impacts of this step so far, and then the resting contacts that were pressed in it.
    pub(crate) fn record(&self) -> impl Iterator<Item = Impact<R>> {
        let pressed = self.contacts.list.iter().filter(|_| self.pressed).flat_map(|contact| {
            contact.points().iter().map(|point| Impact {
                bodies: contact.bodies,
                point: point.position,
                normal: contact.normal,
                gap: point.gap,
                impulse: point.so_far + point.normal_impulse,
                times: 1,
            })
        });
        self.hit_now.iter().copied().chain(pressed)
    }
}
