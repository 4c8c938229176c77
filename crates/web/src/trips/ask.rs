//! What an address asks of a trip: the controls, as they were typed, and the departures that the driver has fixed.

use serde::Deserialize;
use spare_hour_core::planner::FixedDeparture;
use spare_hour_core::quantity::{Consumption, Soc};
use spare_hour_core::route::{Route, Segment};
use spare_hour_core::trip::{Goal, Trip};
use spare_hour_store::StoredTrip;

use crate::address::query;
use crate::fields::Field;
use crate::say;

/// Minutes after midnight at which a trip starts unless told otherwise: eight o'clock.
const DEPARTURE: f64 = 480.0;

/// The query of a trip's address. Everything is optional and taken as text, so that nothing typed is lost.
#[derive(Clone, Debug, Default, Deserialize)]
pub(crate) struct Ask {
    start: Option<String>,
    floor: Option<String>,
    wish: Option<String>,
    ceiling: Option<String>,
    /// Consumption in % of what the trip says.
    usage: Option<String>,
    value: Option<String>,
    depart: Option<String>,
    car: Option<String>,
    curve: Option<String>,
    /// `site:SoC` pairs, separated by commas.
    leave: Option<String>,
    /// One control's name and value, from a button; it goes before what the control holds.
    preset: Option<String>,
    kept: Option<String>,
}

impl Ask {
    pub(crate) fn curve(&self) -> Option<i32> {
        self.curve.as_ref()?.parse().ok()
    }

    pub(crate) fn kept(&self) -> bool {
        self.kept.is_some()
    }
}

/// A control that is a number with a slider.
#[derive(Clone, Debug)]
pub(crate) struct Knob {
    pub(crate) name: &'static str,
    pub(crate) label: &'static str,
    pub(crate) unit: &'static str,
    pub(crate) low: u32,
    pub(crate) high: u32,
    pub(crate) field: Field,
}

/// The controls of a trip as they are shown.
#[derive(Clone, Debug)]
pub(crate) struct Controls {
    pub(crate) start: Field,
    pub(crate) floor: Field,
    pub(crate) wish: Field,
    pub(crate) ceiling: Field,
    pub(crate) usage: Field,
    pub(crate) value: Field,
    pub(crate) depart: Field,
    pub(crate) car: i32,
    pub(crate) curve: Option<i32>,
    /// Departures that the driver has fixed: site and SoC.
    pub(crate) leave: Vec<(String, f64)>,
    goal: Goal,
    usage_factor: f64,
    /// Minutes after midnight.
    pub(crate) departure: f64,
}

impl Controls {
    /// The controls as asked; what is not asked, or cannot be, is as the trip says.
    pub(crate) fn new(ask: &Ask, stored: &StoredTrip) -> Self {
        let own = stored.about.goal;
        let preset = ask.preset.as_deref().and_then(|preset| preset.split_once('='));
        let field = |name: &str, asked: &Option<String>, kept: f64| match preset {
            Some((preset, value)) if preset == name => Field::new(value),
            _ => Field::new(asked.clone().unwrap_or_else(|| say::field(kept))),
        };
        let mut controls = Self {
            start: field("start", &ask.start, own.start.get()),
            floor: field("floor", &ask.floor, own.floor.get()),
            wish: field("wish", &ask.wish, own.arrival.get()),
            ceiling: field("ceiling", &ask.ceiling, own.ceiling.get()),
            usage: field("usage", &ask.usage, 100.0),
            value: Field::new(
                ask.value.clone().or_else(|| own.value_of_time_per_hour.map(say::field)).unwrap_or_default(),
            ),
            depart: Field::new(ask.depart.clone().unwrap_or_else(|| say::time_of_day(DEPARTURE, 0.0))),
            car: ask.car.as_ref().and_then(|car| car.parse().ok()).unwrap_or(stored.about.car),
            curve: None,
            leave: ask.leave.as_deref().map(departures).unwrap_or_default(),
            goal: own,
            usage_factor: 1.0,
            departure: DEPARTURE,
        };
        controls.read(own);
        controls
    }

    /// Reads the numbers out of the fields.
    fn read(&mut self, own: Goal) {
        let soc = |field: &mut Field, kept: Soc| field.required(0.0, 100.0, "%").map_or(kept, Soc::percent);
        self.goal.start = soc(&mut self.start, own.start);
        self.goal.floor = soc(&mut self.floor, own.floor);
        self.goal.arrival = soc(&mut self.wish, own.arrival);
        self.goal.ceiling = soc(&mut self.ceiling, own.ceiling);
        if self.goal.floor >= self.goal.ceiling {
            self.floor.fault = Some(format!("expected less than the ceiling, {}", say::percent(self.goal.ceiling)));
            (self.goal.floor, self.goal.ceiling) = (own.floor, own.ceiling);
        }
        self.usage_factor = self.usage.required(50.0, 250.0, "%").map_or(1.0, |percent| percent / 100.0);
        self.goal.value_of_time_per_hour = self.value.number(0.01, 100_000.0, "an hour");
        match time(&self.depart.text) {
            Some(minutes) => self.departure = minutes,
            None => self.depart.fault = Some("expected a time such as 08:30".into()),
        }
    }

