//! Bodies at rest on what never moves: a body under gravity bounces infinitely often in a finite time before it lies still, so what is left of
//! such a series is taken at once when no place shows it any more, and the body slides or rolls on by closed forms.
//!
//! Source: Falcon et al., "Behavior of one inelastic ball bouncing repeatedly off the ground" (1998) for the end of the series: after an impact
//! with the speed v it lasts 2 v / (g (1 - e)) and reaches v^2 / 2 g; Coulomb's law for what follows.

use super::{EventWorld, Flight, Flyer, unsupported};
use crate::plane::touching::{Outline, falls_to_zero};
use crate::plane::vector::Vec2;
use ironspin_model::EngineError;

/// Height of a bounce that no place shows any more, as a share of the body's size and as roundings of its place.
const UNSEEN: f64 = 1e-13;
const ROUNDINGS: f64 = 8.0;
/// Slip that counts as none, as a share of the speeds it is the difference of.
const NO_SLIP: f64 = 1e-12;

/// A flat face of a body that never moves, on which another lies.
#[derive(Clone, Copy, Debug)]
pub(super) struct Support {
    partner: u32,
    /// Out of the face.
    normal: Vec2<f64>,
    /// Between which places along the face the centre is held up.
    along: [f64; 2],
    friction: f64,
}

/// What a body lies on, and when that changes by itself.
#[derive(Clone, Copy, Debug)]
pub(super) struct Rest {
    supports: [Option<Support>; 2],
    /// When it stops slipping or leaves the face.
    pub(super) until: f64,
    /// Whether it leaves the face then.
    leaves: bool,
}

impl Rest {
    pub(super) const NONE: Rest = Rest { supports: [None; 2], until: f64::INFINITY, leaves: false };

    /// Whether it lies on a body.
    #[inline]
    pub(super) fn lies_on(&self, partner: u32) -> bool {
        self.supports.iter().flatten().any(|support| support.partner == partner)
    }

    pub(super) fn is_none(&self) -> bool {
        self.supports[0].is_none()
    }

    fn iter(&self) -> impl Iterator<Item = Support> {
        self.supports.into_iter().flatten()
    }

    fn keep(&mut self, wanted: impl Fn(&Support) -> bool) {
        let kept: Vec<Support> = self.iter().filter(|support| wanted(support)).collect();
        self.supports = [kept.first().copied(), kept.get(1).copied()];
    }
}

/// A free fall as the faces leave it: along the one face that it is not pressed off, or nowhere where it is pressed into both.
fn held(free: Vec2<f64>, rest: &Rest) -> Vec2<f64> {
    let along = |support: &Support| free - support.normal * free.dot(support.normal).min(0.0);
    match &rest.supports {
        [None, _] => free,
        [Some(only), None] => along(only),
        [Some(one), Some(other)] => {
            let ways = [(along(one), other), (along(other), one)];
            let free_of = |(way, other): &(Vec2<f64>, &Support)| way.dot(other.normal) >= 0.0;
            ways.iter().find(|way| free_of(way)).map_or(Vec2::ZERO, |(way, _)| *way)
        }
    }
}

/// The acceleration along a face and of the spin, and how long they last.
fn slide(flyer: &Flyer, support: &Support, free: Vec2<f64>) -> (f64, f64, f64) {
    let tangent = support.normal.left();
    let (load, pull) = (-free.dot(support.normal), free.dot(tangent));
    let limit = support.friction * load;
    let radius = flyer.outline.radius();
    // How much more a force at the rim changes the slip than the motion of the centre.
    let ratio = flyer.inverse.inertia / flyer.inverse.mass;
    let more = 1.0 + radius * radius * ratio;
    let (speed, rim) = (flyer.flight.motion.linear.dot(tangent), flyer.flight.motion.spin * radius);
    let slip = speed - rim;
    let slipping = slip.abs() > NO_SLIP * (speed.abs() + rim.abs());
    let grip = -pull / more;
    if !slipping && grip.abs() <= limit {
        return (pull + grip, -radius * grip * ratio, f64::INFINITY);
    }
    let friction = -limit.copysign(if slipping { slip } else { pull });
    let rate = pull + friction * more;
    let until = if slipping && rate * slip < 0.0 { -slip / rate } else { f64::INFINITY };
    (pull + friction, -radius * friction * ratio, until)
}

