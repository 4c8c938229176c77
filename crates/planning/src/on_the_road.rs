//! The trip under way as its events tell it: where one is, the best way on from there, what to do if the next stop fails, and at a
//! stall whether to leave.

use jiff::{Timestamp, ZonedDateTime};
use spare_hour_core::quantity::{Minutes, Soc};
use spare_hour_core::session::Session;
use spare_hour_core::session::live::{LiveCharge, What};
use spare_hour_core::trip::Trip;
use spare_hour_core::trip::road_log::{RoadEvent, RoadLog};
use spare_hour_core::trip::under_way::Now;
use spare_hour_core::trip::wishes::Wishes;
use spare_hour_formats::{BegunPlace, BegunPlan, BegunStop, note_condition, read_event_line, read_road_event};
use spare_hour_planner::{Advice, StopSign};
use spare_hour_store::{Outing, Store, StoredLiveCharge};

use crate::PlanningError;
use crate::advise::{advise, with_charge};
use crate::clock::Here;
use crate::drive_trip::{Asked, KeptTrip};
use crate::plan_trip::TripToPlan;
use crate::shown_plan::ShownPlan;
use crate::under_way::NoWay;

/// Where the floor cannot be kept, the highest of these that can is planned with, %.
const LOWER_FLOORS: [f64; 4] = [8.0, 5.0, 2.0, 0.0];

/// A trip under way.
#[derive(Debug)]
pub struct OnTheRoad {
    /// What was begun.
    pub outing: Outing,
    /// The plan that it was begun with.
    pub begun: BegunPlan,
    /// What happened.
    pub log: RoadLog,
    /// Where one is.
    pub now: Now,
    /// The whole trip, with its sites as they were found.
    pub whole: TripToPlan,
    /// The way on; `None` where there is none at all.
    pub on: Option<WayOn>,
    /// What is to be done at the stall where one stands, where its charge is measured.
    pub advice: Option<Box<Advice>>,
    /// The charge that is measured there.
    pub charge: Option<i32>,
}

/// The best way on from where one is.
#[derive(Clone, Debug)]
pub struct WayOn {
    /// The plan: its kilometres begin where one is.
    pub shown: ShownPlan,
    /// The floor that could be kept, where the trip's own cannot.
    pub lowered: Option<Soc>,
    /// How long one has been at the wheel, where a rest is due sooner than any plan has one.
    pub rest_is_due: Option<Minutes>,
    /// The next other place to charge, and what one arrives there with; `None` where none is in reach.
    pub fallback: Option<(String, Soc)>,
}

/// The events of an outing's lines, and how many cannot be read.
pub fn events_of(lines: &[String]) -> (Vec<RoadEvent>, usize) {
    let read: Vec<RoadEvent> = lines.iter().filter_map(|line| read_road_event(line, 0, String::new).ok()).collect();
    let unread = lines.len() - read.len();
    (read, unread)
}

/// A plan as the ledger keeps it.
pub fn begun(shown: &ShownPlan) -> BegunPlan {
    let stop = |stop: &spare_hour_planner::trade::ClockStop| {
        let site = shown.trip.site(stop.site);
        BegunStop {
            site: site.id.clone(),
            name: site.name.clone(),
            at_km: site.at.get(),
            arrive_min: stop.reached.get(),
            leave_min: stop.leaves.get(),
            arrive_soc: stop.arrive.get(),
            leave_soc: stop.depart.get(),
            plug_kwh: stop.plug.get(),
            cost: stop.cost,
        }
    };
    let place = |site: &spare_hour_core::trip::Site| BegunPlace {
        site: site.id.clone(),
        name: site.name.clone(),
        at_km: site.at.get(),
    };
    BegunPlan {
        leaves_ms: shown.departure.timestamp().as_millisecond(),
        start_soc: shown.trip.goal.start.get(),
        km: shown.trip.route.length().get(),
        total_min: shown.plan.total.get(),
        cost: shown.plan.cost,
        arrival_soc: shown.plan.arrival.get(),
        usable_kwh: shown.trip.vehicle.usable.get(),
        stops: shown.plan.stops.iter().map(stop).collect(),
        places: shown.trip.sites.iter().map(place).collect(),
    }
}

