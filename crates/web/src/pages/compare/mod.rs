//! Compare: up to eight sessions or curves on one scale.

mod charts;
mod runs;
mod view;

use std::collections::HashMap;

use askama::Template;
use axum::extract::{Query, State};
use axum::http::StatusCode;
use axum::response::Response;
use spare_hour_core::quantity::Soc;
use spare_hour_core::quantity::units::Units;
use spare_hour_core::session::compare::{Comparison, MOST_COMPARED, compare};

use crate::app::App;
use crate::charts::{Kind, Plot, drawing_file, parse_file};
use crate::forms::distance_base::parse_base;
use crate::forms::field::Field;
use crate::http::address::{Path, query};
use crate::http::download::download;
use crate::http::error::{WebError, page};
use crate::layout::Frame;
use charts::BrickRow;
use runs::{Choice, OwnedRun};
use spare_hour_planning::read_charge::Reports;
use spare_hour_wording::comparison as comparison_words;
use view::{PartRow, Row};

#[derive(Template)]
#[template(path = "compare/show.html")]
struct ComparePage {
    frame: Frame,
    choices: Vec<Choice>,
    fault: Option<String>,
    /// Names of what is compared, by its key in the address.
    chosen: Vec<(String, String)>,
    base: String,
    from: Field,
    to: Field,
    bases: Vec<(&'static str, &'static str, bool)>,
    common: Option<(String, String)>,
    view: Option<View>,
    query: String,
}

/// Everything on the page that is figured out.
struct View {
    rows: Vec<Row>,
    parts: Vec<PartRow>,
    repeatability: Vec<String>,
    cautions: Vec<String>,
    /// Loss between a station's meter and the car's, where two sessions are of one charge.
    losses: Vec<[String; 5]>,
    plots: Vec<Plot>,
    bricks: Vec<BrickRow>,
    has_distance: bool,
    units: Units,
    energy: String,
    distance: String,
}

/// What an address asks: `s3=1` and `c2=1` choose a session and a curve, `base=s3` the one that others are held against.
pub(crate) type Ask = HashMap<String, String>;

/// The comparison and what it was made of.
struct Compared {
    runs: Vec<OwnedRun>,
    comparison: Comparison,
    base: usize,
}

/// Keys of what is chosen: those of the address that are set, in order.
fn chosen_keys(ask: &Ask) -> Vec<String> {
    let is_choice = |key: &&String| {
        let (kind, number) = key.split_at(key.len().min(1));
        (kind == "s" || kind == "c") && number.parse::<i32>().is_ok()
    };
    let mut keys: Vec<String> = ask.keys().filter(is_choice).cloned().collect();
    keys.sort_by_key(|key| (key.starts_with('c'), key[1..].parse::<i32>().unwrap_or_default()));
    keys
}

fn compared(
    store: &spare_hour_store::Store,
    reports: &Reports,
    ask: &Ask,
    window: Option<(Soc, Soc)>,
) -> Result<Compared, WebError> {
    let keys = chosen_keys(ask);
    let wish = parse_base(ask.get("distance").map(String::as_str));
    let mut owned = Vec::new();
    for key in keys.iter().take(MOST_COMPARED) {
        owned.push(OwnedRun::new(store, key, wish, reports)?);
    }
    let base = ask.get("base").and_then(|base| owned.iter().position(|run| run.key == *base)).unwrap_or(0);
    let runs: Vec<_> = owned.iter().map(OwnedRun::run).collect();
    let comparison = compare(&runs, window, base);
    Ok(Compared { comparison, base, runs: owned })
}

/// The window that was typed, with faults beside the fields.
fn typed_window(ask: &Ask, common: Option<(Soc, Soc)>) -> (Field, Field, Option<(Soc, Soc)>) {
    let usual = |soc: Option<Soc>| soc.map(|soc| format!("{:.0}", soc.get())).unwrap_or_default();
    let typed = |key: &str, usual: String| Field::new(ask.get(key).cloned().unwrap_or(usual));
    let mut from = typed("from", usual(common.map(|common| common.0)));
    let mut to = typed("to", usual(common.map(|common| common.1)));
    let Some((low, high)) = common.map(|common| (common.0.get(), common.1.get())) else {
        return (from, to, None);
    };
    let numbers = from.number(low, high, "%").zip(to.number(low, high, "%"));
    if numbers.is_some_and(|(from, to)| to <= from) {
        to.fault = Some(format!("expected more than {}", from.text));
    }
    let window = numbers.filter(|(from, to)| to > from).map(|(from, to)| (Soc::percent(from), Soc::percent(to)));
    (from, to, window)
}

/// The page.
pub(crate) async fn show(State(app): State<App>, Query(ask): Query<Ask>) -> Result<Response, WebError> {
    let (frame, reports) = (Frame::new(&app, "compare", "Compare"), app.reports());
    let shown = app.run(move |store| ComparePage::new(store, &reports, frame, &ask)).await?;
    Ok(page(StatusCode::OK, &shown))
}

