//! What an address asks of a trip: the controls, as they were typed, and the departures that the driver has fixed.

use jiff::civil::Date;
use spare_hour_core::quantity::units::Units;
use spare_hour_core::quantity::{Soc, Temperature};
use spare_hour_core::trip::Goal;
use spare_hour_planning::drive_trip::{Asked, USUAL_DEPARTURE, own_departure};
use spare_hour_planning::shown_plan::Held;
use spare_hour_store::{StoredTrip, TripClock};

use super::weather::Weather;
use crate::forms::control::{Ask, Control};
use crate::forms::field::Field;
use crate::http::address::{decoded, encoded, query};
use spare_hour_wording::figures;

/// The cold of the preset.
const COLD: Temperature = Temperature::celsius(-10.0);

/// A control that is a number with a slider.
#[derive(Clone, Copy)]
pub(crate) struct Knob<'a> {
    pub(crate) low: u32,
    pub(crate) high: u32,
    pub(crate) control: &'a Control,
}

impl Knob<'_> {
    /// What it is called, without the unit.
    pub(crate) fn bare_label(&self) -> &str {
        self.control.label.trim_end_matches(", %")
    }
}

/// The controls of a trip as they are shown.
#[derive(Clone, Debug)]
pub(crate) struct Controls {
    start: Control,
    floor: Control,
    wish: Control,
    usage: Control,
    pub(crate) value: Control,
    pub(crate) day: Control,
    pub(crate) depart: Control,
    pub(crate) ceiling: Control,
    pub(crate) weather: Weather,
    pub(crate) car: i32,
    pub(crate) curve: Option<i32>,
    /// Departures that the driver has fixed: site and SoC.
    pub(crate) leave: Vec<(String, f64)>,
    /// The query of the plan that this one is compared with; empty for none.
    pub(crate) against: String,
    goal: Goal,
    usage_factor: f64,
    /// Day of the departure.
    pub(crate) date: Date,
    /// Minutes after its midnight.
    pub(crate) departure: f64,
}

impl Controls {
    /// The controls as asked; what is not asked, or cannot be, is as the trip says. `today` is the day of a trip that says none.
    pub(crate) fn new(ask: &Ask, stored: &StoredTrip, clock: &TripClock, units: Units, today: Date) -> Self {
        let own = stored.about.goal;
        let (today, leaves) = own_departure(clock).unwrap_or((today, f64::from(USUAL_DEPARTURE)));
        let number = |name, label: &str, number: f64| Control::new(name, label, figures::field(number), ask);
        let value = own.value_of_time_per_hour.map(figures::field).unwrap_or_default();
        let mut controls = Self {
            start: number("start", "Start with, %", own.start.get()),
            floor: number("floor", "Floor at stops, %", own.floor.get()),
            wish: number("wish", "Arrive with, %", own.arrival.get()),
            usage: number("usage", "Consumption, %", 100.0),
            value: Control::new("value", format!("An hour is worth, {}", stored.about.currency), value, ask)
                .when_empty("time alone"),
            day: Control::new("day", "Day", today.to_string(), ask),
            depart: Control::new("depart", "Leave at", units.clock.time(leaves as u32), ask),
            ceiling: number("ceiling", "Ceiling, %", own.ceiling.get()),
            weather: Weather::new(ask, &stored.about.road, units),
            car: ask.number("car").unwrap_or(stored.about.car),
            curve: ask.number("curve"),
            leave: ask.get("leave").map(departures).unwrap_or_default(),
            against: ask.get("against").unwrap_or_default().into(),
            goal: own,
            usage_factor: 1.0,
            date: today,
            departure: leaves,
        };
        controls.read(own, today, leaves);
        controls
    }

    /// Reads the numbers out of the fields.
    fn read(&mut self, own: Goal, today: Date, leaves: f64) {
        let soc = |control: &mut Control, own: Soc| {
            control.read(own, |field: &mut Field| field.number(0.0, 100.0, "%").map(Soc::percent))
        };
        self.goal.start = soc(&mut self.start, own.start);
        self.goal.floor = soc(&mut self.floor, own.floor);
        self.goal.arrival = soc(&mut self.wish, own.arrival);
        self.goal.ceiling = soc(&mut self.ceiling, own.ceiling);
        if self.goal.floor >= self.goal.ceiling {
            let fault = format!("expected less than the ceiling, {}", figures::percent(self.goal.ceiling));
            self.floor.field.fault = Some(fault);
            (self.goal.floor, self.goal.ceiling) = (own.floor, own.ceiling);
        }
        self.usage_factor = self.usage.read(100.0, |field| field.number(50.0, 250.0, "%")) / 100.0;
        let value = own.value_of_time_per_hour;
        self.goal.value_of_time_per_hour =
            self.value.read_or_none(value, |field| field.number(0.01, 100_000.0, "an hour"));
        self.date = self.day.read(today, Field::day);
        self.departure = self.depart.read(leaves, |field| field.time().map(f64::from));
    }

    /// The same where no site asks money: then no value of time changes anything.
    pub(crate) fn without_money(self) -> Self {
        let value = self.value.off_where(true, "No site of this trip has a price.");
        Self { value, ..self }
    }

    /// The controls that have a slider.
    pub(crate) fn knobs(&self) -> [Knob<'_>; 4] {
        let knob = |low, high, control| Knob { low, high, control };
        [knob(0, 100, &self.start), knob(0, 50, &self.floor), knob(0, 100, &self.wish), knob(50, 200, &self.usage)]
    }

