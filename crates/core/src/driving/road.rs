//! The road of a trip as it lies on the ground, stretch by stretch, and the conditions it is driven under: together they make
//! the segments that a plan counts with.
//!
//! A stretch takes the conditions of the trip where it has none of its own. Wind counts by its direction: the part against the
//! road is strength · mean cosine of the angle between; where nobody knows which way a stretch leads, a headwind counts that was
//! said as one. Its consumption is the car's road load in the air of its height, on its climbs and descents; downhill it may be
//! below nought. A consumption that was typed is that of the road's own conditions: under others, what they add to the road load
//! of the car is added to it.

use crate::driving::consumption_fit::ConsumptionFit;
use crate::driving::road_load::{Conditions, climb_energy};
use crate::driving::route::{Route, Segment};
use crate::quantity::{Consumption, Distance, Height, Mass, Power, Speed, Temperature};

/// Rolling on a wet road takes so much more, as a share (common practice, no published source).
const WET: f64 = 0.12;

/// The conditions of a whole trip.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct RoadConditions {
    /// Speed where a stretch has none of its own.
    pub speed: Speed,
    /// Temperature outside.
    pub outside: Temperature,
    /// Strength of the wind.
    pub wind: Speed,
    /// Where it comes from, degrees clockwise from north.
    pub wind_from: f64,
    /// Headwind on stretches of which nobody knows which way they lead; from behind it is negative.
    pub headwind: Speed,
    /// Whether the road is wet.
    pub wet: bool,
    /// Load beside the driver.
    pub load: Mass,
    /// What heating or cooling draws, 0 for off; `None` as the drives say for the temperature.
    pub heating: Option<Power>,
}

impl Default for RoadConditions {
    /// A mild, still, dry day at 100 km/h.
    fn default() -> Self {
        Self {
            speed: Speed::kmh(100.0),
            outside: Temperature::celsius(15.0),
            wind: Speed::kmh(0.0),
            wind_from: 270.0,
            headwind: Speed::kmh(0.0),
            wet: false,
            load: Mass::kg(0.0),
            heating: None,
        }
    }
}

/// Conditions of one stretch; `None` where they are those of the trip.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct OwnConditions {
    /// Speed.
    pub speed: Option<Speed>,
    /// Temperature outside.
    pub outside: Option<Temperature>,
    /// Strength of the wind.
    pub wind: Option<Speed>,
    /// Where it comes from, degrees clockwise from north.
    pub wind_from: Option<f64>,
    /// Whether the road is wet.
    pub wet: Option<bool>,
    /// Load beside the driver.
    pub load: Option<Mass>,
    /// What heating or cooling draws.
    pub heating: Option<Power>,
}

impl OwnConditions {
    /// The trip's conditions with these in their place.
    pub fn over(&self, trip: &RoadConditions) -> RoadConditions {
        RoadConditions {
            speed: self.speed.unwrap_or(trip.speed),
            outside: self.outside.unwrap_or(trip.outside),
            wind: self.wind.unwrap_or(trip.wind),
            wind_from: self.wind_from.unwrap_or(trip.wind_from),
            headwind: trip.headwind,
            wet: self.wet.unwrap_or(trip.wet),
            load: self.load.unwrap_or(trip.load),
            heating: self.heating.or(trip.heating),
        }
    }
}

/// Where a stretch leads: the mean of its directions.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Heading {
    /// Degrees clockwise from north, 0 to 360.
    pub toward: f64,
    /// How straight it is: 1 for a straight road, towards 0 for one that winds every way.
    pub straight: f64,
}

impl Heading {
    /// The share of a wind that is against the road; from behind it is negative.
    pub fn against(&self, wind_from: f64) -> f64 {
        self.straight * (wind_from - self.toward).to_radians().cos()
    }
}

/// A stretch of road.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Stretch {
    /// Its length.
    pub length: Distance,
    /// All that it climbs.
    pub climb: Height,
    /// All that it falls.
    pub descent: Height,
    /// Its mean height above the sea.
    pub height: Height,
    /// Where it leads; without it only what was said as a headwind counts.
    pub heading: Option<Heading>,
    /// Its own conditions.
    pub own: OwnConditions,
    /// A consumption that was typed: that under the road's own conditions.
    pub typed: Option<Consumption>,
}

impl Stretch {
    /// A level stretch at sea level.
    pub fn level(length: Distance) -> Self {
        let nothing = Height::metres(0.0);
        Self {
            length,
            climb: nothing,
            descent: nothing,
            height: nothing,
            heading: None,
            own: OwnConditions::default(),
            typed: None,
        }
    }

