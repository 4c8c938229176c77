//! A kept curve, its points moved by hand. What was measured stays; the moved curve is a new version that says so.

use std::collections::HashMap;

use askama::Template;
use axum::extract::{Form, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use spare_hour_core::charging::curve_moves::{movable, with_moved_points};
use spare_hour_core::charging::profile::Profile;
use spare_hour_core::quantity::{Power, Soc};
use spare_hour_store::{Curve, MovedPoint, NewCurve};

use crate::app::App;
use crate::charts::{Line, Mark, Plot, path, ticks, x_scale, y_scale};
use crate::forms::field::Field;
use crate::http::address::Path;
use crate::http::error::{WebError, page};
use crate::layout::Frame;
use spare_hour_wording::figures;

/// Maximum power of a point, kW.
const MOST_KW: f64 = 2_000.0;
/// Powers that differ by less are the same, kW: the form shows one decimal.
const SAME: f64 = 0.051;

#[derive(Template)]
#[template(path = "cars/curve.html")]
struct CurvePage {
    frame: Frame,
    car: i32,
    id: i32,
    name: String,
    explained: String,
    measured: String,
    plot: Plot,
    points: Vec<PointRow>,
    name_field: Field,
}

/// A point that may be moved.
struct PointRow {
    key: String,
    soc: String,
    /// Whether it was measured, assumed, or moved before.
    kind: &'static str,
    kw: String,
    field: Field,
}

/// The form: a power for each SoC, and a name.
pub(crate) type PointFields = HashMap<String, String>;

/// The points of a curve.
pub(crate) async fn show(State(app): State<App>, Path((car, id)): Path<(i32, i32)>) -> Result<Response, WebError> {
    let curve = app.run(move |store| Ok(store.curve(id)?)).await?;
    Ok(curve_page(&app, car, &curve, &PointFields::new(), StatusCode::OK, HashMap::new()))
}

fn curve_page(
    app: &App,
    car: i32,
    curve: &Curve,
    typed: &PointFields,
    status: StatusCode,
    mut faults: HashMap<String, String>,
) -> Response {
    let about = &curve.about;
    let name = typed.get("name").cloned().unwrap_or_else(|| format!("{}, by hand", about.name));
    let mut name_field = Field::new(name);
    name_field.fault = faults.remove("name");
    let shown = CurvePage {
        frame: Frame::new(app, "cars", "Points of a curve"),
        car,
        id: curve.id,
        name: about.name.clone(),
        explained: about.explained.clone(),
        measured: about.measured.map_or_else(
            || "Nothing of it was measured here.".into(),
            |(from, to)| format!("Measured from {} to {}.", figures::percent(from), figures::percent(to)),
        ),
        plot: plot(curve),
        points: movable().map(|soc| point_row(curve, soc, typed, &mut faults)).collect(),
        name_field,
    };
    page(status, &shown)
}

fn key(soc: Soc) -> String {
    format!("at-{:.0}", soc.get())
}

fn point_row(curve: &Curve, soc: Soc, typed: &PointFields, faults: &mut HashMap<String, String>) -> PointRow {
    let about = &curve.about;
    let kw = format!("{:.1}", about.power.at(soc.get()));
    let measured = about.measured.is_some_and(|(from, to)| soc >= from && soc <= to);
    let moved = about.moved.iter().any(|point| point.soc == soc);
    let key = key(soc);
    let mut field = Field::new(typed.get(&key).cloned().unwrap_or_else(|| kw.clone()));
    field.fault = faults.remove(&key);
    PointRow {
        soc: figures::percent(soc),
        kind: if moved {
            "moved by hand"
        } else if measured {
            "measured"
        } else {
            "assumed"
        },
        kw,
        field,
        key,
    }
}

/// The curve with its moved points marked, and, where points were moved, the curve before.
fn plot(curve: &Curve) -> Plot {
    let about = &curve.about;
    let before = about.moved.iter().map(|point| point.before.get());
    let most = 1.06 * about.power.points().iter().map(|point| point.1).chain(before).fold(0.0, f64::max);
    let (x, y) = (x_scale(0.0, 100.0), y_scale(most));
    let line = |power: &Profile, class| Line { class, path: path(power.points().iter().copied(), &x, &y), label: None };
    let mark = |point: &MovedPoint| Mark {
        x: x.at(point.soc.get()),
        y: y.at(point.after.get()),
        letter: "✎".into(),
        told: format!(
            "{}: {:.0} kW before, {:.0} kW by hand",
            figures::percent(point.soc),
            point.before.get(),
            point.after.get()
        ),
    };
    Plot {
        told: format!("Power into the battery over SoC; {} points moved by hand.", about.moved.len()),
        lines: vec![line(&about.power, "curve")],
        points: about.moved.iter().map(|point| (x.at(point.soc.get()), y.at(point.before.get()))).collect(),
        marks: about.moved.iter().map(mark).collect(),
        x_ticks: ticks(100.0, 5.0, &x),
        y_ticks: ticks(most, 5.0, &y),
        ..Plot::new("curve", "SoC, %", "kW into the battery")
    }
}

/// Keeps moved points as a new version of the curve.
pub(crate) async fn keep(
    State(app): State<App>,
    Path((car, id)): Path<(i32, i32)>,
    Form(typed): Form<PointFields>,
) -> Result<Response, WebError> {
    let curve = app.run(move |store| Ok(store.curve(id)?)).await?;
    let mut faults = HashMap::new();
    let mut moved: Vec<MovedPoint> = Vec::new();
    for soc in movable() {
        let mut field = Field::new(typed.get(&key(soc)).cloned().unwrap_or_default());
        let kw = field.number(0.1, MOST_KW, "kW");
        if let Some(fault) = field.fault {
            faults.insert(key(soc), fault);
        }
        let before = Power::kw(curve.about.power.at(soc.get()));
        if let Some(kw) = kw.filter(|kw| (kw - before.get()).abs() > SAME) {
            moved.push(MovedPoint { soc, before, after: Power::kw(kw) });
        }
    }
    let name = Field::new(typed.get("name").cloned().unwrap_or_default()).words(80);
    if name.is_none() {
        faults.insert("name".into(), "expected 1 to 80 characters".into());
    }
    if moved.is_empty() && faults.is_empty() {
        faults.insert("name".into(), "no point was moved, so there is nothing to keep".into());
    }
    let (Some(name), true) = (name, faults.is_empty()) else {
        return Ok(curve_page(&app, car, &curve, &typed, StatusCode::UNPROCESSABLE_ENTITY, faults));
    };
    app.change(move |store| Ok(store.add_curve(&version(&curve, name, moved)?)?)).await?;
    Ok(Redirect::to(&format!("/cars/{car}")).into_response())
}

/// The moved curve; points moved before stay marked, with what they were at first.
fn version(curve: &Curve, name: String, moved: Vec<MovedPoint>) -> Result<NewCurve, WebError> {
    let about = &curve.about;
    let moves: Vec<(Soc, Power)> = moved.iter().map(|point| (point.soc, point.after)).collect();
    let power = with_moved_points(&about.power, &moves).map_err(|error| WebError::Refused(error.to_string()))?;
    let first = |point: MovedPoint| {
        let before = about.moved.iter().find(|earlier| earlier.soc == point.soc).map_or(point.before, |e| e.before);
        MovedPoint { before, ..point }
    };
    let mut all: Vec<MovedPoint> = moved.into_iter().map(first).collect();
    all.extend(about.moved.iter().filter(|earlier| !moves.iter().any(|point| point.0 == earlier.soc)));
    all.sort_by(|a, b| a.soc.get().total_cmp(&b.soc.get()));
    Ok(NewCurve {
        session: about.session,
        measured: about.measured,
        explained: format!("“{}” with {} points moved by hand", about.name, all.len()),
        moved: all,
        ..NewCurve::new(about.car, name, power)
    })
}
