//! The passes of the contact solver over all colours, by one thread or a team, with the same bits.

use crate::common::colouring::{COLOURS, Colouring};
use crate::common::scalar::Real;
use crate::common::team::{Alarm, Barrier, Shared};
use crate::common::threads::Threads;
use std::ops::Range;

/// Contacts in a bundle.
pub(crate) const LANES: usize = 8;
/// A number of each contact of a bundle.
pub(crate) type Lanes<R> = [R; LANES];

/// How wide the machine's vectors are. It changes the speed and not a bit of the result.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Width {
    Plain,
    #[cfg(target_arch = "x86_64")]
    Avx2,
    #[cfg(target_arch = "x86_64")]
    Avx512,
}

impl Width {
    /// The widest that this machine has.
    pub(crate) fn of_this_machine() -> Self {
        #[cfg(target_arch = "x86_64")]
        {
            if is_x86_feature_detected!("avx512f") && is_x86_feature_detected!("avx512vl") {
                return Width::Avx512;
            }
            if is_x86_feature_detected!("avx2") {
                return Width::Avx2;
            }
        }
        Width::Plain
    }
}

/// What a pass has done.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Progress<R> {
    /// Largest change of a normal or tangential speed of the centres.
    pub(crate) largest: R,
    /// Sum over the rows of the change of the impulse times its change since the pass before: negative when passes turn back.
    pub(crate) onward: R,
}

/// Velocities of all bodies as a pass sees them. Behind them stand one entry that is never written, for lanes without a contact,
/// and one that is never read for each thread.
pub(crate) struct Motions<'a, M> {
    pub(crate) list: &'a Shared<'a, M>,
    /// Where this thread writes what it has worked out for a body that nothing can push.
    pub(crate) waste: usize,
}

#[allow(unsafe_code)]
impl<M: Copy> Motions<'_, M> {
    #[inline(always)]
    pub(crate) fn read(&self, body: u32) -> M {
        // SAFETY: contacts of one colour share no body that can be pushed, and others are not written to.
        unsafe { *self.list.get(body as usize) }
    }

    #[inline(always)]
    pub(crate) fn write(&self, body: u32, can_be_pushed: bool, now: M) {
        // Selected without a branch.
        let place = if can_be_pushed { body as usize } else { self.waste };
        // SAFETY: as above; the waste is this thread's own.
        *unsafe { self.list.entry(place) } = now;
    }
}

/// A linear velocity and a spin, of the plane or of space.
pub(crate) trait Onward<R>: Copy {
    /// It goes on in the direction in which it has changed, by a share of the change.
    #[must_use]
    fn onward(self, before: Self, share: R) -> Self;
}

/// The rows of eight contacts, and what else takes part in the passes of a room.
pub(crate) trait Rows: Send + Sync + Sized {
    type Scalar: Real;
    type Motion: Onward<Self::Scalar> + Default + Send + Sync;
    type Bodies: Sync;
    type Joints: Send + Sync;

