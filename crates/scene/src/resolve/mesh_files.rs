//! Surfaces as they are written or read from files: scaled, turned upright, made into shapes and masses.

use super::Resolver;
use super::parts::SANE_LIMIT;
use super::solids::hull_fault;
use crate::diagnostic::Diagnostic;
use crate::file::{MeshFields, MeshTable, Placed, UpWord};
use crate::mesh_file::{MeshFile, Need, Surface, check_lists};
use crate::names::Names;
use ironspin_model::{BodyKind, DVec3, Hull, Material, SolidProperties, SpaceShape, TriangleMesh, World, solid_mass};
use std::ops::Range;
use std::sync::Arc;

/// Most points and most faces of a surface that stands in a scene itself.
const POINT_LIMIT: usize = 100_000;
/// A surface this many times larger than the bounds of the world is probably in another unit.
const BEYOND_BOUNDS: f64 = 30.0;
/// The same beside the place that the moving bodies take, where the world has no bounds.
const BEYOND_BODIES: f64 = 300.0;

/// What is made of a file.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Made {
    Surface,
    Hull,
    /// The mass at a density, by its bits.
    Mass(u64),
}

/// A file as a scene uses it.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) struct FileUse {
    name: String,
    scale: u64,
    up: UpWord,
    mend: bool,
    made: Made,
    /// Where it was used first.
    place: (usize, usize),
}

impl Resolver {
    /// A surface to be touched.
    pub(super) fn mesh(&self, table: &MeshTable, span: Range<usize>, names: &Names) -> Result<SpaceShape, Diagnostic> {
        if table.0.file.is_some() {
            return self.shape_of_file(table, &span, Made::Surface, names);
        }
        let (points, faces) = self.lists(&table.0, &span, names)?;
        match TriangleMesh::new(points, faces) {
            Ok(mesh) => Ok(SpaceShape::Mesh(Arc::new(mesh))),
            Err(error) => Err(Diagnostic::at(span, error.to_string()).label("no surface")),
        }
    }

    /// The convex hull of the points of a file.
    pub(super) fn hull_of_file(
        &self,
        table: &MeshTable,
        span: Range<usize>,
        names: &Names,
    ) -> Result<SpaceShape, Diagnostic> {
        if table.0.file.is_none() {
            return Err(Diagnostic::at(span, "a hull is a list of corners, or the points of a `file`")
                .label("`file` is missing here"));
        }
        self.shape_of_file(table, &span, Made::Hull, names)
    }

    /// Mass, centre and inertia of what a closed surface encloses.
    pub(super) fn mass_from(
        &self,
        table: &Placed<MeshTable>,
        material: &Material,
        names: &Names,
    ) -> Result<SolidProperties, Diagnostic> {
        let span = table.span();
        let fields = &table.get_ref().0;
        let mut known = None;
        let mesh = if fields.file.is_some() {
            let place = table.get_ref().place(&span);
            let (file, used) = self.file_use(fields, &place, Made::Mass(material.density.to_bits()), names)?;
            if let Some(mass) = self.masses_of_files.borrow().get(&used) {
                return Ok(*mass);
            }
            let surface = file.surface(Need::Volume, fields.mend, &place)?;
            self.note_mending(&surface, file.name(), &place);
            known = Some(used);
            self.carried(&surface.points, &surface.faces, fields, &place, names)?
        } else {
            let (points, faces) = self.lists(fields, &span, names)?;
            check_lists(&points, &faces)
                .map_err(|what| Diagnostic::at(span.clone(), what).label("encloses no volume"))?;
            TriangleMesh::new(points, faces).map_err(|error| Diagnostic::at(span.clone(), error.to_string()))?
        };
        let mass = solid_mass(&SpaceShape::Mesh(Arc::new(mesh)), material.density)
            .ok_or_else(|| Diagnostic::at(span, "the surface encloses no volume").label("weighs nothing"))?;
        if let Some(used) = known {
            self.masses_of_files.borrow_mut().insert(used, mass);
        }
        Ok(mass)
    }

