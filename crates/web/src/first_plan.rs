//! A first plan in words and three numbers, with its form: on its own page, and on the first while nothing is kept.

use askama::Template;
use spare_hour_core::quantity::units::{ConsumptionUnit, Units};
use spare_hour_core::quantity::{Consumption, Energy, Power};
use spare_hour_formats::{chargers_example, read_plain_chargers, read_plain_road, road_example};
use spare_hour_planner::{Stop, StopSign};
use spare_hour_planning::clock::Here;
use spare_hour_planning::first_plan::{ASSUMED_PRICE, FirstPlan};
use spare_hour_planning::plan_trip::{Outcome, PlannedTrip, TripToPlan};
use spare_hour_planning::shown_plan::ShownPlan;
use spare_hour_wording::trips::{self, Headline};
use spare_hour_wording::{figures, refused};

use crate::app::App;
use crate::charts::day_line::DayLine;
use crate::forms::control::Ask;
use crate::forms::field::Field;
use crate::http::error::WebError;

/// What stands in the form at first: a car of 75 kWh that charges with at most 150 kW.
const USABLE: f64 = 75.0;
const MOST: f64 = 150.0;
/// What it takes on a fast road.
const TAKES: Consumption = Consumption::kwh_per_100km(20.0);

/// The form as it was filled in.
pub(crate) struct StartForm {
    pub(crate) usable: Field,
    pub(crate) most: Field,
    pub(crate) takes: Field,
    pub(crate) road: Field,
    pub(crate) chargers: Field,
    pub(crate) consumption_unit: &'static str,
    pub(crate) road_example: &'static str,
    pub(crate) chargers_example: &'static str,
}

/// The plan of what is typed, or what is wrong with it.
#[derive(Template)]
#[template(path = "layout/first_plan.html")]
pub(crate) struct Preview {
    faults: Vec<String>,
    /// Why it cannot be driven.
    stranded: Option<String>,
    plan: Option<Planned>,
}

struct Planned {
    headline: Headline,
    line: Box<DayLine>,
    stops: Vec<StopLine>,
    /// What was taken for granted.
    assumed: String,
}

struct StopLine {
    name: String,
    socs: String,
    minutes: String,
}

impl StartForm {
    /// The form of an address or a sent form; empty fields of an address that asks nothing stand for the usual.
    pub(crate) fn new(ask: &Ask, units: Units) -> Self {
        let filled = |name: &str, usual: String| Field::new(ask.get(name).map_or(usual, Into::into));
        Self {
            usable: filled("usable", figures::field(USABLE)),
            most: filled("most", figures::field(MOST)),
            takes: filled("takes", bare(units, TAKES)),
            road: filled("road", road_example(units).into()),
            chargers: filled("chargers", chargers_example(units).into()),
            consumption_unit: units.consumption.name(),
            road_example: road_example(units),
            chargers_example: chargers_example(units),
        }
    }

    /// What is said, or all that is wrong with it.
    pub(crate) fn read(&mut self, units: Units) -> Result<FirstPlan, Vec<String>> {
        let usable = self.usable.required(5.0, 300.0, "kWh").map(Energy::kwh);
        let most = self.most.required(3.0, 1_000.0, "kW").map(Power::kw);
        let takes = self.takes.consumption(units, 5.0, 80.0);
        let mut faults = Vec::new();
        let mut labelled = |label: &str, field: &Field| {
            faults.extend(field.fault.as_ref().map(|fault| format!("{label}: {fault}")));
        };
        labelled("Usable battery", &self.usable);
        labelled("Fastest charging", &self.most);
        labelled("Takes on this road", &self.takes);
        if takes.is_none() && self.takes.fault.is_none() {
            faults.push("Takes on this road: is empty; expected what the car takes".into());
        }
        let road = read_plain_road(&self.road.text, units).map_err(|fault| faults.push(fault)).ok();
        let sites = road.as_ref().and_then(|road| {
            read_plain_chargers(&self.chargers.text, units, road.length()).map_err(|more| faults.extend(more)).ok()
        });
        match (usable, most, takes, road, sites) {
            (Some(usable), Some(most), Some(takes), Some(road), Some(sites)) if faults.is_empty() => {
                let name = if road.name.is_empty() { "A first trip".into() } else { road.name };
                Ok(FirstPlan { name, usable, most, takes, road: road.parts, sites })
            }
            _ => Err(faults),
        }
    }
}

/// A consumption in the person's unit, as a field holds it.
fn bare(units: Units, takes: Consumption) -> String {
    let number = units.consumption.of(takes);
    match units.consumption {
        ConsumptionUnit::KwhPer100Km | ConsumptionUnit::WhPerKm => figures::field(number.round()),
        _ => figures::field((100.0 * number).round() / 100.0),
    }
}

impl Preview {
    /// The plan of a form, which learns what is wrong with it.
    pub(crate) fn of(form: &mut StartForm, here: &Here, units: Units, stop: &StopSign) -> Self {
        let nothing = Self { faults: Vec::new(), stranded: None, plan: None };
        let said = match form.read(units) {
            Ok(said) => said,
            Err(faults) => return Self { faults, ..nothing },
        };
        let to_plan = said.trip().map_err(|fault| refused::sentence(&fault));
        let to_plan = to_plan.and_then(|file| TripToPlan::of_file(file, here).map_err(|error| error.to_string()));
        match to_plan.map(|to_plan| to_plan.plan(stop)) {
            Err(fault) => Self { faults: vec![fault], ..nothing },
            Ok(Outcome::Planned(planned)) => Self { plan: Some(Planned::new(&planned, &said, units)), ..nothing },
            Ok(Outcome::Infeasible(none)) => {
                Self { stranded: Some(trips::infeasible(&none.trip, &none.leg, units)), ..nothing }
            }
            Ok(Outcome::Stopped) => nothing,
        }
    }
}

impl Planned {
    fn new(planned: &PlannedTrip, said: &FirstPlan, units: Units) -> Self {
        let (plan, shown) = (planned.best(), ShownPlan::by_road(planned, &[]));
        let stop = |stop: &Stop| StopLine {
            name: planned.trip().site(stop.site).name.clone(),
            socs: format!("{} to {}", figures::percent(stop.arrive), figures::percent(stop.depart)),
            minutes: format!("{} min", figures::minutes((stop.charge + stop.overhead).get())),
        };
        let curve = format!("a borrowed curve up to {:.0} kW until you measure a charge", said.most.get());
        Self {
            headline: Headline::new(&shown.plan, &shown.departure, units),
            line: Box::new(DayLine::new(&shown, units, None, None)),
            stops: plan.stops.iter().map(stop).collect(),
            assumed: format!(
                "Taken for granted: {curve}; 90 % at the start, 15 % at the end; 5 min to plug in; {ASSUMED_PRICE:.2} for a kWh."
            ),
        }
    }
}

/// A form and its plan.
pub(crate) async fn previewed(app: &App, ask: Ask) -> Result<(StartForm, Preview), WebError> {
    let here = app.here.clone();
    app.run_while_waiting(move |store, stop| {
        let units = store.settings()?.units;
        let mut form = StartForm::new(&ask, units);
        let preview = Preview::of(&mut form, &here, units, stop);
        Ok((form, preview))
    })
    .await
}
