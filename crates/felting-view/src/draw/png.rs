//! SVG as a picture of pixels, with the font that comes along.

use std::sync::{Arc, LazyLock};

use resvg::tiny_skia::{Pixmap, Transform};
use resvg::usvg::fontdb::Database;
use resvg::usvg::{Options, Tree};

use super::measure::{BOLD, REGULAR};

static FONTS: LazyLock<Arc<Database>> = LazyLock::new(|| {
    let mut fonts = Database::new();
    fonts.load_font_data(REGULAR.to_vec());
    fonts.load_font_data(BOLD.to_vec());
    fonts.set_sans_serif_family("DejaVu Sans");
    Arc::new(fonts)
});

/// The most pixels in one direction: beyond this no viewer shows a picture well.
pub const LARGEST: f64 = 16_384.0;

/// Draws an SVG at a scale, smaller where it would be larger than [`LARGEST`]; none if it is no SVG.
pub(crate) fn png(svg: &str, scale: f64) -> Option<Vec<u8>> {
    let options = Options { fontdb: Arc::clone(&FONTS), ..Options::default() };
    let tree = Tree::from_str(svg, &options).ok()?;
    let (width, height) = (f64::from(tree.size().width()), f64::from(tree.size().height()));
    let scale = scale.min(LARGEST / width.max(height));
    let pixels = |length: f64| {
        // Between 1 and LARGEST.
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "bounded")]
        let whole = (length * scale).ceil().clamp(1.0, LARGEST) as u32;
        whole
    };
    let mut picture = Pixmap::new(pixels(width), pixels(height))?;
    #[allow(clippy::cast_possible_truncation, reason = "a scale is no exact number")]
    let by = scale as f32;
    resvg::render(&tree, Transform::from_scale(by, by), &mut picture.as_mut());
    picture.encode_png().ok()
}
