//! Plane or space.

/// In how many dimensions a world lives. Matched without a wildcard everywhere, so that what is made for one of them cannot pass for the
/// other.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Dimension {
    /// z = 0, turning about z.
    #[default]
    Plane,
    /// Three dimensions.
    Space,
}

impl Dimension {
    /// Made for both.
    pub const BOTH: &'static [Dimension] = &[Dimension::Plane, Dimension::Space];

    /// Made for space alone.
    pub const SPACE_ONLY: &'static [Dimension] = &[Dimension::Space];

    /// Made for the plane alone.
    pub const PLANE_ONLY: &'static [Dimension] = &[Dimension::Plane];

    /// The number that scenes, the engine protocol and the C interface write for it: 2 or 3.
    pub fn number(self) -> u8 {
        match self {
            Dimension::Plane => 2,
            Dimension::Space => 3,
        }
    }

    /// The dimension of such a number; nothing for any other.
    pub fn of_number(number: u64) -> Option<Dimension> {
        match number {
            2 => Some(Dimension::Plane),
            3 => Some(Dimension::Space),
            _ => None,
        }
    }

    /// The dimensions that an engine lists by their numbers. One that lists none takes worlds of the plane; numbers that are none count
    /// for nothing.
    pub fn listed(numbers: impl IntoIterator<Item = u64>) -> Vec<Dimension> {
        let mut numbers = numbers.into_iter().peekable();
        if numbers.peek().is_none() {
            return Dimension::PLANE_ONLY.to_vec();
        }
        numbers.filter_map(Dimension::of_number).collect()
    }

    /// What an engine must be able to build for such a world, for messages.
    pub fn feature(self) -> String {
        format!("worlds of {} dimensions", self.number())
    }

    /// In a word, for sentences.
    pub fn word(self) -> &'static str {
        match self {
            Dimension::Plane => "plane",
            Dimension::Space => "space",
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_dimension_comes_back_from_its_number_and_no_other_number_is_one() {
        for dimension in [Dimension::Plane, Dimension::Space] {
            assert_eq!(Dimension::of_number(u64::from(dimension.number())), Some(dimension));
        }
        assert_eq!(Dimension::listed([]), [Dimension::Plane]);
        assert_eq!(Dimension::listed([3, 2]), [Dimension::Space, Dimension::Plane]);
        assert_eq!(Dimension::listed([4]), []);
        assert_eq!([0, 1, 4, u64::MAX].map(Dimension::of_number), [None; 4]);
    }
}
