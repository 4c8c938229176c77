//! The button that lets a simulated charger play, for practice. Whoever runs the server lends the charger.

use std::sync::Arc;

use axum::extract::{Form, State};
use axum::response::Redirect;
use serde::Deserialize;
use spare_hour_core::charging::profile::Profile;
use spare_hour_core::quantity::{Power, Soc};
use spare_hour_core::trip::{Boost, Vehicle};
use spare_hour_planning::drive_trip::vehicle as vehicle_of;

use super::{Loaded, STAND_IN_BOOST, STAND_IN_SITE, next_start};
use crate::app::App;
use crate::http::address::Path;
use crate::http::error::WebError;

/// What a stand-in charger is asked to play.
#[derive(Clone, Debug)]
pub struct StandInAsk {
    /// The token to feed.
    pub token: String,
    /// The car to play.
    pub vehicle: Vehicle,
    /// SoC at plug-in.
    pub start: Soc,
    /// The stall's most power.
    pub site_power: Power,
    /// What kind of charge: `clean`, `boost`, `cold`, `derated`, `refusing`, `silent`, `lagging` or `garbled`.
    pub kind: String,
    /// How many times as fast as it happens.
    pub speed: f64,
}

/// A stand-in charger: asked to play, it does so by itself and returns at once.
pub type StandIn = Arc<dyn Fn(StandInAsk) + Send + Sync>;

#[derive(Debug, Deserialize)]
pub(crate) struct PlayForm {
    kind: String,
    speed: f64,
}

/// Lets the stand-in play into a charge.
pub(crate) async fn play(
    State(app): State<App>,
    Path(id): Path<i32>,
    Form(form): Form<PlayForm>,
) -> Result<Redirect, WebError> {
    let Some(stand_in) = app.stand_in.clone() else {
        return Err(WebError::Refused("There is no stand-in charger here.".into()));
    };
    let (loaded, vehicle) = app
        .run(move |store| {
            let loaded = Loaded::new(store, id)?;
            let car = loaded.stored.about.car.map(|car| store.car(car)).transpose()?;
            let curve = match car.as_ref().and_then(|car| car.curve) {
                Some(curve) => Some(store.curve(curve)?.about.power),
                None => None,
            };
            let vehicle = car.map(|car| vehicle_of(&car.about, curve.unwrap_or_else(invented_curve)));
            Ok((loaded, vehicle))
        })
        .await?;
    let mut vehicle = vehicle.ok_or_else(|| WebError::Refused("Say which car it is first.".into()))?;
    if form.kind == "boost" && vehicle.boost.is_none() {
        vehicle.boost = Some(boost(&vehicle));
    }
    stand_in(StandInAsk {
        token: loaded.token.clone(),
        vehicle,
        start: next_start(&loaded.charge),
        site_power: loaded.conditions().site_power.unwrap_or(STAND_IN_SITE),
        kind: form.kind,
        speed: form.speed.clamp(1.0, 600.0),
    });
    Ok(Redirect::to(&format!("/measure/{id}")))
}

/// A curve for a car that has none yet, kW over SoC.
fn invented_curve() -> Profile {
    Profile::new(vec![(0.0, 90.0), (10.0, 140.0), (40.0, 120.0), (80.0, 55.0), (100.0, 4.0)])
        .unwrap_or_else(|_| Profile::constant(50.0))
}

/// A boost that holds a little more than the car's peak.
fn boost(vehicle: &Vehicle) -> Boost {
    let peak = vehicle.charge_curve.points().iter().map(|point| point.1).fold(0.0, f64::max);
    Boost { time: STAND_IN_BOOST, max_start: Soc::percent(50.0), charge_curve: Profile::constant(1.1 * peak) }
}