impl Outline {
    fn radius(&self) -> f64 {
        if let Outline::Disc(radius) = self { *radius } else { 0.0 }
    }

    fn size(&self) -> f64 {
        match self {
            Outline::Disc(radius) => 2.0 * radius,
            Outline::Box(half) => 2.0 * half.x.min(half.y),
            Outline::HalfPlane { .. } => f64::INFINITY,
        }
    }

    /// Between which places along a flat face with a normal the centre of another is held up; nothing where there is no such face.
    fn face(&self, at: Vec2<f64>, normal: Vec2<f64>, other: &Outline) -> Option<[f64; 2]> {
        match self {
            Outline::HalfPlane { .. } => Some([f64::NEG_INFINITY, f64::INFINITY]),
            Outline::Disc(_) => None,
            Outline::Box(half) => {
                let tangent = normal.left();
                let flat = normal.x == 0.0 || normal.y == 0.0;
                let wide = |half: &Vec2<f64>| half.x * tangent.x.abs() + half.y * tangent.y.abs();
                let beyond = if let Outline::Box(half) = other { wide(half) } else { 0.0 };
                let (middle, reach) = (at.dot(tangent), wide(half) + beyond);
                flat.then_some([middle - reach, middle + reach])
            }
        }
    }
}

impl Flight {
    /// Gives it another acceleration from now on.
    fn under(&mut self, fall: Vec2<f64>, turn: f64) {
        (self.fall, self.turn) = (fall, turn);
    }
}

impl EventWorld {
    /// After an impact of a pair: what bounces too low to be seen lies still from now on, and what was pushed off its support flies.
    pub(super) fn settle(&mut self, pair: [usize; 2], normal: Vec2<f64>) -> Result<(), EngineError> {
        for (body, partner, out) in [(pair[0], pair[1], -normal), (pair[1], pair[0], normal)] {
            if self.flyers[body].moves {
                self.let_go(body);
                if !self.flyers[partner].moves {
                    self.lay(body, partner, out)?;
                }
                self.go_on(body)?;
            }
        }
        Ok(())
    }

    /// Height of a bounce of a body that is not seen, m.
    fn unseen(&self, body: usize) -> f64 {
        let flyer = &self.flyers[body];
        (UNSEEN * flyer.outline.size()).max(ROUNDINGS * f64::EPSILON * flyer.flight.position.length())
    }

    /// Takes away the supports that an impact has pushed a body off or into.
    fn let_go(&mut self, body: usize) {
        if self.rests[body].is_none() {
            return;
        }
        let (unseen, free) = (self.unseen(body), self.bodies.fall[body]);
        let mut motion = self.flyers[body].flight.motion;
        self.rests[body].keep(|support| {
            let (speed, pull) = (motion.linear.dot(support.normal), -free.dot(support.normal));
            speed * speed <= 2.0 * pull * unseen
        });
        for support in self.rests[body].iter() {
            motion.linear -= support.normal * motion.linear.dot(support.normal);
        }
        self.flyers[body].flight.motion = motion;
    }

    /// Lays a body on a face if it bounces too low to be seen.
    ///
    /// # Errors
    /// Where it would come to rest on what is round: it would go on round it, by no closed form.
    fn lay(&mut self, body: usize, partner: usize, normal: Vec2<f64>) -> Result<(), EngineError> {
        let (flyer, base) = (&self.flyers[body], &self.flyers[partner]);
        let pull = -held(self.bodies.fall[body], &self.rests[body]).dot(normal);
        let speed = flyer.flight.motion.linear.dot(normal);
        let low = pull > 0.0 && speed * speed <= 2.0 * pull * self.unseen(body);
        let (place, slides) = [flyer.flight.position, flyer.flight.motion.linear].map(|v| v.dot(normal.left())).into();
        let stays = |along: &[f64; 2]| {
            (place > along[0] || place == along[0] && slides > 0.0)
                && (place < along[1] || place == along[1] && slides < 0.0)
        };
        let face = base.outline.face(base.flight.position, normal, &flyer.outline);
        let Some(along) = face.filter(|along| low && stays(along)) else {
            // Fast enough it flies off by itself, as its way bends less than the surface. Boxes are flat, and fall from an edge.
            let bend = flyer.outline.radius() + base.outline.radius();
            return match low && bend > 0.0 && slides * slides < pull * bend {
                true => Err(unsupported("bodies that come to rest on round ones or on corners")),
                false => Ok(()),
            };
        };
        let friction = self.mixed.of(flyer.material as usize, base.material as usize).0;
        let support = Support { partner: partner as u32, normal, along, friction };
        let rest = &mut self.rests[body];
        match &mut rest.supports {
            [first @ None, _] => *first = Some(support),
            [_, second] => *second = Some(support),
        }
        let nowhere = rest.supports[1].is_some() && held(self.bodies.fall[body], rest) == Vec2::ZERO;
        let linear = &mut self.flyers[body].flight.motion.linear;
        *linear = if nowhere { Vec2::ZERO } else { *linear - normal * linear.dot(normal) };
        Ok(())
    }

