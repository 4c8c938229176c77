//! Cars: what is known of each, the curves that its sessions amount to, and the one that plans use.

mod curve;
mod form;
mod lists;

use askama::Template;
use axum::extract::{Form, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use serde::Deserialize;
use spare_hour_core::charging::charging_time::ChargingTime;
use spare_hour_core::charging::curve_family::FamilyCurve;
use spare_hour_core::charging::profile::Profile;
use spare_hour_core::quantity::units::Units;
use spare_hour_core::quantity::{Energy, Soc};
use spare_hour_formats::clock;
use spare_hour_planning::combine_charges::{Combined, combine};
use spare_hour_planning::read_charge::Reports;
use spare_hour_store::{Car, Curve, NewCurve, Store};

use crate::app::App;
use crate::charts::{Line, Plot, path, ticks, x_scale, y_scale};
use crate::forms::seen::must_be_as_seen;
use crate::http::address::Path;
use crate::http::error::{WebError, page};
use crate::layout::Frame;
use spare_hour_wording::{figures, findings as wording};

pub(crate) use curve::{keep as keep_points, show as show_curve};
use form::{CarFields, CarForm};
pub(crate) use lists::{curves as list_curves, import, import_curves};

#[derive(Template)]
#[template(path = "cars/list.html")]
struct ListPage {
    frame: Frame,
    cars: Vec<CarLine>,
    new: CarForm,
}

/// A car in the list.
struct CarLine {
    id: i32,
    name: String,
    told: String,
    curve: String,
}

#[derive(Template)]
#[template(path = "cars/show.html")]
struct ShowPage {
    frame: Frame,
    id: i32,
    name: String,
    form: CarForm,
    kept: bool,
    /// Capacity and range.
    told: String,
    details: Vec<String>,
    family: Vec<FamilyRow>,
    /// Sessions that could not be read, with the reason.
    unread: Vec<String>,
    /// Sessions of another capacity, named.
    other_capacity: Vec<String>,
    /// What several charges agree on.
    agreed: Vec<String>,
    plot: Option<Plot>,
    curves: Vec<CurveRow>,
    sessions: Vec<(i32, String)>,
    /// Whether it is one's own alone, where people sign in.
    private: Option<bool>,
}

/// A curve that the sessions of a car amount to.
struct FamilyRow {
    /// Its place in the family.
    index: usize,
    kind: String,
    measured: String,
    ten_to_eighty: String,
    members: Vec<String>,
    lower_bound: Vec<String>,
}

/// A curve that is kept.
struct CurveRow {
    id: i32,
    name: String,
    session: Option<i32>,
    kept: String,
    explained: String,
    moved: usize,
    measured: String,
    peak: String,
    ten_to_eighty: String,
    in_use: bool,
}

/// What an address asks of a car.
#[derive(Debug, Default, Deserialize)]
pub(crate) struct Ask {
    #[serde(default)]
    kept: bool,
}

#[derive(Debug, Deserialize)]
pub(crate) struct CurveForm {
    curve: i32,
}

#[derive(Debug, Deserialize)]
pub(crate) struct FamilyForm {
    index: usize,
    #[serde(default)]
    use_it: bool,
}

/// All cars.
pub(crate) async fn list(State(app): State<App>) -> Result<Response, WebError> {
    let units = app.units().await?;
    list_page(&app, CarForm::empty(units), units, StatusCode::OK).await
}

async fn list_page(app: &App, new: CarForm, units: Units, status: StatusCode) -> Result<Response, WebError> {
    let cars = app
        .run(move |store| {
            let line = |car: Car| {
                let curve = car.curve.map(|curve| store.curve(curve)).transpose()?;
                Ok(CarLine {
                    id: car.id,
                    told: told(&car, units),
                    curve: curve.map_or_else(|| "no charge curve yet".into(), |curve| curve.about.name),
                    name: car.about.name,
                })
            };
            store.cars()?.into_iter().map(line).collect()
        })
        .await?;
    Ok(page(status, &ListPage { frame: Frame::new(app, "cars", "Cars"), cars, new }))
}

/// A car in one line.
fn told(car: &Car, units: Units) -> String {
    let about = &car.about;
    let range = about.distances.or_first_known(about.distance_base, about.usable).1;
    let range = range.map(|range| format!(", {}", figures::distance(units, range))).unwrap_or_default();
    format!("{} kWh usable{range}", figures::field(about.usable.get()))
}

/// Keeps a new car.
pub(crate) async fn add(State(app): State<App>, Form(fields): Form<CarFields>) -> Result<Response, WebError> {
    let units = app.units().await?;
    let mut form = CarForm::new(fields, units);
    let Some(car) = form.car() else {
        return list_page(&app, form, units, StatusCode::UNPROCESSABLE_ENTITY).await;
    };
    let id = app.change(move |store| Ok(store.add_car(&car)?)).await?;
    Ok(Redirect::to(&format!("/cars/{id}?kept=true")).into_response())
}

/// One car.
pub(crate) async fn show(
    State(app): State<App>,
    Path(id): Path<i32>,
    Query(ask): Query<Ask>,
) -> Result<Response, WebError> {
    show_page(&app, id, None, ask.kept).await
}

async fn show_page(app: &App, id: i32, form: Option<CarForm>, kept: bool) -> Result<Response, WebError> {
    let status = if form.is_some() { StatusCode::UNPROCESSABLE_ENTITY } else { StatusCode::OK };
    let frame = Frame::new(app, "cars", "Car");
    let (units, reports) = (app.units().await?, app.reports());
    let shown = app.run(move |store| ShowPage::new(store, &reports, (id, units), frame, form, kept)).await?;
    Ok(page(status, &shown))
}

impl ShowPage {
    fn new(
        store: &Store,
        reports: &Reports,
        (id, units): (i32, Units),
        frame: Frame,
        form: Option<CarForm>,
        kept: bool,
    ) -> Result<Self, WebError> {
        let car = store.car(id)?;
        let curves = store.curves_of(id)?;
        let Combined { family, unread, other_capacity, agreed } = combine(store, &car, reports)?;
        let sessions = store.sessions()?.into_iter().filter(|line| line.car == Some(id));
        let private = frame.person.is_some().then(|| store.is_private_car(id)).transpose()?;
        Ok(Self {
            private,
            frame: Frame { title: car.about.name.clone(), ..frame },
            id,
            name: car.about.name.clone(),
            kept,
            told: told(&car, units),
            details: details(&car),
            plot: plot(&car, &family, &curves),
            family: family.iter().enumerate().map(|(index, curve)| family_row(index, curve, &car)).collect(),
            unread: unread.iter().map(|(name, error)| format!("{name}: {error}")).collect(),
            other_capacity: other_capacity
                .iter()
                .map(|(name, usable)| format!("{name} ({} kWh)", figures::field(usable.get())))
                .collect(),
            agreed: agreed.iter().map(wording::agreed).collect(),
            curves: curves.iter().rev().map(|curve| curve_row(&car, curve, units)).collect(),
            sessions: sessions.map(|line| (line.id, line.name)).collect(),
            form: form.unwrap_or_else(|| CarForm::of(&car, units)),
        })
    }
}

fn details(car: &Car) -> Vec<String> {
    let mut details = Vec::new();
    if let Some(boost) = &car.about.boost {
        details.push(format!(
            "Boost for {:.0} min when a charge starts at {} or below",
            boost.time.get(),
            figures::percent(boost.max_start)
        ));
    }
    if let Some(voltage) = &car.about.pack_voltage {
        details.push(format!("Pack voltage {:.0} to {:.0} V", voltage.at(0.0), voltage.at(100.0)));
    }
    details
}

fn ten_to_eighty(power: &Profile, usable: Energy) -> String {
    clock(ChargingTime::new(power, usable).minutes(Soc::percent(10.0), Soc::percent(80.0)))
}

fn range(from: Soc, to: Soc) -> String {
    format!("{} to {}", figures::percent(from), figures::percent(to))
}

fn family_row(index: usize, curve: &FamilyCurve, car: &Car) -> FamilyRow {
    FamilyRow {
        index,
        kind: curve.kind.name(),
        measured: range(curve.measured.0, curve.measured.1),
        ten_to_eighty: ten_to_eighty(&curve.power, car.about.usable),
        members: curve.members.iter().map(|(name, share)| format!("{name} ({:.0} %)", 100.0 * share)).collect(),
        lower_bound: curve.lower_bound.iter().map(|span| range(span.0, span.1)).collect(),
    }
}

fn curve_row(car: &Car, curve: &Curve, units: Units) -> CurveRow {
    let about = &curve.about;
    CurveRow {
        id: curve.id,
        name: about.name.clone(),
        session: about.session,
        kept: figures::stamp(units, &curve.created_at),
        explained: about.explained.clone(),
        moved: about.moved.len(),
        measured: about.measured.map_or_else(|| "not measured".into(), |(from, to)| range(from, to)),
        peak: format!("{:.0}", about.power.points().iter().map(|point| point.1).fold(0.0, f64::max)),
        ten_to_eighty: ten_to_eighty(&about.power, car.about.usable),
        in_use: car.curve == Some(curve.id),
    }
}

/// The family's curves and the one in use, on one scale.
fn plot(car: &Car, family: &[FamilyCurve], curves: &[Curve]) -> Option<Plot> {
    const LOOKS: [&str; 4] = ["series-2", "series-3", "series-4", "series-5"];
    let in_use = curves.iter().find(|curve| Some(curve.id) == car.curve);
    let peak = |power: &Profile| power.points().iter().map(|point| point.1).fold(0.0, f64::max);
    let all = family.iter().map(|curve| &curve.power).chain(in_use.map(|curve| &curve.about.power));
    let most = 1.06 * all.map(peak).fold(0.0, f64::max);
    if most <= 0.0 {
        return None;
    }
    let (x, y) = (x_scale(0.0, 100.0), y_scale(most));
    let mut lines: Vec<Line> = Vec::new();
    if let Some(curve) = in_use {
        lines.push(Line {
            class: "series-1",
            path: path(curve.about.power.points().iter().copied(), &x, &y),
            label: None,
        });
    }
    for (curve, class) in family.iter().zip(LOOKS) {
        let measured = curve.power.points().iter().copied();
        let measured = measured.filter(|point| point.0 >= curve.measured.0.get() && point.0 <= curve.measured.1.get());
        let points: Vec<(f64, f64)> = measured.collect();
        let number = 1 + lines.iter().filter(|line| line.label.is_some()).count();
        let label = points.last().map(|end| (x.at(end.0) + 5.0, y.at(end.1) + 4.0, number.to_string()));
        lines.push(Line { class, path: path(points, &x, &y), label });
    }
    Some(Plot {
        told: format!("The curve in use and {} curves from sessions, power into the battery over SoC.", family.len()),
        lines,
        x_ticks: ticks(100.0, 5.0, &x),
        y_ticks: ticks(most, 5.0, &y),
        ..Plot::new("family", "SoC, %", "kW into the battery")
    })
}

/// Changes a car.
pub(crate) async fn change(
    State(app): State<App>,
    Path(id): Path<i32>,
    Form(fields): Form<CarFields>,
) -> Result<Response, WebError> {
    let mut form = CarForm::new(fields, app.units().await?);
    let Some(car) = form.car() else {
        return show_page(&app, id, Some(form), false).await;
    };
    let seen = form.seen;
    app.change(move |store| {
        must_be_as_seen(&seen, &store.car(id)?.about)?;
        Ok(store.change_car(id, &car)?)
    })
    .await?;
    Ok(Redirect::to(&format!("/cars/{id}?kept=true")).into_response())
}

/// Removes a car with its curves.
pub(crate) async fn remove(State(app): State<App>, Path(id): Path<i32>) -> Result<Redirect, WebError> {
    app.change(move |store| Ok(store.remove_car(id)?)).await?;
    Ok(Redirect::to("/cars"))
}

/// Makes another curve the one that plans use.
pub(crate) async fn use_curve(
    State(app): State<App>,
    Path(id): Path<i32>,
    Form(form): Form<CurveForm>,
) -> Result<Redirect, WebError> {
    app.change(move |store| Ok(store.use_curve(id, form.curve)?)).await?;
    Ok(Redirect::to(&format!("/cars/{id}")))
}

/// Removes a kept curve.
pub(crate) async fn remove_curve(
    State(app): State<App>,
    Path(id): Path<i32>,
    Form(form): Form<CurveForm>,
) -> Result<Redirect, WebError> {
    app.change(move |store| Ok(store.remove_curve(form.curve)?)).await?;
    Ok(Redirect::to(&format!("/cars/{id}")))
}

/// Keeps a curve of the family, as it is now, as a version.
pub(crate) async fn keep_family(
    State(app): State<App>,
    Path(id): Path<i32>,
    Form(form): Form<FamilyForm>,
) -> Result<Redirect, WebError> {
    app.change(move |store| {
        let car = store.car(id)?;
        let curve = combine(store, &car, &Reports::default())?.family.into_iter().nth(form.index);
        let curve = curve.ok_or_else(|| WebError::Missing("The car's sessions have changed; look again.".into()))?;
        let members: Vec<String> =
            curve.members.iter().map(|(name, share)| format!("{name} ({:.0} %)", 100.0 * share)).collect();
        let new = NewCurve {
            measured: Some(curve.measured),
            explained: format!("{}: minutes per percent averaged, {}", curve.kind.name(), members.join(", ")),
            ..NewCurve::new(id, format!("Combined, {}", curve.kind.name()), curve.power)
        };
        if form.use_it {
            store.add_curve_in_use(&new)?
        } else {
            store.add_curve(&new)?
        };
        Ok(())
    })
    .await?;
    Ok(Redirect::to(&format!("/cars/{id}")))
}