/// A measured charge as far as it has come, and when its last reading was taken.
///
/// # Errors
/// When the store refuses.
pub fn session_of(store: &Store, charge: &StoredLiveCharge) -> Result<(Session, Option<Timestamp>), PlanningError> {
    let lines = store.event_lines(charge.id, 0)?;
    let events: Vec<_> = lines.iter().filter_map(|line| read_event_line(line, 0, String::new).ok()).collect();
    let mut conditions = spare_hour_core::session::Conditions::default();
    for (key, value) in &charge.about.conditions {
        // What is no condition any more counts for nothing here.
        let _ = note_condition(&mut conditions, key, value);
    }
    let readings = events.iter().filter(|event| matches!(event.what, What::Reading(_)));
    let last = readings.map(|event| event.at_ms).max().and_then(|ms| Timestamp::from_millisecond(ms).ok());
    Ok((LiveCharge::replay(&events).session(&conditions), last))
}

impl OnTheRoad {
    /// The trip that is under way; `None` where none is, or its trip can no longer be planned.
    ///
    /// # Errors
    /// When what is kept cannot be read or planned, or the store refuses.
    pub fn read(store: &Store, here: &Here, stop: &StopSign) -> Result<Option<Self>, PlanningError> {
        let Some(outing) = store.under_way()? else { return Ok(None) };
        let kept = match KeptTrip::read(store, here, outing.about.trip, |stored, clock| Asked::own(stored, clock, here))
        {
            Ok(kept) => kept,
            Err(PlanningError::Store(spare_hour_store::StoreError::NotFound { .. })) => return Ok(None),
            Err(error) => return Err(error),
        };
        let Some(to_plan) = kept.to_plan else { return Ok(None) };
        let log = RoadLog::replay(&events_of(&store.outing_lines(outing.id)?).0);
        let zone = to_plan.departure.time_zone().clone();
        let at = |ms: i64| Some(Timestamp::from_millisecond(ms).ok()?.to_zoned_datetime(zone.clone()));
        let Some(now) = log.now(&to_plan.trip, at) else { return Ok(None) };
        let TripToPlan { trip, prices, departure, wishes } = to_plan;
        let whole = TripToPlan { trip: log.found(trip.into_draft())?, prices, departure, wishes };
        let charge = match &now.at_site {
            Some(_) => store.open_charges()?.into_iter().next(),
            None => None,
        };
        let mut now = now;
        now.driven = at_wheel(&log, &whole.wishes);
        let advice = match &charge {
            Some(charge) => {
                let (session, last) = session_of(store, charge)?;
                now.at = last.map_or(now.at, |last| last.to_zoned_datetime(zone.clone()));
                advise(whole.clone(), &now, &session, stop).ok().map(Box::new)
            }
            None => None,
        };
        let begun = BegunPlan::read(&outing.about.plan).unwrap_or_default();
        let on = match (&advice, &now.at_site) {
            (Some(told), Some(site)) => {
                now.soc = told.charge.sure;
                way_on(&with_charge(whole.clone(), site, &told.charge), &now, stop)?
            }
            _ => way_on(&whole, &now, stop)?,
        };
        Ok(Some(Self { begun, log, on, advice, charge: charge.map(|charge| charge.id), now, whole, outing }))
    }

    /// A moment of the trip by its clock.
    pub fn moment(&self, ms: i64) -> Option<ZonedDateTime> {
        let zone = self.whole.departure.time_zone().clone();
        Some(Timestamp::from_millisecond(ms).ok()?.to_zoned_datetime(zone))
    }

