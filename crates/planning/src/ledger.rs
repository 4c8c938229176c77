//! The ledger: what happened on a trip against the plan it was begun with, leg by leg and stop by stop.

use jiff::Timestamp;
use jiff::civil::DateTime;
use jiff::tz::TimeZone;
use spare_hour_core::driving::drive::{Drive, Used};
use spare_hour_core::quantity::{Distance, Minutes, Soc};
use spare_hour_core::trip::road_log::{FoundStall, Place, RoadLog, Seen, StallState};
use spare_hour_formats::{BegunPlan, BegunStop};
use spare_hour_store::{Outing, SessionLine, Store, StoreError};

use crate::PlanningError;
use crate::clock::Here;
use crate::on_the_road::events_of;

/// Trips that are over, from which on it is told how near plans come.
const FEWEST: usize = 5;
/// Nobody drives a leg faster, km/h: a place was said late.
const FASTEST: f64 = 250.0;
/// A charge may be kept so long after one has left, ms: ten minutes.
const SOON: i64 = 600_000;
/// A drive of the log is a leg where their distances differ by no more than this share.
const SAME_LEG: f64 = 0.05;
/// Legs shorter than this are no drives, km.
const SHORTEST: f64 = 1.0;

/// A figure as it was planned, where it was, and as it happened, where it did.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Pair {
    /// Planned.
    pub planned: Option<f64>,
    /// Happened.
    pub happened: Option<f64>,
}

impl Pair {
    /// How much more happened than was planned.
    pub fn more(&self) -> Option<f64> {
        Some(self.happened? - self.planned?)
    }
}

/// A leg.
#[derive(Clone, Debug)]
pub struct Leg {
    /// From where to where.
    pub names: (String, String),
    /// How far, km.
    pub km: f64,
    /// Minutes.
    pub minutes: Pair,
    /// Points of SoC.
    pub points: Pair,
    /// The leg as a drive of the log; `None` for one too short, or of which the battery gained.
    pub drive: Option<Drive>,
    /// The drive of the car's log that was driven on that day over that distance: what it took, kWh/100 km.
    pub logged: Option<f64>,
}

/// A stop.
#[derive(Clone, Debug)]
pub struct Stand {
    /// The site, and its name.
    pub site: (String, String),
    /// Minutes from arriving to leaving.
    pub minutes: Pair,
    /// SoC on arrival,
    pub arrive: Pair,
    /// and on leaving.
    pub leave: Pair,
    /// Energy from the plug, kWh: as planned, and by SoC as it happened with the plan's losses.
    pub kwh: Pair,
    /// How it was found, where it was not as known.
    pub found: Option<StallState>,
    /// The charge that was measured there, by its time: its number, its name, and what was paid.
    pub session: Option<(i32, String, Option<f64>)>,
    /// When one came and left, in milliseconds since 1970.
    pub times: (i64, Option<i64>),
}

/// A trip that was begun, against its plan.
#[derive(Clone, Debug)]
pub struct LedgerTrip {
    /// What was begun.
    pub outing: Outing,
    /// Legs and stops, in order.
    pub legs: Vec<Leg>,
    /// See [`LedgerTrip::legs`].
    pub stands: Vec<Stand>,
    /// Door to door, minutes.
    pub minutes: Pair,
    /// SoC at the end.
    pub arrival: Pair,
    /// How sites were found, where they were not as known: each with its name.
    pub found: Vec<(FoundStall, String)>,
    /// Events that could not be read.
    pub unread: usize,
}

/// How near plans come: nine of ten trips were within so many minutes and points.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Nearness {
    /// Minutes of the whole trip.
    pub minutes: f64,
    /// Points of SoC at the end.
    pub points: f64,
    /// How many trips that rests on.
    pub trips: usize,
}

