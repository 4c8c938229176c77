//! The controls of what a road is driven under, in a person's units.

use spare_hour_core::driving::road::{OwnConditions, Road, RoadConditions, Stretch};
use spare_hour_core::quantity::units::Units;
use spare_hour_core::quantity::{Mass, Power, Speed};

use crate::forms::control::{Ask, Control};
use crate::forms::field::Field;
use spare_hour_wording::figures;

/// Compass points, clockwise from north in equal steps.
const POINTS: [&str; 8] = ["N", "NE", "E", "SE", "S", "SW", "W", "NW"];

/// That a control of the whole road changes nothing.
const OWN: &str = "Each stretch of this road says its own.";

/// The controls, and what they say.
#[derive(Clone, Debug)]
pub(crate) struct Weather {
    speed: Control,
    outside: Control,
    /// Strength and direction of the wind, where somebody knows which way the road leads.
    wind: Option<[Control; 2]>,
    /// The wind where nobody does.
    headwind: Option<Control>,
    pub(crate) wet: Control,
    load: Control,
    heating: Control,
    pub(crate) conditions: RoadConditions,
}

impl Weather {
    /// The controls as asked, over what the road says. Of a road without stretches nothing is known yet.
    pub(crate) fn new(ask: &Ask, road: &Road, units: Units) -> Self {
        let own = &road.conditions;
        let (speed, degrees) = (units.distance.speed_name(), units.temperature.name());
        let control = |name, label: &str, number: f64| Control::new(name, label, figures::field(number), ask);
        let any = |is: fn(&Stretch) -> bool| road.stretches.is_empty() || road.stretches.iter().any(is);
        let lacks = |is: fn(&OwnConditions) -> bool| {
            !road.stretches.is_empty() && road.stretches.iter().all(|stretch| is(&stretch.own))
        };
        let wind = || {
            let strength = control("wind", &format!("Wind, {speed}"), units.distance.of_speed(own.wind));
            let from = control("wind_from", "Wind from, ° or N, NE", own.wind_from);
            [strength.off_where(lacks(|own| own.wind.is_some()), OWN), from]
        };
        let headwind = || control("headwind", &format!("Headwind, {speed}"), units.distance.of_speed(own.headwind));
        let heating = own.heating.map(|power| figures::field(power.get())).unwrap_or_default();
        let mut weather = Self {
            speed: control("speed", &format!("Usual speed, {speed}"), units.distance.of_speed(own.speed))
                .off_where(lacks(|own| own.speed.is_some()), OWN),
            outside: control("outside", &format!("Outside, {degrees}"), units.temperature.of(own.outside)),
            wind: any(|stretch| stretch.heading.is_some()).then(wind),
            headwind: any(|stretch| stretch.heading.is_none()).then(headwind),
            wet: Control::new("wet", "Road", if own.wet { "wet" } else { "dry" }, ask)
                .off_where(lacks(|own| own.wet.is_some()), OWN),
            load: control("load", "Load, kg", own.load.get()).off_where(lacks(|own| own.load.is_some()), OWN),
            heating: Control::new("heating", "Heating or cooling, kW", heating, ask)
                .when_empty("as the drives say")
                .off_where(lacks(|own| own.heating.is_some()), OWN),
            conditions: *own,
        };
        weather.read(own, units);
        weather
    }

    fn read(&mut self, own: &RoadConditions, units: Units) {
        let (mut wind, mut wind_from, mut headwind) = (own.wind, own.wind_from, own.headwind);
        if let Some([strength, from]) = &mut self.wind {
            wind = strength.read(wind, |field| field.speed(units, 0.0, 150.0));
            wind_from = from.read(wind_from, direction);
        }
        if let Some(control) = &mut self.headwind {
            headwind = control.read(headwind, |field| field.speed(units, -60.0, 150.0));
        }
        self.conditions = RoadConditions {
            speed: self.speed.read(own.speed, |field| field.speed(units, 10.0, 250.0)),
            outside: self.outside.read(own.outside, |field| field.temperature(units, -50.0, 55.0)),
            wind,
            wind_from,
            headwind,
            wet: self.wet.read(own.wet, |field| Some(field.text == "wet")),
            load: self.load.read(own.load, |field| field.number(0.0, 2_000.0, "kg").map(Mass::kg)),
            heating: self.heating.read_or_none(own.heating, |field| field.number(0.0, 20.0, "kW").map(Power::kw)),
        };
    }

    /// Those that are typed.
    pub(crate) fn typed(&self) -> Vec<&Control> {
        let mut all = vec![&self.speed, &self.outside];
        all.extend(self.wind.iter().flatten());
        all.extend(&self.headwind);
        all.extend([&self.load, &self.heating]);
        all
    }

