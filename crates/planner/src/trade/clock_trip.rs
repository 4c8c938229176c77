//! A trip laid out with its clock: hours and prices of its sites along the trip's minutes, posts, pauses on their days.

use std::sync::Arc;

use jiff::ToSpan;
use jiff::ZonedDateTime;
use jiff::tz::TimeZone;
use spare_hour_core::charging::stall::Stall;
use spare_hour_core::money::tariff::Tariff;
use spare_hour_core::quantity::{Minutes, Power};
use spare_hour_core::trip::opening_hours::{OpenSpan, OpeningHours};
use spare_hour_core::trip::wishes::{Facility, Wishes};
use spare_hour_core::trip::{Site, SiteIndex, Trip, TripDraft, Vehicle};
use typed_index_collections::TiVec;

use super::occasion::{MOST_OCCASIONS, Occasion, OccasionIndex};
use super::price_clock::{PriceClock, minutes_until};
use super::rates::Rates;
use super::{HORIZON, TradeTrip};
use crate::StopSign;
use crate::exact::grid::FINE_STEP;
use crate::exact::label_setting::Labels;
use crate::exact::polish;
use crate::model::leg::Node;
use crate::model::problem::Problem;
use crate::model::road_index::RoadIndex;

/// The price of a kWh for which amounts of money are written in this part of the planner.
const USUAL_PRICE: f64 = 0.7;
/// A pause that was taken is one whose window begins less than so long from now, minutes.
const TAKEN_AHEAD: f64 = 360.0;

/// A trip with its clock.
pub(crate) struct ClockTrip {
    pub(crate) problem: Problem,
    pub(crate) departure: ZonedDateTime,
    pub(crate) sites: TiVec<RoadIndex, ClockSite>,
    pub(crate) occasions: TiVec<OccasionIndex, Occasion>,
    /// When occasions are over, rising, each with the mask of all that are over then.
    due: Vec<(f64, u32)>,
    pub(crate) wishes: Wishes,
    /// Minutes of the road alone from each site to the end,
    drive_on: TiVec<RoadIndex, f64>,
    /// and for each occasion from the last place where it may be taken.
    drive_after: TiVec<OccasionIndex, f64>,
    /// Least minutes to the end, without a clock, as labels.
    labels: Labels,
    /// The fewest minutes that a stored percent takes anywhere.
    pub(crate) least_minutes_per_percent: f64,
    /// What a kWh costs here as a multiple of [`USUAL_PRICE`].
    dearness: f64,
}

/// A site with its clock.
pub(crate) struct ClockSite {
    pub(crate) price: PriceClock,
    /// What it asks along the trip, where that depends on the clock alone.
    pub(crate) rates: Option<Rates>,
    /// When it is open, in the trip's minutes; `None` always.
    open: Option<Vec<(f64, f64)>>,
    /// The part of the plug's energy that is stored.
    pub(crate) stored_share: f64,
    pub(crate) has: Vec<Facility>,
    pub(crate) visit: bool,
    /// The SoC that the driver wants to leave it with.
    pub(crate) leave: Option<f64>,
    /// Minutes that the driver wants to stand there at least.
    pub(crate) stay: f64,
    /// What receipts are made of.
    pub(crate) tariff: Option<(Tariff, TimeZone)>,
}

/// What has to be stood at least: the rest between drives, stays at sites.
pub(crate) struct Binds {
    rest: Option<Minutes>,
    stays: Vec<f64>,
}

impl ClockSite {
    /// When it opens next after a minute.
    pub(crate) fn opens_after(&self, minute: f64) -> Option<f64> {
        let spans = self.open.as_ref()?;
        spans.get(spans.partition_point(|span| span.0 <= minute + 1e-9)).map(|span| span.0)
    }

    /// When it is open, in the trip's minutes; `None` always.
    pub(crate) fn open_spans(&self) -> Option<&[(f64, f64)]> {
        self.open.as_deref()
    }