    /// The same stretch driven the other way: what it climbed it falls, and it leads where it came from. A consumption that
    /// was typed is the way out's; nobody knows the other.
    #[must_use]
    pub fn turned_round(&self) -> Self {
        let turned = |heading: Heading| Heading { toward: (heading.toward + 180.0) % 360.0, ..heading };
        Self { climb: self.descent, descent: self.climb, heading: self.heading.map(turned), ..*self }
    }

    /// The segment of it for a car under asked conditions, when a consumption that was typed is meant for others.
    pub fn segment(&self, car: &ConsumptionFit, meant: &RoadConditions, asked: &RoadConditions) -> Segment {
        let (meant, asked) = (self.own.over(meant), self.own.over(asked));
        let consumption = match self.typed {
            Some(typed) if meant == asked => typed,
            Some(typed) => {
                let added = self.consumption(car, &asked).get() - self.consumption(car, &meant).get();
                Consumption::kwh_per_100km(typed.get() + added)
            }
            None => self.consumption(car, &asked),
        };
        Segment { length: self.length, speed: asked.speed, consumption }
    }

    fn consumption(&self, car: &ConsumptionFit, under: &RoadConditions) -> Consumption {
        let by_heading = |heading: Heading| Speed::kmh(under.wind.get() * heading.against(under.wind_from));
        let headwind = self.heading.map_or(under.headwind, by_heading);
        let conditions = car.conditions(under.speed, under.outside, headwind, under.load);
        let [drag, rolling, base, heating] = car.parts(&Conditions { height: self.height, ..conditions });
        let rolling = rolling * if under.wet { 1.0 + WET } else { 1.0 };
        // A power over 100 km at this speed.
        let heating = under.heating.map_or(heating, |power| 100.0 * power.get() / under.speed.get());
        let (drawn, returned) = climb_energy(conditions.mass, self.climb, self.descent);
        let slope = 100.0 * (drawn - returned).get() / self.length.get();
        Consumption::kwh_per_100km(drag + rolling + base + heating + slope)
    }
}

/// The road of a trip.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Road {
    /// Its stretches in driving order.
    pub stretches: Vec<Stretch>,
    /// What it is driven under.
    pub conditions: RoadConditions,
}

impl Road {
    /// A road whose consumption is known.
    pub fn of_segments(segments: &[Segment]) -> Self {
        let stretch = |segment: &Segment| Stretch {
            own: OwnConditions { speed: Some(segment.speed), ..OwnConditions::default() },
            typed: Some(segment.consumption),
            ..Stretch::level(segment.length)
        };
        Self { stretches: segments.iter().map(stretch).collect(), conditions: RoadConditions::default() }
    }

    /// Its length.
    pub fn length(&self) -> Distance {
        Distance::km(self.stretches.iter().map(|stretch| stretch.length.get()).sum())
    }

    /// Whether every consumption of it was typed.
    pub fn is_typed(&self) -> bool {
        self.stretches.iter().all(|stretch| stretch.typed.is_some())
    }

    /// The route of it for a car under conditions.
    pub fn route(&self, car: &ConsumptionFit, asked: &RoadConditions) -> Route {
        let segment = |stretch: &Stretch| stretch.segment(car, &self.conditions, asked);
        Route::new(self.stretches.iter().map(segment).collect())
    }

