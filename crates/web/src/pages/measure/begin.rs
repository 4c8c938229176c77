//! Beginning to measure: which car, and what matters of the conditions before the plug goes in.

use askama::Template;
use axum::extract::{Form, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use serde::Deserialize;
use spare_hour_core::quantity::Temperature;
use spare_hour_core::quantity::units::Units;
use spare_hour_store::{NewLiveCharge, StoredLiveCharge};

use super::events::new_id;
use crate::app::App;
use crate::forms::field::Field;
use crate::http::error::{WebError, page};
use crate::layout::Frame;
use spare_hour_wording::figures;

#[derive(Template)]
#[template(path = "measure/start.html")]
struct StartPage {
    frame: Frame,
    cars: Vec<(i32, String)>,
    open: Vec<StoredLiveCharge>,
    form: StartForm,
}

/// The form, as it was filled in.
#[derive(Clone, Debug, Default)]
struct StartForm {
    car: String,
    name: Field,
    numbers: Vec<NumberField>,
    preconditioned: String,
    units: Units,
}

/// A condition that is a number.
#[derive(Clone, Debug)]
struct NumberField {
    /// Its key in a session CSV.
    key: &'static str,
    label: String,
    unit: &'static str,
    low: f64,
    high: f64,
    field: Field,
}

#[derive(Debug, Default, Deserialize)]
pub(crate) struct StartFields {
    #[serde(default)]
    car: String,
    #[serde(default)]
    name: String,
    #[serde(default)]
    site_kw: String,
    #[serde(default)]
    site_a: String,
    #[serde(default)]
    battery_c: String,
    #[serde(default)]
    ambient_c: String,
    #[serde(default)]
    phases: String,
    #[serde(default)]
    preconditioned: String,
}

impl StartForm {
    fn new(fields: StartFields, units: Units) -> Self {
        let degrees = units.temperature.name();
        let number = |key, label: &str, unit, low, high, text: String| NumberField {
            key,
            label: format!("{label}, {unit}").trim_end_matches(", phases").into(),
            unit,
            low,
            high,
            field: Field::new(text),
        };
        Self {
            car: fields.car,
            name: Field::new(fields.name),
            numbers: vec![
                number("site_kw", "Site’s most power", "kW", 0.1, 10_000.0, fields.site_kw),
                number("site_a", "Site’s most current", "A", 0.1, 10_000.0, fields.site_a),
                number("battery_c", "Pack", degrees, -100.0, 200.0, fields.battery_c),
                number("ambient_c", "Air", degrees, -100.0, 100.0, fields.ambient_c),
                number("phases", "Phases, if AC", "phases", 1.0, 3.0, fields.phases),
            ],
            preconditioned: fields.preconditioned,
            units,
        }
    }

    /// What was noted, or faults beside the fields.
    fn conditions(&mut self) -> Option<Vec<(String, String)>> {
        let mut conditions = Vec::new();
        for number in &mut self.numbers {
            let value = if number.key.ends_with("_c") {
                number.field.temperature(self.units, number.low, number.high).map(Temperature::get)
            } else {
                number.field.number(number.low, number.high, number.unit)
            };
            conditions.extend(value.map(|value| (number.key.to_string(), value.to_string())));
        }
        let text: String = self.preconditioned.trim().chars().take(200).collect();
        if !text.is_empty() {
            conditions.push(("preconditioned".into(), text));
        }
        self.numbers.iter().all(|number| number.field.fault.is_none()).then_some(conditions)
    }
}

/// The form that begins a charge.
pub(crate) async fn start(State(app): State<App>) -> Result<Response, WebError> {
    let form = StartForm::new(StartFields::default(), app.units().await?);
    start_page(&app, form, StatusCode::OK).await
}

async fn start_page(app: &App, form: StartForm, status: StatusCode) -> Result<Response, WebError> {
    let (cars, open) = app
        .run(|store| {
            let cars = store.cars()?.into_iter().map(|car| (car.id, car.about.name)).collect();
            let units = store.settings()?.units;
            let told = |charge: StoredLiveCharge| {
                let created_at = figures::stamp(units, &charge.created_at);
                StoredLiveCharge { created_at, ..charge }
            };
            Ok((cars, store.open_charges()?.into_iter().map(told).collect()))
        })
        .await?;
    let frame = Frame::new(app, "sessions", "Measure a charge");
    Ok(page(status, &StartPage { frame, cars, open, form }))
}

/// Begins a charge.
pub(crate) async fn begin(State(app): State<App>, Form(fields): Form<StartFields>) -> Result<Response, WebError> {
    let units = app.units().await?;
    let mut form = StartForm::new(fields, units);
    let Some(conditions) = form.conditions() else {
        return start_page(&app, form, StatusCode::UNPROCESSABLE_ENTITY).await;
    };
    let car: Option<i32> = form.car.parse().ok();
    let here = app.here.clone();
    let id = app
        .change(move |store| {
            let car = car.map(|car| store.car(car)).transpose()?;
            let said: String = form.name.text.trim().chars().take(80).collect();
            let usual = || {
                let name = car.as_ref().map_or("Charge", |car| car.about.name.as_str());
                let now = here.now().strftime("%Y-%m-%d %H:%M").to_string();
                format!("{name}, {} UTC", figures::stamp(units, &now))
            };
            let name = if said.is_empty() { usual() } else { said };
            let new = NewLiveCharge { car: car.as_ref().map(|car| car.id), name, conditions, nonce: new_id() };
            Ok(store.begin_charge(&new)?)
        })
        .await?;
    Ok(Redirect::to(&format!("/measure/{id}")).into_response())
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_core::quantity::units::TemperatureUnit;

    #[test]
    fn what_matters_before_the_plug_goes_in_is_noted_or_named() {
        let fields = StartFields {
            site_kw: "300".into(),
            battery_c: "-4,5".into(),
            preconditioned: " 20 min ".into(),
            ..StartFields::default()
        };
        let noted = StartForm::new(fields, Units::default()).conditions().unwrap();
        let pairs: Vec<(&str, &str)> = noted.iter().map(|pair| (pair.0.as_str(), pair.1.as_str())).collect();
        assert_eq!(pairs, [("site_kw", "300"), ("battery_c", "-4.5"), ("preconditioned", "20 min")]);
        let mut wrong = StartForm::new(StartFields { phases: "5".into(), ..StartFields::default() }, Units::default());
        assert!(wrong.conditions().is_none());
        let fault = wrong.numbers.iter().find(|number| number.key == "phases").unwrap().field.fault.clone();
        assert_eq!(fault.as_deref(), Some("“5” does not work; expected 1 to 3 phases"));
        let fahrenheit = Units { temperature: TemperatureUnit::Fahrenheit, ..Units::default() };
        let mut form = StartForm::new(StartFields { ambient_c: "14".into(), ..StartFields::default() }, fahrenheit);
        assert_eq!(form.conditions().unwrap(), [("ambient_c".to_string(), "-10".to_string())]);
        // Every key is one that a session CSV knows.
        for number in &wrong.numbers {
            let mut conditions = spare_hour_core::session::Conditions::default();
            spare_hour_formats::note_condition(&mut conditions, number.key, "2").unwrap();
            assert!(conditions.other.is_empty(), "{}", number.key);
        }
    }
}
