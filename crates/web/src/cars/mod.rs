//! Cars: capacity, loss, and the curves of each with the one that plans use.

use askama::Template;
use axum::extract::{Form, Path, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use serde::Deserialize;
use spare_hour_core::charging_time::ChargingTime;
use spare_hour_core::quantity::{Distance, Energy, Soc};
use spare_hour_formats::clock;
use spare_hour_store::{Car, Curve, NewCar, Store};

use crate::App;
use crate::error::{WebError, page};
use crate::fields::Field;
use crate::layout::Frame;
use crate::say;

#[derive(Template)]
#[template(path = "cars/list.html")]
struct ListPage {
    frame: Frame,
    cars: Vec<CarCard>,
    new: CarForm,
}

/// A car as it is shown.
struct CarCard {
    id: i32,
    /// Its number in the names of its fields.
    key: String,
    form: CarForm,
    /// Whether it was changed just now.
    kept: bool,
    details: Vec<String>,
    curves: Vec<CurveRow>,
}

struct CurveRow {
    id: i32,
    name: String,
    session: Option<i32>,
    measured: String,
    peak: String,
    ten_to_eighty: String,
    in_use: bool,
}

/// The form of a car, as it was filled in.
#[derive(Clone, Debug, Default)]
struct CarForm {
    name: Field,
    usable: Field,
    range: Field,
    loss: Field,
}

#[derive(Debug, Deserialize)]
pub(crate) struct CarFields {
    #[serde(default)]
    name: String,
    usable: String,
    range: String,
    loss: String,
}

/// What an address asks of the list.
#[derive(Debug, Default, Deserialize)]
pub(crate) struct Ask {
    /// The car that was changed just now.
    kept: Option<i32>,
}

#[derive(Debug, Deserialize)]
pub(crate) struct CurveForm {
    curve: i32,
}

/// The numbers of a car's form.
struct Numbers {
    usable: Energy,
    range: Option<Distance>,
    loss: f64,
}

impl CarForm {
    fn new(fields: CarFields) -> Self {
        Self {
            name: Field::new(fields.name),
            usable: Field::new(fields.usable),
            range: Field::new(fields.range),
            loss: Field::new(fields.loss),
        }
    }

    fn of(car: &Car) -> Self {
        Self {
            name: Field::new(car.about.name.clone()),
            usable: Field::new(say::field(car.about.usable.get())),
            range: Field::new(car.about.rated_range.map(|range| say::field(range.get())).unwrap_or_default()),
            loss: Field::new(say::field(car.about.charge_loss_percent)),
        }
    }

    /// The fields that hold numbers: name, label and what stands in them.
    fn number_fields(&self) -> Vec<(&'static str, &'static str, &Field)> {
        vec![
            ("usable", "Usable capacity, kWh", &self.usable),
            ("range", "Rated range, km", &self.range),
            ("loss", "Loss, % of plug energy", &self.loss),
        ]
    }

    /// The numbers, or faults beside the fields.
    fn numbers(&mut self) -> Option<Numbers> {
        let usable = self.usable.required(0.1, 2_000.0, "kWh");
        let range = self.range.number(1.0, 10_000.0, "km");
        let loss = self.loss.required(0.0, 90.0, "%");
        if self.range.fault.is_some() {
            return None;
        }
        Some(Numbers { usable: Energy::kwh(usable?), range: range.map(Distance::km), loss: loss? })
    }
}

/// All cars.
pub(crate) async fn list(State(app): State<App>, Query(ask): Query<Ask>) -> Result<Response, WebError> {
    let mut cars = app.run(cards).await?;
    for card in &mut cars {
        card.kept = ask.kept == Some(card.id);
    }
    let new = CarForm { loss: Field::new("8"), ..CarForm::default() };
    Ok(page(StatusCode::OK, &ListPage { frame: Frame::new(&app, "cars", "Cars"), cars, new }))
}

/// The list with a form that holds faults: the new car's, or that of the car `changed`.
async fn list_page(app: &App, new: CarForm, changed: Option<(i32, CarForm)>) -> Result<Response, WebError> {
    let mut cars = app.run(cards).await?;
    if let Some((id, form)) = changed
        && let Some(card) = cars.iter_mut().find(|card| card.id == id)
    {
        card.form = CarForm { name: card.form.name.clone(), ..form };
    }
    Ok(page(StatusCode::UNPROCESSABLE_ENTITY, &ListPage { frame: Frame::new(app, "cars", "Cars"), cars, new }))
}

fn cards(store: &Store) -> Result<Vec<CarCard>, WebError> {
    let card = |car: Car| {
        let curves = store.curves_of(car.id)?.iter().map(|curve| curve_row(&car, curve)).collect();
        Ok(CarCard {
            id: car.id,
            key: car.id.to_string(),
            form: CarForm::of(&car),
            kept: false,
            details: details(&car),
            curves,
        })
    };
    store.cars()?.into_iter().map(card).collect()
}

fn details(car: &Car) -> Vec<String> {
    let mut details = Vec::new();
    if let Some(boost) = &car.about.boost {
        details.push(format!(
            "Boost for {:.0} min when a charge starts at {} or below",
            boost.time.get(),
            say::percent(boost.max_start)
        ));
    }
    if let Some(voltage) = &car.about.pack_voltage {
        details.push(format!("Pack voltage {:.0} to {:.0} V", voltage.at(0.0), voltage.at(100.0)));
    }
    details
}

fn curve_row(car: &Car, curve: &Curve) -> CurveRow {
    let about = &curve.about;
    let time = ChargingTime::new(&about.power, car.about.usable).minutes(Soc::percent(10.0), Soc::percent(80.0));
    let peak = about.power.points().iter().map(|point| point.1).fold(0.0, f64::max);
    CurveRow {
        id: curve.id,
        name: about.name.clone(),
        session: about.session,
        measured: match about.measured {
            Some((from, to)) => format!("{} to {}", say::percent(from), say::percent(to)),
            None => "not measured".into(),
        },
        peak: format!("{peak:.0}"),
        ten_to_eighty: clock(time),
        in_use: car.curve == Some(curve.id),
    }
}

/// Keeps a new car.
pub(crate) async fn add(State(app): State<App>, Form(fields): Form<CarFields>) -> Result<Response, WebError> {
    let mut form = CarForm::new(fields);
    let (name, numbers) = (form.name.words(80), form.numbers());
    let (Some(name), Some(numbers)) = (name, numbers) else {
        return list_page(&app, form, None).await;
    };
    let car = NewCar {
        name,
        usable: numbers.usable,
        rated_range: numbers.range,
        charge_loss_percent: numbers.loss,
        pack_voltage: None,
        boost: None,
    };
    app.run(move |store| Ok(store.add_car(&car)?)).await?;
    Ok(Redirect::to("/cars").into_response())
}

/// Changes a car.
pub(crate) async fn change(
    State(app): State<App>,
    Path(id): Path<i32>,
    Form(fields): Form<CarFields>,
) -> Result<Response, WebError> {
    let mut form = CarForm::new(fields);
    let Some(numbers) = form.numbers() else {
        let new = CarForm { loss: Field::new("8"), ..CarForm::default() };
        return list_page(&app, new, Some((id, form))).await;
    };
    app.run(move |store| Ok(store.change_car(id, numbers.usable, numbers.range, numbers.loss)?)).await?;
    Ok(Redirect::to(&format!("/cars?kept={id}")).into_response())
}

/// Makes another curve the one that plans use.
pub(crate) async fn use_curve(
    State(app): State<App>,
    Path(id): Path<i32>,
    Form(form): Form<CurveForm>,
) -> Result<Redirect, WebError> {
    app.run(move |store| Ok(store.use_curve(id, form.curve)?)).await?;
    Ok(Redirect::to("/cars"))
}
