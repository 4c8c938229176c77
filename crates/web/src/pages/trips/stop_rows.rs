//! The stops of a plan as rows of a table: what each costs, why it is left when it is, and what a nudge would do.

use spare_hour_core::quantity::SocSpan;
use spare_hour_planner::{Plan, Stop};
use spare_hour_wording::receipts::ReceiptWords;
use spare_hour_wording::{figures, sites, trips};

use super::plan_view::Shown;

/// Trips with more sites than this do not say what each stop is worth: that takes a plan without each.
const WORTH_SITES: usize = 24;
/// The steps by which a stop's buttons nudge its departure.
const NUDGE: SocSpan = SocSpan::points(5.0);

/// A stop in the table.
pub(super) struct StopRow {
    pub(super) number: usize,
    pub(super) name: String,
    pub(super) place: String,
    /// What is known of the site.
    pub(super) details: Vec<String>,
    pub(super) clock: String,
    pub(super) arrive: String,
    pub(super) depart: String,
    pub(super) charge: String,
    pub(super) overhead: String,
    pub(super) plug: String,
    pub(super) cost: String,
    /// Where the site asks a tariff.
    pub(super) receipt: Option<ReceiptWords>,
    pub(super) why: String,
    pub(super) worth: Option<String>,
    pub(super) nudges: Nudges,
}

/// The rows of a plan. `whole` pages also say what each site is worth.
pub(super) fn stop_rows(shown: &Shown, whole: bool) -> Vec<StopRow> {
    let Shown { plan, planned, trip, .. } = shown;
    let reasons = planned.reasons(plan);
    let receipts = planned.receipts(plan);
    let worth = whole && shown.fixed.is_empty() && trip.sites.len() <= WORTH_SITES;
    let mut minute = 0.0;
    let mut rows = Vec::with_capacity(plan.stops.len());
    for (index, ((stop, reason), receipt)) in plan.stops.iter().zip(&reasons).zip(&receipts).enumerate() {
        let reached = minute + stop.drive.get();
        minute = reached + stop.charge.get() + stop.overhead.get();
        let site = trip.site(stop.site);
        let receipt = receipt.as_ref().map(|(tariff, receipt)| ReceiptWords::new(receipt, tariff));
        rows.push(StopRow {
            number: index + 1,
            name: site.name.clone(),
            place: format!("at {}, {:.0} kW", figures::distance(shown.units, site.at), site.max_power.get()),
            details: details(shown, stop),
            clock: figures::time_of_day(shown.units, shown.controls.departure, reached),
            arrive: figures::percent(stop.arrive),
            depart: figures::percent(stop.depart),
            charge: figures::minutes(stop.charge.get()),
            overhead: figures::minutes(stop.overhead.get()),
            plug: format!("{:.1}", stop.plug.get()),
            cost: receipt.as_ref().map_or_else(|| format!("{:.2}", stop.cost), |receipt| receipt.bare_total.clone()),
            receipt,
            why: trips::reason(trip, reason, shown.fixed.contains(&stop.site)),
            worth: worth.then(|| trips::worth(planned.worth_of_site(stop.site))),
            nudges: Nudges::new(shown, plan, index),
        });
    }
    rows
}

/// What is known of a stop's site, and what a neighbour at its cabinet may cost.
fn details(shown: &Shown, stop: &Stop) -> Vec<String> {
    let mut details = sites::in_words(shown.trip.site(stop.site), shown.units.clock);
    let shared = shown.planned.beside_a_neighbour(stop).filter(|more| more.get() >= 0.5);
    details.extend(shared.map(sites::beside_a_neighbour));
    details
}

/// The addresses of the same plan with one departure nudged, or free again.
pub(super) struct Nudges {
    pub(super) less: Option<String>,
    pub(super) more: Option<String>,
    pub(super) let_go: Option<String>,
}

impl Nudges {
    fn new(shown: &Shown, plan: &Plan, index: usize) -> Self {
        let (controls, stop) = (shown.controls, &plan.stops[index]);
        let site = &shown.trip.site(stop.site).id;
        let others: Vec<(String, f64)> = controls.leave.iter().filter(|one| one.0 != *site).cloned().collect();
        let with = |soc: f64| {
            let mut leave = others.clone();
            leave.push((site.clone(), (soc * 10.0).round() / 10.0));
            format!("?{}", controls.address_with(&leave, None))
        };
        let (low, high) = (stop.depart - NUDGE, stop.depart + NUDGE);
        Self {
            less: (low > stop.arrive).then(|| with(low.get())),
            more: (high <= shown.trip.goal.ceiling).then(|| with(high.get())),
            let_go: shown.fixed.contains(&stop.site).then(|| format!("?{}", controls.address_with(&others, None))),
        }
    }
}