    /// All of them.
    pub(crate) fn controls(&self) -> impl Iterator<Item = &Control> {
        self.typed().into_iter().chain([&self.wet])
    }

    /// Whether it stands at a temperature.
    pub(crate) fn is_outside(&self, outside: &str) -> bool {
        self.outside.field.text == outside
    }

    /// The day in a few words.
    pub(crate) fn in_words(&self, units: Units) -> String {
        let conditions = &self.conditions;
        let (wind, headwind) = (conditions.wind, conditions.headwind);
        let of_wind = |wind: Speed| {
            let from = figures::field(conditions.wind_from);
            format!("wind {} from {from}°", figures::speed(units, wind))
        };
        let of_headwind = |wind: Speed| {
            let way = if wind.get() < 0.0 { "tailwind" } else { "headwind" };
            format!("{way} {}", figures::speed(units, Speed::kmh(wind.get().abs())))
        };
        let blows = |wind: &Speed| wind.get() != 0.0;
        let winds = [
            self.wind.as_ref().map(|_| wind).filter(blows).map(of_wind),
            self.headwind.as_ref().map(|_| headwind).filter(blows).map(of_headwind),
        ];
        let winds: Vec<String> = winds.into_iter().flatten().collect();
        let wind = if winds.is_empty() { "no wind".to_string() } else { winds.join(", ") };
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
    use spare_hour_core::driving::road::Heading;
    use spare_hour_core::quantity::units::{DistanceUnit, TemperatureUnit};
    use spare_hour_core::quantity::{Distance, Temperature};

    fn asked(query: &str) -> Ask {
        let address = format!("http://here/?{query}").parse().unwrap();
        axum::extract::Query::<Ask>::try_from_uri(&address).unwrap().0
    }

    #[test]
    fn reads_the_day_in_a_persons_units() {
        let units =
            Units { distance: DistanceUnit::Miles, temperature: TemperatureUnit::Fahrenheit, ..Units::default() };
        let road = Road::default();
        let own = road.conditions;
        let same = Weather::new(&asked(""), &road, units);
        assert_eq!(same.conditions, own);
        assert!(same.controls().all(Control::is_own));
        let day = Weather::new(&asked("speed=70&outside=14&wind_from=sw&wet=wet&heating=2.5"), &road, units);
        assert!(!day.is_wrong());
        assert!((day.conditions.speed.get() - 112.654).abs() < 0.001);
        assert!((day.conditions.outside.get() - Temperature::celsius(-10.0).get()).abs() < 1e-9);
        assert_eq!((day.conditions.wind_from, day.conditions.wet), (225.0, true));
        assert_eq!(day.conditions.heating, Some(Power::kw(2.5)));
        assert_eq!(day.in_words(units), "14 °F, no wind, wet, 0 kg");
        let wrong = Weather::new(&asked("speed=fast&wind_from=up"), &road, units);
        assert!(wrong.is_wrong());
        assert_eq!(wrong.conditions.speed, Speed::kmh(100.0));
    }

    #[test]
    fn a_control_that_would_change_nothing_is_off_or_away() {
        let at = |speed: f64| OwnConditions { speed: Some(Speed::kmh(speed)), ..OwnConditions::default() };
        let stretch = Stretch { own: at(110.0), ..Stretch::level(Distance::km(90.0)) };
        let road = Road { stretches: vec![stretch], ..Road::default() };
        let names = |weather: &Weather| weather.typed().iter().map(|control| control.name).collect::<Vec<_>>();
        let weather = Weather::new(&asked("speed=70&wind=40&headwind=-20"), &road, Units::default());
        assert_eq!(names(&weather), ["speed", "outside", "headwind", "load", "heating"]);
        assert_eq!(weather.speed.off, Some(OWN));
        assert_eq!(weather.conditions, RoadConditions { headwind: Speed::kmh(-20.0), ..RoadConditions::default() });
        assert_eq!(weather.in_words(Units::default()), "15 °C, tailwind 20 km/h, dry, 0 kg");
        let leads =
            Stretch { heading: Some(Heading { toward: 10.0, straight: 1.0 }), ..Stretch::level(stretch.length) };
        let road = Road { stretches: vec![leads], ..Road::default() };
        let weather = Weather::new(&asked("speed=70&wind=40&headwind=-20"), &road, Units::default());
        assert_eq!(names(&weather), ["speed", "outside", "wind", "wind_from", "load", "heating"]);
        assert_eq!(weather.speed.off, None);
        assert_eq!((weather.conditions.wind.get(), weather.conditions.headwind.get()), (40.0, 0.0));
    }
}
