//! SVG as a picture of pixels, with the font that comes along.

use std::io::Write as _;
use std::sync::{Arc, LazyLock};

use felting::progress::{Progress, Stage};
use rayon::prelude::*;
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

/// So many rows of pixels are drawn by one thread before it takes others.
const BAND: u32 = 1024;

/// Draws an SVG at a scale, smaller where it would be larger than [`LARGEST`]; none if it is no SVG.
///
/// It is drawn in bands, by all threads at once, and only those being written are there in memory.
pub(crate) fn png(svg: &str, scale: f64, progress: &Progress) -> Option<Vec<u8>> {
    in_bands(svg, scale, BAND, progress)
}

fn in_bands(svg: &str, scale: f64, rows: u32, progress: &Progress) -> Option<Vec<u8>> {
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
    let (width, height) = (pixels(width), pixels(height));
    #[allow(clippy::cast_possible_truncation, reason = "a scale is no exact number")]
    let by = scale as f32;
    let band = |first: u32| {
        let mut band = Pixmap::new(width, rows.min(height - first))?;
        #[allow(clippy::cast_precision_loss, reason = "at most LARGEST")]
        let up = Transform::from_scale(by, by).post_translate(0.0, -(first as f32));
        resvg::render(&tree, up, &mut band.as_mut());
        progress.advance(1);
        Some(band.take_demultiplied())
    };
    let firsts: Vec<u32> = (0..height).step_by(rows as usize).collect();
    progress.begin(Stage::Drawing, firsts.len());
    let mut bytes = Vec::new();
    let mut encoder = png::Encoder::new(&mut bytes, width, height);
    encoder.set_color(png::ColorType::Rgba);
    encoder.set_depth(png::BitDepth::Eight);
    let mut header = encoder.write_header().ok()?;
    let mut written = header.stream_writer().ok()?;
    for firsts in firsts.chunks(rayon::current_num_threads()) {
        let bands: Vec<Option<Vec<u8>>> = firsts.par_iter().map(|&first| band(first)).collect();
        for band in bands {
            written.write_all(&band?).ok()?;
        }
    }
    written.finish().ok()?;
    header.finish().ok()?;
    Some(bytes)
}

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used, reason = "a test that cannot go on fails there")]

    use super::*;

    /// What crosses from band to band looks as when drawn at once, but for shades where a curve is cut.
    #[test]
    fn bands_join_without_a_seam() {
        const ROWS: u32 = 256;
        let svg = r##"<svg xmlns="http://www.w3.org/2000/svg" width="300" height="700">
            <rect width="300" height="700" fill="#ffffff"/>
            <path d="M10 5 L290 690" stroke="#336699" stroke-width="3"/>
            <circle cx="150" cy="256" r="90" fill="none" stroke="#993311" stroke-width="1.5"/>
            <text x="40" y="260" font-size="24" font-family="sans-serif">kelp-a p49</text>
        </svg>"##;
        for scale in [1.0, 1.7] {
            let draw = |rows| {
                let bytes = in_bands(svg, scale, rows, &Progress::default()).unwrap();
                Pixmap::decode_png(&bytes).unwrap()
            };
            let (bands, whole) = (draw(ROWS), draw(u32::MAX));
            assert!(whole.height() > 2 * ROWS);
            let apart =
                bands.data().iter().zip(whole.data()).map(|(one, other)| one.abs_diff(*other));
            let apart: Vec<u8> = apart.filter(|&apart| apart > 2).collect();
            let worst = apart.iter().max();
            assert!(
                apart.len() < 1_000 && worst < Some(&100),
                "at {scale}: {} {worst:?}",
                apart.len()
            );
        }
    }
}
