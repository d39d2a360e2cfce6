//! What part of a world is seen, and where a point of it lies on the picture.

use ironspin_model::DVec2;

/// A camera that looks straight at the plane: the middle of what it shows lies in the middle of the picture, y points up in the world and
/// down on the picture.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Camera {
    /// m.
    middle: DVec2,
    /// Of the picture, px.
    size: DVec2,
    /// px in a metre.
    scale: f64,
}

impl Camera {
    /// Shows everything between two corners, m, on a picture of a size, px.
    pub(crate) fn showing(low: DVec2, high: DVec2, size: DVec2) -> Camera {
        let extent = high - low;
        Camera { middle: 0.5 * (low + high), size, scale: (size.x / extent.x).min(size.y / extent.y) }
    }

    /// Where a point of the world lies, px.
    pub(crate) fn place(&self, point: DVec2) -> DVec2 {
        let from = (point - self.middle) * self.scale;
        0.5 * self.size + DVec2::new(from.x, -from.y)
    }

    /// px in a metre.
    pub(crate) fn scale(&self) -> f64 {
        self.scale
    }

    /// Whether a point of the world lies on the picture.
    pub(crate) fn shows(&self, point: DVec2) -> bool {
        let at = self.place(point);
        at.cmpge(DVec2::ZERO).all() && at.cmple(self.size).all()
    }

    /// No point of the picture is further than this from a point of the world, m.
    pub(crate) fn furthest(&self, from: DVec2) -> f64 {
        2.0 * self.size.max_element() / self.scale + 2.0 * (from - self.middle).length()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_whole_region_is_shown_in_the_middle_with_y_up() {
        let camera = Camera::showing(DVec2::new(-1.0, 0.0), DVec2::new(3.0, 1.0), DVec2::new(400.0, 400.0));
        assert_eq!(camera.scale(), 100.0);
        assert_eq!(camera.place(DVec2::new(1.0, 0.5)), DVec2::splat(200.0));
        assert_eq!(camera.place(DVec2::new(-1.0, 1.0)), DVec2::new(0.0, 150.0));
        assert!(camera.shows(DVec2::new(3.0, 2.0)) && !camera.shows(DVec2::new(3.1, 0.0)));
        assert!(camera.furthest(DVec2::ZERO) > 4.0);
    }
}