    /// What one press sets: words, names and values as a query, and whether it is set so.
    pub(crate) fn presets(&self, units: Units) -> Vec<(String, String, bool)> {
        let cold = figures::field(units.temperature.of(COLD).round());
        let is = |control: &Control, value: &str| control.field.text == value;
        let own = self.weather.controls().filter(|one| one.off.is_none()).map(|one| (one.name, one.own.clone()));
        let usual = query([("usage", "100".to_string())].into_iter().chain(own));
        let is_usual = is(&self.usage, "100") && !self.is_other_weather();
        let mut presets = vec![
            ("a usual day".to_string(), usual, is_usual),
            ("headwind, +10 %".into(), "usage=110".into(), is(&self.usage, "110")),
            (
                format!("cold, {}", figures::temperature(units, COLD)),
                format!("outside={cold}"),
                self.weather.is_outside(&cold),
            ),
            ("20 % at the end".into(), "wish=20".into(), is(&self.wish, "20")),
        ];
        if self.value.off.is_none() {
            presets.push(("an hour for 20".into(), "value=20".into(), is(&self.value, "20")));
            presets.push(("time alone".into(), "value=".into(), is(&self.value, "")));
        }
        presets
    }

    /// Every control.
    fn all(&self) -> impl Iterator<Item = &Control> {
        let of_trip =
            [&self.start, &self.floor, &self.wish, &self.ceiling, &self.usage, &self.value, &self.day, &self.depart];
        of_trip.into_iter().chain(self.weather.controls())
    }

    /// What the controls ask of the trip.
    pub(crate) fn asked(&self) -> Asked {
        Asked {
            car: self.car,
            curve: self.curve,
            goal: self.goal,
            conditions: self.weather.conditions,
            usage: self.usage_factor,
            day: self.date,
            minute: self.departure,
        }
    }

    /// Whether other weather is asked than the trip's own.
    pub(crate) fn is_other_weather(&self) -> bool {
        !self.weather.controls().all(Control::is_own)
    }

    /// When it leaves as civil time, where that is not the trip's own.
    pub(crate) fn other_departure(&self) -> Option<String> {
        let minutes = self.departure.round() as u32 % 1440;
        let time = jiff::civil::time((minutes / 60) as i8, (minutes % 60) as i8, 0, 0);
        let own = self.day.is_own() && self.depart.is_own();
        (!own).then(|| self.date.to_datetime(time).strftime("%Y-%m-%dT%H:%M").to_string())
    }

    /// What to keep of the controls as the trip's own.
    pub(crate) fn goal(&self) -> Goal {
        self.goal
    }

    /// The fields that are wrong: name and what is wrong.
    pub(crate) fn faults(&self) -> impl Iterator<Item = (&'static str, &str)> {
        self.all().filter_map(|control| Some((control.name, control.field.fault.as_deref()?)))
    }

    /// The departures that the driver holds.
    pub(crate) fn held(&self) -> Held {
        self.leave.iter().map(|(site, soc)| (site.clone(), Soc::percent(*soc))).collect()
    }

    /// The fixed departures as a field's text.
    pub(crate) fn leave_text(&self) -> String {
        leave_text(&self.leave)
    }

    /// The address of the same plan, compared with none.
    pub(crate) fn address_without_other(&self) -> String {
        Self { against: String::new(), ..self.clone() }.address_with(&self.leave, None)
    }

    /// The address of the same plan with other fixed departures or another value of one control. Day and weather are in it only
    /// where they are not the trip's own.
    pub(crate) fn address_with(&self, leave: &[(String, f64)], changed: Option<(&'static str, String)>) -> String {
        let passing = |control: &&Control| {
            let lasting = control.name != "day" && self.weather.controls().all(|one| one.name != control.name);
            lasting || !control.is_own()
        };
        let mut pairs: Vec<(&str, String)> =
            self.all().filter(passing).map(|control| (control.name, control.field.text.clone())).collect();
        pairs.push(("car", self.car.to_string()));
        pairs.push(("curve", self.curve.map(|curve| curve.to_string()).unwrap_or_default()));
        pairs.push(("leave", leave_text(leave)));
        if !self.against.is_empty() {
            pairs.push(("against", self.against.clone()));
        }
        if let Some((name, value)) = changed {
            pairs.retain(|pair| pair.0 != name);
            pairs.push((name, value));
        }
        query(pairs)
    }
}

fn leave_text(leave: &[(String, f64)]) -> String {
    let pair = |(site, soc): &(String, f64)| format!("{}:{}", encoded(site), figures::field(*soc));
    leave.iter().map(pair).collect::<Vec<_>>().join(",")
}

/// `site:SoC` pairs, sites encoded so that their ids may hold colons and commas; what is no such pair is passed over.
fn departures(text: &str) -> Vec<(String, f64)> {
    let pair = |pair: &str| {
        let (site, soc) = pair.rsplit_once(':')?;
        let soc = soc.parse::<f64>().ok().filter(|soc| (0.0..=100.0).contains(soc))?;
        Some((decoded(site), soc))
    };
    text.split(',').filter_map(pair).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn departures_are_read_forgivingly() {
        assert_eq!(departures("s1:60.5,a:b:7,x,s2:900,s3:"), [("s1".to_string(), 60.5), ("a:b".to_string(), 7.0)]);
    }

    #[test]
    fn any_identifier_survives() {
        let leave: Vec<(String, f64)> =
            ["DE*ABC:1,2", "100 % sure+", "a&b=c", "Ünnepi"].map(|id| (id.to_string(), 42.5)).into();
        assert_eq!(departures(&leave_text(&leave)), leave);
        assert_eq!(leave_text(&[("s1".into(), 60.0)]), "s1:60");
    }
}
