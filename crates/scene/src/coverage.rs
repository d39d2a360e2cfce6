//! Which scenes bring two features of the language together under a claim, and which pairs no scene does.
//!
//! Two features meet in a scene when one body has both, or when two bodies that have one each act on each other: they may touch, or a
//! joint holds them. They meet under a claim when one of these bodies is measured by it.

use crate::diagnostic::SceneError;
use crate::near::meetings;
use crate::scene::Scene;
use crate::setup::{Settings, Setup};
use ironspin_model::{Body, BodyKind, Dimension, Effect, PlaneShape, SpaceShape, World};
use std::collections::{BTreeMap, BTreeSet};

/// A family of features.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Family {
    /// Static, kinematic or dynamic.
    Kind,
    /// A shape of a solid part.
    Shape,
    /// How a body is made or marked: of several parts, swept, with a turn that is kept.
    Build,
    /// A joint at the body.
    Joint,
    /// An action on the body.
    Action,
    /// What keeps the body from touching some others.
    Filter,
    /// A sensor at the body.
    Sensor,
}

/// Something of the scene language that a body can have.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Feature {
    /// Its family.
    pub family: Family,
    /// Its word.
    pub word: &'static str,
}

const KINDS: [&str; 3] = ["static", "kinematic", "dynamic"];
const BUILDS: [&str; 3] = ["compound", "swept", "fixed_turn"];
const JOINTS: [&str; 6] = ["rod", "rope", "spring", "hinge", "slider", "weld"];
const SPACE_JOINTS: [&str; 7] = ["rod", "rope", "spring", "hinge", "slider", "socket", "weld"];
const FILTERS: [&str; 2] = ["layers", "apart"];

/// All features of the language of a dimension, family by family.
pub fn features(dimension: Dimension) -> Vec<Feature> {
    let (shapes, joints): (&[_], &[_]) = match dimension {
        Dimension::Plane => (&PlaneShape::WORDS, &JOINTS),
        Dimension::Space => (&SpaceShape::WORDS, &SPACE_JOINTS),
    };
    let family = |family: Family, words: &[&'static str]| -> Vec<Feature> {
        words.iter().map(|&word| Feature { family, word }).collect()
    };
    [
        family(Family::Kind, &KINDS),
        family(Family::Shape, shapes),
        family(Family::Build, &BUILDS),
        family(Family::Joint, joints),
        family(Family::Action, &Effect::BODY_WORDS[..Effect::RIGID_WORDS]),
        family(Family::Filter, &FILTERS),
        family(Family::Sensor, &["sensor"]),
    ]
    .concat()
}

/// The scenes in which pairs of features meet under a claim.
#[derive(Clone, Debug)]
pub struct Coverage {
    dimension: Dimension,
    /// Names of scenes for each pair, the lower feature first, in the order in which they were added.
    pairs: BTreeMap<[Feature; 2], Vec<String>>,
    /// Names of scenes for each kind of joint between bodies of two kinds.
    joints: BTreeMap<(&'static str, [&'static str; 2]), Vec<String>>,
}

impl Coverage {
    /// Of no scene yet.
    fn nothing(dimension: Dimension) -> Coverage {
        Coverage { dimension, pairs: BTreeMap::new(), joints: BTreeMap::new() }
    }

    /// That of those of some scenes, by name or path, that are of a dimension, at a step length of 1/60 s.
    ///
    /// # Errors
    /// When a scene cannot be read or resolved.
    pub fn of(names: impl IntoIterator<Item = impl AsRef<str>>, dimension: Dimension) -> Result<Coverage, SceneError> {
        let mut coverage = Coverage::nothing(dimension);
        for name in names {
            let scene = Scene::open(name.as_ref())?;
            if scene.dimension()? == dimension {
                coverage.add(&scene.resolve(&Settings::with_dt(1.0 / 60.0))?);
            }
        }
        Ok(coverage)
    }

    /// The scenes in which two features meet under a claim.
    pub fn scenes(&self, a: Feature, b: Feature) -> &[String] {
        self.pairs.get(&[a.min(b), a.max(b)]).map_or(&[], Vec::as_slice)
    }

    /// The scenes in which a kind of joint holds bodies of two kinds under a claim.
    pub fn joined(&self, joint: &str, kinds: [&str; 2]) -> &[String] {
        let found = self
            .joints
            .iter()
            .find(|((word, ends), _)| *word == joint && (*ends == kinds || *ends == [kinds[1], kinds[0]]));
        found.map_or(&[], |(_, scenes)| scenes.as_slice())
    }

    /// Of which dimension its scenes are.
    pub fn dimension(&self) -> Dimension {
        self.dimension
    }

