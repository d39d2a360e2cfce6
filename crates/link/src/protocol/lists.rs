//! Lists in answers, read so that a line costs a few times its own bytes and no more, whatever it holds.

use super::message::FrameRow;
use super::number::Number;
use serde::de::{Deserialize, DeserializeSeed, Deserializer, Error, SeqAccess, Visitor};
use serde::ser::{Serialize, Serializer};
use std::fmt;

/// Most frames of an answer, far beyond what a call asks for.
const MOST_FRAMES: usize = 20_000;

/// Rows of numbers, one behind the other in one list.
#[derive(Debug, Default)]
pub(super) struct NumberRows {
    numbers: Vec<Number>,
    /// Where each row ends.
    ends: Vec<usize>,
}

impl NumberRows {
    pub(super) fn rows(&self) -> impl Iterator<Item = &[Number]> {
        let starts = [0].into_iter().chain(self.ends.iter().copied());
        starts.zip(&self.ends).map(|(start, &end)| &self.numbers[start..end])
    }
}

impl FromIterator<Vec<Number>> for NumberRows {
    fn from_iter<I: IntoIterator<Item = Vec<Number>>>(rows: I) -> NumberRows {
        let mut all = NumberRows::default();
        for row in rows {
            all.numbers.extend(row);
            all.ends.push(all.numbers.len());
        }
        all
    }
}

impl Serialize for NumberRows {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_seq(self.rows())
    }
}

/// Reads one row to the end of a list.
struct Row<'a>(&'a mut Vec<Number>);

impl<'de> DeserializeSeed<'de> for Row<'_> {
    type Value = ();

    fn deserialize<D: Deserializer<'de>>(self, deserializer: D) -> Result<(), D::Error> {
        deserializer.deserialize_seq(self)
    }
}

impl<'de> Visitor<'de> for Row<'_> {
    type Value = ();

    fn expecting(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        out.write_str("a list of numbers")
    }

    fn visit_seq<A: SeqAccess<'de>>(self, mut row: A) -> Result<(), A::Error> {
        while let Some(number) = row.next_element()? {
            self.0.push(number);
        }
        Ok(())
    }
}

struct AllRows;

impl<'de> Visitor<'de> for AllRows {
    type Value = NumberRows;

    fn expecting(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        out.write_str("a list of rows of numbers")
    }

    fn visit_seq<A: SeqAccess<'de>>(self, mut rows: A) -> Result<NumberRows, A::Error> {
        let mut all = NumberRows::default();
        while rows.next_element_seed(Row(&mut all.numbers))?.is_some() {
            all.ends.push(all.numbers.len());
        }
        Ok(all)
    }
}

impl<'de> Deserialize<'de> for NumberRows {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<NumberRows, D::Error> {
        deserializer.deserialize_seq(AllRows)
    }
}

struct AllFrames;

impl<'de> Visitor<'de> for AllFrames {
    type Value = Vec<FrameRow>;

    fn expecting(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        out.write_str("a list of frames")
    }

    fn visit_seq<A: SeqAccess<'de>>(self, mut list: A) -> Result<Vec<FrameRow>, A::Error> {
        let mut frames = Vec::new();
        while let Some(frame) = list.next_element()? {
            if frames.len() == MOST_FRAMES {
                return Err(A::Error::custom(format!("more than {MOST_FRAMES} frames")));
            }
            frames.push(frame);
        }
        Ok(frames)
    }
}

/// Reads the frames of an answer, of which there cannot be too many.
pub(super) fn frames<'de, D: Deserializer<'de>>(deserializer: D) -> Result<Vec<FrameRow>, D::Error> {
    deserializer.deserialize_seq(AllFrames)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rows_come_back_as_they_were_written() {
        let text = "[[1.0,2.0],[],[3.0]]";
        let rows: NumberRows = serde_json::from_str(text).unwrap();
        assert_eq!(rows.rows().map(<[Number]>::len).collect::<Vec<_>>(), [2, 0, 1]);
        assert_eq!(serde_json::to_string(&rows).unwrap(), text);
        for wrong in ["[1]", "{}", "[[\"a\"]]", "[[1],"] {
            assert!(serde_json::from_str::<NumberRows>(wrong).is_err(), "{wrong}");
        }
    }
}
