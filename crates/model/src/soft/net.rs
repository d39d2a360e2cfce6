//! How fast a net of springs and gas swings, and how long a step of an integrator may be.
//!
//! Source: Gershgorin, "Über die Abgrenzung der Eigenwerte einer Matrix" (1931) for the bound; von Mises' power iteration for the frequency
//! itself; Hairer, Nørsett and Wanner, Solving Ordinary Differential Equations I and II, for the limits of the methods.

use super::SoftBody;
use crate::{Dimension, World};
use glam::DVec3;

/// Sub-steps of soft bodies within a step that the built-in engine takes unless it is told otherwise; scenes are checked against it.
pub const SOFT_SUBSTEPS: u32 = 8;

/// How an engine moves soft bodies within a step.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct SoftMethod {
    /// `explicit-euler`, `symplectic-euler`, `verlet` or `rk4`; `position` or `implicit` where soft bodies have a way of their own.
    pub integrator: &'static str,
    /// Steps within a step.
    pub substeps: u32,
}

impl Default for SoftMethod {
    /// That of the built-in engine unless it is told otherwise.
    fn default() -> Self {
        SoftMethod { integrator: "verlet", substeps: SOFT_SUBSTEPS }
    }
}

impl SoftMethod {
    /// The longest step that carries a net, s; infinity where every step does, 0 where none does.
    pub fn largest_step(self, net: &Net) -> f64 {
        f64::from(self.substeps) * largest_step(net, self.integrator)
    }
}

/// Steps of the power iteration at most, and the change of the frequency at which it ends.
const ROUNDS: usize = 400;
const SETTLED: f64 = 1e-7;
/// Springs that the power iteration looks at in all its steps together: a very large net gets fewer of them, which gives a frequency a little
/// too low.
const LOOKED_AT: usize = 30_000_000;
const ROUNDS_AT_LEAST: usize = 24;

/// The fastest motion of a net about its built places.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Net {
    /// A bound of the largest angular frequency from sums of rows, rad/s.
    pub bound: f64,
    /// The largest angular frequency without damping, rad/s.
    pub omega: f64,
    /// The fastest fading by the dampings of springs and nodes, 1/s.
    pub fading: f64,
}

/// The linear forces about the built places of a soft body: stiffness and damping of each spring along and across it, and gas.
struct Linear {
    inverse: Vec<f64>,
    /// Roots of the inverse masses.
    root: Vec<f64>,
    springs: Vec<LinearSpring>,
    gas: Option<LinearGas>,
    damping: f64,
    /// Square of the rate of matching, 1/s².
    matching: f64,
    /// In the plane.
    flat: bool,
}

struct LinearSpring {
    ends: [usize; 2],
    along: DVec3,
    stiff: f64,
    /// Stiffness across it, by its tension.
    across: f64,
    damping: f64,
}

struct LinearGas {
    /// amount / V².
    squeezed: f64,
    /// Of the volume, by each node.
    gradient: Vec<DVec3>,
    pressure: f64,
    skin: Vec<[usize; 2]>,
    /// Triangles of a skin in space, and where their corners were built.
    faces: Vec<([usize; 3], [DVec3; 3])>,
}

/// A quarter turn in the plane.
fn perp(v: DVec3) -> DVec3 {
    DVec3::new(-v.y, v.x, 0.0)
}