impl ComparePage {
    fn new(store: &spare_hour_store::Store, reports: &Reports, frame: Frame, ask: &Ask) -> Result<Self, WebError> {
        let (keys, units) = (chosen_keys(ask), store.settings()?.units);
        let whole = compared(store, reports, ask, None)?;
        let common = whole.comparison.common;
        let (from, to, window) = typed_window(ask, common);
        let compared = if window == common { whole } else { compared(store, reports, ask, window)? };
        let pairs = keys.iter().map(|key| (key.as_str(), "1".to_string()));
        let kept = ["base", "from", "to", "distance"].into_iter().filter_map(|key| Some((key, ask.get(key)?.clone())));
        let distance = ask.get("distance").map(String::as_str);
        let fault = if keys.len() > MOST_COMPARED {
            Some(format!("{} are ticked; the first {MOST_COMPARED} are compared.", keys.len()))
        } else if common.is_none() && compared.runs.len() > 1 {
            Some("These have no SoC in common, so there is no window to compare.".into())
        } else {
            None
        };
        let is_base = |word: &str| distance.unwrap_or("rated") == word;
        Ok(Self {
            frame,
            choices: runs::choices(store, &keys)?,
            fault,
            chosen: compared.runs.iter().map(|run| (run.key.clone(), run.name.clone())).collect(),
            base: compared.runs.get(compared.base).map(|run| run.key.clone()).unwrap_or_default(),
            from,
            to,
            bases: [("rated", "rated range"), ("constant-speed", "constant-speed test"), ("own", "own consumption")]
                .map(|(word, name)| (word, name, is_base(word)))
                .to_vec(),
            common: common.map(|(from, to)| (format!("{:.0}", from.get()), format!("{:.0}", to.get()))),
            view: (!compared.runs.is_empty()).then(|| View::new(&compared, units)),
            query: query(pairs.chain(kept)),
        })
    }
}

impl View {
    fn new(compared: &Compared, units: Units) -> Self {
        let Compared { runs, comparison, base } = compared;
        let name = |index: usize| view::letter(index);
        Self {
            rows: view::rows(runs, comparison, units),
            parts: view::parts(comparison, *base),
            repeatability: view::repeatability(comparison, name),
            cautions: comparison.cautions.iter().map(|caution| comparison_words::sentence(caution, units)).collect(),
            losses: view::losses(runs),
            plots: charts::plots(runs, comparison, units),
            bricks: charts::bricks(runs, units),
            units,
            has_distance: comparison.distance.is_some(),
            energy: comparison.energy.map(|energy| format!("{:.0}", energy.get())).unwrap_or_default(),
            distance: comparison
                .distance
                .map(|distance| format!("{:.0}", units.distance.of(distance)))
                .unwrap_or_default(),
        }
    }
}

/// A chart of the comparison as SVG, PNG or CSV.
pub(crate) async fn chart(
    State(app): State<App>,
    Path(file): Path<String>,
    Query(ask): Query<Ask>,
) -> Result<Response, WebError> {
    let reports = app.reports();
    app.run(move |store| {
        let (name, kind) = parse_file(&file)?;
        let common = compared(store, &reports, &ask, None)?.comparison.common;
        let compared = compared(store, &reports, &ask, typed_window(&ask, common).2)?;
        let file_name = format!("compare-{name}");
        if kind == Kind::Csv {
            let table = charts::table(&compared.runs, &compared.comparison, name).ok_or(WebError::NotFound)?;
            return Ok(download(&format!("{file_name}.csv"), "text/csv; charset=utf-8", table));
        }
        let plots = charts::plots(&compared.runs, &compared.comparison, store.settings()?.units);
        let plot = plots.into_iter().find(|plot| plot.key == name).ok_or(WebError::NotFound)?;
        drawing_file(&plot.render().map_err(|_| WebError::Failed)?, kind, &file_name)
    })
    .await
}

#[cfg(test)]
mod tests {
    use super::*;

    fn ask(pairs: &[(&str, &str)]) -> Ask {
        pairs.iter().map(|(key, value)| ((*key).to_string(), (*value).to_string())).collect()
    }

    #[test]
    fn choices_are_found_among_what_an_address_holds() {
        let asked =
            ask(&[("s12", "1"), ("c3", "1"), ("s2", "1"), ("base", "s2"), ("start", "1"), ("s", "1"), ("cx", "1")]);
        assert_eq!(chosen_keys(&asked), ["s2", "s12", "c3"]);
    }

    #[test]
    fn a_window_outside_what_is_common_is_named() {
        let common = Some((Soc::percent(10.0), Soc::percent(80.0)));
        let (from, to, window) = typed_window(&ask(&[]), common);
        assert_eq!((from.text.as_str(), to.text.as_str(), window), ("10", "80", common));
        let (from, _, window) = typed_window(&ask(&[("from", "5"), ("to", "50")]), common);
        assert!(from.fault.unwrap().contains("expected 10 to 80 %") && window.is_none());
        let (_, to, window) = typed_window(&ask(&[("from", "60"), ("to", "50")]), common);
        assert_eq!((to.fault.as_deref(), window), (Some("expected more than 60"), None));
        assert_eq!(typed_window(&ask(&[("from", "20,5")]), common).2, Some((Soc::percent(20.5), Soc::percent(80.0))));
        assert_eq!(typed_window(&ask(&[]), None).2, None);
    }
}
