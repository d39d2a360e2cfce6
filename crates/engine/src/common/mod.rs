//! What worlds of every dimension share.
//!
//! | type | duty | file |
//! |---|---|---|
//! | `Real` | the scalar that everything is generic over | `scalar.rs` |
//! | `Settings` and its words | what can be chosen | `settings.rs` |
//! | `Injection`, `InjectionPoint` | the fault that is on, and where in a step it is made | `injection.rs` |
//! | `Stepped` | what the engine asks of a world that it steps | `stepped.rs` |
//! | `Mixed`, `Carry`, `fading` | friction and restitution of materials; impulses of the substep before; damping | `mixed.rs`, `carry.rs`, `fading.rs` |
//! | `check_joints` | what no joint may have | `joint_checks.rs` |
//! | `Overlaps` | what overlaps sensors, and the notices | `overlaps.rs` |
//! | `Pair`, `Found` | two pieces as one word, by which pairs are sorted; pairs as they are found, and their sorting | `pair.rs`, `found.rs`, `blocks.rs` |
//! | `InnerFaces` | faces between level pieces, which are no obstacles | `inner.rs` |
//! | `Starts` | boxes counted into the cells of a grid | `cells.rs` |
//! | `Colouring`, `Rows`, `iterate` | contacts side by side, and the passes over them | `colouring.rs`, `passes.rs` |
//! | `Threads`, `Team` | work shared between threads, in order | `threads.rs`, `team.rs` |
//! | | every threshold, as a share of a size, of g dt or of a step | `tolerance.rs` |

#[cfg(target_arch = "x86_64")]
pub(crate) mod blocks;
pub(crate) mod carry;
pub(crate) mod cells;
pub(crate) mod colouring;
pub(crate) mod fading;
pub(crate) mod found;
pub(crate) mod injection;
pub(crate) mod inner;
pub(crate) mod joint_checks;
pub(crate) mod mixed;
pub(crate) mod overlaps;
pub(crate) mod pair;
pub(crate) mod passes;
pub(crate) mod scalar;
pub(crate) mod settings;
pub(crate) mod stepped;
pub(crate) mod team;
pub(crate) mod threads;
pub(crate) mod tolerance;