impl Linear {
    fn of(soft: &SoftBody, world: &World) -> Linear {
        let nodes = &world.bodies[soft.nodes.clone()];
        let at = |node: usize| nodes[node].pose.position;
        let springs = soft.springs.iter().map(|spring| {
            let way = at(spring.ends[1]) - at(spring.ends[0]);
            let span = way.length();
            let across = if span > 0.0 { spring.stiffness * (span - spring.length) / span } else { spring.stiffness };
            LinearSpring {
                ends: spring.ends,
                along: way.normalize_or_zero(),
                stiff: spring.stiffness,
                across,
                damping: spring.damping,
            }
        });
        let gas = soft.pressure.map(|pressure| {
            let volume = soft.enclosed(at);
            let mut gradient = vec![DVec3::ZERO; nodes.len()];
            for &[a, b] in &soft.skin {
                let half = 0.5 * -perp(at(b) - at(a));
                gradient[a] += half;
                gradient[b] += half;
            }
            for corners in &soft.faces {
                let [a, b, c] = corners.map(at);
                let sixth = (b - a).cross(c - a) / 6.0;
                corners.iter().for_each(|&corner| gradient[corner] += sixth);
            }
            LinearGas {
                squeezed: pressure.amount / (volume * volume),
                gradient,
                pressure: pressure.over(volume),
                skin: soft.skin.clone(),
                faces: soft.faces.iter().map(|&corners| (corners, corners.map(at))).collect(),
            }
        });
        let inverse: Vec<f64> = nodes.iter().map(|node| if node.mass > 0.0 { 1.0 / node.mass } else { 0.0 }).collect();
        Linear {
            root: inverse.iter().map(|inverse| inverse.sqrt()).collect(),
            inverse,
            springs: springs.collect(),
            gas,
            damping: nodes.first().map_or(0.0, |node| node.linear_damping),
            matching: soft.matching.map_or(0.0, |rate| rate * rate),
            flat: world.dimension == Dimension::Plane,
        }
    }

    /// M^-1/2 K M^-1/2 v, or the same with the dampings in the place of the stiffnesses.
    fn apply(&self, v: &[DVec3], damping: bool, out: &mut [DVec3]) {
        let root = |node: usize| self.root[node];
        out.fill(DVec3::ZERO);
        for &LinearSpring { ends: [a, b], along, stiff, across, damping: damped } in &self.springs {
            let way = v[b] * root(b) - v[a] * root(a);
            let part = along * along.dot(way);
            let force = if damping { part * damped } else { part * stiff + (way - part) * across };
            out[a] -= force * root(a);
            out[b] += force * root(b);
        }
        if damping {
            out.iter_mut().zip(v).for_each(|(out, v)| *out += *v * self.damping);
            return;
        }
        let Some(LinearGas { squeezed, gradient, pressure, skin, faces }) = &self.gas else { return };
        let changed: f64 = (0..v.len()).map(|node| gradient[node].dot(v[node]) * root(node)).sum();
        for (node, out) in out.iter_mut().enumerate() {
            *out += gradient[node] * (squeezed * changed * root(node));
        }
        // The gradient of the volume itself changes: half of each segment's way, turned.
        for &[a, b] in skin {
            let half = 0.5 * -perp(v[b] * root(b) - v[a] * root(a)) * -pressure;
            out[a] += half * root(a);
            out[b] += half * root(b);
        }
        for (corners, [a, b, c]) in faces {
            let [da, db, dc] = corners.map(|corner| v[corner] * root(corner));
            let change = ((db - da).cross(*c - *a) + (*b - *a).cross(dc - da)) * (-pressure / 6.0);
            corners.iter().for_each(|&corner| out[corner] += change * root(corner));
        }
    }

    /// The largest eigenvalue, by its Rayleigh quotient.
    fn largest(&self, damping: bool) -> f64 {
        let count = self.inverse.len();
        // A start that has a share of every mode: directions of the golden angle.
        let mut v: Vec<DVec3> = (0..count)
            .map(|node| {
                let angle = 2.399_963_229_728_653 * (node + 1) as f64;
                let free = if self.inverse[node] > 0.0 { 1.0 } else { 0.0 };
                let high = if self.flat { 0.0 } else { libm::cos(1.7 * angle) };
                free * DVec3::new(libm::cos(angle), libm::sin(angle), high)
            })
            .collect();
        let mut next = vec![DVec3::ZERO; count];
        let mut value = 0.0_f64;
        let rounds = (LOOKED_AT / self.springs.len().max(1)).clamp(ROUNDS_AT_LEAST, ROUNDS);
        for round in 0..rounds {
            let length = v.iter().map(|v| v.length_squared()).sum::<f64>().sqrt();
            if !(length > 0.0 && length.is_finite()) {
                return value.max(0.0);
            }
            v.iter_mut().for_each(|v| *v /= length);
            self.apply(&v, damping, &mut next);
            let quotient: f64 = v.iter().zip(&next).map(|(v, next)| v.dot(*next)).sum();
            let settled = round > 20 && (quotient - value).abs() <= SETTLED * quotient.abs();
            value = quotient;
            if settled {
                break;
            }
            std::mem::swap(&mut v, &mut next);
        }
        value.max(0.0)
    }

