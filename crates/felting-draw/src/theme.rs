use super::scene::Ink;

/// In which colours a drawing is.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Theme {
    /// On white, for paper and documents.
    #[default]
    Light,
    /// On black, for screens.
    Dark,
}

impl Theme {
    /// A colour, as `#rrggbb`.
    ///
    /// What has to be told apart differs in lightness, and in shape or dash as well, so that a copy in
    /// grey and eyes that see fewer colours lose nothing.
    pub(crate) const fn colour(self, ink: Ink) -> &'static str {
        match self {
            Self::Light => match ink {
                Ink::Paper => "#ffffff",
                Ink::Text => "#17202b",
                Ink::Quiet => "#51606f",
                Ink::Line => "#3b4a59",
                Ink::Faint => "#b9c2cb",
                Ink::Switch => "#e3ecf3",
                Ink::Border => "#f4e6c8",
                Ink::Host => "#f3f1ec",
                Ink::Fold => "#eceff2",
                Ink::Frame => "#8b99a8",
                Ink::Tie => "#7a4a8c",
                Ink::There => "#0b62a8",
                Ink::Back => "#c05a00",
                Ink::Relation => "#1d7a63",
                Ink::Error => "#b3171f",
                Ink::Warning => "#9a6a00",
                Ink::Hint => "#4a6785",
                Ink::LayerFrame => "#dfe5ea",
                Ink::LayerPacket => "#cfe3f3",
                Ink::LayerTunnel => "#f6dfc2",
            },
            Self::Dark => match ink {
                Ink::Paper => "#12181f",
                Ink::Text => "#e8edf2",
                Ink::Quiet => "#a9b6c3",
                Ink::Line => "#aab7c4",
                Ink::Faint => "#46525e",
                Ink::Switch => "#23384a",
                Ink::Border => "#4a3d1f",
                Ink::Host => "#2c2f33",
                Ink::Fold => "#252d35",
                Ink::Frame => "#7d8b99",
                Ink::Tie => "#d3a6e4",
                Ink::There => "#6db8f2",
                Ink::Back => "#f0a35a",
                Ink::Relation => "#5fd0b2",
                Ink::Error => "#ff7b7b",
                Ink::Warning => "#e9bd58",
                Ink::Hint => "#9dbbdb",
                Ink::LayerFrame => "#313b45",
                Ink::LayerPacket => "#1f4260",
                Ink::LayerTunnel => "#573f1d",
            },
        }
    }
}

impl Ink {
    /// The class that a page can give a colour of its own.
    pub(crate) const fn class(self) -> &'static str {
        match self {
            Self::Paper => "paper",
            Self::Text => "text",
            Self::Quiet => "quiet",
            Self::Line => "line",
            Self::Faint => "faint",
            Self::Switch => "switch",
            Self::Border => "border",
            Self::Host => "host",
            Self::Fold => "fold",
            Self::Frame => "frame",
            Self::Tie => "tie",
            Self::There => "there",
            Self::Back => "back",
            Self::Relation => "relation",
            Self::Error => "error",
            Self::Warning => "warning",
            Self::Hint => "hint",
            Self::LayerFrame => "layer-frame",
            Self::LayerPacket => "layer-packet",
            Self::LayerTunnel => "layer-tunnel",
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Relative luminance (WCAG 2.2, definition of contrast ratio).
    fn luminance(colour: &str) -> f64 {
        let part = |at: usize| {
            let value = f64::from(u8::from_str_radix(&colour[at..at + 2], 16).unwrap_or(0)) / 255.0;
            if value <= 0.04045 { value / 12.92 } else { ((value + 0.055) / 1.055).powf(2.4) }
        };
        0.2126 * part(1) + 0.7152 * part(3) + 0.0722 * part(5)
    }

    fn contrast(theme: Theme, a: Ink, b: Ink) -> f64 {
        let (a, b) = (luminance(theme.colour(a)), luminance(theme.colour(b)));
        (a.max(b) + 0.05) / (a.min(b) + 0.05)
    }

    #[test]
    fn texts_and_lines_stand_out_from_what_they_are_on() {
        let fills = [
            Ink::Paper,
            Ink::Switch,
            Ink::Border,
            Ink::Host,
            Ink::Fold,
            Ink::LayerFrame,
            Ink::LayerPacket,
            Ink::LayerTunnel,
        ];
        for theme in [Theme::Light, Theme::Dark] {
            for fill in fills {
                // WCAG 2.2 success criterion 1.4.3: 4.5 for text.
                assert!(contrast(theme, Ink::Text, fill) >= 7.0, "{theme:?} {fill:?}");
                assert!(contrast(theme, Ink::Quiet, fill) >= 4.5, "{theme:?} {fill:?}");
            }
            let lines = [
                Ink::Line,
                Ink::Tie,
                Ink::There,
                Ink::Back,
                Ink::Relation,
                Ink::Error,
                Ink::Warning,
                Ink::Hint,
            ];
            for line in lines {
                // Success criterion 1.4.11: 3 for what is no text.
                assert!(contrast(theme, line, Ink::Paper) >= 3.0, "{theme:?} {line:?}");
            }
        }
    }

    #[test]
    fn every_ink_has_a_class_of_its_own() {
        let mut classes: Vec<&str> = Ink::ALL.iter().map(|ink| ink.class()).collect();
        classes.sort_unstable();
        classes.dedup();
        assert_eq!(classes.len(), Ink::ALL.len());
    }
}
