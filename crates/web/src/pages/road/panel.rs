//! What is said in huge type: the next stop, what to leave with, what if it fails; and what one can touch.

use jiff::ZonedDateTime;
use spare_hour_core::charging::charging_time::ChargingTime;
use spare_hour_core::quantity::units::Units;
use spare_hour_core::quantity::{Distance, Minutes, Soc};
use spare_hour_core::trip::Vehicle;
use spare_hour_planner::Advice;
use spare_hour_planner::trade::ClockStop;
use spare_hour_planning::on_the_road::{OnTheRoad, WayOn, events_of};
use spare_hour_wording::{advice, figures};

/// Everything that changes with a touch.
pub(super) struct Panel {
    pub(super) id: i32,
    /// What to do, in one line, and why.
    pub(super) headline: String,
    pub(super) told: Vec<String>,
    /// What is to be known: the floor that cannot be kept, nothing in reach.
    pub(super) warning: Option<String>,
    /// The end of the trip, and the difference from the plan it was begun with.
    pub(super) end: String,
    /// Where one stands: the site and its name.
    pub(super) standing: Option<(String, String)>,
    /// The site that touches are about: where one stands, else the next stop.
    pub(super) about: Option<(String, String)>,
    /// Places ahead: site, words, and whether it is the next stop.
    pub(super) ahead: Vec<(String, String, bool)>,
    /// SoC that is likely at the next touch.
    pub(super) likely: String,
    /// When to leave, in milliseconds since 1970, for the alarm.
    pub(super) leave_at: Option<i64>,
    /// When to be told of the fee of standing on, and in which words.
    pub(super) idle: Option<(i64, String)>,
    /// The charge that is measured here.
    pub(super) charge: Option<i32>,
    /// How it charges, what it has cost, what leaving now would change.
    pub(super) at_stall: Vec<String>,
    /// Pauses that are still to be taken.
    pub(super) pauses: Vec<String>,
    /// The stops from here.
    pub(super) stops: Vec<[String; 4]>,
    /// What the car takes at each round ten, and the minutes of the five percent from there on, for who has no signal.
    pub(super) curve: Vec<[String; 3]>,
    /// The last event, for its undo: its name, and what it was.
    pub(super) last: Option<String>,
    /// What is known of sites, for this trip.
    pub(super) found: Vec<String>,
}

impl Panel {
    pub(super) fn new(on: &OnTheRoad, lines: &[String], units: Units) -> Self {
        let name = |id: &str| {
            let site = on.whole.trip.find_site(id).map(|index| on.whole.trip.site(index).name.clone());
            site.unwrap_or_else(|| id.to_string())
        };
        let standing = on.now.at_site.as_deref().map(|id| (id.to_string(), name(id)));
        let way = on.on.as_ref();
        let next = way.and_then(|way| next_stop(on, way));
        let next_site = next.zip(way).map(|(stop, way)| way.shown.trip.site(stop.site).id.clone());
        let events = events_of(lines).0;
        let undoable = events.iter().skip(1).max_by_key(|event| event.at_ms);
        Self {
            id: on.outing.id,
            headline: unbroken(&headline(on, units)),
            told: way.map(|way| told(on, way, units)).unwrap_or_default().iter().map(|line| unbroken(line)).collect(),
            warning: warning(on, units),
            end: unbroken(&way.map(|way| end(on, way, units)).unwrap_or_default()),
            about: standing.clone().or_else(|| next_site.clone().map(|id| (id.clone(), name(&id)))),
            standing,
            ahead: ahead(on, next_site.as_deref(), units),
            likely: likely(on, next),
            idle: idle(on),
            leave_at: leave_at(on).map(|at| at.timestamp().as_millisecond()),
            charge: on.charge,
            at_stall: on
                .advice
                .as_ref()
                .map(|told| at_stall(told, &on.outing.about.currency, units))
                .unwrap_or_default(),
            pauses: pauses(on),
            stops: way.map(|way| stops(on, way, units)).unwrap_or_default(),
            curve: curve(&on.whole.trip.vehicle),
            last: undoable.map(|event| event.id.clone()),
            found: on.log.stalls.iter().map(|one| found(&name(&one.site), one.state)).collect(),
        }
    }
}

/// A text whose numbers stay with their units at the end of a line.
fn unbroken(text: &str) -> String {
    text.replace(" %", "\u{a0}%").replace(" min", "\u{a0}min")
}