    /// Points and faces that stand in the scene itself.
    fn lists(
        &self,
        fields: &MeshFields,
        span: &Range<usize>,
        names: &Names,
    ) -> Result<(Vec<DVec3>, Vec<[u32; 3]>), Diagnostic> {
        let (Some(points), Some(faces)) = (&fields.points, &fields.faces) else {
            return Err(Diagnostic::at(span.clone(), "a surface has `points` and `faces`, or a `file`")
                .label("one of them is missing")
                .help("write mesh = \"name.obj\", or mesh = { points = [...], faces = [...] }"));
        };
        if fields.scale.is_some() || fields.up != UpWord::Y || fields.mend {
            return Err(Diagnostic::at(span.clone(), "`scale`, `up` and `mend` are for a surface in a `file`")
                .label("has points and faces"));
        }
        if faces.len() > POINT_LIMIT {
            let what = format!("a mesh may have {POINT_LIMIT} faces at most, and this has {}", faces.len());
            return Err(Diagnostic::at(span.clone(), what).help("put it into a file: mesh = \"name.obj\""));
        }
        Ok((self.points(points, span, POINT_LIMIT, "a mesh", "points", names)?, faces.clone()))
    }

    fn file(&self, fields: &MeshFields, place: &Range<usize>) -> Result<&MeshFile, Diagnostic> {
        if fields.points.is_some() || fields.faces.is_some() {
            return Err(
                Diagnostic::at(place.clone(), "a surface has `points` and `faces`, or a `file`").label("has both")
            );
        }
        let name = fields.file.as_ref().map_or("", |name| name.get_ref());
        self.meshes.find(name).ok_or_else(|| Diagnostic::at(place.clone(), format!("`{name}` was not read")))
    }

    /// The file that a surface names, and how it uses it.
    fn file_use(
        &self,
        fields: &MeshFields,
        place: &Range<usize>,
        made: Made,
        names: &Names,
    ) -> Result<(&MeshFile, FileUse), Diagnostic> {
        let file = self.file(fields, place)?;
        let used = FileUse {
            name: file.name().to_owned(),
            scale: self.scale(fields, names)?.to_bits(),
            up: fields.up,
            mend: fields.mend,
            made,
            place: (place.start, place.end),
        };
        Ok((file, used))
    }

    fn shape_of_file(
        &self,
        table: &MeshTable,
        span: &Range<usize>,
        made: Made,
        names: &Names,
    ) -> Result<SpaceShape, Diagnostic> {
        let fields = &table.0;
        let place = table.place(span);
        let (file, used) = self.file_use(fields, &place, made, names)?;
        if let Some(shape) = self.shapes_of_files.borrow().get(&used) {
            return Ok(shape.clone());
        }
        let shape = match made {
            Made::Surface | Made::Mass(_) => {
                let surface = file.surface(Need::Surface, fields.mend, &place)?;
                self.note_mending(&surface, file.name(), &place);
                self.note_rims(&surface, file.name(), &place);
                SpaceShape::Mesh(Arc::new(self.carried(&surface.points, &surface.faces, fields, &place, names)?))
            }
            Made::Hull => {
                let points = upright(file.points(), f64::from_bits(used.scale), fields.up);
                check_reach(&points, file.name(), &place)?;
                let hull = Hull::new(&points).map_err(|error| hull_fault(&error, Some(file.name()), place.clone()))?;
                SpaceShape::Hull(Arc::new(hull))
            }
        };
        self.shapes_of_files.borrow_mut().insert(used, shape.clone());
        Ok(shape)
    }

    fn scale(&self, fields: &MeshFields, names: &Names) -> Result<f64, Diagnostic> {
        fields.scale.as_ref().map_or(Ok(1.0), |scale| self.positive(scale, "a scale", names))
    }

    fn carried(
        &self,
        points: &[DVec3],
        faces: &[[u32; 3]],
        fields: &MeshFields,
        place: &Range<usize>,
        names: &Names,
    ) -> Result<TriangleMesh, Diagnostic> {
        let points = upright(points, self.scale(fields, names)?, fields.up);
        let name = fields.file.as_ref().map_or("", |name| name.get_ref());
        check_reach(&points, name, place)?;
        TriangleMesh::new(points, faces.to_vec())
            .map_err(|error| Diagnostic::at(place.clone(), format!("`{name}`: {error}")).label("no surface"))
    }