    /// Works out how a body goes on from now with what it lies on.
    fn go_on(&mut self, body: usize) -> Result<(), EngineError> {
        let free = self.bodies.fall[body];
        let rest = &mut self.rests[body];
        let flyer = &mut self.flyers[body];
        rest.until = f64::INFINITY;
        flyer.stalled = if rest.is_none() { flyer.stalled } else { 0 };
        match rest.supports {
            [None, _] => flyer.flight.under(free, 0.0),
            [Some(support), None] => {
                let tangent = support.normal.left();
                let (along, turn, lasts) = slide(flyer, &support, free);
                flyer.flight.under(tangent * along, turn);
                let (place, speed) = (flyer.flight.position.dot(tangent), flyer.flight.motion.linear.dot(tangent));
                let left = falls_to_zero(place - support.along[0], speed, along);
                let right = falls_to_zero(support.along[1] - place, -speed, -along);
                rest.until = self.now + lasts.min(left).min(right);
                rest.leaves = left.min(right) <= lasts;
            }
            [Some(one), Some(other)] => {
                if one.friction > 0.0 || other.friction > 0.0 {
                    return Err(unsupported("bodies that lie in a corner with friction"));
                }
                let fall = held(free, rest);
                flyer.flight.under(fall, 0.0);
            }
        }
        Ok(())
    }

    /// A body stops slipping, or leaves the face on which it lies.
    pub(super) fn change_by_itself(&mut self, body: usize, time: f64) -> Result<(), EngineError> {
        self.now = self.now.max(time);
        let flyer = &mut self.flyers[body];
        flyer.flight = flyer.flight.at(self.now);
        let mut left = None;
        if let Some(support) = self.rests[body].supports[0] {
            let tangent = support.normal.left();
            let speed = flyer.flight.motion.linear.dot(tangent);
            if self.rests[body].leaves {
                self.rests[body] = Rest::NONE;
                left = Some(support.partner as usize);
            } else if flyer.outline.radius() > 0.0 && flyer.inverse.inertia > 0.0 {
                flyer.flight.motion.spin = speed / flyer.outline.radius();
            } else {
                flyer.flight.motion.linear -= tangent * speed;
            }
        }
        self.go_on(body)?;
        // Its way down goes past the end of the face, which it touches as it leaves.
        self.predict(body, left.unwrap_or(body), left.is_some());
        self.tell(body, body);
        Ok(())
    }

    /// Notes what presses on bodies that lie still, over a step.
    pub(super) fn note_resting(&mut self, dt: f64) {
        for body in 0..self.bodies.len() {
            let flyer = &self.flyers[body];
            for support in self.rests[body].iter() {
                let partner = support.partner as usize;
                let load = -self.bodies.fall[body].dot(support.normal) / flyer.inverse.mass;
                let (_, reach) = flyer.outline.contact(
                    &self.flyers[partner].outline,
                    self.flyers[partner].flight.position - flyer.flight.position,
                );
                let (bodies, normal) =
                    if body < partner { ([body, partner], -support.normal) } else { ([partner, body], support.normal) };
                let point = flyer.flight.at(self.now).position + reach;
                // It is pressed, and not hit.
                self.record.push(super::Impact { bodies, point, normal, gap: 0.0, impulse: load * dt, times: 0 });
            }
        }
    }
}
