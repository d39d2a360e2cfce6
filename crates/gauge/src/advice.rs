//! What to try next when a claim fails: texts that the entries of several gauges share.

pub(crate) const ENERGY: &str = "run the scene at half the step: drift that falls with the step is the integrator, gain that stays is in the contacts; then set restitution and friction to 0, and look at `energy.unexplained`";
pub(crate) const MOMENTUM: &str = "take bodies away until two are left that still fail, and look at the step of the worst jump: a contact there pushes one body only, or at different points";
pub(crate) const REBOUND: &str = "drop the same ball at half the step and at twice the speed: an error that follows the step is where in the step the bounce is put, one that follows the speed is a threshold";
pub(crate) const TUNNEL: &str = "find the speed at which it begins (`ironspin edge`), and mark the fast bodies for swept collision; if it begins where a body passes its own size in a step, nothing is swept";
pub(crate) const OVERLAP: &str = "look at the replay where it is deepest; raise the passes of the solver, and see whether the overlap follows the load (too few passes) or the size (a slop in metres)";
pub(crate) const SOFT: &str = "halve the step: what goes away was a step too long for the stiffest spring (`scenes check` tells its limit); what stays is in the forces, the sense of the skin or the contacts";
pub(crate) const SHAKING: &str = "switch friction, restitution and overlap correction off one after the other; whichever ends the shaking is the one that overshoots";
pub(crate) const CREEP: &str = "look whether it slides or leans in the replay; run it in other units (`ironspin twin --by units`): what changes is a threshold in metres";
pub(crate) const IMPACTS: &str =
    "halve the step: if the count goes up, impacts are missed within steps; if it stays, several are merged into one";
pub(crate) const ESCAPE: &str =
    "look at the replay where the first body leaves: through a seam, over an edge, or thrown out by a deep overlap";
pub(crate) const GHOST: &str =
    "look whether the pushes stand at seams between tiles; if so the inner edges need to know of their neighbours";
pub(crate) const CONTACTS: &str =
    "count the points of one pair in the replay; look for pairs that are reported twice, or while they are apart";
pub(crate) const FILTER: &str = "try the pair in both orders, and both directions of `layers` and `meets`";
pub(crate) const SENSOR: &str = "let the body pass more slowly: notices that come back are lost between steps; then look at what is reported as built";
pub(crate) const FALL: &str =
    "read the reason: the ratio names the mistake (milliseconds for seconds, gravity twice, upwards)";
pub(crate) const MOTION: &str = "run `ironspin series` over the step: an error that falls by the order of the integrator is as it must be, one that does not is a wrong constant";
pub(crate) const FRICTION: &str =
    "send one body along x, one along z and one between them: 1.41 between the two is a pyramid of friction for a cone";
pub(crate) const SPREAD: &str =
    "run more seeds; if it stays outside, look for a threshold or a rounding that prefers a direction";
pub(crate) const RAY: &str =
    "cast the same ray at a body at rest, from outside and from inside, in the frame of the world";
pub(crate) const FORECAST: &str =
    "save and restore in a scene with one body, then with contacts: what is lost is the warm start or an order";
