//! Random numbers that stay the same for ever.
//!
//! Source: Steele, Lea, Flood, "Fast Splittable Pseudorandom Number Generators" (2014), the generator SplitMix64: the state grows by
//! a fixed odd number, and each output is the state mixed. A scene with a seed is the same scene on every machine and in every version.

/// A stream of random numbers.
#[derive(Clone, Debug)]
pub(crate) struct Generator(u64);

/// The golden ratio's fraction in 64 bits, made odd.
const STEP: u64 = 0x9e37_79b9_7f4a_7c15;

fn mix(state: u64) -> u64 {
    let mut z = state;
    z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
    z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
    z ^ (z >> 31)
}

impl Generator {
    /// The stream of a seed and a number of its own.
    pub(crate) fn new(seed: u64, stream: u64) -> Self {
        Generator(mix(seed.wrapping_mul(STEP)) ^ mix(stream.wrapping_add(STEP)))
    }

    pub(crate) fn next(&mut self) -> u64 {
        self.0 = self.0.wrapping_add(STEP);
        mix(self.0)
    }

    /// From 0 to below 1, in steps of 2^-53.
    pub(crate) fn share(&mut self) -> f64 {
        (self.next() >> 11) as f64 * (1.0 / (1_u64 << 53) as f64)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_generator_is_the_published_one() {
        // First outputs of SplitMix64 from state 1234567, as published with it.
        let mut generator = Generator(1_234_567);
        assert_eq!([generator.next(), generator.next()], [6_457_827_717_110_365_317, 3_203_168_211_198_807_973]);
    }
}
