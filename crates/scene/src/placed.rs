//! Values that know where in the file they stand.

use schemars::{JsonSchema, Schema, SchemaGenerator};
use serde::Deserialize;
use serde::de::{Deserializer, MapAccess, Visitor};
use std::borrow::Cow;
use std::fmt;
use std::ops::Range;
use toml::Spanned;

/// A value with its place.
#[derive(Clone, Debug, Deserialize)]
#[serde(transparent)]
pub(crate) struct Placed<T>(Spanned<T>);

impl<T> Placed<T> {
    /// A value that stands nowhere: a default.
    pub(crate) fn nowhere(value: T) -> Self {
        Placed(Spanned::new(0..0, value))
    }

    /// A value at a place.
    pub(crate) fn at(span: Range<usize>, value: T) -> Self {
        Placed(Spanned::new(span, value))
    }

    /// The place and the value.
    pub(crate) fn into_parts(self) -> (Range<usize>, T) {
        (self.0.span(), self.0.into_inner())
    }

    pub(crate) fn get_ref(&self) -> &T {
        self.0.get_ref()
    }

    pub(crate) fn span(&self) -> Range<usize> {
        self.0.span()
    }
}

impl<T: JsonSchema> JsonSchema for Placed<T> {
    fn inline_schema() -> bool {
        T::inline_schema()
    }

    fn schema_name() -> Cow<'static, str> {
        T::schema_name()
    }

    fn json_schema(generator: &mut SchemaGenerator) -> Schema {
        T::json_schema(generator)
    }
}

/// A table whose entries keep the order of the file.
#[derive(Clone, Debug)]
pub(crate) struct Ordered<T>(pub(crate) Vec<(Placed<String>, T)>);

impl<T> Default for Ordered<T> {
    fn default() -> Self {
        Ordered(Vec::new())
    }
}

impl<'de, T: Deserialize<'de>> Deserialize<'de> for Ordered<T> {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Reader<T>(std::marker::PhantomData<T>);
        impl<'de, T: Deserialize<'de>> Visitor<'de> for Reader<T> {
            type Value = Ordered<T>;
            fn expecting(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
                out.write_str("a table")
            }
            fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<Ordered<T>, A::Error> {
                let mut entries = Vec::new();
                while let Some(entry) = map.next_entry()? {
                    entries.push(entry);
                }
                Ok(Ordered(entries))
            }
        }
        deserializer.deserialize_map(Reader(std::marker::PhantomData))
    }
}

impl<T: JsonSchema> JsonSchema for Ordered<T> {
    fn inline_schema() -> bool {
        true
    }

    fn schema_name() -> Cow<'static, str> {
        format!("TableOf{}", T::schema_name()).into()
    }

    fn json_schema(generator: &mut SchemaGenerator) -> Schema {
        std::collections::BTreeMap::<String, T>::json_schema(generator)
    }
}
