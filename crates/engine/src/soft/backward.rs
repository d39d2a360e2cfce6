//! Free motion of a soft body by one backward Euler step, with forces linear about its start: stable at any step, and it loses what swings fast.
//!
//! Source: Baraff and Witkin, "Large steps in cloth simulation" (1998), equation 6, by conjugate gradients (Hestenes and Stiefel 1952) over the free nodes
//! with the masses as preconditioner. The tension of a spring that is squeezed is left out of its stiffness across (Choi and Ko 2002), so that the
//! system stays positive. What draws nodes to their shape does so once, by as much as a backward step would.

use super::constrain::draw;
use super::forces::NodeDamping;
use super::integrate::Scratch;
use super::nodes::{Nodes, Soft};
use super::place::Place;
use super::rows::Rows;
use crate::common::scalar::Real;

/// Rounds at most, and the share of the residual at which they end; in single precision a hundred roundings.
const ROUNDS: usize = 1_000;
const ENOUGH: f64 = 1e-10;

/// A spring as it stands at the start of the sub-step.
struct Stiff<V, R> {
    ends: [usize; 2],
    along: V,
    stiffness: R,
    across: R,
    damping: R,
}

/// What the forces of a soft body do to small changes of its places and velocities.
struct System<'a, V: Place<R>, R: Real> {
    soft: &'a Soft<V, R>,
    nodes: &'a Nodes<V, R>,
    springs: Vec<Stiff<V, R>>,
    /// How what is enclosed grows with each node, and N / V².
    gas: Option<(Vec<V>, R)>,
    dt: R,
}

impl<'a, V: Place<R>, R: Real> System<'a, V, R> {
    fn of(soft: &'a Soft<V, R>, nodes: &'a Nodes<V, R>, rows: &Rows<R>, dt: R) -> Self {
        let stiff = |spring: &super::nodes::Spring<R>| {
            let [a, b] = spring.ends();
            let way = nodes.position[b] - nodes.position[a];
            let span = way.length();
            let stretched = span > spring.length && span > R::ZERO;
            Stiff {
                ends: [a, b],
                along: if span > R::ZERO { way * (R::ONE / span) } else { V::ZERO },
                stiffness: spring.stiffness,
                across: if stretched { spring.stiffness * (R::ONE - spring.length / span) } else { R::ZERO },
                damping: spring.damping,
            }
        };
        let gas = soft.gas.and_then(|[amount, _]| {
            // As they were worked out for the accelerations just before.
            let volume = rows.enclosed::<V>(soft.nodes.clone());
            let areas = || rows.growth.iter().map(|&row| V::of_row(row)).collect();
            (volume > R::ZERO).then(|| (areas(), amount / (volume * volume)))
        });
        System { springs: soft.springs.iter().map(stiff).collect(), soft, nodes, gas, dt }
    }

    /// Adds a share of what stiffness opposes to ways, and another of what dampings of springs oppose to velocities, to forces.
    fn oppose(&self, ways: &[V], [stiff, damped]: [R; 2], out: &mut [V]) {
        for spring in &self.springs {
            let [a, b] = spring.ends;
            let way = ways[b] - ways[a];
            let part = spring.along * spring.along.dot(way);
            let force =
                part * (spring.stiffness * stiff + spring.damping * damped) + (way - part) * (spring.across * stiff);
            out[a] -= force;
            out[b] += force;
        }
        if let Some((areas, squeezed)) = &self.gas {
            let grown = self.soft.nodes.clone().fold(R::ZERO, |sum, node| sum + areas[node].dot(ways[node]));
            for node in self.soft.nodes.clone() {
                out[node] += areas[node] * (*squeezed * grown * stiff);
            }
        }
    }

    /// (M (1 + c dt) + dt D + dt² K) v over the free nodes.
    fn apply(&self, v: &[V], out: &mut [V]) {
        let (dt, free) = (self.dt, |node: usize| !self.nodes.is_held(node));
        for node in self.soft.nodes.clone() {
            out[node] = V::ZERO;
        }
        self.oppose(v, [dt * dt, dt], out);
        for node in self.soft.nodes.clone() {
            out[node] = if free(node) {
                out[node] + v[node] * ((R::ONE + self.soft.damping * dt) / self.nodes.inverse[node])
            } else {
                V::ZERO
            };
        }
    }

    /// The solution for a right side, which is overwritten by the residual.
    fn solve(&self, residual: &mut [V], scratch: [&mut [V]; 3]) {
        let [change, direction, applied] = scratch;
        let range = || self.soft.nodes.clone();
        let weight = |residual: &[V]| {
            range().fold(R::ZERO, |sum, node| sum + residual[node].dot(residual[node]) * self.nodes.inverse[node])
        };
        for node in range() {
            change[node] = V::ZERO;
            direction[node] = residual[node] * self.nodes.inverse[node];
        }
        let mut size = weight(residual);
        let share = R::of(ENOUGH).max(R::of(100.0) * R::EPSILON);
        let enough = size * share * share;
        for _ in 0..ROUNDS {
            if !(size > enough) {
                return;
            }
            self.apply(direction, applied);
            let against = range().fold(R::ZERO, |sum, node| sum + direction[node].dot(applied[node]));
            if !(against > R::ZERO) {
                return;
            }
            let step = size / against;
            for node in range() {
                change[node] += direction[node] * step;
                residual[node] -= applied[node] * step;
            }
            let next = weight(residual);
            let turn = next / size;
            for node in range() {
                direction[node] = residual[node] * self.nodes.inverse[node] + direction[node] * turn;
            }
            size = next;
        }
    }
}

/// The ways of a soft body's nodes over a sub-step, and their velocities after it.
pub(super) fn begin<V: Place<R>, R: Real>(
    soft: &Soft<V, R>,
    nodes: &mut Nodes<V, R>,
    gravity: V,
    dt: R,
    scratch: &mut Scratch<V, R>,
) {
    let (position, velocity) = (&nodes.position, &nodes.velocity);
    let Scratch { rows, slope, .. } = scratch;
    soft.undrawn_accelerations(nodes, [position, velocity], gravity, NodeDamping::Counts, rows, slope);
    let system = System::of(soft, nodes, rows, dt);
    let Scratch { way, slope, place, speed, sum_place, sum_speed, .. } = scratch;
    // dt (f - dt K v).
    for node in soft.nodes.clone() {
        sum_speed[node] = V::ZERO;
    }
    system.oppose(velocity, [dt * dt, R::ZERO], sum_speed);
    for node in soft.nodes.clone() {
        sum_speed[node] =
            if nodes.is_held(node) { V::ZERO } else { slope[node] * (dt / nodes.inverse[node]) - sum_speed[node] };
    }
    system.solve(sum_speed, [place, speed, sum_place]);
    for node in soft.nodes.clone() {
        way[node] = velocity[node] + place[node];
    }
    draw(soft, nodes, dt, scratch);
    for node in soft.nodes.clone() {
        nodes.velocity[node] = scratch.way[node];
    }
}