    /// The controls that have a slider.
    pub(crate) fn knobs(&self) -> Vec<Knob> {
        let knob =
            |name, label, unit, low, high, field: &Field| Knob { name, label, unit, low, high, field: field.clone() };
        vec![
            knob("start", "Start with", "%", 0, 100, &self.start),
            knob("floor", "Floor at stops", "%", 0, 50, &self.floor),
            knob("wish", "Wish at the end", "%", 0, 100, &self.wish),
            knob("usage", "Consumption", "%", 50, 200, &self.usage),
        ]
    }

    /// The trip with the controls applied.
    pub(crate) fn apply(&self, trip: Trip) -> Trip {
        let worn = |segment: &Segment| {
            // Wind and cold add to what is drawn; a descent does not give back more for it.
            let factor = if segment.consumption.get() > 0.0 { self.usage_factor } else { 1.0 };
            Segment { consumption: Consumption::kwh_per_100km(segment.consumption.get() * factor), ..*segment }
        };
        let segments = trip.route.segments().iter().map(worn).collect();
        Trip { route: Route::new(segments), goal: self.goal, ..trip }
    }

    /// What to keep of the controls as the trip's own.
    pub(crate) fn goal(&self) -> Goal {
        self.goal
    }

    /// The fields that are wrong: name and what is wrong.
    pub(crate) fn faults(&self) -> impl Iterator<Item = (&'static str, &str)> {
        let fields = [
            ("start", &self.start),
            ("floor", &self.floor),
            ("wish", &self.wish),
            ("ceiling", &self.ceiling),
            ("usage", &self.usage),
            ("value", &self.value),
            ("depart", &self.depart),
        ];
        fields.into_iter().filter_map(|(name, field)| Some((name, field.fault.as_deref()?)))
    }

    /// The fixed departures that name one of the trip's sites.
    pub(crate) fn fixed(&self, trip: &Trip) -> Vec<FixedDeparture> {
        let departure = |(id, soc): &(String, f64)| {
            let site = trip.sites.iter().position(|site| site.id == *id)?;
            Some(FixedDeparture { site, depart: Soc::percent(*soc) })
        };
        let mut fixed: Vec<FixedDeparture> = self.leave.iter().filter_map(departure).collect();
        fixed.sort_by(|a, b| trip.sites[a.site].at.get().total_cmp(&trip.sites[b.site].at.get()));
        fixed
    }

    /// The fixed departures as a field's text.
    pub(crate) fn leave_text(&self) -> String {
        leave_text(&self.leave)
    }

    /// The address of the same plan with other fixed departures or another value of one control.
    pub(crate) fn address_with(&self, leave: &[(String, f64)], changed: Option<(&'static str, String)>) -> String {
        let mut pairs = vec![
            ("start", self.start.text.clone()),
            ("floor", self.floor.text.clone()),
            ("wish", self.wish.text.clone()),
            ("ceiling", self.ceiling.text.clone()),
            ("usage", self.usage.text.clone()),
            ("value", self.value.text.clone()),
            ("depart", self.depart.text.clone()),
            ("car", self.car.to_string()),
            ("curve", self.curve.map(|curve| curve.to_string()).unwrap_or_default()),
            ("leave", leave_text(leave)),
        ];
        if let Some((name, value)) = changed {
            pairs.retain(|pair| pair.0 != name);
            pairs.push((name, value));
        }
        query(pairs)
    }
}

fn leave_text(leave: &[(String, f64)]) -> String {
    leave.iter().map(|(site, soc)| format!("{site}:{}", say::field(*soc))).collect::<Vec<_>>().join(",")
}

/// `site:SoC` pairs; what is no such pair is passed over. A site's id may hold colons.
fn departures(text: &str) -> Vec<(String, f64)> {
    let pair = |pair: &str| {
        let (site, soc) = pair.rsplit_once(':')?;
        let soc = soc.parse::<f64>().ok().filter(|soc| (0.0..=100.0).contains(soc))?;
        Some((site.to_string(), soc))
    };
    text.split(',').filter_map(pair).collect()
}

/// `hh:mm` as minutes after midnight.
fn time(text: &str) -> Option<f64> {
    let (hour, minute) = text.trim().split_once(':')?;
    let (hour, minute): (u32, u32) = (hour.parse().ok()?, minute.parse().ok()?);
    (hour < 24 && minute < 60).then(|| f64::from(60 * hour + minute))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn departures_are_read_forgivingly() {
        assert_eq!(departures("s1:60.5,a:b:7,x,s2:900,s3:"), [("s1".to_string(), 60.5), ("a:b".to_string(), 7.0)]);
        assert_eq!([time("08:30"), time("24:00"), time("8"), time("x:y")], [Some(510.0), None, None, None]);
    }
}
