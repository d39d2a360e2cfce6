//! Soft bodies, in plane and space. Empty so far: the engine does not list the feature `soft`.