    fn remark(&self, kind: &'static str, diagnostic: Diagnostic) {
        let mut remarks = self.mesh_remarks.borrow_mut();
        let is_known =
            |(_, known): &(&str, Diagnostic)| known.span == diagnostic.span && known.message == diagnostic.message;
        if !remarks.iter().any(is_known) {
            remarks.push((kind, diagnostic));
        }
    }

    fn note_mending(&self, surface: &Surface, name: &str, place: &Range<usize>) {
        if let Some(words) = surface.mended.words() {
            self.remark("mended-mesh", Diagnostic::at(place.clone(), format!("`{name}` was mended: {words}")));
        }
    }

    fn note_rims(&self, surface: &Surface, name: &str, place: &Range<usize>) {
        if surface.rims > 0 {
            let rims = if surface.rims == 1 { "1 open rim".to_owned() } else { format!("{} open rims", surface.rims) };
            let diagnostic = Diagnostic::at(place.clone(), format!("`{name}` has {rims}")).label("not closed");
            self.remark("open-mesh", diagnostic.help("a sheet is open; in a body that should be whole it is a hole"));
        }
    }

    /// Remarks on surfaces so large beside their world that they are probably in millimetres.
    pub(super) fn note_mesh_scales(&self, world: &World) {
        let largest = |low: DVec3, high: DVec3| (high - low).max_element();
        let mut low = DVec3::INFINITY;
        let mut high = DVec3::NEG_INFINITY;
        let files: Vec<(FileUse, SpaceShape)> =
            self.shapes_of_files.borrow().iter().map(|(used, shape)| (used.clone(), shape.clone())).collect();
        let is_of_file = |shape: &ironspin_model::Shape| matches!(shape, ironspin_model::Shape::Space(shape) if files.iter().any(|(_, known)| known == shape));
        for body in world.bodies.iter().filter(|body| body.kind != BodyKind::Static) {
            if body.parts.iter().any(|part| is_of_file(&part.shape)) {
                continue;
            }
            let reach =
                DVec3::splat(body.parts.iter().map(|p| p.pose.position.length() + p.shape.reach()).fold(0.0, f64::max));
            low = low.min(body.pose.position - reach);
            high = high.max(body.pose.position + reach);
        }
        let (size, times, what) = match &world.bounds {
            Some(bounds) => (largest(bounds.min, bounds.max), BEYOND_BOUNDS, "the bounds of the world"),
            None => (largest(low, high), BEYOND_BODIES, "the place that the moving bodies take"),
        };
        for (used, shape) in files {
            let points = match &shape {
                SpaceShape::Mesh(mesh) => mesh.points(),
                SpaceShape::Hull(hull) => hull.corners(),
                _ => continue,
            };
            let low = points.iter().copied().fold(DVec3::INFINITY, DVec3::min);
            let high = points.iter().copied().fold(DVec3::NEG_INFINITY, DVec3::max);
            let extent = largest(low, high);
            if size.is_finite() && size > 0.0 && extent > times * size {
                let rounded = (extent * 1e3).round() / 1e3;
                let message = format!("`{}` is {rounded} m large, {:.0} times {what}", used.name, extent / size);
                let diagnostic =
                    Diagnostic::at(used.place.0..used.place.1, message).label("is the file in millimetres?");
                self.remark("mesh-scale", diagnostic.help("add `scale = 0.001` for a file in millimetres"));
            }
        }
    }
}

/// Points with y up, m.
fn upright(points: &[DVec3], scale: f64, up: UpWord) -> Vec<DVec3> {
    let turned = |p: DVec3| match up {
        // Without a zero of its own sign.
        UpWord::X => DVec3::new(0.0 - p.y, p.x, p.z),
        UpWord::Y => p,
        UpWord::Z => DVec3::new(p.x, p.z, 0.0 - p.y),
    };
    points.iter().map(|&point| scale * turned(point)).collect()
}

fn check_reach(points: &[DVec3], name: &str, place: &Range<usize>) -> Result<(), Diagnostic> {
    match points.iter().position(|point| !(point.abs().max_element() <= SANE_LIMIT)) {
        None => Ok(()),
        Some(number) => {
            let what = format!("`{name}`: point {} lies beyond {SANE_LIMIT:e} m", number + 1);
            Err(Diagnostic::at(place.clone(), what).label("too far out"))
        }
    }
}
