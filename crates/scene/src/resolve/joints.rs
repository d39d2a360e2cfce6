//! Joints, and bodies that never touch.

use super::Resolver;
use crate::budget::Cost;
use crate::diagnostic::Diagnostic;
use crate::file::{ApartTable, JointTable, JointWord, Placed};
use crate::names::Names;
use crate::number::Number;
use ironspin_model::{Body, DVec3, Dimension, Joint, JointFrame, JointKind, turn};
use std::ops::Range;

/// A key, where it stands if it does, and the kinds of joints it goes with.
type KeyOfKinds = (&'static str, Option<Range<usize>>, &'static [JointWord]);

/// From the world's axes to those of a body as built.
pub(super) fn into_frame(v: DVec3, body: &Body, dimension: Dimension) -> DVec3 {
    match dimension {
        Dimension::Plane => {
            let (sin, cos) = (libm::sin(body.pose.angle), libm::cos(body.pose.angle));
            DVec3::new(cos * v.x + sin * v.y, -sin * v.x + cos * v.y, 0.0)
        }
        Dimension::Space => turn::turned(body.pose.rotation.conjugate(), v),
    }
}

impl Resolver {
    pub(super) fn joints(&self, tables: &[JointTable], bodies: &[Body]) -> Result<Vec<Joint>, Diagnostic> {
        let mut joints = Vec::new();
        for table in tables {
            let mut names = self.names.clone();
            self.repeat(&table.repeat, &mut names, String::new(), &mut |names, _| {
                self.budget.spend(Cost::Joints, 1, || table.kind.span())?;
                joints.push(self.joint(table, bodies, names)?);
                Ok(())
            })?;
        }
        Ok(joints)
    }

    fn joint(&self, table: &JointTable, bodies: &[Body], names: &Names) -> Result<Joint, Diagnostic> {
        let ids = [self.one(&table.between[0], bodies, names)?, self.one(&table.between[1], bodies, names)?];
        if ids[0] == ids[1] {
            return Err(
                Diagnostic::at(table.between[1].span(), "a joint cannot hold a body to itself").label("the same body")
            );
        }
        let at = match (&table.at, &table.anchors) {
            (Some(_), Some(anchors)) => {
                return Err(Diagnostic::at(anchors[0].span(), "a joint has either `at` or `anchors`").label("has both"));
            }
            (Some(point), None) => {
                let point = self.placed_vector(point, names)?;
                ids.map(|id| into_frame(point - bodies[id].pose.position, &bodies[id], self.dimension))
            }
            (None, Some([first, second])) => [self.placed_vector(first, names)?, self.placed_vector(second, names)?],
            (None, None) => [DVec3::ZERO; 2],
        };
        let word = *table.kind.get_ref();
        self.check_keys(table, word)?;
        let length = table.length.as_ref().map(|length| self.not_negative(length, "a length", names)).transpose()?;
        let limits = match &table.limits {
            None => None,
            Some([low, high]) => {
                let [low_value, high_value] = [self.evaluator.value(low, names)?, self.evaluator.value(high, names)?];
                if low_value > high_value {
                    return Err(Diagnostic::at(low.span(), "the lower limit lies above the upper one")
                        .label(format!("{low_value} > {high_value}")));
                }
                Some([low_value, high_value])
            }
        };
        let mut axis = DVec3::Z;
        let kind = match word {
            JointWord::Rod => JointKind::Rod,
            JointWord::Rope => JointKind::Rope,
            JointWord::Spring => {
                let Some(stiffness) = &table.stiffness else {
                    return Err(missing(&table.kind, "stiffness", "a spring"));
                };
                let damping = table.damping.as_ref().map_or(Ok(0.0), |d| self.not_negative(d, "a damping", names))?;
                JointKind::Spring { stiffness: self.not_negative(stiffness, "a stiffness", names)?, damping }
            }
            JointWord::Hinge => {
                if self.dimension == Dimension::Space {
                    axis = self.axis(table, &bodies[ids[0]], names)?;
                }
                JointKind::Hinge { limits }
            }
            JointWord::Slider => {
                axis = self.axis(table, &bodies[ids[0]], names)?;
                JointKind::Slider { limits }
            }
            JointWord::Socket if self.dimension == Dimension::Plane => {
                return Err(Diagnostic::at(
                    table.kind.span(),
                    "a socket is a joint of space, and this scene is of the plane",
                )
                .label("no joint of the plane")
                .help("did you mean `hinge`? Scenes of space have space = 3"));
            }
            JointWord::Socket => JointKind::Socket,
            JointWord::Weld => JointKind::Weld,
        };
        let rotations = [ids[0], ids[1]].map(|id| bodies[id].pose.rotation);
        let frames = JointFrame::pair(at, axis, rotations);
        Ok(Joint { kind, bodies: ids, frames, length })
    }

