//! A plan as its page shows it: in minutes, with the reasons.

use spare_hour_core::quantity::Soc;
use spare_hour_core::quantity::units::Units;
use spare_hour_core::trip::Site;
use spare_hour_core::trip::wishes::Wishes;
use spare_hour_planner::left_out::LeftOut;
use spare_hour_planning::curve_of_day::Suits;
use spare_hour_planning::drive_trip::{KeptTrip, kept_wishes};
use spare_hour_planning::ledger::Nearness;
use spare_hour_planning::plan_trip::{NoPlan, Outcome as Planning, PlannedTrip, TripToPlan};
use spare_hour_planning::price_stop::Saving;
use spare_hour_planning::remedies::{Remedy, remedies};
use spare_hour_planning::shown_plan::ShownPlan;
use spare_hour_planning::trade_trip::TradedTrip;
use spare_hour_wording::trips::Headline;
use spare_hour_wording::{figures, receipts, sites, trips};

use super::AskedTrip;
use super::ask::Controls;
use super::stop_cards::{StopCard, stop_cards};
use crate::charts::day_line::DayLine;
use crate::http::address::query;
use crate::shown_trip::Answer;

/// Everything that changes when a control does.
pub(super) struct PlanView {
    pub(super) faults: Vec<(&'static str, String)>,
    /// Sites that were left out, and why.
    pub(super) left_out: Vec<String>,
    pub(super) outcome: Outcome,
}

/// What came of planning.
#[expect(clippy::large_enum_variant, reason = "one of them exists for the time of one page")]
pub(super) enum Outcome {
    /// A plan.
    Planned(Planned),
    /// There is none: why, and the changes that would make one.
    Stranded { why: String, remedies: Vec<(String, String)> },
    /// There is none that keeps all that is wished, by the clock: which trip, and what is asked of it.
    NoneKeeps { id: i32, query: String },
    /// The car has no curve.
    NoCurve { car: i32 },
}

/// A plan.
pub(super) struct Planned {
    pub(super) id: i32,
    /// Whether it is a plan of the trade, and not the best.
    pub(super) picked: bool,
    pub(super) headline: Headline,
    pub(super) cost: String,
    /// The money in figures, for the script.
    pub(super) money: String,
    pub(super) currency: String,
    /// What memberships would save.
    pub(super) savings: Vec<String>,
    /// What is proven; `None` where that is still to come.
    pub(super) proof: Option<String>,
    pub(super) lowest: String,
    /// What the driver's own departures, or another plan of the trade, cost against the best plan.
    pub(super) against_best: Option<Against>,
    /// What it costs against the plan that it is compared with.
    pub(super) against_other: Option<Against>,
    /// Where this plan would be the one to compare with.
    pub(super) compare: String,
    pub(super) dropped: Vec<String>,
    /// A stop of the driver's own that would be closed.
    pub(super) closed_stop: Option<String>,
    pub(super) roadside: Vec<String>,
    pub(super) day_line: DayLine,
    pub(super) stops: Vec<StopCard>,
    pub(super) sites: Vec<SiteRow>,
    /// The unit of distances.
    pub(super) unit: &'static str,
    pub(super) warning: Option<String>,
    /// How the curve suits the weather: in words, and whether that is a doubt.
    pub(super) weather: Option<(String, bool)>,
    /// Address of the trip, and the query of its files.
    pub(super) base: String,
    pub(super) files: String,
    /// Whether its stops are places on a track.
    pub(super) has_track: bool,
}

/// What a plan costs against another.
pub(super) struct Against {
    pub(super) minutes: String,
    pub(super) money: String,
    pub(super) let_go: String,
}

/// A site of the road.
pub(super) struct SiteRow {
    pub(super) id: String,
    pub(super) name: String,
    pub(super) at: String,
    pub(super) off_route: String,
    pub(super) power: String,
    pub(super) price: String,
    pub(super) overhead: String,
    pub(super) details: String,
    pub(super) used: bool,
    pub(super) avoided: bool,
}

/// A plan that is shown, with all that it is told with.
pub(super) struct Shown<'a> {
    pub(super) kept: &'a KeptTrip,
    pub(super) controls: &'a Controls,
    pub(super) units: Units,
    pub(super) currency: &'a str,
    pub(super) shown: &'a ShownPlan,
    /// The planner by the road, where it planned.
    pub(super) planned: Option<&'a PlannedTrip>,
    pub(super) wishes: &'a Wishes,
    /// How near plans came so far.
    pub(super) near: Option<Nearness>,
}

impl Shown<'_> {
    /// The time so many minutes after it leaves, with the day where it is another.
    pub(super) fn time(&self, minutes: f64) -> String {
        let moment = self.shown.moment(minutes);
        moment.map(|moment| figures::time_since(self.units, &self.shown.departure, &moment)).unwrap_or_default()
    }
}

