//! From the form of a file to worlds and claims: parameters, then world, materials, bodies, joints, actions, claims.

mod actions;
mod bodies;
mod bounds;
mod cells;
mod claims;
mod forces;
mod joints;
mod mass;
mod mesh_files;
mod motion;
mod net_shapes;
mod parameters;
mod parts;
mod patterns;
mod selection;
mod soft;
mod soft_laws;
mod solids;
mod space_nets;
mod vectors;

use crate::budget::Budget;
use crate::diagnostic::Diagnostic;
use crate::expression::{Cast, Evaluator};
use crate::file::{MixingWord, Ordered, Placed, SceneFile, SharedFile, WorldTable};
use crate::forces::StateForce;
use crate::mesh_file::MeshFiles;
use crate::names::Names;
use crate::number::Number;
use crate::rules::{Probe, Series, Trigger, Twin};
use crate::setup::{Parameter, Settings};
use ironspin_model::{
    Bounds, Claim, DVec3, Dimension, Effect, Material, PairMaterial, SoftBody, SolidProperties, SpaceShape, World,
};
use mesh_files::FileUse;
use std::cell::RefCell;
use std::collections::{BTreeMap, BTreeSet};
use std::ops::Range;
use std::rc::Rc;
use std::sync::Arc;
pub(crate) use vectors::dimension;

/// Most materials of a scene, and pairs of them.
const MATERIAL_LIMIT: usize = 1_000;

/// What a file resolves to.
pub(crate) struct Resolved {
    pub(crate) parameters: Vec<Parameter>,
    pub(crate) world: World,
    pub(crate) claims: Vec<Claim>,
    /// Of which table each claim is.
    pub(crate) claim_tables: Vec<usize>,
    /// Forces that follow the state.
    pub(crate) forces: Vec<StateForce>,
    /// What is to be said of expressions, with its kind.
    pub(crate) remarks: Vec<(&'static str, Diagnostic)>,
    pub(crate) twins: Vec<Twin>,
    pub(crate) series: Vec<Series>,
    pub(crate) triggers: Vec<Trigger>,
    pub(crate) probes: Vec<Probe>,
    pub(crate) features: Vec<String>,
    /// Names of parameters that nothing used.
    pub(crate) unused: Vec<Range<usize>>,
    /// Where each body's table stands.
    pub(crate) places: Vec<Range<usize>>,
    /// Where the tables of materials stand.
    pub(crate) material_places: Vec<Range<usize>>,
}

/// Everything that is needed to work out a number.
pub(crate) struct Resolver {
    dimension: Dimension,
    evaluator: Evaluator,
    /// Constants, parameters, `seed` and `g`.
    names: Names,
    dt: f64,
    duration: f64,
    seed: u64,
    body_limit: usize,
    budget: Rc<Budget>,
    /// Bit of each layer.
    layers: Vec<String>,
    /// Sets of bodies by name.
    groups: BTreeMap<String, String>,
    /// What expressions may know of the bodies, once they are known.
    cast: Cast,
    /// Soft bodies, once they are known.
    softs: Vec<SoftBody>,
    /// What each action that takes cells does to the bodies that stand then.
    taken: BTreeMap<usize, Vec<(usize, Effect)>>,
    /// Surfaces in files beside the scene.
    meshes: MeshFiles,
    /// Shapes made of them, so that a pattern of bodies makes each once.
    shapes_of_files: RefCell<BTreeMap<FileUse, SpaceShape>>,
    masses_of_files: RefCell<BTreeMap<FileUse, SolidProperties>>,
    /// What is to be said of them.
    mesh_remarks: RefCell<Vec<(&'static str, Diagnostic)>>,
}

/// Entries of several tables, those of the shared files first; a name must not come twice.
fn joined<'a, T>(
    what: &str,
    shared: impl Iterator<Item = &'a Ordered<T>>,
    own: &'a Ordered<T>,
) -> Result<Vec<&'a (Placed<String>, T)>, Diagnostic> {
    let all: Vec<&(Placed<String>, T)> = shared.chain([own]).flat_map(|table| &table.0).collect();
    let mut known = BTreeSet::new();
    for (name, _) in &all {
        if !known.insert(name.get_ref()) {
            return Err(Diagnostic::at(name.span(), format!("there are two {what} called `{}`", name.get_ref()))
                .label("second of this name"));
        }
    }
    Ok(all)
}

