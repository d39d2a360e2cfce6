//! The passes of the contact solver over all colours, by one thread or a team, with the same bits.

use crate::common::scalar::Real;
use crate::common::team::{Alarm, Barrier, Shared};
use crate::common::threads::Threads;
use crate::plane::bodies::{Bodies, Motion};
use crate::plane::colouring::{COLOURS, Colouring};
use crate::plane::joints::Joints;
use crate::plane::wide::{Bundle, Motions, Progress, Width, go_on, pass};
use std::ops::Range;

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
pub(crate) struct Work<'a, R> {
    pub(crate) width: Width,
    pub(crate) colouring: &'a Colouring,
    pub(crate) blocks: &'a mut Blocks<R>,
    pub(crate) bundles: &'a mut [Bundle<R>],
    /// Velocities of the bodies; entries for lanes without a contact and for the members of the team are put behind them.
    pub(crate) motion: &'a mut Vec<Motion<R>>,
    /// Velocities after the pass before.
    pub(crate) before: &'a mut Vec<Motion<R>>,
    pub(crate) bodies: &'a Bodies<R>,
    pub(crate) joints: &'a mut Joints<R>,
    pub(crate) iterations: u32,
    /// Passes end when no speed changes by more.
    pub(crate) enough: R,
    /// The natural speed of the step: smaller changes are never taken for wild.
    pub(crate) scale: R,
}

/// The same, shared by a team.
struct Team<'a, R> {
    width: Width,
    blocks: &'a [Range<usize>],
    first: &'a [usize],
    progress: Shared<'a, Progress<R>>,
    bundles: Shared<'a, Bundle<R>>,
    motion: Shared<'a, Motion<R>>,
    before: Shared<'a, Motion<R>>,
    joints: Shared<'a, Joints<R>>,
    any_joints: bool,
    bodies: &'a Bodies<R>,
    iterations: u32,
    enough: R,
    scale: R,
    barrier: Barrier,
}

/// Passes until nothing changes any more; gives their number.
pub(crate) fn iterate<R: Real>(work: Work<'_, R>, threads: &Threads) -> u32 {
    let members = if work.bundles.len() < WORTH_SHARING { 1 } else { threads.count() };
    work.blocks.arrange(work.colouring);
    work.motion.resize(work.bodies.len() + 1 + members, Motion::default());
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
        any_joints: !joints.is_empty(),
        joints: Shared::new(std::slice::from_mut(joints)),
        bodies,
        iterations,
        enough,
        scale,
        barrier: Barrier::new(members),
    };
    if members == 1 { team.work(0) } else { threads.together(|member| team.work(member)) }
}

#[allow(unsafe_code)]
impl<R: Real> Team<'_, R> {
    /// Passes with momentum: between two of them all impulses, and the velocities with them, go on in the direction of the last
    /// one (Nesterov, 1983), from the beginning again when a pass turns back (O'Donoghue and Candès, 2015).
    /// A pass may start from impulses that no contact could have; it brings each back within its bounds.
    ///
    /// Every member goes this way, and all decide alike, since they see the same progress.
    fn work(&self, member: usize) -> u32 {
        let _alarm = Alarm(&self.barrier);
        let mut momentum = R::ONE;
        let mut share = R::ZERO;
        let (mut first, mut wild) = (R::ZERO, false);
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
            let next = R::HALF * momentum * ((momentum * momentum + R::of(4.0)).sqrt() - momentum);
            if wild || progress.onward < R::ZERO {
                momentum = R::ONE;
                share = R::ZERO;
            } else {
                share = momentum * (R::ONE - momentum) / (momentum * momentum + next);
                momentum = next;
            }
            self.go_on(member, share);
        }
        self.iterations
    }

    /// One pass over the joints, by the first member, and over each colour, by all.
    fn pass(&self, member: usize, share: R) -> Progress<R> {
        let last = self.progress.len() - 1;
        if self.any_joints {
            if member == 0 {
                // SAFETY: the others wait.
                let (joints, motion) = unsafe { (self.joints.entry(0), self.motion.run(0..self.motion.len())) };
                let largest = joints.iterate(motion, &self.bodies.inverse, &self.bodies.present);
                // SAFETY: the others wait.
                unsafe { self.progress.entry(last) }.largest = largest;
            }
            self.barrier.wait();
        }
        let motion = Motions { list: &self.motion, waste: self.bodies.len() + 1 + member };
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
        parts.fold(Progress { largest: R::ZERO, onward: R::ZERO }, |sum, part| Progress {
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
    fn go_on(&self, member: usize, share: R) {
        if member == 0 && self.any_joints {
            // SAFETY: only the first member has to do with joints.
            unsafe { self.joints.entry(0) }.extrapolate(share);
        }
        let range = self.barrier.share(self.motion.len(), member);
        // SAFETY: the shares of the members do not overlap, and no member passes bundles before the barrier.
        let (motion, before) = unsafe { (self.motion.run(range.clone()), self.before.run(range)) };
        go_on(self.width, motion, before, share);
        self.barrier.wait();
    }
}
