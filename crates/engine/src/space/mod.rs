//! Rigid bodies in space. Empty so far: worlds of space are refused by [`Builtin`](crate::Builtin) before anything is built.
