//! What a person reads and writes in: units, clock and currency.

use askama::Template;
use axum::extract::{Form, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use serde::Deserialize;
use spare_hour_core::quantity::units::{ClockFace, ConsumptionUnit, DistanceUnit, TemperatureUnit, Units};
use spare_hour_core::quantity::{Consumption, Distance, Speed, Temperature};
use spare_hour_store::Settings;

use crate::app::App;
use crate::forms::field::Field;
use crate::http::error::{WebError, page};
use crate::layout::Frame;
use spare_hour_wording::figures;

#[derive(Template)]
#[template(path = "settings/show.html")]
struct ShowPage {
    frame: Frame,
    choices: Vec<Choice>,
    currency: Field,
    example: String,
    kept: bool,
}

/// A unit to choose: its name in the form, its label, and what there is with the chosen one.
struct Choice {
    name: &'static str,
    label: &'static str,
    options: Vec<(&'static str, bool)>,
}

/// What an address asks of the settings.
#[derive(Debug, Default, Deserialize)]
pub(crate) struct Ask {
    #[serde(default)]
    kept: bool,
}

/// The form as it comes.
#[derive(Debug, Deserialize)]
pub(crate) struct SettingsForm {
    distance: String,
    consumption: String,
    temperature: String,
    clock: String,
    currency: String,
}

fn clock_name(clock: ClockFace) -> &'static str {
    match clock {
        ClockFace::TwentyFour => "24 hours",
        ClockFace::Twelve => "12 hours, am and pm",
    }
}

/// A choice among all units of a kind.
fn choice<U: Copy + PartialEq>(
    (name, label): (&'static str, &'static str),
    all: &[U],
    told: fn(U) -> &'static str,
    chosen: U,
) -> Choice {
    Choice { name, label, options: all.iter().map(|unit| (told(*unit), *unit == chosen)).collect() }
}

/// The unit of a name in the form.
fn named<U: Copy>(all: &[U], told: fn(U) -> &'static str, wanted: &str) -> Result<U, WebError> {
    let found = all.iter().copied().find(|unit| told(*unit) == wanted);
    found.ok_or_else(|| {
        let known: Vec<&str> = all.iter().map(|unit| told(*unit)).collect();
        WebError::Refused(format!("“{wanted}” is not known here; expected {}.", known.join(", ")))
    })
}

fn choices(units: Units) -> Vec<Choice> {
    vec![
        choice(("distance", "Distances and speeds"), &DistanceUnit::ALL, DistanceUnit::name, units.distance),
        choice(("consumption", "Consumption"), &ConsumptionUnit::ALL, ConsumptionUnit::name, units.consumption),
        choice(("temperature", "Temperatures"), &TemperatureUnit::ALL, TemperatureUnit::name, units.temperature),
        choice(("clock", "Times of day"), &ClockFace::ALL, clock_name, units.clock),
    ]
}

/// A sentence in the units.
fn example(units: Units) -> String {
    format!(
        "{} at {} and {} take {}; leave at {}.",
        figures::distance(units, Distance::km(240.0)),
        figures::speed(units, Speed::kmh(110.0)),
        figures::temperature(units, Temperature::celsius(7.0)),
        figures::consumption(units, Consumption::kwh_per_100km(19.4)),
        units.clock.time(14 * 60 + 30),
    )
}

/// The settings.
pub(crate) async fn show(State(app): State<App>, Query(ask): Query<Ask>) -> Result<Response, WebError> {
    let settings = app.settings().await?;
    Ok(show_page(&app, settings.units, Field::new(settings.currency), ask.kept))
}

fn show_page(app: &App, units: Units, currency: Field, kept: bool) -> Response {
    let status = if currency.fault.is_some() { StatusCode::UNPROCESSABLE_ENTITY } else { StatusCode::OK };
    let frame = Frame::new(app, "settings", "Settings");
    page(status, &ShowPage { frame, choices: choices(units), currency, example: example(units), kept })
}

/// Keeps the settings.
pub(crate) async fn change(State(app): State<App>, Form(form): Form<SettingsForm>) -> Result<Response, WebError> {
    let units = Units {
        distance: named(&DistanceUnit::ALL, DistanceUnit::name, &form.distance)?,
        consumption: named(&ConsumptionUnit::ALL, ConsumptionUnit::name, &form.consumption)?,
        temperature: named(&TemperatureUnit::ALL, TemperatureUnit::name, &form.temperature)?,
        clock: named(&ClockFace::ALL, clock_name, &form.clock)?,
    };
    let mut field = Field::new(form.currency);
    let Some(currency) = field.words(8) else {
        return Ok(show_page(&app, units, field, false));
    };
    app.change(move |store| Ok(store.change_settings(&Settings { units, currency })?)).await?;
    Ok(Redirect::to("/settings?kept=true").into_response())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_unit_is_offered_and_found_by_its_name() {
        let units = Units { distance: DistanceUnit::Miles, clock: ClockFace::Twelve, ..Units::default() };
        for offered in choices(units) {
            assert_eq!(offered.options.iter().filter(|option| option.1).count(), 1, "{}", offered.name);
        }
        let found =
            ConsumptionUnit::ALL.map(|unit| named(&ConsumptionUnit::ALL, ConsumptionUnit::name, unit.name()).ok());
        assert_eq!(found, ConsumptionUnit::ALL.map(Some));
        assert!(named(&ClockFace::ALL, clock_name, "decimal").is_err());
        assert_eq!(example(units), "149 mi at 68 mph and 7 °C take 19.4 kWh/100 km; leave at 2:30 pm.");
    }
}
