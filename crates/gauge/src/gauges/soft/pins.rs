//! How far pinned nodes are from the points of bodies that they are held to.

use super::{SOFT, is_there, softs_of};
use crate::advice;
use crate::entry::GaugeEntry;
use crate::gauge::{Gauge, Reading, Scope, View};
use ironspin_model::{World, turn};

pub(crate) const ERROR: GaugeEntry = GaugeEntry {
    name: "pin.error",
    label: "error of pins",
    unit: "m",
    definition: "Largest distance of any pinned node of the soft bodies from the point of the rigid body that it is held to, over all frames.",
    formula: "max_t max_pins |x_node - (x_body + R_body p)|, p in the frame of the body",
    source: "definition: a pin is a distance of nothing",
    limits: "Soft bodies with pins only. Pins to a body that is not there hold nothing and are left out.",
    usual_causes: "too few iterations; a point taken along the world's axes and not the body's; a pin that holds the body at its centre; a body that feels nothing of it",
    next_step: advice::SOFT,
    make: error,
    ..SOFT
};

struct PinError {
    softs: Vec<usize>,
    worst: f64,
    /// Node, body and time of the worst.
    at: Option<(usize, usize, f64)>,
}

fn error(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    let mut softs = softs_of(world, &scope.of);
    softs.retain(|&soft| !world.softs[soft].pins.is_empty());
    Box::new(PinError { softs, worst: 0.0, at: None })
}

impl Gauge for PinError {
    fn observe(&mut self, view: &View<'_>) {
        for &number in &self.softs {
            let soft = &view.world.softs[number];
            if !is_there(soft, view.now) {
                continue;
            }
            for pin in &soft.pins {
                let carrier = &view.now.bodies[pin.body];
                if carrier.is_absent() {
                    continue;
                }
                let node = soft.nodes.start + pin.node;
                let point = carrier.pose.position + turn::turned(carrier.pose.rotation, pin.point);
                let off = view.now.bodies[node].pose.position.distance(point);
                if self.at.is_none() || off > self.worst {
                    (self.worst, self.at) = (off, Some((node, pin.body, view.now.time)));
                }
            }
        }
    }

    fn reading(&self, world: &World) -> Reading {
        if self.softs.is_empty() {
            return Reading::nothing("no soft body has pins");
        }
        let Some((node, body, time)) = self.at else { return Reading::nothing("no frame lies in the window") };
        let detail =
            format!("{} from its point of {} at {time:.3} s", world.bodies[node].name, world.bodies[body].name);
        Reading::of(self.worst, detail).seen_at(time, node)
    }
}

#[cfg(test)]
mod tests {
    use super::super::tests::{CORNERS, frames, square};
    use crate::gauges::trace::{measure, state};
    use ironspin_model::{DVec3, Pin, Pose};

    /// The first corner is pinned to a point of the quay, which turns about its own centre.
    #[test]
    fn a_node_that_goes_with_its_point_is_no_error_and_one_that_stays_is() {
        let mut world = square();
        world.softs[0].pins = vec![Pin { node: 0, body: 0, point: DVec3::Y }];
        let turning = |follows: bool| {
            let mut seen = frames(9, |i, t| {
                let at = |t: f64| (-libm::sin(t), libm::cos(t));
                let (x, y) = if follows { at(t) } else { at(0.0) };
                if i == 0 { state(x, y, 0.0, 0.0) } else { state(CORNERS[i][0], CORNERS[i][1], 0.0, 0.0) }
            });
            for frame in &mut seen {
                frame.bodies[0].pose = Pose::planar(DVec3::ZERO, frame.time);
            }
            seen
        };
        assert!(measure("pin.error", &world, &[1], &[], &turning(true)).value.unwrap() < 1e-12);
        let reading = measure("pin.error", &world, &[1], &[], &turning(false));
        // The chord of the angle turned.
        assert!((reading.value.unwrap() - 2.0 * libm::sin(0.4)).abs() < 1e-12, "{reading:?}");
        assert!(reading.detail.contains("pad.node[0] from its point of quay at 0.800 s"), "{reading:?}");
        assert_eq!(measure("pin.error", &square(), &[1], &[], &turning(true)).value, None);
    }
}
