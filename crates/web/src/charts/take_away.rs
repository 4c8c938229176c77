//! Charts to take away: an SVG with its own styles, and a PNG drawn from it.

use std::sync::{Arc, LazyLock};

use axum::response::Response;
use resvg::tiny_skia::{Color, Pixmap, Transform};
use resvg::usvg::{Options, Tree, fontdb};

use crate::http::download::download;
use crate::http::error::WebError;

/// By day, for paper and for other people's pages.
const STYLES: &str = include_str!("take_away.css");
/// The PNG has this many pixels for each of the drawing's units.
const PIXELS: f32 = 2.0;

/// What the files call themselves, whatever their weight.
const FAMILY: &str = "Source Sans 3 ExtraLight";

static FONTS: LazyLock<Arc<fontdb::Database>> = LazyLock::new(|| {
    let mut fonts = fontdb::Database::new();
    fonts.load_font_data(include_bytes!("../../fonts/source-sans-3-400.ttf").to_vec());
    fonts.load_font_data(include_bytes!("../../fonts/source-sans-3-700.ttf").to_vec());
    Arc::new(fonts)
});

/// What a chart can be taken away as.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Kind {
    Svg,
    Png,
    Csv,
}

/// The name and kind in `power.svg`.
pub(crate) fn parse_file(file: &str) -> Result<(&str, Kind), WebError> {
    let (name, kind) = file.rsplit_once('.').ok_or(WebError::NotFound)?;
    let kind = match kind {
        "svg" => Kind::Svg,
        "png" => Kind::Png,
        "csv" => Kind::Csv,
        _ => return Err(WebError::NotFound),
    };
    Ok((name, kind))
}

/// A drawing as it stands on a page, with its own styles.
pub(crate) fn standalone(drawing: &str) -> String {
    drawing.replacen('>', &format!("><style>{STYLES}</style>"), 1)
}

/// A drawing as a file.
pub(crate) fn drawing_file(drawing: &str, kind: Kind, name: &str) -> Result<Response, WebError> {
    let svg = standalone(drawing);
    if kind == Kind::Svg {
        return Ok(download(&format!("{name}.svg"), "image/svg+xml", svg));
    }
    let png = png(&svg).map_err(|problem| {
        tracing::error!("a chart could not be drawn: {problem}");
        WebError::Failed
    })?;
    Ok(download(&format!("{name}.png"), "image/png", png))
}

fn png(svg: &str) -> Result<Vec<u8>, String> {
    let options = Options { fontdb: FONTS.clone(), font_family: FAMILY.into(), ..Options::default() };
    let tree = Tree::from_str(svg, &options).map_err(|error| error.to_string())?;
    let size = tree.size().to_int_size().scale_by(PIXELS).ok_or("it has no size")?;
    let mut pixels = Pixmap::new(size.width(), size.height()).ok_or("it is too large")?;
    pixels.fill(Color::WHITE);
    resvg::render(&tree, Transform::from_scale(PIXELS, PIXELS), &mut pixels.as_mut());
    pixels.encode_png().map_err(|error| error.to_string())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_drawing_becomes_pixels_with_words() {
        let drawing = |word: &str| {
            format!(
                "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 60 30\" class=\"chart\"><text x=\"5\" y=\"20\">{word}</text></svg>"
            )
        };
        let (with, without) = (png(&standalone(&drawing("kW"))).unwrap(), png(&standalone(&drawing(""))).unwrap());
        assert!(with.starts_with(b"\x89PNG") && with != without);
        assert_eq!(&with[16..24], [0, 0, 0, 120, 0, 0, 0, 60]);
    }

    #[test]
    fn names_and_kinds() {
        assert_eq!(parse_file("power.svg").unwrap(), ("power", Kind::Svg));
        assert!(parse_file("power").is_err() && parse_file("power.exe").is_err());
    }
}