    /// Sites from where one is on, in driving order.
    pub fn ahead(&self) -> Vec<(String, String, f64)> {
        let from = self.now.at_km;
        let sites = self.whole.trip.sites.iter().filter(|site| site.at >= from);
        let mut ahead: Vec<_> = sites.map(|site| (site.id.clone(), site.name.clone(), site.at.get())).collect();
        ahead.sort_by(|a, b| a.2.total_cmp(&b.2));
        ahead
    }
}

/// How long one has been at the wheel, where that counts.
fn at_wheel(log: &RoadLog, wishes: &Wishes) -> Minutes {
    let Some(rest) = wishes.rest.filter(|_| wishes.most_drive.is_some()) else { return Minutes::new(0.0) };
    log.at_wheel(rest, |name| wishes.pauses.iter().any(|pause| pause.name == name && pause.length >= rest))
}

/// The best way on; where a rest is due at once as if one were just rested, and then that is told.
fn way_on(whole: &TripToPlan, now: &Now, stop: &StopSign) -> Result<Option<WayOn>, PlanningError> {
    let on = way_on_rested(whole, now, stop)?;
    if on.is_some() || now.driven.get() <= 0.0 {
        return Ok(on);
    }
    let rested = Now { driven: Minutes::new(0.0), ..now.clone() };
    let on = way_on_rested(whole, &rested, stop)?;
    Ok(on.map(|on| WayOn { rest_is_due: Some(now.driven), ..on }))
}

/// The best way on; with a lower floor where the trip's own cannot be kept. `None` where there is none at all.
fn way_on_rested(whole: &TripToPlan, now: &Now, stop: &StopSign) -> Result<Option<WayOn>, PlanningError> {
    let own = whole.trip.goal.floor;
    let lower = LOWER_FLOORS.into_iter().map(Soc::percent).filter(|floor| *floor < own);
    for floor in std::iter::once(own).chain(lower) {
        let trip = with_floor(&whole.trip, floor)?;
        let to_plan = TripToPlan { trip, ..whole.clone() };
        match to_plan.clone().rest(now)?.best_plan(stop) {
            Ok(shown) => {
                let fallback = fallback(&to_plan, now, &shown, stop)?;
                return Ok(Some(WayOn { shown, lowered: (floor < own).then_some(floor), rest_is_due: None, fallback }));
            }
            Err(NoWay::Refused(refused)) => return Err(refused.into()),
            Err(NoWay::Stopped) => return Ok(None),
            Err(NoWay::Infeasible(_)) => {}
        }
    }
    Ok(None)
}

fn with_floor(trip: &Trip, floor: Soc) -> Result<Trip, PlanningError> {
    let mut draft = trip.clone().into_draft();
    let arrival = if draft.goal.arrival < floor || floor == draft.goal.floor { draft.goal.arrival } else { floor };
    draft.goal = spare_hour_core::trip::Goal { floor, arrival, ..draft.goal };
    Ok(Trip::new(draft)?)
}

/// The next other place to charge for who leaves as planned and finds the next stop closed.
fn fallback(
    whole: &TripToPlan,
    now: &Now,
    shown: &ShownPlan,
    stop: &StopSign,
) -> Result<Option<(String, Soc)>, PlanningError> {
    let is_here = |site: &str| Some(site) == now.at_site.as_deref();
    let mut stops = shown.plan.stops.iter().filter(|one| !is_here(&shown.trip.site(one.site).id));
    let Some(next) = stops.next().map(|one| shown.trip.site(one.site).id.clone()) else { return Ok(None) };
    let first = shown.plan.stops.first().filter(|one| is_here(&shown.trip.site(one.site).id));
    let leaves = first.map_or(now.soc, |stand| stand.depart);
    let mut avoid = now.avoid.clone();
    avoid.extend(now.at_site.clone());
    avoid.push(next);
    let then = Now { at_site: None, soc: leaves, avoid, ..now.clone() };
    let other = whole.clone().rest(&then)?.best_plan(stop).ok();
    Ok(other.and_then(|other| {
        let stop = other.plan.stops.first()?;
        Some((other.trip.site(stop.site).name.clone(), stop.arrive))
    }))
}
