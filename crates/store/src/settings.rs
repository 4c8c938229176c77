//! How a person reads and writes: units, clock and currency.

use diesel::prelude::*;
use spare_hour_core::quantity::units::{ClockFace, ConsumptionUnit, DistanceUnit, TemperatureUnit, Units};

use crate::Result;
use crate::connection::Store;

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

/// What is set, in words: distance, consumption, temperature, clock and currency.
type Words = (String, String, String, String, String);

/// The word of a clock face.
fn clock_word(clock: ClockFace) -> &'static str {
    match clock {
        ClockFace::TwentyFour => "24 h",
        ClockFace::Twelve => "12 h",
    }
}

impl Settings {
    fn words(&self) -> Words {
        let units = self.units;
        (
            units.distance.name().into(),
            units.consumption.name().into(),
            units.temperature.name().into(),
            clock_word(units.clock).into(),
            self.currency.clone(),
        )
    }

    /// What is not known any more is the usual.
    fn of((distance, consumption, temperature, clock, currency): Words) -> Self {
        let clock = ClockFace::ALL.into_iter().find(|face| clock_word(*face) == clock);
        Self {
            units: Units {
                distance: named(&DistanceUnit::ALL, DistanceUnit::name, &distance),
                consumption: named(&ConsumptionUnit::ALL, ConsumptionUnit::name, &consumption),
                temperature: named(&TemperatureUnit::ALL, TemperatureUnit::name, &temperature),
                clock: clock.unwrap_or_default(),
            },
            currency,
        }
    }
}

/// The unit of a name.
fn named<U: Copy + Default>(all: &[U], name: fn(U) -> &'static str, wanted: &str) -> U {
    all.iter().copied().find(|unit| name(*unit) == wanted).unwrap_or_default()
}

impl Store {
    /// What whoever looks has set; else what was set for everybody.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn settings(&self) -> Result<Settings> {
        let connection = &mut *self.connection()?;
        let own: Option<Words> = match self.viewer {
            Some(person) => {
                use crate::schema::settings_of_people as own;
                let words = (own::distance, own::consumption, own::temperature, own::clock, own::currency);
                own::table.find(person).select(words).first(connection).optional()?
            }
            None => None,
        };
        let words = if own.is_some() {
            own
        } else {
            use crate::schema::settings as all;
            let words = (all::distance, all::consumption, all::temperature, all::clock, all::currency);
            all::table.find(ONLY).select(words).first(connection).optional()?
        };
        Ok(words.map_or_else(Settings::default, Settings::of))
    }

    /// Keeps what is set: for whoever looks, where that is somebody in particular, else for everybody.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn change_settings(&self, settings: &Settings) -> Result<()> {
        let (distance, consumption, temperature, clock, currency) = settings.words();
        let connection = &mut *self.connection()?;
        if let Some(person) = self.viewer {
            use crate::schema::settings_of_people as own;
            let row = (
                own::person_id.eq(person),
                own::distance.eq(distance),
                own::consumption.eq(consumption),
                own::temperature.eq(temperature),
                own::clock.eq(clock),
                own::currency.eq(currency),
            );
            diesel::replace_into(own::table).values(row).execute(connection)?;
        } else {
            use crate::schema::settings as all;
            let row = (
                all::id.eq(ONLY),
                all::distance.eq(distance),
                all::consumption.eq(consumption),
                all::temperature.eq(temperature),
                all::clock.eq(clock),
                all::currency.eq(currency),
            );
            diesel::replace_into(all::table).values(row).execute(connection)?;
        }
        Ok(())
    }
}
