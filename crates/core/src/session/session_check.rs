//! Whether the readings of a charge can be: each number within its bounds, by the names of session CSV (docs/formats).

use super::{MOST_READINGS, Reading, Session};
use crate::quantity::{Current, Distance, Energy, Power, Soc, Temperature, Voltage};
use crate::refused::{Bounds, Fault, Refused};

/// What a reading may hold, by the columns of session CSV.
pub const READING: [(&str, Bounds); 8] = [
    ("soc", Bounds::new(0.0, 100.0, "%")),
    ("power_kw", Bounds::new(0.0, 10_000.0, "kW")),
    ("energy_kwh", Bounds::new(0.0, 100_000.0, "kWh")),
    ("voltage_v", Bounds::new(0.0, 5_000.0, "V")),
    ("current_a", Bounds::new(0.0, 10_000.0, "A")),
    ("battery_c", Bounds::new(-100.0, 200.0, "°C")),
    ("ambient_c", Bounds::new(-100.0, 100.0, "°C")),
    ("range_km", Bounds::new(0.0, 10_000.0, "km")),
];
/// Since current began; a reading before it is below 0.
const ELAPSED: Bounds = Bounds::new(-1.0e6, 1.0e6, "minutes");

impl Session {
    /// Whether every reading is one that can be: the first field that is not, such as `readings[3].soc`.
    ///
    /// # Errors
    /// The field with its value and bounds.
    pub fn check(&self) -> Result<(), Refused> {
        let found = self.readings.len();
        if found == 0 || found > MOST_READINGS {
            let count = Fault::Count { found, least: 1, most: MOST_READINGS, what: "readings" };
            return Err(Refused::new("readings", count));
        }
        self.readings.iter().enumerate().try_for_each(|(index, reading)| reading.check(index))
    }
}

impl Reading {
    /// What the reading measured, in the order and units of [`READING`].
    pub fn measured(&self) -> [Option<f64>; 8] {
        [
            self.soc.map(Soc::get),
            self.power.map(Power::get),
            self.energy.map(Energy::get),
            self.voltage.map(Voltage::get),
            self.current.map(Current::get),
            self.battery.map(Temperature::get),
            self.ambient.map(Temperature::get),
            self.range.map(Distance::get),
        ]
    }

    fn check(&self, index: usize) -> Result<(), Refused> {
        ELAPSED.check("elapsed", self.elapsed.get()).map_err(|refused| of_reading(index, refused))?;
        for ((name, bounds), number) in READING.iter().zip(self.measured()) {
            if let Some(number) = number {
                bounds.check(name, number).map_err(|refused| of_reading(index, refused))?;
            }
        }
        Ok(())
    }
}

fn of_reading(index: usize, refused: Refused) -> Refused {
    Refused { field: format!("readings[{index}].{}", refused.field), ..refused }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::quantity::Minutes;

    #[test]
    fn the_reading_that_cannot_be_is_named() {
        let good = Reading { soc: Some(Soc::percent(20.0)), ..Reading::default() };
        let hot = Reading { battery: Some(Temperature::celsius(400.0)), ..good.clone() };
        let never = Reading { elapsed: Minutes::new(f64::INFINITY), ..good.clone() };
        let refused = |readings: Vec<Reading>| Session { readings, ..Session::default() }.check().unwrap_err().field;
        assert_eq!(Session { readings: vec![good.clone()], ..Session::default() }.check(), Ok(()));
        assert_eq!(refused(vec![good.clone(), hot]), "readings[1].battery_c");
        assert_eq!(refused(vec![never]), "readings[0].elapsed");
        assert_eq!(refused(vec![]), "readings");
        assert_eq!(refused(vec![good; MOST_READINGS + 1]), "readings");
    }
}
