//! A number, an expression, or something else in their place: a list or a table.

use crate::number::NumberText;
use serde::de::{self, Deserialize, Deserializer, Error, MapAccess, SeqAccess, Unexpected, Visitor};
use std::fmt;
use std::marker::PhantomData;

/// What may stand for a number: a list or a table, whichever of the two it reads.
pub(crate) trait Beside: Sized {
    /// What is expected, in words.
    const EXPECTED: &'static str;

    fn of_list<'de, A: SeqAccess<'de>>(_: A) -> Result<Self, A::Error> {
        Err(A::Error::invalid_type(Unexpected::Seq, &Self::EXPECTED))
    }

    fn of_table<'de, A: MapAccess<'de>>(_: A) -> Result<Self, A::Error> {
        Err(A::Error::invalid_type(Unexpected::Map, &Self::EXPECTED))
    }
}

/// A number or what stands for it, before its place is known.
pub(crate) enum NumberOr<T> {
    Number(NumberText),
    Other(T),
}

impl<'de, T: Beside> Deserialize<'de> for NumberOr<T> {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Reader<T>(PhantomData<T>);
        impl<'de, T: Beside> Visitor<'de> for Reader<T> {
            type Value = NumberOr<T>;
            fn expecting(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
                out.write_str(T::EXPECTED)
            }
            fn visit_f64<E: de::Error>(self, value: f64) -> Result<NumberOr<T>, E> {
                Ok(NumberOr::Number(NumberText::Literal(value)))
            }
            fn visit_i64<E: de::Error>(self, value: i64) -> Result<NumberOr<T>, E> {
                Ok(NumberOr::Number(NumberText::Literal(value as f64)))
            }
            fn visit_u64<E: de::Error>(self, value: u64) -> Result<NumberOr<T>, E> {
                Ok(NumberOr::Number(NumberText::Literal(value as f64)))
            }
            fn visit_str<E: de::Error>(self, value: &str) -> Result<NumberOr<T>, E> {
                Ok(NumberOr::Number(NumberText::Expression(value.to_owned())))
            }
            fn visit_seq<A: SeqAccess<'de>>(self, list: A) -> Result<NumberOr<T>, A::Error> {
                T::of_list(list).map(NumberOr::Other)
            }
            fn visit_map<A: MapAccess<'de>>(self, table: A) -> Result<NumberOr<T>, A::Error> {
                T::of_table(table).map(NumberOr::Other)
            }
        }
        deserializer.deserialize_any(Reader(PhantomData))
    }
}
