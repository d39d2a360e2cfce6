//! The fine dots of a picture: faces and lines by depth, what owns each dot, outlines.

use crate::look::{INK, PAPER, mixed};
use ironspin_model::{DVec2, DVec3};
use std::sync::Mutex;
use tiny_skia::{Pixmap, PremultipliedColorU8};

pub(super) type Colour = (u8, u8, u8);

/// Dots drawn for each dot shown, along each side.
pub(super) const FINER: usize = 2;

/// A corner on the picture: dots to the right and down, and how near it is, m.
pub(super) type Spot = [f64; 3];

/// What stands behind all that moves.
pub(super) struct Backdrop(Room);

/// The fine dots of one picture, line by line.
#[derive(Clone)]
pub(super) struct Room {
    wide: usize,
    tall: usize,
    /// Red, green and blue, the lowest byte first.
    colours: Vec<u32>,
    near: Vec<f32>,
    owner: Vec<u32>,
}

/// Rooms of pictures that are done, for those to come: new ones cost more than what is drawn in them.
#[derive(Default)]
pub(super) struct Rooms(Mutex<Vec<Room>>);

impl Rooms {
    /// One that begins with what was drawn before.
    pub(super) fn over(&self, Backdrop(first): &Backdrop) -> Room {
        let kept = self.0.lock().ok().and_then(|mut rooms| rooms.pop());
        match kept.filter(|room| [room.wide, room.tall] == [first.wide, first.tall]) {
            Some(mut room) => {
                room.colours.copy_from_slice(&first.colours);
                room.near.copy_from_slice(&first.near);
                room.owner.copy_from_slice(&first.owner);
                room
            }
            None => first.clone(),
        }
    }

    pub(super) fn give_back(&self, room: Room) {
        if let Ok(mut rooms) = self.0.lock() {
            rooms.push(room);
        }
    }
}

impl Room {
    pub(super) fn empty(size: [u32; 2]) -> Room {
        let [wide, tall] = size.map(|side| FINER * side as usize);
        let dots = wide * tall;
        Room {
            wide,
            tall,
            colours: vec![packed(PAPER); dots],
            near: vec![f32::NEG_INFINITY; dots],
            owner: vec![0; dots],
        }
    }

    pub(super) fn backdrop(self) -> Backdrop {
        Backdrop(self)
    }

    /// What owns each dot; 0 nothing.
    pub(super) fn owners(&self) -> &[u32] {
        &self.owner
    }

    /// A dot, where nothing nearer stands.
    pub(super) fn dot(&mut self, at: usize, near: f32, owner: u32, colour: impl FnOnce() -> u32) {
        if near > self.near[at] {
            (self.near[at], self.colours[at], self.owner[at]) = (near, colour(), owner);
        }
    }

    pub(super) fn size(&self) -> [usize; 2] {
        [self.wide, self.tall]
    }

    /// A flat convex face. Below an opacity of 1 it hides nothing; `lift` brings it nearer, m.
    pub(super) fn face(&mut self, corners: &[Spot], colour: Colour, owner: u32, opacity: f64, lift: f64) {
        let [ox, oy, oq] = corners[0];
        let mut n = DVec3::ZERO;
        for pair in corners[1..].windows(2) {
            let way = |p: Spot| DVec3::new(p[0] - ox, p[1] - oy, p[2] - oq);
            n += way(pair[0]).cross(way(pair[1]));
        }
        if !(n.z.abs() > 1e-9) {
            return;
        }
        let (across, down) = (-n.x / n.z, -n.y / n.z);
        let paint = packed(colour);
        let top = corners.iter().map(|p| p[1]).fold(f64::INFINITY, f64::min);
        let bottom = corners.iter().map(|p| p[1]).fold(f64::NEG_INFINITY, f64::max);
        for row in within(top, bottom, self.tall) {
            let y = row as f64 + 0.5;
            let (mut left, mut right) = (f64::INFINITY, f64::NEG_INFINITY);
            let mut a = corners[corners.len() - 1];
            for &b in corners {
                if (a[1] <= y) != (b[1] <= y) {
                    let x = a[0] + (b[0] - a[0]) * (y - a[1]) / (b[1] - a[1]);
                    left = left.min(x);
                    right = right.max(x);
                }
                a = b;
            }
            let columns = within(left, right, self.wide);
            let first = oq + across * (columns.start as f64 + 0.5 - ox) + down * (y - oy) + lift;
            let dots = row * self.wide + columns.start..row * self.wide + columns.end;
            let q = |k: usize| first as f32 + across as f32 * k as f32;
            let near = &mut self.near[dots.clone()];
            let colours = &mut self.colours[dots.clone()];
            if opacity < 1.0 {
                for (k, (near, dot)) in near.iter().zip(colours).enumerate() {
                    if q(k) > *near {
                        *dot = packed(mixed(unpacked(*dot), colour, opacity));
                    }
                }
                continue;
            }
            // All three are written every time, so that several dots are done at once.
            for (k, ((near, dot), own)) in near.iter_mut().zip(colours).zip(&mut self.owner[dots]).enumerate() {
                let q = q(k);
                let nearer = q > *near;
                *near = if nearer { q } else { *near };
                *dot = if nearer { paint } else { *dot };
                *own = if nearer { owner } else { *own };
            }
        }
    }

