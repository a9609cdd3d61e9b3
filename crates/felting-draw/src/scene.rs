//! What a drawing is made of, before it becomes SVG.

/// A place in a drawing, in pixels from its upper left corner.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(crate) struct Point {
    pub(crate) x: f64,
    pub(crate) y: f64,
}

impl Point {
    pub(crate) const fn new(x: f64, y: f64) -> Self {
        Self { x, y }
    }
}

/// A rectangle.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(crate) struct Area {
    pub(crate) x: f64,
    pub(crate) y: f64,
    pub(crate) width: f64,
    pub(crate) height: f64,
}

impl Area {
    pub(crate) const fn new(x: f64, y: f64, width: f64, height: f64) -> Self {
        Self { x, y, width, height }
    }

    pub(crate) fn right(self) -> f64 {
        self.x + self.width
    }

    pub(crate) fn bottom(self) -> f64 {
        self.y + self.height
    }

    pub(crate) fn middle(self) -> Point {
        Point::new(self.x + self.width / 2.0, self.y + self.height / 2.0)
    }

    /// The same, larger on all sides.
    pub(crate) fn grown(self, by: f64) -> Self {
        Self::new(self.x - by, self.y - by, self.width + 2.0 * by, self.height + 2.0 * by)
    }

    #[cfg(test)]
    pub(crate) fn overlaps(self, other: Self) -> bool {
        self.x < other.right()
            && other.x < self.right()
            && self.y < other.bottom()
            && other.y < self.bottom()
    }
}

/// What a colour is for; the theme says which it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(crate) enum Ink {
    /// The page.
    Paper,
    /// Names.
    Text,
    /// What is said beside.
    Quiet,
    /// Edges of boxes, and cables.
    Line,
    /// What is not in use, or fades behind a walk.
    Faint,
    /// Switches.
    Switch,
    /// Leaves that lead out, and routers.
    Border,
    /// Hosts.
    Host,
    /// What stands for many.
    Fold,
    /// What belongs together.
    Frame,
    /// LAGs.
    Tie,
    /// The way there.
    There,
    /// The way back.
    Back,
    /// Leaks between VRFs, and sessions.
    Relation,
    /// An error.
    Error,
    /// A warning.
    Warning,
    /// A hint.
    Hint,
    /// Frames: MAC addresses and tags.
    LayerFrame,
    /// IP.
    LayerPacket,
    /// UDP, VXLAN and the like.
    LayerTunnel,
}

impl Ink {
    pub(crate) const ALL: &'static [Self] = &[
        Self::Paper,
        Self::Text,
        Self::Quiet,
        Self::Line,
        Self::Faint,
        Self::Switch,
        Self::Border,
        Self::Host,
        Self::Fold,
        Self::Frame,
        Self::Tie,
        Self::There,
        Self::Back,
        Self::Relation,
        Self::Error,
        Self::Warning,
        Self::Hint,
        Self::LayerFrame,
        Self::LayerPacket,
        Self::LayerTunnel,
    ];
}

/// How a line is drawn.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Stroke {
    pub(crate) ink: Ink,
    pub(crate) width: f64,
    pub(crate) dash: Dash,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Dash {
    Solid,
    Dashed,
    Dotted,
}

impl Stroke {
    pub(crate) const fn new(ink: Ink, width: f64) -> Self {
        Self { ink, width, dash: Dash::Solid }
    }

    pub(crate) const fn dashed(self) -> Self {
        Self { dash: Dash::Dashed, ..self }
    }

    pub(crate) const fn dotted(self) -> Self {
        Self { dash: Dash::Dotted, ..self }
    }
}

/// On which side of its place a text is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Anchor {
    Start,
    Middle,
    End,
}

/// A line of text; the place is that of its base line.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Text {
    pub(crate) at: Point,
    pub(crate) size: f64,
    pub(crate) anchor: Anchor,
    pub(crate) bold: bool,
    pub(crate) ink: Ink,
    pub(crate) words: String,
}

impl Text {
    pub(crate) fn new(at: Point, size: f64, text: impl Into<String>) -> Self {
        Self { at, size, anchor: Anchor::Start, bold: false, ink: Ink::Text, words: text.into() }
    }

    pub(crate) fn middle(self) -> Self {
        Self { anchor: Anchor::Middle, ..self }
    }

    pub(crate) fn end(self) -> Self {
        Self { anchor: Anchor::End, ..self }
    }

    pub(crate) fn bold(self) -> Self {
        Self { bold: true, ..self }
    }

    pub(crate) fn ink(self, ink: Ink) -> Self {
        Self { ink, ..self }
    }
}

#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Shape {
    Box {
        area: Area,
        radius: f64,
        fill: Option<Ink>,
        stroke: Option<Stroke>,
    },
    /// Through points, straight; the last one may have an arrow head.
    Line {
        points: Vec<Point>,
        stroke: Stroke,
        arrow: bool,
    },
    /// From one point to another, bent by way of two others.
    Curve {
        points: [Point; 4],
        stroke: Stroke,
        arrow: bool,
    },
    /// A closed outline.
    Outline {
        points: Vec<Point>,
        fill: Option<Ink>,
        stroke: Option<Stroke>,
    },
    Text(Text),
}

/// Shapes that are one thing.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct Item {
    /// What it stands for, by name, so that findings and readers get to it.
    pub(crate) of: Vec<String>,
    /// What is said when a reader points at it.
    pub(crate) details: String,
    /// Whether it stands behind what a walk passes.
    pub(crate) faded: bool,
    pub(crate) shapes: Vec<Shape>,
}

/// A drawing: what is in it, in the order of painting.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct Scene {
    pub(crate) title: String,
    pub(crate) width: f64,
    pub(crate) height: f64,
    pub(crate) items: Vec<Item>,
}

impl Scene {
    pub(crate) fn add(&mut self, item: Item) {
        self.items.push(item);
    }

    /// Adds shapes that stand for nothing by name.
    pub(crate) fn plain(&mut self, shapes: impl IntoIterator<Item = Shape>) {
        self.items.push(Item { shapes: shapes.into_iter().collect(), ..Item::default() });
    }

    pub(crate) fn text(&mut self, text: Text) {
        self.plain([Shape::Text(text)]);
    }

    /// Makes room for an area, with a margin.
    pub(crate) fn cover(&mut self, area: Area, margin: f64) {
        self.width = self.width.max(area.right() + margin);
        self.height = self.height.max(area.bottom() + margin);
    }
}
