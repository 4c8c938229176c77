//! A plan as its page shows it: in minutes, with the reasons.

use spare_hour_core::quantity::Soc;
use spare_hour_core::quantity::units::Units;
use spare_hour_core::trip::{Site, Trip};
use spare_hour_planner::left_out::LeftOut;
use spare_hour_planner::{AdjustedPlan, Plan};
use spare_hour_planning::drive_trip::KeptTrip;
use spare_hour_planning::plan_trip::{NoPlan, Outcome as Planning, PlannedTrip, StrategyOutcome, minute_of_day};
use spare_hour_planning::price_stop::Saving;
use spare_hour_planning::remedies::{Remedy, remedies};
use spare_hour_wording::trips::Headline;
use spare_hour_wording::{figures, receipts, sites, trips};

use super::AskedTrip;
use super::ask::Controls;
use super::stop_rows::{StopRow, stop_rows};
use crate::charts::day_line::DayLine;

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
    /// The car has no curve.
    NoCurve { car: i32 },
}

/// A plan.
pub(super) struct Planned {
    pub(super) headline: Headline,
    pub(super) cost: String,
    /// What memberships would save.
    pub(super) savings: Vec<String>,
    pub(super) proof: String,
    pub(super) lowest: String,
    /// What the driver's own departures cost against the best plan.
    pub(super) against_best: Option<AgainstBest>,
    pub(super) dropped: Vec<String>,
    /// A stop of the driver's own that would be closed.
    pub(super) closed_stop: Option<String>,
    pub(super) day_line: DayLine,
    pub(super) stops: Vec<StopRow>,
    pub(super) strategies: Vec<StrategyRow>,
    pub(super) verdict: String,
    pub(super) sites: Vec<SiteRow>,
    /// The unit of distances.
    pub(super) unit: &'static str,
    pub(super) warning: Option<String>,
    /// Address of the trip, and the query of its files.
    pub(super) base: String,
    pub(super) files: String,
    /// Whether its stops are places on a track.
    pub(super) has_track: bool,
}

/// What fixed departures cost.
pub(super) struct AgainstBest {
    pub(super) minutes: String,
    pub(super) money: String,
    pub(super) let_go: String,
}

/// A strategy beside the plan.
pub(super) struct StrategyRow {
    pub(super) name: String,
    pub(super) rule: String,
    pub(super) total: String,
    pub(super) more: String,
    pub(super) money: String,
    pub(super) stops: String,
    pub(super) lowest: String,
    /// Width of its bar, 0 to 100.
    pub(super) bar: f64,
}

/// A site of the road.
pub(super) struct SiteRow {
    pub(super) name: String,
    pub(super) at: String,
    pub(super) off_route: String,
    pub(super) power: String,
    pub(super) price: String,
    pub(super) overhead: String,
    pub(super) details: String,
    pub(super) used: bool,
}

/// A plan that is shown, with all that it is told with.
pub(super) struct Shown<'a> {
    pub(super) kept: &'a KeptTrip,
    pub(super) controls: &'a Controls,
    pub(super) units: Units,
    pub(super) trip: &'a Trip,
    pub(super) planned: &'a PlannedTrip,
    pub(super) plan: &'a Plan,
    /// Sites whose departure the driver has fixed.
    pub(super) fixed: &'a [spare_hour_core::trip::SiteIndex],
}