impl LedgerTrip {
    /// Reads an outing with what happened on it.
    ///
    /// # Errors
    /// When there is no such outing, or the store refuses.
    pub fn read(store: &Store, here: &Here, outing: Outing) -> Result<Self, PlanningError> {
        let (events, unread) = events_of(&store.outing_lines(outing.id)?);
        let plan = BegunPlan::read(&outing.about.plan).unwrap_or_default();
        let log = RoadLog::replay(&events);
        let day = |ms: i64| Some(here.day_of(Timestamp::from_millisecond(ms).ok()?).to_string());
        let mut trip = Self::new(outing, &plan, (&log, unread), &day);
        trip.match_sessions(store, &log.measured)?;
        trip.match_drives(store)?;
        Ok(trip)
    }

    fn new(
        outing: Outing,
        plan: &BegunPlan,
        (log, unread): (&RoadLog, usize),
        day: &dyn Fn(i64) -> Option<String>,
    ) -> Self {
        let began = log.places.first().map(|first| first.at_ms);
        let end =
            log.ended.map(|(at_ms, soc)| Seen { place: Place::Km(Distance::km(plan.km)), at_ms, soc, left: None });
        let places: Vec<&Seen> = log.places.iter().chain(&end).collect();
        let minutes = log.ended.zip(began).map(|(ended, began)| minutes_between(began, ended.0));
        Self {
            legs: places.windows(2).map(|pair| leg(plan, pair[0], pair[1], day)).collect(),
            stands: log.places.iter().filter_map(|seen| stand(plan, log, seen)).collect(),
            minutes: Pair { planned: Some(plan.total_min), happened: minutes },
            arrival: Pair { planned: Some(plan.arrival_soc), happened: log.ended.map(|ended| ended.1.get()) },
            outing,
            found: log.stalls.iter().map(|found| (found.clone(), name_of(plan, &found.site))).collect(),
            unread,
        }
    }

    /// Finds the charge that was measured at each stop: the one that was said to be; else one of the car's that was kept while
    /// one stood there, or soon after.
    fn match_sessions(&mut self, store: &Store, said: &[(i64, Option<i32>)]) -> Result<(), PlanningError> {
        let Some(car) = self.outing.about.car.filter(|_| !self.stands.is_empty()) else { return Ok(()) };
        let lines: Vec<SessionLine> = store.sessions()?.into_iter().filter(|line| line.car == Some(car)).collect();
        let of_stand = |stand: &Stand| said.iter().find(|(came, _)| *came == stand.times.0).map(|(_, charge)| *charge);
        for line in &lines {
            let by_hand = self.stands.iter().position(|stand| of_stand(stand) == Some(Some(line.id)));
            let by_time = || {
                let at = kept_at(line)?;
                let was_there = |stand: &Stand| {
                    let (came, left) = stand.times;
                    at >= came && left.is_none_or(|left| at <= left + SOON)
                };
                let is_open = |stand: &Stand| stand.session.is_none() && of_stand(stand).is_none();
                let last = self.stands.iter().rposition(was_there)?;
                is_open(&self.stands[last]).then_some(last)
            };
            let Some(place) = by_hand.or_else(by_time) else { continue };
            let paid = store.session(line.id)?.about.session.conditions.paid;
            self.stands[place].session = Some((line.id, line.name.clone(), paid));
        }
        Ok(())
    }

    /// Finds the drive of the car's log that each leg is: of its day, and nearest to its distance.
    fn match_drives(&mut self, store: &Store) -> Result<(), PlanningError> {
        let Some(car) = self.outing.about.car.filter(|_| !self.legs.is_empty()) else { return Ok(()) };
        let usable = match store.car(car) {
            Ok(car) => car.about.usable,
            Err(StoreError::NotFound { .. }) => return Ok(()),
            Err(error) => return Err(error.into()),
        };
        let drives = store.drives_of(car)?;
        for leg in &mut self.legs {
            let Some(day) = leg.drive.as_ref().and_then(|drive| drive.day.as_deref()) else { continue };
            let off = |drive: &Drive| (drive.distance.get() / leg.km - 1.0).abs();
            let of_day = drives.iter().map(|kept| &kept.drive).filter(|drive| drive.day.as_deref() == Some(day));
            let near = of_day.filter(|drive| off(drive) <= SAME_LEG).min_by(|a, b| off(a).total_cmp(&off(b)));
            leg.logged = near.map(|drive| drive.consumption(usable).get());
        }
        Ok(())
    }