    /// The first minute at or after one at which it is open, and until when it stays so.
    pub(crate) fn open_from(&self, minute: f64) -> Option<(f64, f64)> {
        let Some(spans) = &self.open else { return Some((minute, f64::INFINITY)) };
        let after = spans.partition_point(|span| span.1 <= minute + 1e-9);
        spans.get(after).map(|span| (span.0.max(minute), span.1))
    }
}

impl ClockTrip {
    /// The trip laid out; `None` when it was told to stop.
    pub(crate) fn new(trip: &TradeTrip, stop: &StopSign) -> Option<Self> {
        let wishes = trip.wishes.clone();
        let draft = with_limits(trip);
        let planned = Arc::new(Trip::new(draft).ok()?);
        let mut problem = Problem::new(planned, stop)?;
        let sites: TiVec<RoadIndex, ClockSite> =
            problem.road().map(|node| clock_site(trip, problem.site(node))).collect();
        for node in problem.road().collect::<Vec<_>>() {
            if let Some(stall) = post_stall(&problem.trip, problem.site(node), &wishes) {
                problem.stalls[node] = Arc::new(stall);
            }
        }
        let labels = Labels::new(&problem, FINE_STEP, stop)?;
        let occasions = occasions(&wishes, &trip.departure);
        let drive_on: TiVec<RoadIndex, f64> =
            problem.road().map(|node| problem.drive(Node::Site(node), Node::End).minutes).collect();
        let drive_after = occasions.iter().map(|one| drive_after(one, &wishes, &sites, &drive_on)).collect();
        Some(Self {
            drive_on,
            drive_after,
            departure: trip.departure.clone(),
            due: due(&occasions),
            occasions,
            least_minutes_per_percent: least_minutes_per_percent(&problem),
            dearness: dearness(&sites),
            sites,
            wishes,
            labels,
            problem,
        })
    }

    /// As much of this trip's money as some is where a kWh costs the usual price: how near plans are to each other is told alike in
    /// every currency.
    pub(crate) fn money(&self, amount: f64) -> f64 {
        self.dearness * amount
    }

    /// kWh from the plug of a site for each point that is stored.
    pub(crate) fn kwh_a_point(&self, node: RoadIndex) -> f64 {
        self.problem.trip.vehicle.usable.get() / 100.0 / self.sites[node].stored_share
    }

    /// Whether nothing but minutes, money and SoC tells ways apart that have come to a site.
    pub(crate) fn is_plain(&self) -> bool {
        let Wishes { most_stops, most_drive, .. } = self.wishes;
        self.occasions.is_empty()
            && most_stops.is_none()
            && most_drive.is_none()
            && self.problem.trip.vehicle.boost.is_none()
    }

    /// What has to be stood at least.
    pub(crate) fn binds(&self) -> Binds {
        Binds { rest: self.wishes.rest, stays: self.sites.iter().map(|site| site.stay).collect() }
    }

    /// Makes what has to be stood at least so much less than it is, minutes: who leaves earlier by no more may still do all that they
    /// would have done.
    pub(crate) fn loosen(&mut self, binds: &Binds, by: f64) {
        self.wishes.rest = binds.rest.map(|rest| Minutes::new((rest.get() - by).max(0.0)));
        for (site, stay) in self.sites.iter_mut().zip(&binds.stays) {
            site.stay = stay - by;
        }
    }

    /// The file's index of a site.
    pub(crate) fn index(&self, node: RoadIndex) -> SiteIndex {
        self.problem.order[node]
    }

    /// Fewest minutes from leaving a node with each of rising `SoCs` to the end; infinite where the end cannot be reached.
    pub(crate) fn least_minutes(&self, node: Node, departs: &[f64]) -> Vec<f64> {
        self.labels.bounds_to_go(&self.problem, node, departs)
    }

    /// A bound that no plan's minutes are below.
    pub(crate) fn bound_of_minutes(&self) -> f64 {
        self.labels.lower_bound(&self.problem)
    }

