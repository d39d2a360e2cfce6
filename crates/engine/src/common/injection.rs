//! Where a fault can be injected in the middle of a step, and the one that is.

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