    /// What took most more or less than planned: the leg or stop, and by how many minutes.
    pub fn largest(&self) -> Option<(String, f64)> {
        let legs = self
            .legs
            .iter()
            .filter_map(|leg| Some((format!("the leg from {} to {}", leg.names.0, leg.names.1), leg.minutes.more()?)));
        let stands = self.stands.iter().filter_map(|stand| Some((stand.site.1.clone(), stand.minutes.more()?)));
        legs.chain(stands).max_by(|a, b| a.1.abs().total_cmp(&b.1.abs())).filter(|(_, more)| more.abs() >= 1.0)
    }
}

/// When a session was kept, in milliseconds since 1970.
fn kept_at(line: &SessionLine) -> Option<i64> {
    let at: DateTime = line.created_at.parse().ok()?;
    Some(at.to_zoned_datetime(TimeZone::UTC).ok()?.timestamp().as_millisecond())
}

/// The name of a site of a plan.
fn name_of(plan: &BegunPlan, site: &str) -> String {
    let stops = plan.stops.iter().map(|stop| (&stop.site, &stop.name));
    let mut all = stops.chain(plan.places.iter().map(|place| (&place.site, &place.name)));
    all.find(|(id, _)| *id == site).map_or_else(|| site.to_string(), |(_, name)| name.clone())
}

fn minutes_between(from_ms: i64, to_ms: i64) -> f64 {
    (to_ms - from_ms) as f64 / 60_000.0
}

/// A place: its name, its kilometre, and the plan's stop there.
fn place<'p>(plan: &'p BegunPlan, seen: &Seen) -> (String, f64, Option<&'p BegunStop>) {
    match &seen.place {
        Place::Site(site) => match plan.stops.iter().find(|stop| stop.site == *site) {
            Some(stop) => (stop.name.clone(), stop.at_km, Some(stop)),
            None => match plan.places.iter().find(|place| place.site == *site) {
                Some(place) => (place.name.clone(), place.at_km, None),
                None => (site.clone(), f64::NAN, None),
            },
        },
        Place::Km(km) if km.get() <= 0.0 => ("the start".into(), 0.0, None),
        Place::Km(km) if km.get() >= plan.km => ("the destination".into(), plan.km, None),
        Place::Km(km) => (format!("km {:.0}", km.get()), km.get(), None),
    }
}

fn leg(plan: &BegunPlan, from: &Seen, to: &Seen, day: &dyn Fn(i64) -> Option<String>) -> Leg {
    let (from_name, from_km, from_stop) = place(plan, from);
    let (to_name, to_km, to_stop) = place(plan, to);
    let (left_ms, left_soc) = from.left.unwrap_or((from.at_ms, from.soc));
    let (minutes, points) = (minutes_between(left_ms, to.at_ms), left_soc.get() - to.soc.get());
    // A leg was planned where both of its ends are the plan's, and nothing of it lies between.
    let leaves = match from_stop {
        Some(stop) => Some((stop.leave_min, stop.leave_soc)),
        None => (from_km == 0.0).then_some((0.0, plan.start_soc)),
    };
    let arrives = match to_stop {
        Some(stop) => Some((stop.arrive_min, stop.arrive_soc)),
        None => (to_km == plan.km).then_some((plan.total_min, plan.arrival_soc)),
    };
    let between = plan.stops.iter().any(|stop| stop.at_km > from_km && stop.at_km < to_km);
    let planned = leaves.zip(arrives).filter(|_| !between);
    let km = to_km - from_km;
    Leg {
        names: (from_name, to_name),
        km,
        minutes: Pair { planned: planned.map(|(from, to)| to.0 - from.0), happened: Some(minutes) },
        points: Pair { planned: planned.map(|(from, to)| from.1 - to.1), happened: Some(points) },
        drive: drive(km, minutes, (left_soc, to.soc), day(left_ms)),
        logged: None,
    }
}

