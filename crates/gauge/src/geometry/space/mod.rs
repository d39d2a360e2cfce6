//! Colliders of space. Empty so far: every gauge says that it is made for the plane.
