//! What a file of a surface holds, before anything is checked.

use ironspin_model::{DVec3, TriangleMesh};

/// Points and triangles as they stand in a file; polygons are cut into fans.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct Polygons {
    pub(super) points: Vec<DVec3>,
    /// Line of each point, from 1 on; empty for files without lines.
    pub(super) point_lines: Vec<u32>,
    pub(super) faces: Vec<[u32; 3]>,
    /// Number of the face of the file that each triangle is of, from 1 on, and its line, 0 without.
    pub(super) face_places: Vec<FacePlace>,
    /// Whether faces name common points; where each brings its own (STL), equal corners are one point.
    pub(super) shares_points: bool,
}

/// Where a face stands in its file.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct FacePlace {
    pub(super) number: u32,
    pub(super) line: u32,
}

/// What is wrong with a file of a surface.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Fault {
    /// Line, from 1 on; 0 for files without lines or when it is in none.
    pub(super) line: u32,
    pub(super) message: String,
    pub(super) label: String,
    pub(super) help: Option<String>,
}

impl Fault {
    pub(super) fn at(line: u32, message: impl Into<String>, label: impl Into<String>) -> Fault {
        Fault { line, message: message.into(), label: label.into(), help: None }
    }

    pub(super) fn help(mut self, help: impl Into<String>) -> Fault {
        self.help = Some(help.into());
        self
    }
}

/// Most corners of one face of a file.
pub(super) const MOST_CORNERS: usize = 1_000;

impl Polygons {
    pub(super) fn point(&mut self, line: u32, point: DVec3) -> Result<u32, Fault> {
        let number = self.points.len();
        if number == TriangleMesh::MOST {
            let most = format!("a surface has {} points at most", TriangleMesh::MOST);
            return Err(Fault::at(line, most, "one too many"));
        }
        if !point.is_finite() {
            let what = format!("point {} is not finite: ({}, {}, {})", number + 1, point.x, point.y, point.z);
            return Err(Fault::at(line, what, "expected three finite numbers"));
        }
        self.points.push(point);
        if line > 0 {
            self.point_lines.push(line);
        }
        Ok(number as u32)
    }

    /// Adds face number `number` of the file by its corners, cut into triangles about its first corner.
    pub(super) fn face(&mut self, number: u32, line: u32, corners: &[u32]) -> Result<(), Fault> {
        if corners.len() < 3 || corners.len() > MOST_CORNERS {
            let what = format!("face {number} has {} corners", corners.len());
            return Err(Fault::at(line, what, format!("expected 3 to {MOST_CORNERS}")));
        }
        if self.faces.len() + corners.len() - 2 > TriangleMesh::MOST {
            let most = format!("a surface has {} triangles at most", TriangleMesh::MOST);
            return Err(Fault::at(line, most, "one too many"));
        }
        if corners.len() > 3 && !self.is_convex(corners) {
            let what = format!("face {number} of {} corners is not convex", corners.len());
            return Err(Fault::at(line, what, "cannot be cut into a fan").help("cut it into triangles"));
        }
        for k in 1..corners.len() - 1 {
            self.faces.push([corners[0], corners[k], corners[k + 1]]);
            self.face_places.push(FacePlace { number, line });
        }
        Ok(())
    }

    /// Whether no triangle of its fan looks another way than the whole.
    fn is_convex(&self, corners: &[u32]) -> bool {
        let at = |k: usize| self.points[corners[k] as usize];
        let normal = |k: usize| (at(k) - at(0)).cross(at(k + 1) - at(0));
        let whole: DVec3 = (1..corners.len() - 1).map(normal).sum();
        let slack = 1e-9 * whole.length_squared();
        (1..corners.len() - 1).all(|k| normal(k).dot(whole) >= -slack)
    }

    pub(super) fn line_of_point(&self, point: u32) -> u32 {
        self.point_lines.get(point as usize).copied().unwrap_or(0)
    }
}