fn drive(km: f64, minutes: f64, socs: (Soc, Soc), day: Option<String>) -> Option<Drive> {
    let drives = km >= SHORTEST && minutes >= 60.0 * km / FASTEST && socs.0 > socs.1;
    drives.then(|| Drive { day, ..Drive::new(Distance::km(km), Minutes::new(minutes), Used::Soc(socs.0, socs.1)) })
}

fn stand(plan: &BegunPlan, log: &RoadLog, seen: &Seen) -> Option<Stand> {
    let Place::Site(site) = &seen.place else { return None };
    let (name, _, stop) = place(plan, seen);
    let left = seen.left;
    let stored = left.map(|left| (left.1.get() - seen.soc.get()) / 100.0 * plan.usable_kwh);
    let share = stop.and_then(|stop| {
        let planned = (stop.leave_soc - stop.arrive_soc) / 100.0 * plan.usable_kwh;
        (stop.plug_kwh > 0.0 && planned > 0.0).then(|| planned / stop.plug_kwh)
    });
    Some(Stand {
        site: (site.clone(), name),
        minutes: Pair {
            planned: stop.map(|stop| stop.leave_min - stop.arrive_min),
            happened: left.map(|left| minutes_between(seen.at_ms, left.0)),
        },
        arrive: Pair { planned: stop.map(|stop| stop.arrive_soc), happened: Some(seen.soc.get()) },
        leave: Pair { planned: stop.map(|stop| stop.leave_soc), happened: left.map(|left| left.1.get()) },
        kwh: Pair {
            planned: stop.map(|stop| stop.plug_kwh),
            happened: stored.zip(share).map(|(kwh, share)| kwh / share),
        },
        found: log.stalls.iter().find(|found| found.site == *site).map(|found| found.state),
        session: None,
        times: (seen.at_ms, left.map(|left| left.0)),
    })
}

/// How near plans come, by the trips that are over; `None` of fewer than five.
pub fn nearness(trips: &[LedgerTrip]) -> Option<Nearness> {
    let over: Vec<(f64, f64)> =
        trips.iter().filter_map(|trip| Some((trip.minutes.more()?, trip.arrival.more()?))).collect();
    if over.len() < FEWEST {
        return None;
    }
    Some(Nearness {
        minutes: nine_of_ten(over.iter().map(|one| one.0.abs())),
        points: nine_of_ten(over.iter().map(|one| one.1.abs())),
        trips: over.len(),
    })
}

/// How near plans come, by all trips that are over.
///
/// # Errors
/// When the store refuses.
pub fn nearness_of_all(store: &Store, here: &Here) -> Result<Option<Nearness>, PlanningError> {
    let over: Vec<Outing> = store.outings()?.into_iter().filter(|outing| outing.is_over).collect();
    if over.len() < FEWEST {
        return Ok(None);
    }
    let trips = over.into_iter().map(|outing| LedgerTrip::read(store, here, outing)).collect::<Result<Vec<_>, _>>()?;
    Ok(nearness(&trips))
}