    /// The same road with other conditions as its own: what was typed is then what the car takes under them.
    #[must_use]
    pub fn under(&self, car: &ConsumptionFit, asked: &RoadConditions) -> Self {
        let moved = |stretch: &Stretch| {
            let typed = stretch.typed.map(|_| stretch.segment(car, &self.conditions, asked).consumption);
            Stretch { typed, ..*stretch }
        };
        Self { stretches: self.stretches.iter().map(moved).collect(), conditions: *asked }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::driving::consumption_fit::Body;
    use crate::quantity::Energy;

    fn car() -> ConsumptionFit {
        ConsumptionFit::new(&[], Energy::kwh(60.0), Body { mass: Mass::kg(1920.0), drag_area: 0.62 })
    }

    fn takes(stretch: &Stretch, trip: &RoadConditions) -> f64 {
        stretch.segment(&car(), trip, trip).consumption.get()
    }

    #[test]
    fn a_road_turned_round_twice_is_itself() {
        let climb = Stretch {
            climb: Height::metres(400.0),
            descent: Height::metres(20.0),
            heading: Some(Heading { toward: 200.0, straight: 0.8 }),
            ..Stretch::level(Distance::km(30.0))
        };
        let back = climb.turned_round();
        assert_eq!((back.climb, back.descent), (Height::metres(20.0), Height::metres(400.0)));
        assert_eq!(back.heading, Some(Heading { toward: 20.0, straight: 0.8 }));
        assert_eq!(back.turned_round(), climb);
    }

    #[test]
    fn heating_is_its_power_over_the_hours() {
        let road = Stretch::level(Distance::km(50.0));
        let off = RoadConditions { heating: Some(Power::kw(0.0)), ..RoadConditions::default() };
        let on = RoadConditions { heating: Some(Power::kw(3.0)), ..off };
        // By hand: 3 kW for the hour that 100 km take are 3 kWh/100 km.
        assert!((takes(&road, &on) - takes(&road, &off) - 3.0).abs() < 1e-9);
        // As the drives say: the prior's 0.1 kW per kelvin, one kelvin below comfort, for an hour.
        assert!((takes(&road, &RoadConditions::default()) - takes(&road, &off) - 0.1).abs() < 1e-9);
    }

    #[test]
    fn a_stretch_keeps_its_own_conditions_and_what_was_typed() {
        let trip = RoadConditions { wind: Speed::kmh(30.0), wind_from: 0.0, ..RoadConditions::default() };
        let north = Heading { toward: 0.0, straight: 1.0 };
        let road = Stretch { heading: Some(north), ..Stretch::level(Distance::km(50.0)) };
        let still = OwnConditions { wind: Some(Speed::kmh(0.0)), ..OwnConditions::default() };
        assert_eq!(takes(&Stretch { own: still, ..road }, &trip), takes(&Stretch { heading: None, ..road }, &trip));
        assert!(takes(&road, &trip) > 1.3 * takes(&Stretch { own: still, ..road }, &trip));
        let slow = OwnConditions { speed: Some(Speed::kmh(50.0)), ..still };
        assert_eq!(Stretch { own: slow, ..road }.segment(&car(), &trip, &trip).speed, Speed::kmh(50.0));
        let typed = Some(Consumption::kwh_per_100km(17.0));
        assert_eq!(takes(&Stretch { typed, ..road }, &trip), 17.0);
    }

    #[test]
    fn what_was_typed_is_meant_for_the_roads_own_weather() {
        let typed = Stretch { typed: Some(Consumption::kwh_per_100km(17.0)), ..Stretch::level(Distance::km(50.0)) };
        let own = RoadConditions::default();
        let road = Road { stretches: vec![typed], conditions: own };
        let takes = |asked: &RoadConditions| road.route(&car(), asked).segments()[0].consumption.get();
        assert_eq!(takes(&own), 17.0);
        // By hand: heating of 3 kW in the place of the prior's 0.1, for the hour that 100 km take.
        assert!((takes(&RoadConditions { heating: Some(Power::kw(3.0)), ..own }) - 19.9).abs() < 1e-9);
        // By hand: drag grows with the square of the speed against the air, 130 in the place of 100 km/h.
        let against = RoadConditions { headwind: Speed::kmh(30.0), ..own };
        let still = car().parts(&car().conditions(own.speed, own.outside, Speed::kmh(0.0), own.load))[0];
        assert!((takes(&against) - 17.0 - still * (1.3 * 1.3 - 1.0)).abs() < 0.01, "{}", takes(&against));
        assert!(takes(&RoadConditions { headwind: Speed::kmh(-30.0), ..own }) < 17.0 - 2.0);
        // Kept as its own weather, and back again: the same road.
        let there = road.under(&car(), &against);
        assert_eq!(there.route(&car(), &against).segments(), road.route(&car(), &against).segments());
        let back = there.under(&car(), &own).stretches[0].typed.unwrap().get();
        assert!((back - 17.0).abs() < 1e-9, "{back}");
    }

    #[test]
    fn thin_air_drags_less() {
        let high = Stretch { height: Height::metres(2_000.0), ..Stretch::level(Distance::km(10.0)) };
        let under = RoadConditions { outside: Temperature::celsius(2.0), ..RoadConditions::default() };
        let low = Stretch { height: Height::metres(0.0), ..high };
        let conditions = car().conditions(under.speed, under.outside, Speed::kmh(0.0), Mass::kg(0.0));
        let drag = car().parts(&conditions)[0];
        // ICAO Doc 7488, recalled from memory: 795.0 hPa at 2,000 m, 1013.25 at sea level.
        assert!((takes(&low, &under) - takes(&high, &under) - drag * (1.0 - 795.0 / 1013.25)).abs() < 0.01);
    }

    #[test]
    fn wind_counts_by_the_cosine() {
        let east = Heading { toward: 90.0, straight: 0.8 };
        let shares = [90.0, 270.0, 0.0, 150.0].map(|from| (east.against(from) * 1e9).round() / 1e9);
        assert_eq!(shares, [0.8, -0.8, 0.0, 0.4]);
    }
}
