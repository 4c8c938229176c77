//! The controls of what a road is driven under, in a person's units.

use spare_hour_core::driving::road::RoadConditions;
use spare_hour_core::quantity::units::Units;
use spare_hour_core::quantity::{Mass, Power};

use crate::forms::control::{Ask, Control};
use crate::forms::field::Field;
use spare_hour_wording::figures;

/// Compass points, clockwise from north in equal steps.
const POINTS: [&str; 8] = ["N", "NE", "E", "SE", "S", "SW", "W", "NW"];

/// The controls, and what they say.
#[derive(Clone, Debug)]
pub(crate) struct Weather {
    speed: Control,
    outside: Control,
    wind: Control,
    wind_from: Control,
    pub(crate) wet: Control,
    load: Control,
    heating: Control,
    pub(crate) conditions: RoadConditions,
}

impl Weather {
    /// The controls as asked, over what the trip says.
    pub(crate) fn new(ask: &Ask, own: &RoadConditions, units: Units) -> Self {
        let (speed, degrees) = (units.distance.speed_name(), units.temperature.name());
        let control = |name, label: &str, number: f64| Control::new(name, label, figures::field(number), ask);
        let mut weather = Self {
            speed: control("speed", &format!("Usual speed, {speed}"), units.distance.of_speed(own.speed)),
            outside: control("outside", &format!("Outside, {degrees}"), units.temperature.of(own.outside)),
            wind: control("wind", &format!("Wind, {speed}"), units.distance.of_speed(own.wind)),
            wind_from: control("wind_from", "Wind from, ° or N, NE", own.wind_from),
            wet: Control::new("wet", "Road", if own.wet { "wet" } else { "dry" }, ask),
            load: control("load", "Load, kg", own.load.get()),
            heating: Control::new(
                "heating",
                "Heating or cooling, kW",
                own.heating.map(|power| figures::field(power.get())).unwrap_or_default(),
                ask,
            )
            .when_empty("as the drives say"),
            conditions: *own,
        };
        weather.read(own, units);
        weather
    }

    fn read(&mut self, own: &RoadConditions, units: Units) {
        self.conditions = RoadConditions {
            speed: self.speed.read(own.speed, |field| field.speed(units, 10.0, 250.0)),
            outside: self.outside.read(own.outside, |field| field.temperature(units, -50.0, 55.0)),
            wind: self.wind.read(own.wind, |field| field.speed(units, 0.0, 150.0)),
            wind_from: self.wind_from.read(own.wind_from, direction),
            wet: self.wet.read(own.wet, |field| Some(field.text == "wet")),
            load: self.load.read(own.load, |field| field.number(0.0, 2_000.0, "kg").map(Mass::kg)),
            heating: self.heating.read_or_none(own.heating, |field| field.number(0.0, 20.0, "kW").map(Power::kw)),
        };
    }

    /// Those that are typed.
    pub(crate) fn typed(&self) -> [&Control; 6] {
        [&self.speed, &self.outside, &self.wind, &self.wind_from, &self.load, &self.heating]
    }

    /// All of them.
    pub(crate) fn controls(&self) -> impl Iterator<Item = &Control> {
        self.typed().into_iter().chain([&self.wet])
    }

    /// The day in a few words.
    pub(crate) fn in_words(&self, units: Units) -> String {
        let conditions = &self.conditions;
        let wind = match conditions.wind.get() {
            0.0 => "no wind".to_string(),
            _ => format!(
                "wind {} from {}°",
                figures::speed(units, conditions.wind),
                figures::field(conditions.wind_from)
            ),
        };
        let road = if conditions.wet { "wet" } else { "dry" };
        let load = conditions.load.get();
        format!("{}, {wind}, {road}, {load:.0} kg", figures::temperature(units, conditions.outside))
    }

    /// Whether one of them was typed wrong.
    pub(crate) fn is_wrong(&self) -> bool {
        self.controls().any(|control| control.field.fault.is_some())
    }
}

/// Where a wind comes from: degrees from north, or a point of the compass.
fn direction(field: &mut Field) -> Option<f64> {
    let point = POINTS.iter().position(|point| point.eq_ignore_ascii_case(field.text.trim()));
    point.map(|index| 45.0 * index as f64).or_else(|| field.number(0.0, 360.0, "degrees, or N, NE, E …"))
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_core::quantity::units::{DistanceUnit, TemperatureUnit};
    use spare_hour_core::quantity::{Speed, Temperature};

    fn asked(query: &str) -> Ask {
        let address = format!("http://here/?{query}").parse().unwrap();
        axum::extract::Query::<Ask>::try_from_uri(&address).unwrap().0
    }

    #[test]
    fn reads_the_day_in_a_persons_units() {
        let units =
            Units { distance: DistanceUnit::Miles, temperature: TemperatureUnit::Fahrenheit, ..Units::default() };
        let own = RoadConditions::default();
        let same = Weather::new(&asked(""), &own, units);
        assert_eq!(same.conditions, own);
        assert!(same.controls().all(Control::is_own));
        let day = Weather::new(&asked("speed=70&outside=14&wind_from=sw&wet=wet&heating=2.5"), &own, units);
        assert!(!day.is_wrong());
        assert!((day.conditions.speed.get() - 112.654).abs() < 0.001);
        assert!((day.conditions.outside.get() - Temperature::celsius(-10.0).get()).abs() < 1e-9);
        assert_eq!((day.conditions.wind_from, day.conditions.wet), (225.0, true));
        assert_eq!(day.conditions.heating, Some(Power::kw(2.5)));
        assert_eq!(day.in_words(units), "14 °F, no wind, wet, 0 kg");
        let wrong = Weather::new(&asked("speed=fast&wind_from=up"), &own, units);
        assert!(wrong.is_wrong());
        assert_eq!(wrong.conditions.speed, Speed::kmh(100.0));
    }
}