/// The least number that nine of ten are within.
fn nine_of_ten(numbers: impl Iterator<Item = f64>) -> f64 {
    let mut numbers: Vec<f64> = numbers.collect();
    numbers.sort_by(f64::total_cmp);
    let within = (0.9 * numbers.len() as f64 - 1e-9).ceil() as usize;
    numbers.get(within.saturating_sub(1)).copied().unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_formats::read_road_event;
    use spare_hour_store::NewOuting;

    fn plan() -> BegunPlan {
        BegunPlan {
            start_soc: 90.0,
            km: 300.0,
            total_min: 200.0,
            arrival_soc: 15.0,
            usable_kwh: 60.0,
            stops: vec![BegunStop {
                site: "s1".into(),
                name: "Vessen".into(),
                at_km: 160.0,
                arrive_min: 90.0,
                leave_min: 112.0,
                arrive_soc: 20.0,
                leave_soc: 70.0,
                plug_kwh: 33.0,
                ..BegunStop::default()
            }],
            ..BegunPlan::default()
        }
    }

    fn trip(lines: &[&str]) -> LedgerTrip {
        let events: Vec<_> = lines
            .iter()
            .enumerate()
            .map(|(index, line)| {
                let (minute, rest) = line.split_once(' ').unwrap();
                let at = 1_790_000_000_000 + 60_000 * minute.parse::<i64>().unwrap();
                read_road_event(&format!("{{\"id\":\"e{index}\",\"at\":{at},{rest}}}"), 0, String::new).unwrap()
            })
            .collect();
        let about = NewOuting { trip: 1, car: None, name: "T".into(), currency: "cr".into(), plan: String::new() };
        let outing = Outing { id: 1, begun_at: String::new(), is_over: true, about };
        LedgerTrip::new(outing, &plan(), (&RoadLog::replay(&events), 0), &|_| None)
    }

    #[test]
    fn what_happened_is_held_against_the_plan() {
        let trip = trip(&[
            r#"0 "what":"here","km":0,"soc":90"#,
            r#"95 "what":"here","site":"s1","soc":17"#,
            r#"96 "what":"stall","site":"s1","state":"occupied","minutes":10"#,
            r#"130 "what":"left","soc":72"#,
            r#"222 "what":"ended","soc":14"#,
        ]);
        // By hand: 95 for 90 min and 73 for 70 points; 35 for 22 min; 92 for 88 min and 58 for 55 points; 222 for 200 in all.
        let legs: Vec<_> = trip.legs.iter().map(|leg| (leg.km, leg.minutes.more(), leg.points.more())).collect();
        assert_eq!(legs, [(160.0, Some(5.0), Some(3.0)), (140.0, Some(4.0), Some(3.0))]);
        let stand = &trip.stands[0];
        assert_eq!((stand.minutes.more(), stand.leave.more()), (Some(13.0), Some(2.0)));
        // 55 points of 60 kWh are 33 stored; the plan stored 30 of 33 from the plug.
        assert!((stand.kwh.happened.unwrap() - 36.3).abs() < 1e-9);
        assert_eq!((trip.minutes.more(), trip.arrival.more()), (Some(22.0), Some(-1.0)));
        assert_eq!(trip.largest(), Some(("Vessen".into(), 13.0)));
        // Minutes add up: legs and stops are the whole.
        let parts: f64 = trip.legs.iter().map(|leg| leg.minutes.happened.unwrap()).sum();
        assert_eq!(parts + stand.minutes.happened.unwrap(), 222.0);
        // Said within a minute, a leg of 160 km is no drive.
        let late =
            self::tests::trip(&[r#"0 "what":"here","km":0,"soc":90"#, r#"1 "what":"here","site":"s1","soc":17"#]);
        assert!(late.legs[0].drive.is_none());
        let drive = trip.legs[0].drive.as_ref().unwrap();
        assert_eq!((drive.distance.get(), drive.used), (160.0, Used::Soc(Soc::percent(90.0), Soc::percent(17.0))));
    }

    #[test]
    fn a_stop_that_was_not_planned_has_no_plan() {
        let trip = trip(&[
            r#"0 "what":"here","km":0,"soc":90"#,
            r#"60 "what":"here","site":"s9","soc":50"#,
            r#"70 "what":"left","soc":60"#,
        ]);
        assert_eq!((trip.legs[0].minutes.planned, trip.stands[0].minutes.planned), (None, None));
        assert_eq!((trip.minutes.happened, trip.largest()), (None, None));
    }

    #[test]
    fn nearness_is_what_nine_of_ten_keep() {
        let one = |minutes: i64| {
            trip(&[r#"0 "what":"here","km":0,"soc":90"#, &format!(r#"{} "what":"ended","soc":14"#, 200 + minutes)])
        };
        let trips: Vec<LedgerTrip> = (0..10).map(|index| one(if index == 9 { 60 } else { index })).collect();
        // By hand: of ten, nine are within 8 min.
        assert_eq!(nearness(&trips), Some(Nearness { minutes: 8.0, points: 1.0, trips: 10 }));
        assert_eq!(nearness(&trips[..4]), None);
    }
}
