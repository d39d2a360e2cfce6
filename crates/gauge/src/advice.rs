//! What to try next when a claim fails, by the family of its gauge.

/// What to try next when a claim about this gauge fails, as a sentence without its full stop.
pub fn next_step(gauge: &str) -> &'static str {
    match gauge.split('.').next().unwrap_or_default() {
        "energy" => {
            "run the scene at half the step: drift that falls with the step is the integrator, gain that stays is in the contacts; then set restitution and friction to 0, and look at `energy.unexplained`"
        }
        "momentum" | "angular" => {
            "take bodies away until two are left that still fail, and look at the step of the worst jump: a contact there pushes one body only, or at different points"
        }
        "rebound" => {
            "drop the same ball at half the step and at twice the speed: an error that follows the step is where in the step the bounce is put, one that follows the speed is a threshold"
        }
        "tunnel" => {
            "find the speed at which it begins (`ironspin edge`), and mark the fast bodies for swept collision; if it begins where a body passes its own size in a step, nothing is swept"
        }
        "overlap" | "rest" => {
            "look at the replay where it is deepest; raise the passes of the solver, and see whether the overlap follows the load (too few passes) or the size (a slop in metres)"
        }
        "jitter" | "settle" => {
            "switch friction, restitution and overlap correction off one after the other; whichever ends the shaking is the one that overshoots"
        }
        "creep" | "stands" => {
            "look whether it slides or leans in the replay; run it in other units (`ironspin twin --by units`): what changes is a threshold in metres"
        }
        "impacts" => {
            "halve the step: if the count goes up, impacts are missed within steps; if it stays, several are merged into one"
        }
        "escape" => {
            "look at the replay where the first body leaves: through a seam, over an edge, or thrown out by a deep overlap"
        }
        "ghost" => {
            "look whether the pushes stand at seams between tiles; if so the inner edges need to know of their neighbours"
        }
        "contacts" => {
            "count the points of one pair in the replay; look for pairs that are reported twice, or while they are apart"
        }
        "filter" => "try the pair in both orders, and both directions of `layers` and `meets`",
        "sensor" => {
            "let the body pass more slowly: notices that come back are lost between steps; then look at what is reported as built"
        }
        "fall" => "read the reason: the ratio names the mistake (milliseconds for seconds, gravity twice, upwards)",
        "path" | "value" | "period" | "spring" => {
            "run `ironspin series` over the step: an error that falls by the order of the integrator is as it must be, one that does not is a wrong constant"
        }
        "spread" => "run more seeds; if it stays outside, look for a threshold or a rounding that prefers a direction",
        "ray" => "cast the same ray at a body at rest, from outside and from inside, in the frame of the world",
        "forecast" => {
            "save and restore in a scene with one body, then with contacts: what is lost is the warm start or an order"
        }
        _ => "run the scene at half the step and in other units, and look at the replay where it breaks first",
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_gauge_has_advice_of_its_family() {
        let for_none = next_step("no-such-family");
        for gauge in &crate::GAUGES {
            assert_ne!(next_step(gauge.name), for_none, "{}", gauge.name);
        }
    }
}