    /// No eigenvalue lies beyond the largest sum of a row's sizes.
    fn row_sums(&self) -> f64 {
        let root = |node: usize| self.root[node];
        let mut rows = vec![0.0_f64; self.inverse.len()];
        for &LinearSpring { ends: [a, b], stiff, across, .. } in &self.springs {
            let most = stiff.abs().max(across.abs());
            rows[a] += most * root(a) * (root(a) + root(b));
            rows[b] += most * root(b) * (root(a) + root(b));
        }
        let mut most = rows.iter().copied().fold(0.0, f64::max);
        if let Some(LinearGas { squeezed, gradient, pressure, .. }) = &self.gas {
            let squared: f64 =
                gradient.iter().zip(&self.inverse).map(|(g, inverse)| g.length_squared() * inverse).sum();
            let lightest = self.inverse.iter().copied().fold(0.0, f64::max);
            most += squeezed * squared + 2.0 * pressure.abs() * lightest;
        }
        most
    }
}

impl Net {
    /// Bounds alone, in one look at every spring: no motion of the net is faster.
    pub fn rough(soft: &SoftBody, world: &World) -> Net {
        let linear = Linear::of(soft, world);
        let bound = (linear.row_sums() + linear.matching).sqrt();
        let mut fading = vec![0.0_f64; linear.inverse.len()];
        for &LinearSpring { ends: [a, b], damping: damped, .. } in &linear.springs {
            let roots = linear.inverse[a].sqrt() + linear.inverse[b].sqrt();
            fading[a] += damped * linear.inverse[a].sqrt() * roots;
            fading[b] += damped * linear.inverse[b].sqrt() * roots;
        }
        Net { bound, omega: bound, fading: linear.damping + fading.into_iter().fold(0.0, f64::max) }
    }

    /// The net of a soft body as built. What draws it to its shape pulls at no motion more than at each node alone.
    pub fn of(soft: &SoftBody, world: &World) -> Net {
        let linear = Linear::of(soft, world);
        let bound = (linear.row_sums() + linear.matching).sqrt();
        let omega = (linear.largest(false) + linear.matching).sqrt();
        Net { bound, omega: omega.min(bound), fading: linear.largest(true) }
    }
}

/// The longest step with which a method holds x'' = -omega² x - fading x', s; infinity without either, 0 where no step does. Methods go by the
/// words that engines have for them: `explicit-euler`, `symplectic-euler`, `verlet`, `rk4`; any other is taken for verlet.
pub fn largest_step(net: &Net, method: &str) -> f64 {
    // By constraints or backwards every step carries every net.
    if matches!(method, "position" | "implicit") {
        return f64::INFINITY;
    }
    let Net { omega, fading, .. } = *net;
    if omega == 0.0 {
        return if fading == 0.0 { f64::INFINITY } else { 2.0 / fading };
    }
    let ratio = 0.5 * fading / omega;
    let share = match method {
        "explicit-euler" if ratio < 1.0 => 2.0 * ratio,
        "explicit-euler" => 2.0 / (ratio + (ratio * ratio - 1.0).sqrt()),
        "rk4" => rk4_limit(ratio),
        _ => 2.0 * ((1.0 + ratio * ratio).sqrt() - ratio),
    };
    share / omega
}

