//! The stops of a plan as cards: when, from how much to how much, the piece of the curve that is used, what it costs, why, and
//! what a touch would do.

use spare_hour_core::charging::stall::Stall;
use spare_hour_core::quantity::{Soc, SocSpan};
use spare_hour_planner::trade::ClockStop;
use spare_hour_wording::receipts::ReceiptWords;
use spare_hour_wording::{figures, sites, trips};

use super::plan_view::Shown;
use crate::charts::{Scale, path};

/// Trips with more sites than this do not say what each stop is worth: that takes a plan without each.
const WORTH_SITES: usize = 24;
/// The steps by which a stop's buttons nudge its departure.
const NUDGE: SocSpan = SocSpan::points(5.0);
/// The little picture of the curve: width and height.
const CURVE: (f64, f64) = (120.0, 44.0);

/// A stop's card.
pub(super) struct StopCard {
    pub(super) number: usize,
    pub(super) id: String,
    pub(super) name: String,
    pub(super) place: String,
    /// What is known of the site.
    pub(super) details: Vec<String>,
    /// When it is reached and left.
    pub(super) reached: String,
    pub(super) leaves: String,
    pub(super) arrive: String,
    pub(super) depart: String,
    /// How long it takes in all, and what for.
    pub(super) stands: String,
    pub(super) parts: String,
    pub(super) plug: String,
    pub(super) cost: String,
    /// The pause that is taken here.
    pub(super) pause: Option<String>,
    /// Where the site asks a tariff.
    pub(super) receipt: Option<ReceiptWords>,
    pub(super) why: Option<String>,
    pub(super) worth: Option<String>,
    pub(super) nudges: Nudges,
    /// Whether a wish that is kept holds it.
    pub(super) wished: bool,
    /// What it is left with, for a touch that keeps that.
    pub(super) soc: String,
    /// What the stall gives over SoC, and the piece of that which is used.
    pub(super) curve: String,
    pub(super) used: String,
}

/// The cards of a plan. `whole` pages also say what each site is worth.
pub(super) fn stop_cards(shown: &Shown, whole: bool) -> Vec<StopCard> {
    let plan = &shown.shown.plan;
    let cards = plan.stops.iter().zip(&shown.shown.tariffs).enumerate();
    let mut cards: Vec<StopCard> = cards
        .map(|(index, (stop, tariff))| {
            let receipt = stop.receipt.as_ref().zip(tariff.as_ref());
            card(shown, index, stop, receipt.map(|(receipt, tariff)| ReceiptWords::new(receipt, tariff)))
        })
        .collect();
    let (Some(planned), Some(by_road)) = (shown.planned, &shown.shown.by_road) else { return cards };
    let worth = whole && shown.shown.held.is_empty() && shown.shown.trip.sites.len() <= WORTH_SITES;
    for ((card, stop), reason) in cards.iter_mut().zip(&by_road.stops).zip(planned.reasons(by_road)) {
        card.why = Some(trips::reason(&shown.shown.trip, &reason, shown.shown.holds(&card.id)));
        card.worth = worth.then(|| trips::worth(planned.worth_of_site(stop.site)));
        let shared = planned.beside_a_neighbour(stop).filter(|more| more.get() >= 0.5);
        card.details.extend(shared.map(sites::beside_a_neighbour));
    }
    cards
}

fn card(shown: &Shown, index: usize, stop: &ClockStop, receipt: Option<ReceiptWords>) -> StopCard {
    let (units, site) = (shown.units, shown.shown.trip.site(stop.site));
    let part = |minutes: f64, what: &str| (minutes >= 0.05).then(|| format!("{} {what}", figures::minutes(minutes)));
    let parts = [
        part(stop.overhead.get(), "to plug in"),
        part(stop.wait.get(), "waiting"),
        part(stop.charge.get(), "charging"),
        part(stop.stands_on().get(), "standing on"),
    ];
    let at = |minutes: f64| shown.time(minutes);
    let (curve, used) = curve(shown, stop);
    let wishes = shown.wishes;
    StopCard {
        number: index + 1,
        id: site.id.clone(),
        name: site.name.clone(),
        place: format!("at {}, {:.0} kW", figures::distance(units, site.at), site.max_power.get()),
        details: sites::in_words(site, units.clock),
        reached: at(stop.reached.get()),
        leaves: at(stop.leaves.get()),
        arrive: figures::percent(stop.arrive).trim_end_matches(" %").to_string(),
        depart: figures::percent(stop.depart),
        stands: figures::duration(stop.leaves - stop.reached),
        parts: parts.into_iter().flatten().collect::<Vec<_>>().join(", ").replacen(' ', " min ", 1),
        plug: format!("{:.1} kWh", stop.plug.get()),
        cost: format!("{:.2} {}", stop.cost, shown.currency),
        pause: stop.pause.and_then(|pause| shown.shown.pauses.get(pause).cloned()),
        receipt,
        why: shown.shown.compared(index).map(trips::compared),
        worth: None,
        nudges: Nudges::new(shown, stop),
        wished: wishes.leave.iter().any(|(id, _)| *id == site.id) || wishes.visit.contains(&site.id),
        soc: format!("{:.1}", stop.depart.get()),
        curve,
        used,
    }
}

/// What a stall gives over SoC, and the piece from arriving to leaving.
fn curve(shown: &Shown, stop: &ClockStop) -> (String, String) {
    let trip = &shown.shown.trip;
    let stall = Stall::new(&trip.vehicle, trip.site(stop.site));
    let power = |soc: f64| stall.power().at(soc);
    let most = trip.vehicle.charge_curve.points().iter().map(|point| point.1).fold(1.0, f64::max);
    let (x, y) = (Scale::new((0.0, 100.0), (0.0, CURVE.0)), Scale::new((0.0, most), (CURVE.1, 2.0)));
    let line = |from: f64, to: f64| {
        let steps = ((to - from) / 2.0).ceil().max(1.0) as usize;
        let points = (0..=steps).map(|step| from + (to - from) * step as f64 / steps as f64);
        points.map(|soc| (soc, power(soc))).collect::<Vec<_>>()
    };
    let (from, to) = (stop.arrive.get(), stop.depart.get());
    let under = [vec![(from, 0.0)], line(from, to), vec![(to, 0.0)]].concat();
    (path(line(0.0, 100.0), &x, &y), format!("{}Z", path(under, &x, &y)))
}

/// The addresses of the same plan with one departure nudged, or free again.
pub(super) struct Nudges {
    pub(super) less: Option<String>,
    pub(super) more: Option<String>,
    pub(super) let_go: Option<String>,
}

impl Nudges {
    fn new(shown: &Shown, stop: &ClockStop) -> Self {
        let controls = shown.controls;
        let site = &shown.shown.trip.site(stop.site).id;
        let others: Vec<(String, f64)> = controls.leave.iter().filter(|one| one.0 != *site).cloned().collect();
        let with = |soc: Soc| {
            let mut leave = others.clone();
            leave.push((site.clone(), (soc.get() * 10.0).round() / 10.0));
            format!("?{}", controls.address_with(&leave, None))
        };
        let (low, high) = (stop.depart - NUDGE, stop.depart + NUDGE);
        let held = shown.shown.holds(site);
        Self {
            less: (low > stop.arrive).then(|| with(low)),
            more: (high <= shown.shown.trip.goal.ceiling).then(|| with(high)),
            let_go: held.then(|| format!("?{}", controls.address_with(&others, None))),
        }
    }
}
