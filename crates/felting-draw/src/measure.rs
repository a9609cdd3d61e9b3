//! How wide texts are in the font that comes with Felting.

use std::sync::LazyLock;

use ttf_parser::Face;

pub(crate) const REGULAR: &[u8] = include_bytes!("../fonts/DejaVuSans.ttf");
pub(crate) const BOLD: &[u8] = include_bytes!("../fonts/DejaVuSans-Bold.ttf");

static FACES: LazyLock<Option<[Face<'static>; 2]>> =
    LazyLock::new(|| Some([Face::parse(REGULAR, 0).ok()?, Face::parse(BOLD, 0).ok()?]));

/// The width of a text in pixels at a size. Other fonts that a reader may have are narrower.
pub(crate) fn width(text: &str, size: f64, bold: bool) -> f64 {
    let Some(faces) = &*FACES else { return text.chars().count() as f64 * size * 0.65 };
    let face = &faces[usize::from(bold)];
    let units = f64::from(face.units_per_em());
    let advance = |letter: char| {
        let glyph = face.glyph_index(letter).and_then(|glyph| face.glyph_hor_advance(glyph));
        glyph.map_or(units * 0.65, f64::from)
    };
    text.chars().map(advance).sum::<f64>() * size / units
}

/// A text, or as much of its start as has room, and an ellipsis.
pub(crate) fn fitted(text: &str, size: f64, bold: bool, room: f64) -> String {
    if width(text, size, bold) <= room {
        return text.to_owned();
    }
    let room = room - width("\u{2026}", size, bold);
    let mut used = 0.0;
    let kept = text.chars().take_while(|letter| {
        used += width(letter.encode_utf8(&mut [0; 4]), size, bold);
        used <= room
    });
    format!("{}\u{2026}", kept.collect::<String>().trim_end())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn texts_are_cut_where_the_room_ends() {
        assert!(width("kelp-a", 12.0, true) > width("kelp-a", 12.0, false));
        assert!((width("mm", 10.0, false) - 2.0 * width("m", 10.0, false)).abs() < 0.01);
        assert_eq!(fitted("kelp-a", 12.0, false, 100.0), "kelp-a");
        let short = fitted("plankton-scope", 12.0, false, 60.0);
        assert!(short.ends_with('\u{2026}') && width(&short, 12.0, false) <= 60.0, "{short}");
    }
}
