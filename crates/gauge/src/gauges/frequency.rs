//! Main frequency of shaking.

use crate::advice;
use crate::entry::{Better, GaugeEntry, PLAIN};
use crate::gauge::{Exhibit, Gauge, Reading, Scope, View};
use ironspin_model::{DVec3, Dimension, World};
use realfft::RealFftPlanner;
use std::collections::VecDeque;

pub(crate) const FREQUENCY: GaugeEntry = GaugeEntry {
    name: "jitter.frequency",
    label: "main frequency of jitter",
    unit: "Hz",
    better: Better::Nearer,
    definition: "Frequency with the most power in the velocity of the body that shakes most, in the last 4096 frames of the window at most: a spectrum under a Hann window, its top between two lines found by a parabola.",
    formula: "argmax_f |FFT(hann (v - mean v))|^2, summed over the components",
    source: "Harris, On the use of windows for harmonic analysis (1978)",
    limits: "Frequencies above half a step rate are folded down. Fewer than 16 frames give nothing. Of more than 256 bodies, 256 spread evenly are looked at. Even steps are taken for granted.",
    usual_causes: "half the step rate: pushed apart and falling together in turns; lower: a compliant contact or a stiff joint that rings",
    next_step: advice::SHAKING,
    make: frequency,
    needs_geometry: false,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

/// Most frames kept.
const MOST_FRAMES: usize = 4096;
/// Most bodies looked at.
const MOST_BODIES: usize = 256;

struct Frequency {
    of: Vec<usize>,
    all: usize,
    /// Velocities, one queue for each body.
    velocities: Vec<VecDeque<DVec3>>,
    /// Times of the same frames, s.
    times: VecDeque<f64>,
}

pub(crate) fn frequency(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    let count = scope.of.len().min(MOST_BODIES);
    let of: Vec<usize> = (0..count).map(|k| scope.of[k * scope.of.len() / count]).collect();
    Box::new(Frequency { velocities: vec![VecDeque::new(); of.len()], all: scope.of.len(), of, times: VecDeque::new() })
}

impl Frequency {
    /// Frames a second.
    fn rate(&self) -> f64 {
        let frames = self.times.len();
        (frames - 1) as f64 / (self.times[frames - 1] - self.times[0])
    }

    /// The slot of the body that shakes most, and its spectrum; or why there is none.
    fn spectrum(&self) -> Result<(usize, Vec<f64>), String> {
        let frames = self.times.len();
        if frames < 16 {
            return Err(format!("{frames} frames lie in the window, and 16 are needed"));
        }
        if !(self.times[frames - 1] > self.times[0]) {
            return Err("no time passes in the window".to_owned());
        }
        let power = |kept: &VecDeque<DVec3>| -> f64 { kept.iter().map(|v| v.length_squared()).sum() };
        let mut most = (0, 0.0);
        for (slot, kept) in self.velocities.iter().enumerate() {
            let power = power(kept);
            if power > most.1 {
                most = (slot, power);
            }
        }
        let (slot, power) = most;
        if !(power > 0.0 && power.is_finite()) {
            return Err("nothing shook".to_owned());
        }
        Ok((slot, spectrum(&self.velocities[slot])))
    }
}

impl Gauge for Frequency {
    fn observe(&mut self, view: &View<'_>) {
        self.times.push_back(view.now.time);
        if self.times.len() > MOST_FRAMES {
            self.times.pop_front();
        }
        for (kept, &id) in self.velocities.iter_mut().zip(&self.of) {
            let state = &view.now.bodies[id];
            let velocity = if state.is_absent() { DVec3::ZERO } else { state.velocity };
            kept.push_back(velocity);
            if kept.len() > MOST_FRAMES {
                kept.pop_front();
            }
        }
    }

    /// A spectrum takes too long to be made again and again.
    fn so_far(&self, _: &World) -> Option<f64> {
        None
    }

    fn exhibit(&self) -> Option<Exhibit> {
        let (slot, spectrum) = self.spectrum().ok()?;
        let all = spectrum.iter().sum::<f64>();
        let shares = spectrum.iter().map(|power| power / all).collect();
        Some(Exhibit::Spectrum { body: self.of[slot], spacing: self.rate() / self.times.len() as f64, shares })
    }

    fn reading(&self, world: &World) -> Reading {
        let (slot, spectrum) = match self.spectrum() {
            Ok(found) => found,
            Err(why) => return Reading::nothing(why),
        };
        let (mut top, mut height) = (1, 0.0);
        for (line, &value) in spectrum.iter().enumerate().skip(1) {
            if value > height {
                (top, height) = (line, value);
            }
        }
        // The top of the parabola through the line and its neighbours, on a logarithmic scale.
        let around = |line: usize| libm::log(spectrum.get(line).copied().unwrap_or(0.0).max(1e-300));
        let (left, middle, right) = (around(top - 1), around(top), around(top + 1));
        let bend = left - 2.0 * middle + right;
        let inner = top + 1 < spectrum.len();
        let shift = if inner && bend < 0.0 { (0.5 * (left - right) / bend).clamp(-0.5, 0.5) } else { 0.0 };
        let found = (top as f64 + shift) * self.rate() / self.times.len() as f64;
        let share = 100.0 * height / spectrum.iter().sum::<f64>();
        let reading =
            Reading::of(found, format!("{}, {share:.0} % of the power in one line", world.bodies[self.of[slot]].name));
        if self.all > MOST_BODIES {
            reading.warn(format!("{MOST_BODIES} of {} bodies were looked at", self.all))
        } else {
            reading
        }
    }
}

/// Power of the lines of a spectrum, all components together, without the mean.
fn spectrum(kept: &VecDeque<DVec3>) -> Vec<f64> {
    let count = kept.len();
    let transform = RealFftPlanner::<f64>::new().plan_fft_forward(count);
    let mut power = vec![0.0; count / 2 + 1];
    for component in 0..3 {
        // Nothing leaves the plane.
        if kept.iter().all(|v| v[component] == 0.0) {
            continue;
        }
        let mean = kept.iter().map(|v| v[component]).sum::<f64>() / count as f64;
        let hann = |k: usize| 0.5 - 0.5 * libm::cos(std::f64::consts::TAU * k as f64 / count as f64);
        let mut input: Vec<f64> = kept.iter().enumerate().map(|(k, v)| hann(k) * (v[component] - mean)).collect();
        let mut output = transform.make_output_vec();
        if transform.process(&mut input, &mut output).is_ok() {
            for (sum, line) in power.iter_mut().zip(&output) {
                *sum += line.norm_sqr();
            }
        }
    }
    power
}

#[cfg(test)]
mod tests {
    use crate::gauges::trace::{measure, state, trace, world};
    use ironspin_model::{BodyKind, DVec2, PlaneShape, World};

    fn ingot() -> World {
        world(&[("ingot", BodyKind::Dynamic, PlaneShape::Box(DVec2::ONE), DVec2::ZERO)])
    }

    #[test]
    fn the_tone_of_a_shake_is_found_between_the_lines_and_another_one_told_from_it() {
        for tone in [3.0, 7.3, 21.77] {
            let frames = trace(1.0 / 120.0, 5.0, |t| {
                vec![state(0.0, 0.0, 0.01, 0.02 * libm::sin(std::f64::consts::TAU * tone * t))]
            });
            let found = measure("jitter.frequency", &ingot(), &[0], &[], &frames).value.unwrap();
            assert!((found - tone).abs() < 0.01, "{found} and not {tone}");
        }
    }

    #[test]
    fn shaking_from_step_to_step_is_half_the_step_rate() {
        let frames = trace(0.01, 2.0, |t| {
            vec![state(0.0, 0.0, 0.0, if ((t / 0.01).round() as u64).is_multiple_of(2) { 0.1 } else { -0.1 })]
        });
        let found = measure("jitter.frequency", &ingot(), &[0], &[], &frames).value.unwrap();
        assert!((found - 50.0).abs() < 0.5, "{found}");
    }
}
