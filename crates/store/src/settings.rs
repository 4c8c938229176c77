//! How a person reads and writes: units, clock and currency.

use diesel::prelude::*;
use spare_hour_core::quantity::units::{ClockFace, ConsumptionUnit, DistanceUnit, TemperatureUnit, Units};

use crate::Result;
use crate::connection::Store;
use crate::schema::settings;

/// Currency where nobody has said theirs.
const CURRENCY: &str = "cr";
/// The number of the one row.
const ONLY: i32 = 1;

/// What a person has set.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Settings {
    /// Units that numbers are told and typed in.
    pub units: Units,
    /// Currency of new trips and tariffs.
    pub currency: String,
}

impl Default for Settings {
    fn default() -> Self {
        Self { units: Units::default(), currency: CURRENCY.into() }
    }
}

#[derive(AsChangeset, Insertable, Queryable, Selectable)]
#[diesel(table_name = settings)]
struct Row {
    id: i32,
    distance: String,
    consumption: String,
    temperature: String,
    clock: String,
    currency: String,
}

/// The word of a clock face.
fn clock_word(clock: ClockFace) -> &'static str {
    match clock {
        ClockFace::TwentyFour => "24 h",
        ClockFace::Twelve => "12 h",
    }
}

impl Row {
    fn new(settings: &Settings) -> Self {
        let units = settings.units;
        Self {
            id: ONLY,
            distance: units.distance.name().into(),
            consumption: units.consumption.name().into(),
            temperature: units.temperature.name().into(),
            clock: clock_word(units.clock).into(),
            currency: settings.currency.clone(),
        }
    }

    /// What is not known any more is the usual.
    fn settings(self) -> Settings {
        let clock = ClockFace::ALL.into_iter().find(|clock| clock_word(*clock) == self.clock);
        Settings {
            units: Units {
                distance: named(&DistanceUnit::ALL, DistanceUnit::name, &self.distance),
                consumption: named(&ConsumptionUnit::ALL, ConsumptionUnit::name, &self.consumption),
                temperature: named(&TemperatureUnit::ALL, TemperatureUnit::name, &self.temperature),
                clock: clock.unwrap_or_default(),
            },
            currency: self.currency,
        }
    }
}

/// The unit of a name.
fn named<U: Copy + Default>(all: &[U], name: fn(U) -> &'static str, wanted: &str) -> U {
    all.iter().copied().find(|unit| name(*unit) == wanted).unwrap_or_default()
}

impl Store {
    /// What is set.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn settings(&self) -> Result<Settings> {
        let row: Option<Row> =
            settings::table.find(ONLY).select(Row::as_select()).first(&mut *self.connection()?).optional()?;
        Ok(row.map_or_else(Settings::default, Row::settings))
    }

    /// Keeps what is set.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn change_settings(&self, settings: &Settings) -> Result<()> {
        diesel::replace_into(settings::table).values(Row::new(settings)).execute(&mut *self.connection()?)?;
        Ok(())
    }
}