/// Where the growth 1 + q + q²/2 + q³/6 + q⁴/24 of the classical method leaves the unit circle first, along the eigenvalues of a damping ratio.
fn rk4_limit(ratio: f64) -> f64 {
    let holds = |y: f64| {
        let eigenvalues = if ratio < 1.0 {
            [(-ratio * y, y * (1.0 - ratio * ratio).sqrt()); 2]
        } else {
            let root = (ratio * ratio - 1.0).sqrt();
            [(-y * (ratio + root), 0.0), (-y * (ratio - root), 0.0)]
        };
        eigenvalues.into_iter().all(|(re, im)| {
            // By Horner's rule.
            let (mut a, mut b) = (1.0, 0.0);
            for divisor in [4.0, 3.0, 2.0, 1.0] {
                (a, b) = (1.0 + (re * a - im * b) / divisor, (re * b + im * a) / divisor);
            }
            a * a + b * b <= 1.0 + 1e-12
        })
    };
    let (mut low, mut high) = (0.0, 4.0);
    // From the first step of a fine ladder that does not hold.
    for rung in 1..=400 {
        let y = 0.01 * f64::from(rung);
        if !holds(y) {
            (low, high) = (y - 0.01, y);
            break;
        }
    }
    for _ in 0..60 {
        let middle = 0.5 * (low + high);
        if holds(middle) { low = middle } else { high = middle }
    }
    low
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Material, NodeSpring, NodeTraits};

    /// A chain on the x axis.
    fn chain(masses: &[f64], spacing: f64, stiffness: f64, damping: f64) -> World {
        let traits = NodeTraits::plain("chain");
        let material = Material { name: "m".into(), density: 1.0, friction: 0.0, restitution: 0.0 };
        let node = |(i, &mass): (usize, &f64)| {
            traits.node(&format!("[{i}]"), DVec3::new(spacing * i as f64, 0.0, 0.0), DVec3::ZERO, mass)
        };
        let springs =
            (1..masses.len()).map(|i| NodeSpring { ends: [i - 1, i], length: spacing, stiffness, damping }).collect();
        let soft = SoftBody {
            name: "chain".into(),
            nodes: 0..masses.len(),
            material: 0,
            radius: 0.0,
            self_contact: false,
            springs,
            skin: Vec::new(),
            cells: Vec::new(),
            pressure: None,
            ..SoftBody::default()
        };
        let bodies = masses.iter().enumerate().map(node).collect();
        World { materials: vec![material], bodies, softs: vec![soft], ..World::planar(1.0) }
    }

    #[test]
    fn a_chain_between_held_ends_swings_as_its_closed_form_says() {
        let world = chain(&[0.0, 0.1, 0.1, 0.1, 0.1, 0.1, 0.0], 0.2, 80.0, 0.0);
        let net = Net::of(&world.softs[0], &world);
        // 2 sqrt(k/m) sin(5 pi / 12)
        assert!((net.omega - 54.641_016_151_377_55).abs() < 1e-4, "{net:?}");
        assert!(net.bound >= net.omega && net.bound < 1.1 * net.omega, "{net:?}");
        assert!((largest_step(&net, "verlet") - 0.036_602_540_378).abs() < 1e-6);
        assert!((largest_step(&net, "rk4") - 0.051_763_809_02).abs() < 1e-6);
        assert_eq!(largest_step(&net, "explicit-euler"), 0.0);
    }

    #[test]
    fn damped_limits_are_those_of_the_step_matrices() {
        let net = Net { bound: 1.0, omega: 1.0, fading: 0.1 };
        for (method, limit) in
            [("explicit-euler", 0.1), ("symplectic-euler", 1.902_498_439_450_078_6), ("rk4", 2.909_799_685_490_394)]
        {
            assert!((largest_step(&net, method) - limit).abs() < 1e-9, "{method}: {}", largest_step(&net, method));
        }
        let world = chain(&[0.0, 1.0], 0.5, 100.0, 2.0);
        assert!((Net::of(&world.softs[0], &world).fading - 2.0).abs() < 1e-6);
    }

    #[test]
    fn what_cannot_be_built_is_named() {
        let sound = chain(&[0.0, 1.0, 1.0], 0.5, 100.0, 2.0);
        assert_eq!(sound.softs[0].complaint(&sound), None);
        let with = |change: &dyn Fn(&mut SoftBody)| {
            let mut world = sound.clone();
            change(&mut world.softs[0]);
            world.softs[0].complaint(&world).unwrap_or_default()
        };
        assert!(with(&|soft| soft.springs[0].ends = [1, 1]).contains("names node 1 twice"));
        assert!(with(&|soft| soft.springs[0].ends = [1, 9]).contains("node 9, and there are 3"));
        assert!(with(&|soft| soft.springs[1].stiffness = -1.0).contains("below zero"));
        assert!(with(&|soft| soft.cells = vec![[0, 1, 2]]).contains("inside out"));
        let gas = super::super::Pressure { amount: 1.0, outside: 0.0 };
        assert!(with(&|soft| (soft.pressure, soft.skin) = (Some(gas), vec![[0, 1]])).contains("not closed"));
        assert!(with(&|soft| soft.pressure = Some(gas)).contains("no skin"));
    }
}