    /// Words of joints, and pairs of kinds of which one can move: the table of [`Coverage::joined`].
    pub fn joint_table(&self) -> (&'static [&'static str], [[&'static str; 2]; 3]) {
        let joints: &[_] = match self.dimension {
            Dimension::Plane => &JOINTS,
            Dimension::Space => &SPACE_JOINTS,
        };
        (joints, [["static", "dynamic"], ["kinematic", "dynamic"], ["dynamic", "dynamic"]])
    }

    fn add(&mut self, setup: &Setup) {
        let world = &setup.world;
        let claimed: BTreeSet<usize> =
            setup.claims.iter().flat_map(|claim| claim.of.iter().chain(&claim.against)).copied().collect();
        let groups = Groups::of(setup);
        let note = |list: &mut Vec<String>| {
            if list.last() != Some(&setup.name) {
                list.push(setup.name.clone());
            }
        };
        for (features, members) in &groups.0 {
            if !members.iter().any(|body| claimed.contains(body)) {
                continue;
            }
            for (number, &a) in features.iter().enumerate() {
                for &b in &features[number + 1..] {
                    note(self.pairs.entry([a, b]).or_default());
                }
            }
        }
        // The shape of a sensor is no solid shape: it meets the sensor alone.
        let sensor = Feature { family: Family::Sensor, word: "sensor" };
        let eyes = claimed.iter().flat_map(|&body| &world.bodies[body].parts).filter(|part| part.sensor);
        for shape in eyes.map(|part| Feature { family: Family::Shape, word: part.shape.word() }) {
            note(self.pairs.entry([shape.min(sensor), shape.max(sensor)]).or_default());
        }
        for [mine, others] in groups.meetings(world, &claimed) {
            // What is done to one body says nothing of another.
            let between = |feature: &&Feature| feature.family != Family::Action;
            for &a in mine.iter().filter(between) {
                for &b in others.iter().filter(between) {
                    note(self.pairs.entry([a.min(b), a.max(b)]).or_default());
                }
            }
        }
        for joint in &world.joints {
            if joint.bodies.iter().any(|body| claimed.contains(body)) {
                let mut kinds = joint.bodies.map(|body| kind_word(world.bodies[body].kind));
                kinds.sort_by_key(|kind| KINDS.iter().position(|known| known == kind));
                note(self.joints.entry((joint.kind.word(), kinds)).or_default());
            }
        }
    }
}

/// The features of each body of a scene, by its number.
pub fn features_of_bodies(setup: &Setup) -> Vec<BTreeSet<Feature>> {
    let world = &setup.world;
    // Nodes have none: the table is about rigid bodies.
    let mut of_body: Vec<BTreeSet<Feature>> = world.rigid().iter().map(own_features).collect();
    of_body.resize(world.bodies.len(), BTreeSet::new());
    for joint in &world.joints {
        for body in joint.bodies {
            of_body[body].insert(Feature { family: Family::Joint, word: joint.kind.word() });
        }
    }
    for pair in &world.excluded_pairs {
        for &body in pair.iter().filter(|&&body| body < world.rigid_count()) {
            of_body[body].insert(Feature { family: Family::Filter, word: "apart" });
        }
    }
    let scripted = world.actions.iter().map(|action| (action.body, &action.effect));
    let waiting = setup.triggers.iter().flat_map(|trigger| trigger.effects.iter().map(|effect| (trigger.body, effect)));
    for (body, effect) in scripted.chain(waiting) {
        if let Some(word) = effect.body_word().filter(|_| body < world.rigid_count()) {
            of_body[body].insert(Feature { family: Family::Action, word });
        }
    }
    of_body
}

/// Bodies that have the same features and filters, so that a world of thousands is looked at by its few kinds of bodies.
struct Groups(BTreeMap<Vec<Feature>, Vec<usize>>);

impl Groups {
    fn of(setup: &Setup) -> Groups {
        let mut groups: BTreeMap<Vec<Feature>, Vec<usize>> = BTreeMap::new();
        for (body, features) in features_of_bodies(setup).into_iter().enumerate() {
            groups.entry(features.into_iter().collect()).or_default().push(body);
        }
        Groups(groups)
    }