    /// The fastest plan by the road alone, without hours and pauses: where they do not bind, it is the best. A site that it stops
    /// at is left with what the driver wants there.
    pub(crate) fn fastest_without_a_clock(&self) -> Option<Vec<(RoadIndex, f64)>> {
        let mut departures = self.labels.follow(&self.problem, Node::Start, self.problem.trip.goal.start.get())?;
        let mut held = 0;
        for node in self.problem.road() {
            let place = departures.iter().position(|departure| departure.0 == node);
            let Some((place, wanted)) = place.zip(self.sites[node].leave) else { continue };
            departures.truncate(place);
            departures.push((node, wanted));
            departures.extend(self.labels.follow(&self.problem, Node::Site(node), wanted)?);
            held = place + 1;
        }
        polish::polish(&self.problem, departures, held)
    }

    /// Whether a search can tell what no plan is better than: every price depends on the clock alone, and there is no boost.
    pub(crate) fn can_be_bounded(&self) -> bool {
        let plain = |site: &ClockSite| site.price.is_by_clock_only();
        self.problem.trip.vehicle.boost.is_none() && self.sites.iter().all(plain)
    }

    /// The occasions that have to have been taken by a minute of the trip, as a mask.
    pub(crate) fn due_by(&self, minute: f64) -> u32 {
        let over = self.due.partition_point(|due| due.0 < minute - 1e-9);
        over.checked_sub(1).map_or(0, |last| self.due[last].1)
    }

    /// The soonest end of whoever leaves a site at a minute, with pauses taken and at least so many minutes still to come: those
    /// that are due by then stand between, and what is driven and what is stood add up.
    pub(crate) fn soonest_end(&self, node: RoadIndex, minute: f64, taken: u32, to_go: f64) -> f64 {
        let mut end = minute + to_go;
        loop {
            let mut due = self.due_by(end) & !taken;
            let (mut stood, mut later) = (0.0, end);
            while due != 0 {
                let index = OccasionIndex::from(due.trailing_zeros() as usize);
                due &= due - 1;
                let occasion = &self.occasions[index];
                stood += occasion.length;
                later = later.max(minute.max(occasion.from) + occasion.length + self.drive_after[index]);
            }
            later = later.max(minute + self.drive_on[node] + stood);
            if later <= end + 1e-9 {
                return end;
            }
            end = later;
        }
    }

    /// Whether a pause can be taken at a site.
    pub(crate) fn can_pause(&self, node: RoadIndex, occasion: &Occasion) -> bool {
        let needs = self.wishes.pauses[occasion.pause].needs;
        needs.is_none_or(|needs| self.sites[node].has.contains(&needs))
    }
}

/// What a kWh costs on leaving, on average where it costs anything, as a multiple of the usual price.
fn dearness(sites: &TiVec<RoadIndex, ClockSite>) -> f64 {
    let prices: Vec<f64> = sites.iter().map(|site| site.price.per_kwh_at(0.0)).filter(|&price| price > 0.0).collect();
    if prices.is_empty() { 1.0 } else { prices.iter().sum::<f64>() / prices.len() as f64 / USUAL_PRICE }
}

/// The fewest minutes that a stored percent takes anywhere: at the highest power of any stall.
fn least_minutes_per_percent(problem: &Problem) -> f64 {
    let powers = problem.stalls.iter().flat_map(|stall| stall.power().points()).map(|point| point.1);
    let most = powers.fold(0.0, f64::max);
    if most > 0.0 { 0.6 * problem.trip.vehicle.usable.get() / most } else { 0.0 }
}

/// The draft without sites that are avoided or have no plug that fits, without a value of time, with adapters' limits and what
/// neighbours leave.
fn with_limits(trip: &TradeTrip) -> TripDraft {
    let mut draft = trip.trip.as_ref().clone().into_draft();
    draft.goal.value_of_time_per_hour = None;
    draft.sites.retain(|site| !trip.wishes.avoid.contains(&site.id) && plug_limit(site, &trip.wishes).is_some());
    for site in &mut draft.sites {
        // An adapter takes what the cabinet leaves, if it can.
        let share = trip.wishes.neighbours.share(site.details.cabinet);
        site.max_power = Power::kw(site.max_power.get() * share);
        if let Some(Some(most)) = plug_limit(site, &trip.wishes) {
            site.max_power = Power::kw(site.max_power.get().min(most.get()));
        }
    }
    draft
}