pub(crate) fn resolve(
    file: &SceneFile,
    shared: &[SharedFile],
    meshes: &MeshFiles,
    settings: &Settings,
) -> Result<Resolved, Diagnostic> {
    let dimension = dimension(&file.space)?;
    let budget = Rc::new(Budget::new(settings.body_limit));
    let evaluator = Evaluator::new(settings.seed).within(&budget);
    let tables = joined("parameters", shared.iter().map(|s| &s.set), &file.set)?;
    let mut resolver = Resolver {
        dimension,
        evaluator,
        names: Names::constants(),
        dt: settings.dt,
        duration: 0.0,
        seed: settings.seed,
        body_limit: settings.body_limit,
        budget,
        layers: vec!["common".to_owned()],
        groups: BTreeMap::new(),
        cast: Cast { dimension, ids: BTreeMap::new(), traits: Arc::from([]) },
        softs: Vec::new(),
        taken: BTreeMap::new(),
        meshes: meshes.clone(),
        shapes_of_files: RefCell::default(),
        masses_of_files: RefCell::default(),
        mesh_remarks: RefCell::default(),
    };
    let parameters = resolver.parameters(&tables, settings, &file.world)?;
    let (gravity, duration, bounds) = resolver.world(&file.world)?;
    resolver.duration = duration;
    resolver.names.add("g", gravity.length());
    let materials = joined("materials", shared.iter().map(|s| &s.material), &file.material)?;
    let material_places = materials.iter().map(|(name, _)| name.span()).collect();
    let materials = resolver.materials(&materials)?;
    let pair_tables = shared.iter().flat_map(|s| &s.pair).chain(&file.pair);
    let pairs = resolver.pairs(pair_tables, &materials, file.world.mixing)?;
    let templates = joined("templates", shared.iter().map(|s| &s.template), &file.template)?;
    let mut built = resolver.bodies(&file.body, &file.soft, &templates, &materials)?;
    resolver.take_cells(&file.action, &materials, &mut built)?;
    resolver.softs = resolver.softs(&file.soft, &materials, &mut built)?;
    if built.bodies.is_empty() {
        return Err(Diagnostic::nowhere("the scene has no body").help("add a [[body]] or a [[soft]] table"));
    }
    resolver.cast = Cast {
        dimension,
        ids: built.bodies.iter().enumerate().map(|(id, body)| (body.name.clone(), id)).collect(),
        traits: built.bodies.iter().map(|body| [body.mass, body.inertia.zz()]).collect(),
    };
    resolver.note_groups(&file.group, &built.bodies)?;
    let joints = resolver.joints(&file.joint, &built.bodies)?;
    let apart = resolver.apart(&file.apart, &built.bodies)?;
    let mut script = resolver.actions(&file.action, &built.bodies)?;
    script.effects.extend(built.effects);
    script.effects.sort_by(|a, b| a.at_time.total_cmp(&b.at_time));
    let world = World {
        dimension,
        gravity,
        bounds,
        materials,
        pairs,
        bodies: built.bodies,
        // Kept here too: selectors of claims and series still look at them.
        softs: resolver.softs.clone(),
        joints,
        excluded_pairs: apart,
        actions: script.effects,
        ..World::planar(duration)
    };
    resolver.note_mesh_scales(&world);
    let forces = resolver.forces(&file.force, &world, &script.probes)?;
    let (claims, claim_tables) = resolver.claims(&file.claim, &world)?;
    let twins = resolver.twins(&file.twin)?;
    let series = resolver.series(&file.series, &world, &parameters)?;
    let features = resolver.features(file, &world, &script.probes)?;
    let unused = tables
        .iter()
        .filter(|(name, _)| !resolver.evaluator.has_used(name.get_ref()))
        .map(|(name, _)| name.span())
        .collect();
    Ok(Resolved {
        parameters,
        world,
        claims,
        claim_tables,
        twins,
        series,
        forces,
        remarks: resolver.evaluator.remarks().into_iter().chain(resolver.mesh_remarks.take()).collect(),
        triggers: script.triggers,
        probes: script.probes,
        features,
        unused,
        places: built.places,
        material_places,
    })
}

impl Resolver {
    fn value(&self, number: &Number) -> Result<f64, Diagnostic> {
        self.evaluator.value(number, &self.names)
    }

    /// A number that must be above zero.
    fn positive(&self, number: &Number, what: &str, names: &Names) -> Result<f64, Diagnostic> {
        let value = self.evaluator.value(number, names)?;
        if value > 0.0 {
            Ok(value)
        } else {
            Err(Diagnostic::at(number.span(), format!("{what} must be above zero, and this is {value}"))
                .label(format!("is {value}")))
        }
    }

    /// A number that must not be below zero.
    fn not_negative(&self, number: &Number, what: &str, names: &Names) -> Result<f64, Diagnostic> {
        let value = self.evaluator.value(number, names)?;
        if value >= 0.0 {
            Ok(value)
        } else {
            Err(Diagnostic::at(number.span(), format!("{what} must not be negative, and this is {value}"))
                .label(format!("is {value}")))
        }
    }

    /// A whole number of things.
    fn count(&self, number: &Number, what: &str, names: &Names) -> Result<usize, Diagnostic> {
        let value = self.evaluator.value(number, names)?;
        if value < 0.0 || value.fract() != 0.0 {
            return Err(Diagnostic::at(number.span(), format!("{what} cannot be {value}"))
                .label("expected a whole number from 0"));
        }
        if value > self.body_limit as f64 {
            return Err(self.too_many(number.span()).label(format!("is {value}")));
        }
        Ok(value as usize)
    }

