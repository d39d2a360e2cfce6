//! Where a fault can be injected in the middle of a step, and the one that is.

use crate::common::passes::Onward;
use crate::common::scalar::Real;
use crate::common::settings::Settings;

/// Mistakes in the middle of a step, each asked for in one or two places.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum InjectionPoint {
    /// Below so many metres a second nothing bounces.
    FixedRestSpeed,
    /// Of two bodies that collide only the first answers.
    OneAnswers,
    /// The lever arm of friction is this much too short.
    Lever,
    /// Friction pushes along the slip.
    FrictionAlong,
    /// Materials do not mix: those of the body that comes first count.
    FirstMaterial,
    /// Bodies that are moved apart keep the speed of it.
    OverlapIntoSpeed,
    /// Inner faces of level pieces are obstacles.
    SeamsCatch,
    /// Contacts do not know how fast a driven body moves.
    NoCarry,
    /// The drift of joints is left.
    JointDrift,
    /// Capsules and polygons do not meet.
    EmptyPair,
    /// Swept collision sees what stands only.
    SweptStandingOnly,
    /// Swept collision does not see turning.
    SweptNoTurning,
    /// Swept collision leaves out a share of the steps of each body.
    SweptNowAndThen,
    /// Swept collision leaves out what is thinner than so many metres.
    SweptNotThin,
    /// Sensors look where bodies stand at the end of a step.
    SensorsAtEnd,
    /// A ray does not see the body that it starts in.
    RayFromInside,
    /// Contacts forget their impulses when a state is put back.
    ForgetsOnRestore,
    /// Contacts forget their impulses with every call.
    ForgetsBetweenCalls,
    /// What an impact changes is changed this much more.
    ImpactTwice,
    /// Every tenth pair is not found.
    PairsLost,
    /// Impacts are applied in the order of a hash map.
    HashOrder,
    /// With more than one thread impacts are applied as threads come to them.
    ThreadRace,
    /// Of two bodies only the layers of one are asked.
    OneWayFilter,
    /// Pieces of a body that is split lose what its turning gave them.
    SplitLosesTurning,
    /// Actions are done a step late.
    ActionsLate,
    /// In space the spin of a free body stays, where its angular momentum should.
    GyroscopicLeftOut,
    /// The gyroscopic term is taken in by an explicit step.
    GyroscopicExplicit,
    /// Inertia stays along the axes that a body was built with.
    InertiaStays,
    /// Friction is bounded along two axes by themselves.
    FrictionPyramid,
    /// Edges against edges are not looked at.
    EdgesMissed,
    /// A contact has one point.
    OnePoint,
    /// A surface pushes to one side only.
    MeshOneSided,
    /// Sliders let their bodies turn against each other.
    SliderTurns,
    /// A state that is put back has bodies turned as they never were.
    TurnNotRestored,
    /// Gas pushes half of the pieces of a skin.
    GasOnOneSide,
    /// Gas pushes as it did as built, whatever it has become to fill.
    GasStays,
    /// Sticks let their ends come together.
    SticksOnlyPull,
    /// The built shape that nodes are drawn to is not turned.
    GoalsUnturned,
    /// Squeezed springs do not give way.
    YieldsOneWay,
    /// Rigid bodies feel nothing of soft ones.
    NetsPushNobody,
    /// A state that is put back has springs as long as they were built.
    DentsNotRestored,
}

/// The fault that is on.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Injection {
    /// Name of its entry in the catalogue.
    pub name: &'static str,
    /// How wrong it is.
    pub size: f64,
    /// The size that was asked for; nothing for the one that the catalogue states.
    pub asked_size: Option<f64>,
    /// Where in the middle of a step it is made, for faults that are made there.
    pub(crate) point: Option<InjectionPoint>,
}

/// Whether a body is left out in a step where a share of them is.
pub(crate) fn is_left_out(step: u64, body: usize, share: f64) -> bool {
    let every = (1.0 / share).max(1.0) as u64;
    (step * 7 + body as u64).is_multiple_of(every)
}

impl Settings {
    /// What an impact changes is not all that it should.
    pub(crate) fn inject_into_impact<R: Real, M: Onward<R>>(&self, motion: &mut [M; 2], before: [M; 2]) {
        if let Some(share) = self.injected(InjectionPoint::OneAnswers) {
            motion[1] = motion[1].onward(before[1], R::of(-share));
        }
        if let Some(more) = self.injected(InjectionPoint::ImpactTwice) {
            for (now, before) in motion.iter_mut().zip(before) {
                *now = now.onward(before, R::of(more));
            }
        }
    }
}
