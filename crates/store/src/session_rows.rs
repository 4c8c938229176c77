//! Sessions, readings and forecasts as the rows that hold them.

use diesel::prelude::*;
use serde::{Deserialize, Serialize};
use spare_hour_core::quantity::{Current, Distance, Energy, Minutes, Power, Soc, Temperature, Voltage};
use spare_hour_core::session::{Conditions, Forecast, Meter, Reading, Session};

use crate::schema::{readings, session_lines, sessions};
use crate::sessions::{NewSession, StoredSession};
use crate::{Result, StoreError};

#[derive(Queryable, Selectable)]
#[diesel(table_name = sessions)]
pub(crate) struct Row {
    id: i32,
    car_id: Option<i32>,
    name: String,
    source_name: String,
    source_text: String,
    created_at: String,
    #[diesel(embed)]
    conditions: ConditionColumns,
}

#[derive(Insertable)]
#[diesel(table_name = sessions)]
pub(crate) struct NewRow<'a> {
    car_id: Option<i32>,
    name: &'a str,
    source_name: &'a str,
    source_text: &'a str,
    #[diesel(embed)]
    conditions: ConditionColumns,
}

/// What its list says of a session's readings.
#[derive(AsChangeset)]
#[diesel(table_name = session_lines)]
pub(crate) struct SpanColumns {
    reading_count: i32,
    lowest_soc: f64,
    highest_soc: f64,
    minutes: f64,
}

/// What was noted, column by column.
#[derive(AsChangeset, Insertable, Queryable, Selectable)]
#[diesel(table_name = sessions, treat_none_as_null = true)]
pub(crate) struct ConditionColumns {
    usable_kwh: Option<f64>,
    rated_range_km: Option<f64>,
    meter: String,
    car: Option<String>,
    software: Option<String>,
    site_kw: Option<f64>,
    site_a: Option<f64>,
    preconditioned: Option<String>,
    start_note: Option<String>,
    other: String,
    ambient_c: Option<f64>,
    battery_c: Option<f64>,
    preconditioned_min: Option<f64>,
    site_v: Option<f64>,
    shared_cabinet: Option<bool>,
    car_on: Option<bool>,
    adapter: Option<String>,
    handshake_min: Option<f64>,
    failed_attempts: Option<i32>,
    phases: Option<i32>,
    joined: Option<String>,
    forecasts: String,
    day: Option<String>,
    paid: Option<f64>,
    began_min: Option<f64>,
}

/// A forecast in its JSON column.
#[derive(Deserialize, Serialize)]
struct ForecastColumn {
    at_min: f64,
    by: String,
    minutes: f64,
    to_soc: f64,
}

#[derive(Insertable, Queryable, Selectable)]
#[diesel(table_name = readings, treat_none_as_default_value = false)]
pub(crate) struct ReadingRow {
    session_id: i32,
    position: i32,
    elapsed_min: f64,
    soc: Option<f64>,
    power_kw: Option<f64>,
    energy_kwh: Option<f64>,
    voltage_v: Option<f64>,
    current_a: Option<f64>,
    battery_c: Option<f64>,
    ambient_c: Option<f64>,
    range_km: Option<f64>,
    note: Option<String>,
    left_out: Option<String>,
}

impl ReadingRow {
    pub(crate) fn new(session_id: i32, position: usize, reading: &Reading) -> Self {
        Self {
            session_id,
            position: i32::try_from(position).unwrap_or(i32::MAX),
            elapsed_min: reading.elapsed.get(),
            soc: reading.soc.map(Soc::get),
            power_kw: reading.power.map(Power::get),
            energy_kwh: reading.energy.map(Energy::get),
            voltage_v: reading.voltage.map(Voltage::get),
            current_a: reading.current.map(Current::get),
            battery_c: reading.battery.map(Temperature::get),
            ambient_c: reading.ambient.map(Temperature::get),
            range_km: reading.range.map(Distance::get),
            note: reading.note.clone(),
            left_out: reading.left_out.clone(),
        }
    }

    pub(crate) fn reading(self) -> Reading {
        Reading {
            elapsed: Minutes::new(self.elapsed_min),
            soc: self.soc.map(Soc::percent),
            power: self.power_kw.map(Power::kw),
            energy: self.energy_kwh.map(Energy::kwh),
            voltage: self.voltage_v.map(Voltage::volts),
            current: self.current_a.map(Current::amps),
            battery: self.battery_c.map(Temperature::celsius),
            ambient: self.ambient_c.map(Temperature::celsius),
            range: self.range_km.map(Distance::km),
            note: self.note,
            left_out: self.left_out,
        }
    }
}

fn damaged(problem: &serde_json::Error) -> StoreError {
    StoreError::Damaged { what: "session", problem: problem.to_string() }
}

fn meter_word(meter: Meter) -> String {
    match meter {
        Meter::Station => "station".into(),
        Meter::Car => "car".into(),
    }
}

fn meter(word: &str) -> Meter {
    if word == "car" { Meter::Car } else { Meter::Station }
}

fn small(number: Option<u32>) -> Option<i32> {
    number.and_then(|number| i32::try_from(number).ok())
}