    fn too_many(&self, span: Range<usize>) -> Diagnostic {
        Diagnostic::at(span, format!("the scene asks for more than {} bodies", self.body_limit))
            .label("too many")
            .help("--max-bodies raises the limit")
    }

    fn optional(&self, number: Option<&Number>, default: f64, names: &Names) -> Result<f64, Diagnostic> {
        number.map_or(Ok(default), |number| self.evaluator.value(number, names))
    }

    fn world(&self, table: &WorldTable) -> Result<(DVec3, f64, Option<Bounds>), Diagnostic> {
        let gravity = self.placed_vector(&table.gravity, &self.names)?;
        let duration = self.positive(&table.duration, "the duration", &self.names)?;
        let bounds = match &table.bounds {
            None => None,
            Some(corners) => {
                let mut bounds = Bounds {
                    min: self.placed_vector(&corners.min, &self.names)?,
                    max: self.placed_vector(&corners.max, &self.names)?,
                };
                if self.dimension == Dimension::Plane {
                    // A planar world stays at z = 0; the region is open along z.
                    bounds.min.z = f64::NEG_INFINITY;
                    bounds.max.z = f64::INFINITY;
                }
                if !bounds.min.cmplt(bounds.max).all() {
                    return Err(Diagnostic::at(
                        corners.max.span(),
                        match self.dimension {
                            Dimension::Plane => {
                                "the upper corner of the bounds must lie above and right of the lower one"
                            }
                            Dimension::Space => {
                                "the upper corner of the bounds must lie further along every axis than the lower one"
                            }
                        },
                    ));
                }
                Some(bounds)
            }
        };
        Ok((gravity, duration, bounds))
    }

    fn materials(&self, tables: &[&(Placed<String>, crate::file::MaterialTable)]) -> Result<Vec<Material>, Diagnostic> {
        tables
            .iter()
            .map(|(name, table)| {
                Ok(Material {
                    name: name.get_ref().clone(),
                    density: self.positive(&table.density, "a density", &self.names)?,
                    friction: self.not_negative(&table.friction, "a friction", &self.names)?,
                    restitution: self.not_negative(&table.restitution, "a restitution", &self.names)?,
                })
            })
            .collect()
    }

    /// The pairs of the file, and where the scene mixes in a way of its own also all others, so that every engine mixes alike.
    fn pairs<'a>(
        &self,
        tables: impl Iterator<Item = &'a crate::file::PairTable>,
        materials: &[Material],
        mixing: MixingWord,
    ) -> Result<Vec<PairMaterial>, Diagnostic> {
        let mixed = |a: usize, b: usize| {
            let (one, two) = (&materials[a], &materials[b]);
            let mix = |a: f64, b: f64, standard: f64| match mixing {
                MixingWord::Standard => standard,
                MixingWord::Average => 0.5 * (a + b),
                MixingWord::Product => a * b,
                MixingWord::Smaller => a.min(b),
                MixingWord::Larger => a.max(b),
            };
            PairMaterial {
                between: [a, b],
                friction: mix(one.friction, two.friction, (one.friction * two.friction).sqrt()),
                restitution: mix(one.restitution, two.restitution, one.restitution.max(two.restitution)),
            }
        };
        if let Some(material) = materials.get(MATERIAL_LIMIT) {
            let many = format!("a scene may have {MATERIAL_LIMIT} materials at most");
            return Err(Diagnostic::nowhere(many).label(format!("`{}` is one too many", material.name)));
        }
        let mut pairs: Vec<PairMaterial> = Vec::new();
        let mut known = BTreeSet::new();
        for table in tables {
            let [a, b] = [self.material(&table.between[0], materials)?, self.material(&table.between[1], materials)?];
            let between = [a.min(b), a.max(b)];
            if !known.insert(between) {
                return Err(Diagnostic::at(table.between[0].span(), "these two materials have a pair already"));
            }
            let mut pair = mixed(between[0], between[1]);
            if let Some(friction) = &table.friction {
                pair.friction = self.not_negative(friction, "a friction", &self.names)?;
            }
            if let Some(restitution) = &table.restitution {
                pair.restitution = self.not_negative(restitution, "a restitution", &self.names)?;
            }
            pairs.push(pair);
        }
        if mixing != MixingWord::Standard {
            for b in 0..materials.len() {
                for a in 0..=b {
                    if !known.contains(&[a, b]) {
                        pairs.push(mixed(a, b));
                    }
                }
            }
        }
        Ok(pairs)
    }

    fn material(&self, name: &Placed<String>, materials: &[Material]) -> Result<usize, Diagnostic> {
        materials.iter().position(|m| m.name == *name.get_ref()).ok_or_else(|| {
            let found = name.get_ref();
            Diagnostic::at(name.span(), format!("there is no material called `{found}`"))
                .label("unknown material")
                .help_names(found, materials.iter().map(|m| m.name.as_str()))
        })
    }
}