impl PlanView {
    /// The plan of a trip as asked. `whole` pages also say what each stop is worth.
    pub(super) fn new(asked: &AskedTrip, whole: bool) -> Self {
        let (solved, controls) = (&asked.solved, &asked.controls);
        let units = solved.settings.units;
        let (outcome, left_out): (Outcome, &[LeftOut]) = match &solved.outcome {
            Some(Planning::Planned(found)) => (planned(asked, found, whole), found.left_out()),
            Some(Planning::Infeasible(none)) => (stranded(none, controls, units), &none.left_out),
            Some(Planning::Stopped) | None => (Outcome::NoCurve { car: controls.car }, &[]),
        };
        let told = |one: &LeftOut| trips::left_out(one, controls.departure, units);
        Self {
            faults: controls.faults().map(|(name, fault)| (name, fault.to_string())).collect(),
            left_out: left_out.iter().map(told).collect(),
            outcome,
        }
    }
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

fn planned(asked: &AskedTrip, planned: &PlannedTrip, whole: bool) -> Outcome {
    let (controls, kept, units) = (&asked.controls, &asked.solved.kept, asked.solved.settings.units);
    let (trip, best) = (planned.trip().as_ref(), planned.best());
    let currency = &kept.stored.about.currency;
    let fixed = controls.fixed(trip);
    let AdjustedPlan { plan, dropped } = planned.with_departures(&fixed);
    let held: Vec<_> = fixed.iter().filter(|one| !dropped.contains(one)).map(|one| one.site).collect();
    let shown = Shown { kept, controls, units, trip, planned, plan: &plan, fixed: &held };
    let (cost, of_best) = (planned.cost(&plan), planned.cost(best));
    let totals = planned.strategies().iter().filter_map(|one| Some((one.strategy, one.plan.as_ref()?.total)));
    let closed = planned.first_closed(&plan);
    Outcome::Planned(Planned {
        headline: Headline::new(&plan, minute_of_day(planned.departure()), units),
        cost: format!("{cost:.2} {currency}"),
        savings: planned.savings(&plan).iter().map(saving).collect(),
        proof: trips::proof(&planned.proof(), trip.goal.value_of_time_per_hour.is_some()),
        lowest: trips::lowest(planned.lowest(&plan), units),
        against_best: (!held.is_empty()).then(|| AgainstBest {
            minutes: figures::more_minutes(plan.total.get() - best.total.get()),
            money: figures::more_money(cost - of_best, currency),
            let_go: format!("?{}", controls.address_with(&[], None)),
        }),
        dropped: dropped.iter().map(|one| trips::not_kept(trip, *one)).collect(),
        closed_stop: closed
            .map(|closed| trips::closed(&closed, controls.departure, units, "your own departures lead there then")),
        day_line: DayLine::new(trip, &plan, &held, controls.departure, units),
        stops: stop_rows(&shown, whole),
        verdict: trips::nearest_strategy(best.total, totals),
        strategies: strategy_rows((best, of_best), planned.strategies(), currency),
        sites: site_rows(&shown),
        unit: units.distance.name(),
        warning: warning(&shown),
        base: format!("/trips/{}", kept.stored.id),
        files: controls.address_with(&controls.leave, None),
        has_track: kept.stored.has_track,
    })
}

fn saving(saving: &Saving) -> String {
    let Saving { name, monthly_fee, saved, currency } = saving;
    receipts::saving(name, *monthly_fee, *saved, currency)
}

/// A plan that leaves the measured part of the curve says so.
fn warning(shown: &Shown) -> Option<String> {
    let (from, to) = shown.kept.curve.as_ref()?.about.measured?;
    let stops = &shown.plan.stops;
    let above = stops.iter().any(|stop| stop.depart.get() > to.get() + 0.5);
    let below = stops.iter().any(|stop| stop.arrive.get() < from.get() - 0.5);
    (above || below).then(|| trips::outside_measured((from, to)))
}

fn strategy_rows((best, of_best): (&Plan, f64), strategies: &[StrategyOutcome], currency: &str) -> Vec<StrategyRow> {
    let more = |plan: &Plan| plan.total.get() - best.total.get();
    let most = strategies.iter().filter_map(|one| one.plan.as_ref()).map(more).fold(1.0, f64::max);
    let row = |one: &StrategyOutcome| {
        let (name, rule) = (one.strategy.name(), trips::rule(one.strategy));
        let Some(plan) = &one.plan else {
            return StrategyRow {
                name,
                rule,
                total: "does not get there".into(),
                more: String::new(),
                money: String::new(),
                stops: String::new(),
                lowest: String::new(),
                bar: 0.0,
            };
        };
        StrategyRow {
            name,
            rule,
            total: figures::duration(plan.total),
            more: figures::more_minutes(more(plan)),
            money: figures::more_money(one.cost - of_best, currency),
            stops: plan.stops.len().to_string(),
            lowest: figures::percent(plan.lowest),
            bar: (100.0 * more(plan) / most).clamp(0.0, 100.0),
        }
    };
    strategies.iter().map(row).collect()
}

fn site_rows(shown: &Shown) -> Vec<SiteRow> {
    let (currency, distance) = (&shown.kept.stored.about.currency, shown.units.distance);
    let used = |site: &Site| shown.plan.stops.iter().any(|stop| shown.trip.site(stop.site).id == site.id);
    let mut listed: Vec<&Site> = shown.trip.sites.iter().collect();
    listed.sort_by(|a, b| a.at.get().total_cmp(&b.at.get()));
    let row = |site: &Site| SiteRow {
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