impl PlanView {
    /// The plan of a trip as asked, over another that it is compared with. `whole` pages also say what each stop is worth.
    pub(super) fn new(asked: &AskedTrip, answer: &Answer, other: Option<&ShownPlan>, whole: bool) -> Self {
        let (solved, controls) = (asked.solved(), &asked.controls);
        let (kept, units) = (&solved.kept, solved.settings.units);
        let mut left_out = Vec::new();
        let outcome = match answer {
            Answer::Plan(shown, traded) => {
                left_out.extend(traded.iter().flat_map(|traded| left_out_by_clock(traded, kept)));
                let wishes = kept_wishes(&kept.clock, kept.stored.id).unwrap_or_default();
                // By the clock one may wait for an opening, and pauses move the hours at which places are reached.
                let closed = |one: &&LeftOut| {
                    let stops_there =
                        shown.plan.stops.iter().any(|stop| shown.trip.site(stop.site).id == one.site().id);
                    traded.is_none() || wishes.is_empty() && matches!(one, LeftOut::Closed(_)) && !stops_there
                };
                let by_road = solved.planned().map(|planned| planned.left_out()).unwrap_or_default().iter();
                let told = by_road.filter(closed);
                left_out.extend(told.map(|one| trips::left_out(one, controls.departure, units)));
                let planned = solved.planned().map(|planned| &**planned).filter(|_| traded.is_none());
                let currency = &kept.stored.about.currency;
                let near = solved.near;
                let shown = Shown { kept, controls, units, currency, shown, planned, wishes: &wishes, near };
                Outcome::Planned(shown.planned(other, asked.pick, whole))
            }
            Answer::Stranded => match &solved.outcome {
                Some(Planning::Infeasible(none)) => {
                    left_out.extend(none.left_out.iter().map(|one| trips::left_out(one, controls.departure, units)));
                    stranded(none, controls, units)
                }
                _ => Outcome::NoCurve { car: controls.car },
            },
            Answer::NoneKeeps => {
                Outcome::NoneKeeps { id: kept.stored.id, query: controls.address_with(&controls.leave, None) }
            }
            Answer::NoCurve => Outcome::NoCurve { car: controls.car },
        };
        Self { faults: controls.faults().map(|(name, fault)| (name, fault.to_string())).collect(), left_out, outcome }
    }
}

/// Sites that are not in the search by the clock, and why.
fn left_out_by_clock(traded: &TradedTrip, kept: &KeptTrip) -> Vec<String> {
    let name = |id: &str| {
        let site = kept.stored.about.sites.iter().find(|site| site.id == id);
        site.map_or_else(|| id.to_string(), |site| site.name.clone())
    };
    let why = |reason: &str| match reason {
        "no-plug-fits" => "has no plug that fits the car",
        "avoided" => "is avoided",
        _ => "is out of order",
    };
    traded.left_out.iter().map(|(id, reason)| format!("{} {}.", name(id), why(reason))).collect()
}

fn stranded(none: &NoPlan, controls: &Controls, units: Units) -> Outcome {
    let link = |remedy: Remedy| {
        let soc = |soc: Soc| figures::field(soc.get());
        let (words, name, value) = match remedy {
            Remedy::ArriveWith(less) => (format!("Arrive with {}", figures::percent(less)), "wish", soc(less)),
            Remedy::LowerFloor(less) => (format!("Lower the floor to {}", figures::percent(less)), "floor", soc(less)),
            Remedy::StartWith(more) => (format!("Start with {}", figures::percent(more)), "start", soc(more)),
            Remedy::ChargeFull => ("Charge up to 100 %".into(), "ceiling", "100".into()),
        };
        (words, format!("?{}", controls.address_with(&[], Some((name, value)))))
    };
    Outcome::Stranded {
        why: trips::infeasible(&none.trip, &none.leg, units),
        remedies: remedies(&none.trip.goal, &none.leg).into_iter().map(link).collect(),
    }
}

