//! A kept trip under the conditions of a day, driven by a car: the trip that the planner is given.

use std::sync::Arc;

use jiff::civil::{Date, DateTime};
use spare_hour_core::charging::known_car::KnownCar;
use spare_hour_core::charging::profile::Profile;
use spare_hour_core::driving::consumption_fit::{Body, ConsumptionFit};
use spare_hour_core::driving::drive::Drive;
use spare_hour_core::driving::road::{Road, RoadConditions};
use spare_hour_core::driving::route::{Route, Segment};
use spare_hour_core::quantity::{Consumption, Temperature};
use spare_hour_core::trip::wishes::{CarAc, Wishes};
use spare_hour_core::trip::{Goal, Trip, TripDraft, Vehicle};
use spare_hour_formats::read_wishes;
use spare_hour_planner::StopSign;
use spare_hour_store::{Car, Curve, Settings, Store, StoredTrip, TripClock};

use crate::PlanningError;
use crate::clock::Here;
use crate::curve_of_day::{CurveOfDay, Suits};
use crate::ledger::{Nearness, nearness_of_all};
use crate::plan_trip::{Outcome, PlannedTrip, TripToPlan};
use crate::price_stop::Prices;

/// Minutes after midnight at which a trip leaves unless told otherwise: eight o'clock.
pub const USUAL_DEPARTURE: u32 = 480;

/// What a person asks of a kept trip, in place of what it says itself.
#[derive(Clone, Debug, PartialEq)]
pub struct Asked {
    /// The car that drives.
    pub car: i32,
    /// The curve that is planned with; the one in use when left out, or of another car.
    pub curve: Option<i32>,
    /// What is wanted.
    pub goal: Goal,
    /// The conditions of the road.
    pub conditions: RoadConditions,
    /// How many times what the road draws is drawn; what descents give back stays.
    pub usage: f64,
    /// Day of the departure.
    pub day: Date,
    /// Minutes after its midnight, by the clock on the wall.
    pub minute: f64,
}

/// Day and minutes after midnight of a trip's own departure, where it has one.
pub fn own_departure(clock: &TripClock) -> Option<(Date, f64)> {
    let at: DateTime = clock.departure.as_deref()?.parse().ok()?;
    let minutes = 60.0 * f64::from(at.hour()) + f64::from(at.minute());
    Some((at.date(), minutes))
}

/// What is wished of a kept trip: as it was kept, with what the car's own charger takes.
fn wishes_for(clock: &TripClock, car: &KnownCar, trip: &TripDraft, id: i32) -> Result<Wishes, PlanningError> {
    let kept = kept_wishes(clock, id)?;
    let usual = car.charge_loss_percent;
    let own = car.on_board.map(|charger| CarAc {
        phases: charger.phases,
        most: charger.limit,
        current: charger.current,
        loss_percent: charger.loss_percent.unwrap_or(usual),
    });
    let has = |site: &str| trip.sites.iter().any(|one| one.id == site);
    Ok(Wishes { car_ac: kept.car_ac.or(own), ..kept }.of_sites(has))
}

/// What is wished of a kept trip, as it was kept.
///
/// # Errors
/// When it cannot be read.
pub fn kept_wishes(clock: &TripClock, id: i32) -> Result<Wishes, PlanningError> {
    let Some(text) = &clock.wishes else { return Ok(Wishes::default()) };
    let unreadable = |problem: String| PlanningError::Unreadable { what: "the wishes of trip", id, problem };
    read_wishes(text).map_err(|error| unreadable(error.to_string()))
}

impl Asked {
    /// What a trip says itself; it leaves today at the usual hour.
    pub fn own(stored: &StoredTrip, clock: &TripClock, here: &Here) -> Self {
        let about = &stored.about;
        let (day, minute) = own_departure(clock).unwrap_or((here.today(), f64::from(USUAL_DEPARTURE)));
        Self {
            car: about.car,
            curve: None,
            goal: about.goal,
            conditions: about.road.conditions,
            usage: 1.0,
            day,
            minute,
        }
    }
}

/// A kept trip with all that it can be planned with.
#[derive(Clone, Debug)]
pub struct KeptTrip {
    /// The trip.
    pub stored: StoredTrip,
    /// What is known of it by the clock.
    pub clock: TripClock,
    /// All cars that could drive it.
    pub cars: Vec<Car>,
    /// The curves of the car that drives.
    pub curves: Vec<Curve>,
    /// The curve that is planned with.
    pub curve: Option<Curve>,
    /// How that suits the weather, and how warm the pack was when it was measured.
    pub suits: Suits,
    /// How warm, where it is known.
    pub pack: Option<Temperature>,
    /// The trip as the planner is given it; `None` while its car has no curve.
    pub to_plan: Option<TripToPlan>,
}