/// The most power through a plug that fits, if there is a limit; `None` where none fits.
pub fn plug_limit(site: &Site, wishes: &Wishes) -> Option<Option<Power>> {
    if wishes.plugs.is_empty() || site.details.connectors.is_empty() {
        return Some(None);
    }
    let offered =
        |standard: &str| site.details.connectors.iter().any(|plug| plug.standard.eq_ignore_ascii_case(standard));
    let fitting = wishes.plugs.iter().filter(|plug| offered(&plug.standard));
    let mut best: Option<Option<Power>> = None;
    for plug in fitting {
        best = Some(match (best, plug.most) {
            (Some(None), _) | (_, None) => None,
            (Some(Some(other)), Some(most)) => Some(if other > most { other } else { most }),
            (None, Some(most)) => Some(most),
        });
    }
    best
}

fn clock_site(trip: &TradeTrip, site: &Site) -> ClockSite {
    let known = trip.wishes.sites.get(&site.id).cloned().unwrap_or_default();
    let zone = known.zone.unwrap_or_else(|| trip.departure.time_zone().clone());
    let tariff = trip.tariffs.iter().find(|(id, _)| *id == site.id).map(|(_, tariff)| tariff);
    let price = match tariff {
        Some(tariff) => PriceClock::of_tariff(tariff, &trip.departure, &zone),
        None => PriceClock::Simple(site.price),
    };
    let ac_loss = known.post.and(trip.wishes.car_ac).map(|car| 1.0 - car.loss_percent / 100.0);
    ClockSite {
        rates: price.rates(),
        price,
        open: open_and_wanted(trip, site, &zone),
        stored_share: ac_loss.unwrap_or_else(|| trip.trip.vehicle.stored_share()),
        has: known.has,
        visit: trip.wishes.visit.contains(&site.id),
        leave: trip.wishes.leave.iter().find(|(id, _)| *id == site.id).map(|(_, soc)| soc.get()),
        stay: trip.wishes.stay.iter().find(|(id, _)| *id == site.id).map_or(0.0, |(_, stay)| stay.get()),
        tariff: tariff.map(|tariff| (tariff.clone(), zone)),
    }
}

/// The stall of an AC post; `None` for one of direct current, or where nobody said what the car takes.
pub fn post_stall(trip: &Trip, site: &Site, wishes: &Wishes) -> Option<Stall> {
    if site.details.charging.is_some() {
        return None;
    }
    let post = wishes.sites.get(&site.id)?.post?;
    let car = wishes.car_ac?;
    let vehicle = Vehicle { charge_loss_percent: car.loss_percent, boost: None, ..trip.vehicle.clone() };
    let takes = Power::kw(car.takes(&post).get().max(0.1));
    Some(Stall::new(&vehicle, &Site { max_power: takes, max_current: None, ..site.clone() }))
}

/// When a site is open and the driver wants to charge there, along the trip's minutes; `None` always.
fn open_and_wanted(trip: &TradeTrip, site: &Site, zone: &TimeZone) -> Option<Vec<(f64, f64)>> {
    let open = site.details.hours.as_ref().and_then(|hours| open_spans(hours, &trip.departure, zone));
    let Some((_, from, to)) = trip.wishes.between.iter().find(|(id, ..)| *id == site.id) else { return open };
    let minutes = |at: &jiff::civil::Time| 60 * at.hour() as u32 + at.minute() as u32;
    let wanted = OpeningHours::Spans(vec![OpenSpan { days: [true; 7], from: minutes(from), to: minutes(to) }]);
    let wanted = open_spans(&wanted, &trip.departure, zone)?;
    let Some(open) = open else { return Some(wanted) };
    let both = |&(from, to): &(f64, f64)| {
        open.iter()
            .map(move |span| (span.0.max(from), span.1.min(to)))
            .filter(|(from, to)| from < to)
            .collect::<Vec<_>>()
    };
    Some(wanted.iter().flat_map(both).collect())
}