impl Shown<'_> {
    fn planned(&self, other: Option<&ShownPlan>, pick: Option<usize>, whole: bool) -> Planned {
        let (shown, controls, units, currency) = (self.shown, self.controls, self.units, self.currency);
        let (trip, plan) = (&shown.trip, &shown.plan);
        let name = |id: &str| trip.find_site(id).map_or_else(|| id.to_string(), |site| trip.site(site).name.clone());
        let by_road = self.planned.zip(shown.by_road.as_ref());
        let closed = by_road.and_then(|(planned, plan)| planned.first_closed(plan));
        let against = |other: &ShownPlan, let_go: String| Against {
            minutes: figures::more_minutes(plan.total.get() - other.plan.total.get()),
            money: figures::more_money(plan.cost - other.plan.cost, currency),
            let_go,
        };
        let best = || ShownPlan { plan: shown.best.clone(), ..shown.clone() };
        let free = || format!("?{}", controls.address_with(&[], None));
        // A plan of the trade is taken along, and compared with, as that plan.
        let picked = pick.is_some();
        let own = pick.map(|place| format!("&pick={place}")).unwrap_or_default();
        let files = format!("{}{own}", controls.address_with(&controls.leave, None));
        Planned {
            picked,
            id: self.kept.stored.id,
            headline: Headline::new(plan, &shown.departure, units),
            cost: format!("{:.2} {currency}", plan.cost),
            money: format!("{:.2}", plan.cost),
            currency: currency.into(),
            savings: self.savings(),
            proof: self
                .planned
                .map(|planned| trips::proof(&planned.proof(), trip.goal.value_of_time_per_hour.is_some())),
            lowest: trips::lowest(shown.lowest(), units),
            against_best: (picked || !shown.held.is_empty()).then(|| against(&best(), free())),
            against_other: other.map(|other| against(other, format!("?{}", controls.address_without_other()))),
            compare: format!("?{}", query([("against", format!("{}{own}", controls.address_without_other()))])),
            dropped: shown.dropped.iter().map(|(id, depart)| trips::not_kept(&name(id), *depart)).collect(),
            closed_stop: closed
                .map(|closed| trips::closed(&closed, controls.departure, units, "your own departures lead there then")),
            roadside: plan.roadside.iter().filter_map(|&pause| shown.pauses.get(pause).cloned()).collect(),
            day_line: DayLine::new(shown, units, other, self.near),
            stops: stop_cards(self, whole),
            sites: site_rows(self),
            unit: units.distance.name(),
            warning: warning(self),
            weather: self.weather(),
            base: format!("/trips/{}", self.kept.stored.id),
            files,
            has_track: self.kept.stored.has_track,
        }
    }
}

impl Shown<'_> {
    /// How the curve suits the weather, where it is cold; and whether that is a doubt.
    fn weather(&self) -> Option<(String, bool)> {
        let (kept, outside, units) = (self.kept, self.controls.weather.conditions.outside, self.units);
        let curve = kept.curve.as_ref().map(|curve| curve.about.name.as_str()).unwrap_or_default();
        match kept.suits {
            Suits::AsUsual => None,
            Suits::Cold => Some((trips::cold_curve(outside, curve, kept.pack, units), false)),
            Suits::NotKnown => Some((trips::warm_curve_in_the_cold(outside, curve, false, units), true)),
            Suits::WarmByChoice => Some((trips::warm_curve_in_the_cold(outside, curve, true, units), true)),
        }
    }

    /// What memberships would save that the driver does not hold.
    fn savings(&self) -> Vec<String> {
        let (shown, held) = (self.shown, &self.wishes.members);
        let of = |to_plan: &TripToPlan| to_plan.prices.savings(&shown.trip, &shown.plan, &shown.departure);
        let all = self.kept.to_plan.as_ref().map(of).unwrap_or_default();
        all.iter().filter(|one| !held.contains(&one.name)).map(saving).collect()
    }
}

fn saving(saving: &Saving) -> String {
    let Saving { name, monthly_fee, saved, currency } = saving;
    receipts::saving(name, *monthly_fee, *saved, currency)
}

/// A plan that leaves the measured part of the curve says so.
fn warning(shown: &Shown) -> Option<String> {
    let (from, to) = shown.kept.curve.as_ref()?.about.measured?;
    let stops = &shown.shown.plan.stops;
    let above = stops.iter().any(|stop| stop.depart.get() > to.get() + 0.5);
    let below = stops.iter().any(|stop| stop.arrive.get() < from.get() - 0.5);
    (above || below).then(|| trips::outside_measured((from, to)))
}

fn site_rows(shown: &Shown) -> Vec<SiteRow> {
    let (currency, distance, plan) = (shown.currency, shown.units.distance, shown.shown);
    let used = |site: &Site| plan.plan.stops.iter().any(|stop| plan.trip.site(stop.site).id == site.id);
    let mut listed: Vec<&Site> = shown.kept.stored.about.sites.iter().collect();
    listed.sort_by(|a, b| a.at.get().total_cmp(&b.at.get()));
    let row = |site: &Site| SiteRow {
        id: site.id.clone(),
        avoided: shown.wishes.avoid.contains(&site.id),
        name: site.name.clone(),
        at: format!("{:.0}", distance.of(site.at)),
        off_route: figures::field((distance.of(site.off_route) * 10.0).round() / 10.0),
        power: format!("{:.0}", site.max_power.get()),
        price: sites::price_in_words(site, currency),
        overhead: figures::minutes(site.overhead.get()),
        details: sites::in_words(site, shown.units.clock).join(", "),
        used: used(site),
    };
    listed.into_iter().map(row).collect()
}