impl KeptTrip {
    /// Reads a trip and applies what `ask` makes of it.
    ///
    /// # Errors
    /// When there is no such trip or car, when what is kept cannot be read or planned, when the store refuses.
    pub fn read(
        store: &Store,
        here: &Here,
        id: i32,
        ask: impl FnOnce(&StoredTrip, &TripClock) -> Asked,
    ) -> Result<Self, PlanningError> {
        let (stored, clock) = (store.trip(id)?, store.trip_clock(id)?);
        let here = &here.in_zone(clock.time_zone.as_deref());
        let asked = ask(&stored, &clock);
        let cars = store.cars()?;
        let car = cars.iter().find(|car| car.id == asked.car).ok_or(PlanningError::NoSuchCar)?.clone();
        let curves = store.curves_of(car.id)?;
        let outside = asked.conditions.outside;
        let CurveOfDay { curve, pack, suits } = CurveOfDay::new(store, &curves, (asked.curve, car.curve), outside)?;
        let mut to_plan = None;
        if let (Some(curve), Some(departure)) = (&curve, here.at(asked.day, asked.minute)) {
            let fit = fit_for(store, &car, &stored.about.road, &asked.conditions)?;
            let mut draft = driven(&stored, vehicle(&car.about, curve.about.power.clone()), &fit, &asked);
            let prices = Prices::of_trip(store, id)?;
            prices.apply(&mut draft, &departure);
            let wishes = wishes_for(&clock, &car.about, &draft, id)?;
            to_plan = Some(TripToPlan { trip: Trip::new(draft)?, prices, departure, wishes });
        }
        Ok(Self { stored, clock, cars, curves, curve, suits, pack, to_plan })
    }
}

/// A kept trip, planned: what pages ask again and again while a person tries departures.
#[derive(Debug)]
pub struct SolvedTrip {
    /// The trip and what it was planned with.
    pub kept: KeptTrip,
    /// How the person reads and writes.
    pub settings: Settings,
    /// Whether its plan depends on the clock.
    pub needs_clock: bool,
    /// How near plans came so far, where enough trips tell.
    pub near: Option<Nearness>,
    /// What came of planning without waits, at one price for each site; `None` while its car has no curve.
    pub outcome: Option<Outcome>,
}

impl SolvedTrip {
    /// Reads a trip, applies what `ask` makes of it, and plans it unless it is told to stop.
    ///
    /// # Errors
    /// Those of [`KeptTrip::read`].
    pub fn new(
        store: &Store,
        here: &Here,
        id: i32,
        ask: impl FnOnce(&StoredTrip, &TripClock, &Settings) -> Asked,
        stop: &StopSign,
    ) -> Result<Self, PlanningError> {
        let settings = store.settings()?;
        let kept = KeptTrip::read(store, here, id, |stored, clock| ask(stored, clock, &settings))?;
        let needs_clock = kept.to_plan.as_ref().is_some_and(TripToPlan::needs_clock);
        let outcome = kept.to_plan.clone().map(|to_plan| to_plan.plan(stop));
        let near = nearness_of_all(store, here)?;
        Ok(Self { kept, settings, needs_clock, near, outcome })
    }

    /// The plan, if there is one.
    pub fn planned(&self) -> Option<&Arc<PlannedTrip>> {
        match &self.outcome {
            Some(Outcome::Planned(planned)) => Some(planned),
            _ => None,
        }
    }

    /// Whether it was told to stop before it was solved.
    pub fn is_stopped(&self) -> bool {
        matches!(self.outcome, Some(Outcome::Stopped))
    }
}

/// The car with one charge curve, as the planner wants it.
pub fn vehicle(car: &KnownCar, charge_curve: Profile) -> Vehicle {
    Vehicle {
        usable: car.usable,
        charge_curve,
        charge_loss_percent: car.charge_loss_percent,
        pack_voltage: car.pack_voltage.clone(),
        boost: car.boost.clone(),
    }
}

/// What a car's road load is guessed from before any drive; a middling car's where nothing is noted.
pub fn body(car: &KnownCar) -> Body {
    let usual = Body::default();
    Body { mass: car.mass.unwrap_or(usual.mass), drag_area: car.drag_area.unwrap_or(usual.drag_area) }
}

/// What a car's drives say of it; they are not read where they do not count, because all consumption of the road was typed for
/// just these conditions.
///
/// # Errors
/// When the store refuses.
pub fn fit_for(store: &Store, car: &Car, road: &Road, asked: &RoadConditions) -> Result<ConsumptionFit, PlanningError> {
    let as_typed = road.is_typed() && road.conditions == *asked;
    let kept = if as_typed { Vec::new() } else { store.drives_of(car.id)? };
    let drives: Vec<Drive> = kept.into_iter().map(|kept| kept.drive).collect();
    Ok(ConsumptionFit::new(&drives, car.about.usable, body(&car.about)))
}

fn driven(stored: &StoredTrip, vehicle: Vehicle, fit: &ConsumptionFit, asked: &Asked) -> TripDraft {
    let about = &stored.about;
    let used = |segment: &Segment| {
        // Wind and cold add to what is drawn; a descent does not give back more for it.
        let factor = if segment.consumption.get() > 0.0 { asked.usage } else { 1.0 };
        Segment { consumption: Consumption::kwh_per_100km(segment.consumption.get() * factor), ..*segment }
    };
    let route = about.road.route(fit, &asked.conditions);
    TripDraft {
        name: about.name.clone(),
        vehicle,
        route: Route::new(route.segments().iter().map(used).collect()),
        sites: about.sites.clone(),
        goal: asked.goal,
    }
}
