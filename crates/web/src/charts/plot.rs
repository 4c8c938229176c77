//! A chart with two axes: lines, points, a band, marked parts and marks, drawn as SVG.

use askama::Template;

use super::{Scale, Tick};

/// The drawing's frame in its own units.
pub(crate) const LEFT: f64 = 58.0;
pub(crate) const RIGHT: f64 = 560.0;
pub(crate) const TOP: f64 = 26.0;
pub(crate) const BOTTOM: f64 = 256.0;

/// A line.
#[derive(Clone, Debug, Default)]
pub(crate) struct Line {
    /// Its look, by name.
    pub(crate) class: &'static str,
    pub(crate) path: String,
    /// A short name at its end, and where that stands.
    pub(crate) label: Option<(f64, f64, String)>,
}

/// A part of the x axis that is marked.
#[derive(Clone, Debug)]
pub(crate) struct Part {
    pub(crate) x: f64,
    pub(crate) width: f64,
    pub(crate) told: String,
}

/// A mark at a place, with the letter that names it.
#[derive(Clone, Debug)]
pub(crate) struct Mark {
    pub(crate) x: f64,
    pub(crate) y: f64,
    pub(crate) letter: String,
    pub(crate) told: String,
}

/// A point that leads somewhere.
#[derive(Clone, Debug)]
pub(crate) struct Dot {
    pub(crate) x: f64,
    pub(crate) y: f64,
    pub(crate) address: String,
    pub(crate) told: String,
}

/// A chart.
#[derive(Clone, Debug, Default, Template)]
#[template(path = "charts/plot.html")]
pub(crate) struct Plot {
    /// What it shows, in words.
    pub(crate) told: String,
    /// Its name in addresses and for the script.
    pub(crate) key: &'static str,
    pub(crate) x_name: &'static str,
    pub(crate) y_name: String,
    pub(crate) x_ticks: Vec<Tick>,
    pub(crate) y_ticks: Vec<Tick>,
    /// A second axis on the right, and its name.
    pub(crate) right_ticks: Vec<Tick>,
    pub(crate) right_name: &'static str,
    pub(crate) lines: Vec<Line>,
    /// The names of the lines that are read on the axis at the right, with commas between.
    pub(crate) on_the_right: &'static str,
    /// The outline of a band around a line.
    pub(crate) band: String,
    pub(crate) points: Vec<(f64, f64)>,
    pub(crate) dots: Vec<Dot>,
    pub(crate) parts: Vec<Part>,
    pub(crate) marks: Vec<Mark>,
    /// Whether a window may be dragged on it.
    pub(crate) draggable: bool,
    pub(crate) left: f64,
    pub(crate) right: f64,
    pub(crate) top: f64,
    pub(crate) bottom: f64,
}

impl Plot {
    /// A chart without anything on it.
    pub(crate) fn new(key: &'static str, x_name: &'static str, y_name: impl Into<String>) -> Self {
        let y_name = y_name.into();
        Self { key, x_name, y_name, left: LEFT, right: RIGHT, top: TOP, bottom: BOTTOM, ..Self::default() }
    }
}

/// The scale of the x axis.
pub(crate) fn x_scale(from: f64, to: f64) -> Scale {
    Scale::new((from, to), (LEFT, RIGHT))
}

/// The scale of the y axis, from 0.
pub(crate) fn y_scale(most: f64) -> Scale {
    Scale::new((0.0, most), (BOTTOM, TOP))
}