/// The next stop that is not where one stands.
fn next_stop<'w>(on: &OnTheRoad, way: &'w WayOn) -> Option<&'w ClockStop> {
    let is_here = |stop: &ClockStop| Some(&way.shown.trip.site(stop.site).id) == on.now.at_site.as_ref();
    way.shown.plan.stops.iter().find(|stop| !is_here(stop))
}

/// The charge that goes on where one stands, by the plan.
fn stand<'w>(on: &OnTheRoad, way: &'w WayOn) -> Option<&'w ClockStop> {
    let is_here = |stop: &ClockStop| Some(&way.shown.trip.site(stop.site).id) == on.now.at_site.as_ref();
    way.shown.plan.stops.first().filter(|stop| is_here(stop))
}

/// When to be told of the fee of standing on, and in which words.
fn idle(on: &OnTheRoad) -> Option<(i64, String)> {
    let idle = on.advice.as_ref()?.idle.as_ref()?;
    Some((idle.alarm_ms(), advice::idle_is_near(idle, &on.outing.about.currency)))
}

/// When to leave the stall where one stands: by the readings, else by the plan.
fn leave_at(on: &OnTheRoad) -> Option<ZonedDateTime> {
    if let Some(told) = &on.advice {
        return told.leave_at.clone().filter(|_| told.stay);
    }
    let way = on.on.as_ref()?;
    way.shown.moment(stand(on, way)?.leaves.get())
}

fn headline(on: &OnTheRoad, units: Units) -> String {
    if let Some(told) = &on.advice {
        return advice::headline(told);
    }
    let Some(way) = &on.on else { return "No way on keeps above 0 %".into() };
    if let Some(stand) = stand(on, way) {
        let at = way.shown.moment(stand.leaves.get());
        let at = at.map(|at| figures::time_since(units, &on.now.at, &at)).unwrap_or_default();
        return format!("Leave with {} at {at}", figures::percent(stand.depart));
    }
    match next_stop(on, way) {
        Some(_) if on.now.at_site.is_some() => "Leave now".into(),
        Some(stop) => way.shown.trip.site(stop.site).name.clone(),
        None => "On to the destination".into(),
    }
}

fn told(on: &OnTheRoad, way: &WayOn, units: Units) -> Vec<String> {
    let shown = &way.shown;
    let at = |minutes: Minutes| {
        shown.moment(minutes.get()).map(|at| figures::time_since(units, &on.now.at, &at)).unwrap_or_default()
    };
    let mut told = Vec::new();
    if let Some(advice) = &on.advice {
        told.push(advice::why(advice));
    }
    match next_stop(on, way) {
        Some(stop) => {
            let site = shown.trip.site(stop.site);
            let named = on.now.at_site.is_some() || on.advice.is_some();
            let there = if named { format!("Next: {}, there", site.name) } else { "There".into() };
            told.push(format!(
                "{there} at {} with {}; leave it with {} at {}",
                at(stop.reached),
                figures::percent(stop.arrive),
                figures::percent(stop.depart),
                at(stop.leaves)
            ));
            told.push(match &way.fallback {
                Some((name, arrive)) => format!("If it fails: {name}, reached with {}", figures::percent(*arrive)),
                None => "If it fails: no other place to charge is in reach with the floor. Leave with more.".into(),
            });
        }
        None => told.push("No more stop is needed.".into()),
    }
    told
}

fn warning(on: &OnTheRoad, units: Units) -> Option<String> {
    let Some(way) = &on.on else {
        let near = on.ahead().into_iter().next();
        let near = near.map(|(_, name, km)| {
            format!(" The nearest is {name}, {}.", figures::distance(units, Distance::km(km - on.now.at_km.get())))
        });
        return Some(format!(
            "With {} nothing ahead is reached by what the plan rests on. Drive slowly, look for any place to charge.{}",
            figures::percent(on.now.soc),
            near.unwrap_or_default()
        ));
    };
    let lowered = way.lowered.map(|lowered| {
        format!(
            "The floor of {} cannot be kept from here; this keeps {}. Slow down, and have another charger in reach.",
            figures::percent(on.whole.trip.goal.floor),
            figures::percent(lowered)
        )
    });
    let tired = way.rest_is_due.map(|driven| {
        format!(
            "{} at the wheel: no way on keeps your rest. Rest where you can stop, then go on.",
            figures::duration(driven)
        )
    });
    let told: Vec<String> = [lowered, tired].into_iter().flatten().collect();
    (!told.is_empty()).then(|| told.join(" "))
}

