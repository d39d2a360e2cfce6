//! What a free body that turns must keep.

use crate::advice;
use crate::entry::{Better, GaugeEntry, PLAIN};
use crate::gauge::{Gauge, Reading, Scope, View};
use ironspin_model::{BodyState, DVec3, Dimension, World};

pub(crate) const BALANCE: GaugeEntry = GaugeEntry {
    name: "spin.balance",
    label: "spin balance",
    better: Better::Lower,
    definition: "Largest change, for bodies that nothing turns, of the angular momentum about the own centre of mass, as a vector in space, and of the energy of turning, each as a share of what it was in the first frame of the window; the larger of both. The reading tells both, and by what angle the momentum has turned.",
    formula: "max_t max(|L(t) - L(0)| / |L(0)|, |K(t) - K(0)| / K(0)), L = R I R^T w, K = w . L / 2",
    source: "Euler's equations of a free body: L and K are constant whatever its shape; Landau and Lifshitz, Mechanics, section 37",
    limits: "Bodies that touch, or that a joint or a torque turns, change both with reason. A body at rest is left out. An integrator of first order is off by about half a step of the turn for each radian.",
    usual_causes: "the gyroscopic term left out, so that the spin stays where the momentum should; that term added explicitly, which feeds energy; inertia along the axes of the world, or only its diagonal; a spin that is damped or capped",
    next_step: advice::MOTION,
    needs_geometry: false,
    dimensions: Dimension::SPACE_ONLY,
    make: balance,
    ..PLAIN
};

/// What a body had in the first frame.
#[derive(Clone, Copy, Debug)]
struct Had {
    momentum: DVec3,
    energy: f64,
}

struct Balance {
    of: Vec<usize>,
    had: Vec<Option<Had>>,
    worst: f64,
    detail: (f64, f64, f64),
    at: Option<(f64, usize)>,
    frames: u64,
}

pub(crate) fn balance(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    Box::new(Balance {
        had: vec![None; scope.of.len()],
        of: scope.of.clone(),
        worst: 0.0,
        detail: (0.0, 0.0, 0.0),
        at: None,
        frames: 0,
    })
}

fn has(view: &View<'_>, id: usize, state: &BodyState) -> Had {
    let turning = &view.cache.traits(id).turning;
    let momentum = turning.momentum(state.pose.rotation, state.spin);
    Had { momentum, energy: 0.5 * state.spin.dot(momentum) }
}

impl Gauge for Balance {
    fn observe(&mut self, view: &View<'_>) {
        self.frames += 1;
        for (had, &id) in self.had.iter_mut().zip(&self.of) {
            let state = &view.now.bodies[id];
            if state.is_absent() || view.cache.traits(id).mass == 0.0 {
                continue;
            }
            let has = has(view, id, state);
            let had = had.get_or_insert(has);
            if !(had.energy > 0.0) {
                continue;
            }
            let moved = (has.momentum - had.momentum).length() / had.momentum.length();
            let gained = (has.energy - had.energy) / had.energy;
            let worse = moved.max(gained.abs());
            if worse > self.worst {
                let angle = libm::atan2(had.momentum.cross(has.momentum).length(), had.momentum.dot(has.momentum));
                (self.worst, self.detail, self.at) = (worse, (moved, angle, gained), Some((view.now.time, id)));
            }
        }
    }

    fn reading(&self, world: &World) -> Reading {
        if self.frames < 2 {
            return Reading::nothing("fewer than two frames lie in the window");
        }
        if self.had.iter().flatten().all(|had| !(had.energy > 0.0)) {
            return Reading::nothing("none of the bodies turned in the first frame of the window");
        }
        let Some((time, id)) = self.at else { return Reading::of(0.0, "momentum and energy kept to the last digit") };
        let (moved, angle, gained) = self.detail;
        let detail = format!(
            "{} at {time:.3} s: momentum off by {moved:.1e} and turned by {:.1e} deg, energy by {gained:+.1e}",
            world.bodies[id].name,
            angle.to_degrees()
        );
        Reading::of(self.worst, detail).seen_at(time, id)
    }
}