    /// A line of so many dots' thickness; owned by nobody, so that nothing runs around it.
    pub(super) fn line(&mut self, ends: [Spot; 2], thick: f64, colour: Colour, lift: f64) {
        let [a, b] = ends;
        let way = DVec2::new(b[0] - a[0], b[1] - a[1]);
        let side = way.perp().normalize_or(DVec2::Y) * (0.5 * thick * FINER as f64);
        let beside = |p: Spot, to: f64| [p[0] + to * side.x, p[1] + to * side.y, p[2]];
        self.face(&[beside(a, 1.0), beside(b, 1.0), beside(b, -1.0), beside(a, -1.0)], colour, 0, 1.0, lift);
    }

    /// Lines where one thing ends before another.
    pub(super) fn outline(&mut self) {
        let (wide, ink) = (self.wide, packed(INK));
        for row in 1..self.tall.saturating_sub(1) {
            let line = |row: usize| &self.owner[row * wide..(row + 1) * wide];
            let (above, own, below) = (line(row - 1), line(row), line(row + 1));
            let inner = &mut self.colours[row * wide + 1..(row + 1) * wide - 1];
            for (k, dot) in inner.iter_mut().enumerate() {
                let (here, at) = (own[k + 1], k + 1);
                if (own[k] != here) | (own[k + 2] != here) | (above[at] != here) | (below[at] != here) {
                    *dot = ink;
                }
            }
        }
    }

    /// Puts it on a picture of the size that was asked for.
    pub(super) fn put(&self, pixels: &mut Pixmap) {
        let wide = pixels.width() as usize;
        let lines = self.colours.chunks_exact(FINER * self.wide);
        for (line, fine) in pixels.pixels_mut().chunks_exact_mut(wide).zip(lines) {
            let (above, below) = fine.split_at(self.wide);
            let pairs = above.as_chunks::<FINER>().0.iter().zip(below.as_chunks::<FINER>().0);
            for (dot, ([a, b], [c, d])) in line.iter_mut().zip(pairs) {
                // Two sums of sixteen bits each: red with blue, and green.
                let sum = |shift: u32| [a, b, c, d].iter().map(|&dot| dot >> shift & 0x00ff_00ff).sum::<u32>() >> 2;
                let (red_blue, green) = (sum(0), sum(8));
                let [r, _, b, _] = red_blue.to_le_bytes();
                if let Some(colour) = PremultipliedColorU8::from_rgba(r, green as u8, b, 255) {
                    *dot = colour;
                }
            }
        }
    }
}

/// Dots whose middles lie between two places, of so many.
pub(super) fn within(from: f64, to: f64, count: usize) -> std::ops::Range<usize> {
    if !(from < to) {
        return 0..0;
    }
    let first = (from - 0.5).ceil().max(0.0) as usize;
    let end = (to - 0.5).ceil().clamp(0.0, count as f64) as usize;
    first.min(end)..end
}

/// A colour as one number.
pub(super) fn packed((r, g, b): Colour) -> u32 {
    u32::from_le_bytes([r, g, b, 0])
}

fn unpacked(dot: u32) -> Colour {
    let [r, g, b, _] = dot.to_le_bytes();
    (r, g, b)
}