/// When one is there, with what, and how that differs from the plan that was begun.
fn end(on: &OnTheRoad, way: &WayOn, units: Units) -> String {
    let advised = on.advice.as_ref().and_then(|told| told.arrive_at.clone());
    let arrives = advised.or_else(|| way.shown.moment(way.shown.plan.total.get()));
    let at = arrives.as_ref().map(|at| figures::time_since(units, &on.now.at, at)).unwrap_or_default();
    let planned = on.begun.leaves_ms as f64 / 60_000.0 + on.begun.total_min;
    let later = arrives.map(|at| at.timestamp().as_millisecond() as f64 / 60_000.0 - planned);
    let later = later.map(|later| format!(", {} against the plan", figures::more_minutes(later))).unwrap_or_default();
    format!("At the destination {at} with {}{later}", figures::percent(way.shown.plan.arrival))
}

fn ahead(on: &OnTheRoad, next: Option<&str>, units: Units) -> Vec<(String, String, bool)> {
    let from = on.now.at_km.get();
    let words = |name: &str, km: f64| format!("{name}, in {}", figures::distance(units, Distance::km(km - from)));
    on.ahead().into_iter().map(|(id, name, km)| (id.clone(), words(&name, km), Some(id.as_str()) == next)).collect()
}

/// What is likely in the battery when one touches next: at the stall on leaving it, else at the next one on arriving there.
fn likely(on: &OnTheRoad, next: Option<&ClockStop>) -> String {
    let way = on.on.as_ref();
    let leaving = way.and_then(|way| stand(on, way)).map(|stand| stand.depart);
    let advised = on.advice.as_ref().map(|told| told.leave);
    let arriving = next.map(|stop| stop.arrive).or_else(|| way.map(|way| way.shown.plan.arrival));
    let soc = if on.now.at_site.is_some() { advised.or(leaving).or(Some(on.now.soc)) } else { arriving };
    format!("{:.0}", soc.unwrap_or(on.now.soc).get())
}

fn at_stall(told: &Advice, currency: &str, units: Units) -> Vec<String> {
    let mut lines = vec![advice::pace(told)];
    lines.extend(advice::odd(told, units));
    if told.stay && told.total_now.is_none() {
        lines.push("Leaving now does not get there with the floor.".into());
    }
    lines.push(match told.cost {
        Some(cost) => format!("So far: {cost:.2} {currency}"),
        None => "What it costs here is unknown.".into(),
    });
    lines.extend(advice::ahead(told, units, currency));
    lines
}

/// What a car takes at each round ten where the stall gives enough, and the minutes of the five percent from there on.
fn curve(vehicle: &Vehicle) -> Vec<[String; 3]> {
    let time = ChargingTime::new(&vehicle.charge_curve, vehicle.usable);
    let row = |ten: u32| {
        let from = Soc::percent(10.0 * f64::from(ten));
        let minutes = time.minutes(from, Soc::percent(from.get() + 5.0)).get();
        let kw = vehicle.charge_curve.at(from.get());
        [figures::percent(from), format!("{kw:.0} kW"), format!("{} min", figures::minutes(minutes))]
    };
    (0..=9).map(row).collect()
}

fn pauses(on: &OnTheRoad) -> Vec<String> {
    let taken = |name: &String| on.now.taken.contains(name);
    on.whole.wishes.pauses.iter().map(|pause| pause.name.clone()).filter(|name| !taken(name)).collect()
}

fn stops(on: &OnTheRoad, way: &WayOn, units: Units) -> Vec<[String; 4]> {
    let shown = &way.shown;
    let row = |stop: &ClockStop| {
        let at =
            shown.moment(stop.reached.get()).map(|at| figures::time_since(units, &on.now.at, &at)).unwrap_or_default();
        let socs = format!("{} → {}", figures::percent(stop.arrive), figures::percent(stop.depart));
        [shown.trip.site(stop.site).name.clone(), at, socs, figures::duration(stop.leaves - stop.reached)]
    };
    shown.plan.stops.iter().map(row).collect()
}

fn found(name: &str, state: spare_hour_core::trip::road_log::StallState) -> String {
    use spare_hour_core::trip::road_log::StallState;
    match state {
        StallState::OutOfOrder => format!("{name} is out of order on this trip"),
        StallState::Occupied(wait) => format!("{name}: {} of wait on this trip", figures::duration(wait)),
        StallState::Slow(power) => format!("{name} gives {:.0} kW on this trip", power.get()),
        StallState::Fine => format!("{name} is as it was known"),
    }
}