/// When a site is open, along the trip's minutes; `None` always.
fn open_spans(hours: &OpeningHours, departure: &ZonedDateTime, zone: &TimeZone) -> Option<Vec<(f64, f64)>> {
    let OpeningHours::Spans(spans) = hours else { return None };
    let local = departure.with_time_zone(zone.clone());
    let days = (HORIZON / 1440.0).ceil() as i64;
    let mut open: Vec<(f64, f64)> = Vec::new();
    for day in (-1..=days).filter_map(|day| local.date().checked_add(day.days()).ok()) {
        let weekday = usize::from(day.weekday().to_monday_zero_offset().unsigned_abs());
        for span in spans.iter().filter(|span| span.days[weekday]) {
            let at = |minutes: u32| {
                let date = if minutes >= 1440 { day.tomorrow().ok()? } else { day };
                let minutes = minutes % 1440;
                let time = jiff::civil::time((minutes / 60) as i8, (minutes % 60) as i8, 0, 0);
                minutes_until(&local, date.to_datetime(time))
            };
            let end = if span.to > span.from { span.to } else { span.to + 1440 };
            open.extend(at(span.from).zip(at(end)));
        }
    }
    open.sort_by(|a, b| a.0.total_cmp(&b.0));
    let mut joined: Vec<(f64, f64)> = Vec::new();
    for span in open {
        match joined.last_mut() {
            Some(last) if span.0 <= last.1 + 1e-6 => last.1 = last.1.max(span.1),
            _ => joined.push(span),
        }
    }
    Some(joined)
}

/// The pauses on each day from the departure on, the soonest first.
fn occasions(wishes: &Wishes, departure: &ZonedDateTime) -> TiVec<OccasionIndex, Occasion> {
    let days = (HORIZON / 1440.0).ceil() as i64;
    let mut found: Vec<Occasion> = Vec::new();
    for day in (-1..=days).filter_map(|day| departure.date().checked_add(day.days()).ok()) {
        for (index, pause) in wishes.pauses.iter().enumerate() {
            let end = if pause.to < pause.from { day.tomorrow().unwrap_or(day) } else { day };
            let from = minutes_until(departure, day.to_datetime(pause.from));
            let to = minutes_until(departure, end.to_datetime(pause.to));
            let from = from.filter(|from| !pause.taken || *from > TAKEN_AHEAD);
            found.extend(from.zip(to).filter(|(_, to)| *to >= 0.0).map(|(from, to)| Occasion {
                pause: index,
                from,
                to,
                length: pause.length.get(),
            }));
        }
    }
    found.sort_by(|a, b| a.from.total_cmp(&b.from));
    found.truncate(MOST_OCCASIONS);
    found.into()
}

/// Minutes of the road alone from the last place where an occasion may be taken to the end.
fn drive_after(
    occasion: &Occasion,
    wishes: &Wishes,
    sites: &TiVec<RoadIndex, ClockSite>,
    drive_on: &TiVec<RoadIndex, f64>,
) -> f64 {
    let pause = &wishes.pauses[occasion.pause];
    if pause.anywhere {
        return 0.0;
    }
    let has = |site: &ClockSite| pause.needs.is_none_or(|needs| site.has.contains(&needs));
    let places = sites.iter().zip(drive_on).filter(|(site, _)| has(site));
    let least = places.map(|(_, &minutes)| minutes).fold(f64::INFINITY, f64::min);
    if least.is_finite() { least } else { 0.0 }
}

/// When occasions are over, each with the mask of all that are over then.
fn due(occasions: &TiVec<OccasionIndex, Occasion>) -> Vec<(f64, u32)> {
    let mut over: Vec<(f64, u32)> = occasions.iter_enumerated().map(|(index, one)| (one.to, index.bit())).collect();
    over.sort_by(|a, b| a.0.total_cmp(&b.0));
    let mut mask = 0;
    for one in &mut over {
        mask |= one.1;
        one.1 = mask;
    }
    over
}