    /// The features of two bodies that act on each other and of which one is claimed, once for each two groups.
    fn meetings<'a>(&'a self, world: &World, claimed: &BTreeSet<usize>) -> Vec<[&'a [Feature]; 2]> {
        let groups: Vec<(&Vec<Feature>, &Vec<usize>)> = self.0.iter().collect();
        let joined: BTreeSet<[usize; 2]> = world.joints.iter().map(|joint| joint.bodies).collect();
        let may_meet = meetings(world);
        let acts = |a: usize, b: usize| {
            a != b
                && (claimed.contains(&a) || claimed.contains(&b))
                && (may_meet(a, b) || joined.contains(&[a, b]) || joined.contains(&[b, a]))
        };
        let mut found = Vec::new();
        for (number, (mine, members)) in groups.iter().enumerate() {
            for (others, other_members) in &groups[number..] {
                // Bodies of a group are alike: a few of each tell.
                let few = |list: &'a Vec<usize>| list.iter().take(LOOKED_AT);
                if few(members).any(|&a| few(other_members).any(|&b| acts(a, b))) {
                    found.push([mine.as_slice(), others.as_slice()]);
                }
            }
        }
        found
    }
}

/// Bodies of a group that are looked at.
const LOOKED_AT: usize = 64;

fn own_features(body: &Body) -> BTreeSet<Feature> {
    let feature = |family: Family, word: &'static str| Feature { family, word };
    let mut features = BTreeSet::from([feature(Family::Kind, kind_word(body.kind))]);
    let solid = || body.parts.iter().filter(|part| !part.sensor);
    features.extend(solid().map(|part| feature(Family::Shape, part.shape.word())));
    let marks = [(solid().count() > 1, BUILDS[0]), (body.ccd, BUILDS[1]), (body.fixed_turn, BUILDS[2])];
    features.extend(marks.into_iter().filter(|(is, _)| *is).map(|(_, word)| feature(Family::Build, word)));
    if body.layers != 1 || body.collision_mask != u32::MAX {
        features.insert(feature(Family::Filter, "layers"));
    }
    if body.parts.iter().any(|part| part.sensor) {
        features.insert(feature(Family::Sensor, "sensor"));
    }
    features
}

fn kind_word(kind: BodyKind) -> &'static str {
    match kind {
        BodyKind::Static => KINDS[0],
        BodyKind::Kinematic => KINDS[1],
        BodyKind::Dynamic => KINDS[2],
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const HEAD: &str = "scene = 1\nname = \"c\"\nabout = \"a\"\n[world]\ngravity = [0, -9.81]\nduration = 0.1\n\
        [material.iron]\ndensity = 1\nfriction = 0\nrestitution = 0\n";

    fn coverage(rest: &str) -> Coverage {
        let scene = Scene::parse(&format!("{HEAD}{rest}"), "c.toml").unwrap();
        let mut coverage = Coverage::nothing(Dimension::Plane);
        coverage.add(&scene.resolve(&Settings::with_dt(0.01)).unwrap());
        coverage
    }

    fn feature(word: &str) -> Feature {
        features(Dimension::Plane).into_iter().find(|feature| feature.word == word).expect(word)
    }

    const BODIES: &str = "[[body]]\nname = \"floor\"\nkind = \"static\"\nshape = { half_plane = [0, 1] }\nat = [0, 0]\nmaterial = \"iron\"\n\
        [[body]]\nname = \"ball\"\nshape = { disc = 0.1 }\nat = [0, 1]\nmaterial = \"iron\"\n\
        [[body]]\nname = \"crate\"\nshape = { box = [0.1, 0.1] }\nat = [1, 1]\nmaterial = \"iron\"\n\
        [[joint]]\nkind = \"spring\"\nbetween = [\"ball\", \"crate\"]\nstiffness = 5\n";
    const CLAIM: &str = "[[claim]]\ngauge = \"value.y\"\nof = \"ball\"\nequals = 1\nwithin = 1\nbecause = \"b\"\n";

    #[test]
    fn features_meet_in_a_body_or_in_two_that_act_on_each_other_and_only_under_a_claim() {
        let with = coverage(&format!("{BODIES}{CLAIM}"));
        for (a, b, expected) in [
            ("disc", "half_plane", true),
            ("disc", "box", true),
            ("box", "half_plane", false),
            ("disc", "spring", true),
            ("disc", "dynamic", true),
            ("disc", "capsule", false),
        ] {
            assert_eq!(!with.scenes(feature(a), feature(b)).is_empty(), expected, "{a} {b}");
            assert_eq!(with.scenes(feature(a), feature(b)), with.scenes(feature(b), feature(a)));
        }
        assert_eq!(with.joined("spring", ["dynamic", "dynamic"]), ["c"]);
        assert!(with.joined("spring", ["static", "dynamic"]).is_empty());
        assert!(coverage(BODIES).scenes(feature("disc"), feature("half_plane")).is_empty());
    }

    #[test]
    fn every_feature_has_a_word_of_its_own() {
        for dimension in Dimension::BOTH {
            let all = features(*dimension);
            let words: BTreeSet<_> = all.iter().map(|feature| feature.word).collect();
            assert_eq!(words.len(), all.len());
        }
    }
}
