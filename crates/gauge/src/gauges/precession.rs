//! How fast the axis of a spinning body goes round.

use crate::advice;
use crate::entry::{Better, GaugeEntry, Need, PLAIN};
use crate::gauge::{Gauge, Reading, Scope, View};
use ironspin_model::{DVec3, Dimension, World, turn};

pub(crate) const RATE: GaugeEntry = GaugeEntry {
    name: "precession.rate",
    label: "rate of precession",
    unit: "rad/s",
    better: Better::Nearer,
    definition: "Mean rate at which an axis fixed in one body goes round the vertical, or round the body's angular momentum in the first frame where nothing pulls: the slope of a straight line fitted to its unwrapped angle. The axis leads from the centre of mass to the claim's `point`; without one it is that of the body's own axes x, y and z whose moment is furthest from the two others, where these are its principal axes. Above nothing it goes round by the right hand, thumb up.",
    formula: "slope of phi(t), phi = atan2(a . e2, a . e1), a = q p q*, e1, e2 and up orthogonal",
    source: "steady precession of a heavy top, m g l = W (I3 w3 - (I1 - I3) W cos(tilt)), and of a free symmetric body, W = L / I1: Goldstein, Classical Mechanics, sections 5.6 and 5.7",
    limits: "For one body. The axis must go round by less than half a turn from frame to frame, and lean by more than a millionth. Nutation averages out over whole turns only.",
    usual_causes: "the gyroscopic term left out, so that a top falls or goes round at another rate; inertia along the axes of the world; spin about the body's own axes; damping of spin",
    next_step: advice::MOTION,
    takes: &[Need::Point],
    one_body: true,
    needs_geometry: false,
    dimensions: Dimension::SPACE_ONLY,
    make: rate,
    ..PLAIN
};

/// A lean of the axis below which it has no direction.
const LEAST_LEAN: f64 = 1e-6;

struct Rate {
    of: Vec<usize>,
    /// In the body's frame.
    axis: Option<DVec3>,
    has_point: bool,
    /// Two directions across the one that the axis goes round.
    across: Option<[DVec3; 2]>,
    last: Option<f64>,
    /// Unwrapped, rad.
    angle: f64,
    /// Times and angles for the fit: count, means, sums of squares.
    fit: Fit,
    upright: bool,
}

/// Running sums of a straight-line fit (Welford's form).
#[derive(Clone, Copy, Debug, Default)]
struct Fit {
    count: u64,
    mean_time: f64,
    mean: f64,
    time_square: f64,
    product: f64,
}

impl Fit {
    fn add(&mut self, time: f64, value: f64) {
        self.count += 1;
        let share = 1.0 / self.count as f64;
        let off = time - self.mean_time;
        self.mean_time += off * share;
        self.mean += (value - self.mean) * share;
        self.time_square += off * (time - self.mean_time);
        self.product += off * (value - self.mean);
    }
}

/// Products of inertia up to this share of the moments are rounding.
const PRINCIPAL: f64 = 1e-9;

/// The own axis whose moment is furthest from the two others, x of a body with equal ones; nothing where the axes are not principal ones.
fn odd_axis(world: &World, id: usize) -> Option<DVec3> {
    let inertia = world.bodies[id].inertia.0;
    let moments = DVec3::new(inertia.x_axis.x, inertia.y_axis.y, inertia.z_axis.z);
    let products = [inertia.x_axis.y, inertia.y_axis.z, inertia.z_axis.x];
    if products.iter().any(|product| product.abs() > PRINCIPAL * moments.max_element()) {
        return None;
    }
    let axes = [DVec3::X, DVec3::Y, DVec3::Z];
    let odd = |k: usize| {
        let [own, one, other] = [0, 1, 2].map(|j| moments[(k + j) % 3]);
        (own - one).abs().min((own - other).abs())
    };
    let best = (0..3).fold(0, |best, k| if odd(k) > odd(best) { k } else { best });
    Some(axes[best])
}

pub(crate) fn rate(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    let axis = match (scope.details.point, scope.of.as_slice()) {
        (Some(point), _) => point.try_normalize(),
        (None, [id]) => odd_axis(world, *id),
        (None, _) => None,
    };
    Box::new(Rate {
        of: scope.of.clone(),
        axis,
        has_point: scope.details.point.is_some(),
        across: None,
        last: None,
        angle: 0.0,
        fit: Fit::default(),
        upright: false,
    })
}

impl Gauge for Rate {
    fn observe(&mut self, view: &View<'_>) {
        let ([id], Some(own)) = (self.of.as_slice(), self.axis) else { return };
        let state = &view.now.bodies[*id];
        if state.is_absent() {
            return;
        }
        let axis = turn::turned(state.pose.rotation, own);
        let across = *self.across.get_or_insert_with(|| {
            let momentum = || view.cache.traits(*id).turning.momentum(state.pose.rotation, state.spin);
            let up = (-view.fall(*id)).try_normalize().or_else(|| momentum().try_normalize()).unwrap_or(DVec3::Y);
            let one = up.any_orthonormal_vector();
            [one, up.cross(one)]
        });
        let [x, y] = across.map(|way| axis.dot(way));
        if !(x * x + y * y > LEAST_LEAN * LEAST_LEAN) {
            self.upright = true;
            self.last = None;
            return;
        }
        let now = libm::atan2(y, x);
        if let Some(last) = self.last {
            let by = now - last;
            let turns = (by / std::f64::consts::TAU).round();
            self.angle += by - turns * std::f64::consts::TAU;
        }
        self.last = Some(now);
        self.fit.add(view.now.time, self.angle);
    }

    fn reading(&self, _: &World) -> Reading {
        if self.of.len() != 1 {
            return Reading::nothing(format!("it measures one body, and {} are named", self.of.len()));
        }
        if self.axis.is_none() {
            return Reading::nothing(if self.has_point {
                "`point` is the centre of mass, and no axis leads there"
            } else {
                "the body's own axes are not its principal ones: tell by `point` which axis is meant"
            });
        }
        if self.fit.count < 3 || !(self.fit.time_square > 0.0) {
            let why =
                if self.upright { "the axis stands upright" } else { "fewer than three frames lie in the window" };
            return Reading::nothing(why);
        }
        let rate = self.fit.product / self.fit.time_square;
        let turns = self.angle / std::f64::consts::TAU;
        let reading = Reading::of(rate, format!("{turns:.2} turns"));
        let coarse = (self.angle / self.fit.count as f64).abs() > std::f64::consts::FRAC_PI_4;
        if coarse {
            reading.warn("fewer than eight frames a turn")
        } else if self.upright {
            reading.warn("the axis stood upright in between")
        } else {
            reading
        }
    }
}