    /// One pass over a run of bundles, each of whose impulses first goes on by a share of what the pass before changed. To be marked
    /// `inline(always)`, as [`Onward::onward`] is, so that it is compiled for each width of vectors.
    fn pass(bundles: &mut [Self], motion: &Motions<'_, Self::Motion>, share: Self::Scalar) -> Progress<Self::Scalar>;

    fn any_joints(joints: &Self::Joints) -> bool;

    /// One pass over the joints; gives the largest change of a speed.
    fn pass_joints(joints: &mut Self::Joints, motion: &mut [Self::Motion], bodies: &Self::Bodies) -> Self::Scalar;

    /// Joints go on in the direction of the last pass.
    fn go_on_joints(joints: &mut Self::Joints, share: Self::Scalar);
}

/// One pass with vectors of a width that the machine has.
#[allow(unsafe_code)]
pub(crate) fn pass<B: Rows>(
    width: Width,
    bundles: &mut [B],
    motion: &Motions<'_, B::Motion>,
    share: B::Scalar,
) -> Progress<B::Scalar> {
    match width {
        Width::Plain => B::pass(bundles, motion, share),
        // SAFETY: `Width::of_this_machine` gives these only where the machine has the instructions; the functions do
        // nothing else that is unsafe.
        #[cfg(target_arch = "x86_64")]
        Width::Avx2 => unsafe { pass_avx2(bundles, motion, share) },
        #[cfg(target_arch = "x86_64")]
        Width::Avx512 => unsafe { pass_avx512(bundles, motion, share) },
    }
}

#[cfg(target_arch = "x86_64")]
#[target_feature(enable = "avx2")]
fn pass_avx2<B: Rows>(bundles: &mut [B], motion: &Motions<'_, B::Motion>, share: B::Scalar) -> Progress<B::Scalar> {
    B::pass(bundles, motion, share)
}

#[cfg(target_arch = "x86_64")]
#[target_feature(enable = "avx512f,avx512vl")]
fn pass_avx512<B: Rows>(bundles: &mut [B], motion: &Motions<'_, B::Motion>, share: B::Scalar) -> Progress<B::Scalar> {
    B::pass(bundles, motion, share)
}

/// Velocities go on in the direction of the last pass by a share of what it changed.
fn go_on<B: Rows>(width: Width, motion: &mut [B::Motion], before: &mut [B::Motion], share: B::Scalar) {
    match width {
        Width::Plain => go_on_plain::<B>(motion, before, share),
        // SAFETY: as for a pass.
        #[cfg(target_arch = "x86_64")]
        #[allow(unsafe_code)]
        Width::Avx2 | Width::Avx512 => unsafe { go_on_avx2::<B>(motion, before, share) },
    }
}

#[inline(always)]
fn go_on_plain<B: Rows>(motion: &mut [B::Motion], before: &mut [B::Motion], share: B::Scalar) {
    for (now, before) in motion.iter_mut().zip(before) {
        let reached = *now;
        *now = reached.onward(*before, share);
        *before = reached;
    }
}

#[cfg(target_arch = "x86_64")]
#[target_feature(enable = "avx2")]
fn go_on_avx2<B: Rows>(motion: &mut [B::Motion], before: &mut [B::Motion], share: B::Scalar) {
    go_on_plain::<B>(motion, before, share);
}

/// Bundles that are passed together. What a block reports is added up block by block, so that sums do not depend on who did which.
const BLOCK: usize = 16;
/// Bundles below which a team would wait longer than it works.
const WORTH_SHARING: usize = 128;

/// Blocks of bundles, colour by colour; kept between steps.
#[derive(Clone, Debug)]
pub(crate) struct Blocks<R> {
    blocks: Vec<Range<usize>>,
    /// Blocks before those of each colour; one entry more than colours.
    first: Vec<usize>,
    progress: Vec<Progress<R>>,
}

impl<R> Default for Blocks<R> {
    fn default() -> Self {
        Blocks { blocks: Vec::new(), first: Vec::new(), progress: Vec::new() }
    }
}

impl<R: Real> Blocks<R> {
    fn arrange(&mut self, colouring: &Colouring) {
        self.blocks.clear();
        self.first.clear();
        for colour in colouring.first_bundle.windows(2) {
            self.first.push(self.blocks.len());
            let (from, to) = (colour[0] as usize, colour[1] as usize);
            let blocks = (from..to).step_by(BLOCK).map(|start| start..(start + BLOCK).min(to));
            self.blocks.extend(blocks);
        }
        self.first.push(self.blocks.len());
        self.progress.clear();
        self.progress.resize(self.blocks.len() + 1, Progress { largest: R::ZERO, onward: R::ZERO });
    }
}

/// What a run of passes works on.
pub(crate) struct Work<'a, B: Rows> {
    pub(crate) width: Width,
    pub(crate) colouring: &'a Colouring,
    pub(crate) blocks: &'a mut Blocks<B::Scalar>,
    pub(crate) bundles: &'a mut [B],
    /// Velocities of the bodies; entries for lanes without a contact and for the members of the team are put behind them.
    pub(crate) motion: &'a mut Vec<B::Motion>,
    /// Velocities after the pass before.
    pub(crate) before: &'a mut Vec<B::Motion>,
    pub(crate) bodies: &'a B::Bodies,
    pub(crate) joints: &'a mut B::Joints,
    pub(crate) iterations: u32,
    /// Passes end when no speed changes by more.
    pub(crate) enough: B::Scalar,
    /// The natural speed of the step: smaller changes are never taken for wild.
    pub(crate) scale: B::Scalar,
}

/// The same, shared by a team.
struct Team<'a, B: Rows> {
    width: Width,
    blocks: &'a [Range<usize>],
    first: &'a [usize],
    progress: Shared<'a, Progress<B::Scalar>>,
    bundles: Shared<'a, B>,
    motion: Shared<'a, B::Motion>,
    before: Shared<'a, B::Motion>,
    joints: Shared<'a, B::Joints>,
    any_joints: bool,
    bodies: &'a B::Bodies,
    /// How many bodies there are.
    count: usize,
    iterations: u32,
    enough: B::Scalar,
    scale: B::Scalar,
    barrier: Barrier,
}

/// Passes until nothing changes any more; gives their number.
pub(crate) fn iterate<B: Rows>(work: Work<'_, B>, threads: &Threads) -> u32 {
    let members = if work.bundles.len() < WORTH_SHARING { 1 } else { threads.count() };
    work.blocks.arrange(work.colouring);
    let count = work.motion.len();
    work.motion.resize(count + 1 + members, B::Motion::default());
    work.before.clone_from(work.motion);
    let Work { width, blocks, bundles, motion, before, bodies, joints, iterations, enough, scale, colouring: _ } = work;
    let Blocks { blocks, first, progress } = blocks;
    let team = Team {
        width,
        blocks,
        first,
        progress: Shared::new(progress),
        bundles: Shared::new(bundles),
        motion: Shared::new(motion),
        before: Shared::new(before),
        any_joints: B::any_joints(joints),
        joints: Shared::new(std::slice::from_mut(joints)),
        bodies,
        count,
        iterations,
        enough,
        scale,
        barrier: Barrier::new(members),
    };
    if members == 1 { team.work(0) } else { threads.together(|member| team.work(member)) }
}