impl ConditionColumns {
    pub(crate) fn new(conditions: &Conditions) -> Result<Self> {
        let forecast = |forecast: &Forecast| ForecastColumn {
            at_min: forecast.at.get(),
            by: meter_word(forecast.by),
            minutes: forecast.remaining.get(),
            to_soc: forecast.to.get(),
        };
        let forecasts: Vec<ForecastColumn> = conditions.forecasts.iter().map(forecast).collect();
        Ok(Self {
            usable_kwh: conditions.usable.map(Energy::get),
            rated_range_km: conditions.rated_range.map(Distance::get),
            meter: meter_word(conditions.meter),
            car: conditions.car.clone(),
            software: conditions.software.clone(),
            site_kw: conditions.site_power.map(Power::get),
            site_a: conditions.site_current.map(Current::get),
            preconditioned: conditions.preconditioned.clone(),
            start_note: conditions.start.clone(),
            other: serde_json::to_string(&conditions.other).map_err(|error| damaged(&error))?,
            ambient_c: conditions.ambient.map(Temperature::get),
            battery_c: conditions.battery.map(Temperature::get),
            preconditioned_min: conditions.preconditioned_for.map(Minutes::get),
            site_v: conditions.site_voltage.map(Voltage::get),
            shared_cabinet: conditions.shared_cabinet,
            car_on: conditions.car_on,
            adapter: conditions.adapter.clone(),
            handshake_min: conditions.handshake.map(Minutes::get),
            failed_attempts: small(conditions.failed_attempts),
            phases: small(conditions.phases),
            joined: conditions.joined.clone(),
            forecasts: serde_json::to_string(&forecasts).map_err(|error| damaged(&error))?,
            day: conditions.day.clone(),
            paid: conditions.paid,
            began_min: conditions.began.map(Minutes::get),
        })
    }

    fn conditions(self) -> Result<Conditions> {
        let forecasts: Vec<ForecastColumn> = serde_json::from_str(&self.forecasts).map_err(|error| damaged(&error))?;
        let forecast = |column: ForecastColumn| Forecast {
            at: Minutes::new(column.at_min),
            by: meter(&column.by),
            remaining: Minutes::new(column.minutes),
            to: Soc::percent(column.to_soc),
        };
        Ok(Conditions {
            day: self.day,
            began: self.began_min.map(Minutes::new),
            paid: self.paid,
            usable: self.usable_kwh.map(Energy::kwh),
            rated_range: self.rated_range_km.map(Distance::km),
            meter: meter(&self.meter),
            car: self.car,
            software: self.software,
            site_power: self.site_kw.map(Power::kw),
            site_current: self.site_a.map(Current::amps),
            preconditioned: self.preconditioned,
            preconditioned_for: self.preconditioned_min.map(Minutes::new),
            ambient: self.ambient_c.map(Temperature::celsius),
            battery: self.battery_c.map(Temperature::celsius),
            site_voltage: self.site_v.map(Voltage::volts),
            shared_cabinet: self.shared_cabinet,
            car_on: self.car_on,
            adapter: self.adapter,
            handshake: self.handshake_min.map(Minutes::new),
            failed_attempts: self.failed_attempts.and_then(|failed| u32::try_from(failed).ok()),
            phases: self.phases.and_then(|phases| u32::try_from(phases).ok()),
            start: self.start_note,
            joined: self.joined,
            forecasts: forecasts.into_iter().map(forecast).collect(),
            other: serde_json::from_str(&self.other).map_err(|error| damaged(&error))?,
        })
    }
}

/// Lowest and highest of some numbers; 0 of none.
fn range(numbers: impl Iterator<Item = f64> + Clone) -> (f64, f64) {
    (numbers.clone().reduce(f64::min).unwrap_or_default(), numbers.reduce(f64::max).unwrap_or_default())
}

impl<'a> NewRow<'a> {
    pub(crate) fn new(new: &'a NewSession) -> Result<Self> {
        Ok(Self {
            car_id: new.car,
            name: &new.name,
            source_name: &new.source_name,
            source_text: &new.source_text,
            conditions: ConditionColumns::new(&new.session.conditions)?,
        })
    }
}

impl SpanColumns {
    pub(crate) fn new(readings: &[Reading]) -> Self {
        let (lowest_soc, highest_soc) = range(readings.iter().filter_map(|reading| reading.soc.map(Soc::get)));
        let (first, last) = range(readings.iter().map(|reading| reading.elapsed.get()));
        Self {
            reading_count: i32::try_from(readings.len()).unwrap_or(i32::MAX),
            lowest_soc,
            highest_soc,
            minutes: last - first,
        }
    }
}

impl Row {
    pub(crate) fn stored(self, readings: Vec<Reading>) -> Result<StoredSession> {
        Ok(StoredSession {
            id: self.id,
            created_at: self.created_at,
            about: NewSession {
                car: self.car_id,
                name: self.name,
                source_name: self.source_name,
                source_text: self.source_text,
                session: Session { readings, conditions: self.conditions.conditions()? },
            },
        })
    }
}