    /// The axis of a hinge or slider in the frame of its first body: given there or in the world.
    fn axis(&self, table: &JointTable, first: &Body, names: &Names) -> Result<DVec3, Diagnostic> {
        let of = word_of(*table.kind.get_ref());
        match (&table.axis, &table.own_axis) {
            (Some(axis), None) => Ok(into_frame(self.direction(axis, of, names)?, first, self.dimension)),
            (None, Some(axis)) => self.direction(axis, of, names),
            (None, None) => Err(missing(&table.kind, "axis", &format!("a {of}"))),
            (Some(_), Some(own)) => {
                Err(Diagnostic::at(own.span(), format!("a {of} has either `axis` or `own_axis`")).label("has both"))
            }
        }
    }

    /// A unit vector; what is one already keeps its bits.
    fn direction(&self, axis: &Placed<Vec<Number>>, of: &str, names: &Names) -> Result<DVec3, Diagnostic> {
        let direction = self.placed_vector(axis, names)?;
        let length = direction.length();
        if length == 0.0 {
            return Err(Diagnostic::at(axis.span(), format!("the axis of a {of} cannot be zero")));
        }
        Ok(if (length - 1.0).abs() < 1e-15 { direction } else { direction / length })
    }

    /// Keys that go with other kinds of joints are mistakes.
    fn check_keys(&self, table: &JointTable, word: JointWord) -> Result<(), Diagnostic> {
        use JointWord::{Hinge, Rod, Rope, Slider, Spring};
        let turns_about: &[JointWord] = match self.dimension {
            Dimension::Plane => &[Slider],
            Dimension::Space => &[Slider, Hinge],
        };
        let keys: [KeyOfKinds; 5] = [
            ("length", table.length.as_ref().map(Number::span), &[Rod, Rope, Spring]),
            ("stiffness", table.stiffness.as_ref().map(Number::span), &[Spring]),
            ("damping", table.damping.as_ref().map(Number::span), &[Spring]),
            ("axis", table.axis.as_ref().or(table.own_axis.as_ref()).map(Placed::span), turns_about),
            ("limits", table.limits.as_ref().map(|limits| limits[0].span()), &[Hinge, Slider]),
        ];
        for (key, span, kinds) in keys {
            if let Some(span) = span.filter(|_| !kinds.contains(&word)) {
                return Err(Diagnostic::at(span, format!("`{key}` means nothing for a {}", word_of(word)))
                    .label("leave it out")
                    .help(format!(
                        "it goes with: {}",
                        kinds.iter().map(|&kind| word_of(kind)).collect::<Vec<_>>().join(", ")
                    )));
            }
        }
        Ok(())
    }

    pub(super) fn apart(&self, tables: &[ApartTable], bodies: &[Body]) -> Result<Vec<[usize; 2]>, Diagnostic> {
        let mut pairs = Vec::new();
        for table in tables {
            let ours = self.selected(&table.between[0], bodies, &self.names)?;
            let theirs = self.selected(&table.between[1], bodies, &self.names)?;
            let count = ours.len().saturating_mul(theirs.len());
            let spent = self.budget.spend(Cost::Apart, count, || table.between[0].span());
            spent.map_err(|diagnostic| diagnostic.help("use layers for large sets; --max-bodies raises the limit"))?;
            for &a in &ours {
                pairs.extend(theirs.iter().filter(|&&b| a != b).map(|&b| [a.min(b), a.max(b)]));
            }
        }
        pairs.sort_unstable();
        pairs.dedup();
        Ok(pairs)
    }
}

fn word_of(word: JointWord) -> &'static str {
    match word {
        JointWord::Rod => "rod",
        JointWord::Rope => "rope",
        JointWord::Spring => "spring",
        JointWord::Hinge => "hinge",
        JointWord::Slider => "slider",
        JointWord::Socket => "socket",
        JointWord::Weld => "weld",
    }
}

fn missing(kind: &Placed<JointWord>, key: &str, what: &str) -> Diagnostic {
    Diagnostic::at(kind.span(), format!("{what} needs the key `{key}`"))
        .label(format!("`{key}` is missing"))
        .help(format!("add a line `{key} = ...`"))
}