#[allow(unsafe_code)]
impl<B: Rows> Team<'_, B> {
    /// Passes with momentum: between two of them all impulses, and the velocities with them, go on in the direction of the last
    /// one (Nesterov, 1983), from the beginning again when a pass turns back (O'Donoghue and Candès, 2015).
    /// A pass may start from impulses that no contact could have; it brings each back within its bounds.
    ///
    /// Every member goes this way, and all decide alike, since they see the same progress.
    fn work(&self, member: usize) -> u32 {
        let _alarm = Alarm(&self.barrier);
        let mut momentum = B::Scalar::ONE;
        let mut share = B::Scalar::ZERO;
        let (mut first, mut wild) = (B::Scalar::ZERO, false);
        for iteration in 0..self.iterations {
            let progress = self.pass(member, share);
            if !(progress.largest > self.enough) || iteration + 1 == self.iterations {
                return iteration + 1;
            }
            // Plain passes change ever less. With momentum a wedge with friction may change more and more, without end: it is given up.
            if iteration == 0 {
                first = progress.largest.max(self.scale);
            }
            wild = wild || progress.largest > first;
            let next = B::Scalar::HALF * momentum * ((momentum * momentum + B::Scalar::of(4.0)).sqrt() - momentum);
            if wild || progress.onward < B::Scalar::ZERO {
                momentum = B::Scalar::ONE;
                share = B::Scalar::ZERO;
            } else {
                share = momentum * (B::Scalar::ONE - momentum) / (momentum * momentum + next);
                momentum = next;
            }
            self.go_on(member, share);
        }
        self.iterations
    }

    /// One pass over the joints, by the first member, and over each colour, by all.
    fn pass(&self, member: usize, share: B::Scalar) -> Progress<B::Scalar> {
        let last = self.progress.len() - 1;
        if self.any_joints {
            if member == 0 {
                // SAFETY: the others wait.
                let (joints, motion) = unsafe { (self.joints.entry(0), self.motion.run(0..self.motion.len())) };
                let largest = B::pass_joints(joints, motion, self.bodies);
                // SAFETY: the others wait.
                unsafe { self.progress.entry(last) }.largest = largest;
            }
            self.barrier.wait();
        }
        let motion = Motions { list: &self.motion, waste: self.count + 1 + member };
        for (colour, blocks) in self.first.windows(2).enumerate().filter(|(_, blocks)| blocks[0] < blocks[1]) {
            for block in self.blocks_of(member, colour, blocks) {
                // SAFETY: each block has one member, and blocks do not overlap.
                let bundles = unsafe { self.bundles.run(self.blocks[block].clone()) };
                let done = pass(self.width, bundles, &motion, share);
                // SAFETY: as the block itself.
                unsafe { *self.progress.entry(block) = done };
            }
            self.barrier.wait();
        }
        // SAFETY: nobody writes before all have come to the barrier at the end of `go_on`, where each has read this.
        let parts = (0..=last).map(|block| unsafe { self.progress.get(block) });
        parts.fold(Progress { largest: B::Scalar::ZERO, onward: B::Scalar::ZERO }, |sum, part| Progress {
            largest: sum.largest.max(part.largest),
            onward: sum.onward + part.onward,
        })
    }

    /// The blocks of a colour that fall to a member. Contacts past the last colour may share bodies: one member does them in turn.
    fn blocks_of(&self, member: usize, colour: usize, blocks: &[usize]) -> Range<usize> {
        let (from, to) = (blocks[0], blocks[1]);
        if colour == COLOURS {
            return if member == 0 { from..to } else { to..to };
        }
        let share = self.barrier.share(to - from, member);
        from + share.start..from + share.end
    }

    /// Joints and velocities go on by a share of what the pass changed; contacts do when the next pass comes to them.
    fn go_on(&self, member: usize, share: B::Scalar) {
        if member == 0 && self.any_joints {
            // SAFETY: only the first member has to do with joints.
            B::go_on_joints(unsafe { self.joints.entry(0) }, share);
        }
        let range = self.barrier.share(self.motion.len(), member);
        // SAFETY: the shares of the members do not overlap, and no member passes bundles before the barrier.
        let (motion, before) = unsafe { (self.motion.run(range.clone()), self.before.run(range)) };
        go_on::<B>(self.width, motion, before, share);
        self.barrier.wait();
    }
}
