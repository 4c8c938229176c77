//! What a trip's choices cost by its clock: each wish and each stop taken away by itself, planned again and held against the
//! plan; and where there is no plan, which wish is in the way.

use std::sync::Arc;

use spare_hour_core::quantity::Minutes;
use spare_hour_core::trip::Trip;
use spare_hour_core::trip::wishes::Wishes;
use spare_hour_planner::StopSign;
use spare_hour_planner::trade::why::{WhyLeave, why_each};
use spare_hour_planner::trade::{ClockPlan, NoTrade, Trade, TradeTrip};

use crate::plan_trip::TripToPlan;
use crate::trade_trip::TradedTrip;

/// A wish that can be taken back by itself.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum OneWish {
    /// To pass a site by.
    Avoid(String),
    /// To stop at a site.
    Visit(String),
    /// To leave a site with a SoC of one's own.
    Leave(String),
    /// To stand at a site for a while.
    Stay(String),
    /// To charge at a site between two times.
    Between(String),
    /// A pause, by its place.
    Pause(usize),
    /// The longest time at the wheel.
    MostDrive,
    /// At most so many stops.
    MostStops,
    /// At most so much money.
    MostCost,
    /// At most so many minutes.
    MostTime,
}

impl OneWish {
    /// All that is wished.
    pub fn each(wishes: &Wishes) -> Vec<Self> {
        let mut all: Vec<Self> = wishes.avoid.iter().cloned().map(Self::Avoid).collect();
        all.extend(wishes.visit.iter().cloned().map(Self::Visit));
        all.extend(wishes.leave.iter().map(|(id, _)| Self::Leave(id.clone())));
        all.extend(wishes.stay.iter().map(|(id, _)| Self::Stay(id.clone())));
        all.extend(wishes.between.iter().map(|(id, ..)| Self::Between(id.clone())));
        all.extend((0..wishes.pauses.len()).map(Self::Pause));
        all.extend(wishes.most_drive.map(|_| Self::MostDrive));
        all.extend(wishes.most_stops.map(|_| Self::MostStops));
        all.extend(wishes.most_cost.map(|_| Self::MostCost));
        all.extend(wishes.most_time.map(|_| Self::MostTime));
        all
    }

    /// The wishes without this one.
    pub fn taken_from(&self, wishes: &Wishes) -> Wishes {
        let mut left = wishes.clone();
        match self {
            Self::Avoid(site) => left.avoid.retain(|id| id != site),
            Self::Visit(site) => left.visit.retain(|id| id != site),
            Self::Leave(site) => left.leave.retain(|(id, _)| id != site),
            Self::Stay(site) => left.stay.retain(|(id, _)| id != site),
            Self::Between(site) => left.between.retain(|(id, ..)| id != site),
            Self::Pause(place) if *place < left.pauses.len() => drop(left.pauses.remove(*place)),
            Self::Pause(_) => {}
            Self::MostDrive => (left.most_drive, left.rest) = (None, None),
            Self::MostStops => left.most_stops = None,
            Self::MostCost => left.most_cost = None,
            Self::MostTime => left.most_time = None,
        }
        left
    }

    /// How an address names it.
    pub fn token(&self) -> String {
        match self {
            Self::Avoid(site) => format!("avoid {site}"),
            Self::Visit(site) => format!("visit {site}"),
            Self::Leave(site) => format!("leave {site}"),
            Self::Stay(site) => format!("stay {site}"),
            Self::Between(site) => format!("between {site}"),
            Self::Pause(place) => format!("pause {place}"),
            Self::MostDrive => "most-drive".into(),
            Self::MostStops => "most-stops".into(),
            Self::MostCost => "most-cost".into(),
            Self::MostTime => "most-time".into(),
        }
    }
}

/// How another plan differs: its minutes and money less those of the plan.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Differs {
    /// Minutes more.
    pub minutes: Minutes,
    /// Money more.
    pub money: f64,
}

/// What the choices of a plan cost.
#[derive(Clone, Debug)]
pub struct Explained {
    /// What each wish costs: the plan against the best without it.
    pub wishes: Vec<(OneWish, Option<Differs>)>,
    /// For each stop why it is as it is,
    pub leaves: Vec<WhyLeave>,
    /// and what the best plan without its site takes more; `None` where there is none.
    pub without: Vec<Option<Differs>>,
}

/// What keeps a trip from having a plan.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct InTheWay {
    /// Wishes without one of which there is a plan, each by itself.
    pub wishes: Vec<OneWish>,
    /// Whether there is one if every site is always open,
    pub hours: bool,
    /// or without any wish. If neither, the road itself is in the way.
    pub all_wishes: bool,
}

impl TradedTrip {
    /// What the choices of one of its plans cost, under the goal's value of an hour.
    ///
    /// # Errors
    /// [`NoTrade::Stopped`] when nobody waits any more.
    pub fn explained(&self, plan: &ClockPlan, stop: &StopSign) -> Result<Explained, NoTrade> {
        let wishes = &self.asked.wishes;
        let wish = |one: OneWish| {
            let without = self.best_with(one.taken_from(wishes), stop)?;
            Ok((one, without.map(|without| differs(plan, &without))))
        };
        let stops = plan.stops.iter().map(|at| {
            let mut wishes = wishes.clone();
            let site = &self.trade.trip.site(at.site).id;
            wishes.visit.retain(|id| id != site);
            wishes.avoid.push(site.clone());
            Ok(self.best_with(wishes, stop)?.map(|without| differs(&without, plan)))
        });
        Ok(Explained {
            without: stops.collect::<Result<_, NoTrade>>()?,
            wishes: OneWish::each(wishes).into_iter().map(wish).collect::<Result<_, NoTrade>>()?,
            leaves: why_each(&self.asked, plan, stop).ok_or(NoTrade::Stopped)?,
        })
    }

    /// The best plan with other wishes; `None` where there is none.
    fn best_with(&self, wishes: Wishes, stop: &StopSign) -> Result<Option<ClockPlan>, NoTrade> {
        let (changed, value) = (TradeTrip { wishes, ..self.asked.clone() }, self.value_of_time_per_hour);
        match Trade::near_best(&changed, value, stop) {
            Ok(trade) => Ok(trade.best(value, changed.wishes.most_time.is_some()).cloned()),
            Err(NoTrade::Infeasible) => Ok(None),
            Err(NoTrade::Stopped) => Err(NoTrade::Stopped),
        }
    }
}

fn differs(plan: &ClockPlan, from: &ClockPlan) -> Differs {
    Differs { minutes: plan.total - from.total, money: plan.cost - from.cost }
}

/// What keeps a trip that has no plan by its clock from having one.
pub fn in_the_way(to_plan: &TripToPlan, stop: &StopSign) -> InTheWay {
    let (asked, _) = to_plan.by_clock();
    let works = |asked: &TradeTrip| Trade::coarse_best(asked, None, stop).is_ok();
    let with = |wishes: Wishes| works(&TradeTrip { wishes, ..asked.clone() });
    let wishes = OneWish::each(&asked.wishes).into_iter().filter(|one| with(one.taken_from(&asked.wishes)));
    InTheWay {
        wishes: wishes.collect(),
        hours: works(&always_open(&asked)),
        all_wishes: with(without_any(&asked.wishes)),
    }
}

fn without_any(wishes: &Wishes) -> Wishes {
    // From the last on, so that pauses keep their places.
    OneWish::each(wishes).iter().rev().fold(wishes.clone(), |left, one| one.taken_from(&left))
}

fn always_open(asked: &TradeTrip) -> TradeTrip {
    let mut draft = asked.trip.as_ref().clone().into_draft();
    draft.sites.iter_mut().for_each(|site| site.details.hours = None);
    let trip = Trip::new(draft).map_or_else(|_| Arc::clone(&asked.trip), Arc::new);
    TradeTrip { trip, ..asked.clone() }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::clock::{Here, StoppedClock};
    use serde_json::{Value, json};
    use spare_hour_formats::read_trip_with_wishes;

    /// A road of 800 km, leaving at eight, where the first site opens at ten and one can eat at the second.
    fn to_plan(change: impl FnOnce(&mut Value)) -> TripToPlan {
        let site = |id: &str, km: u32, kw: u32| json!({"id": id, "at_km": km, "max_kw": kw, "overhead_min": 5});
        let mut file = json!({
            "format": "spare-hour/trip", "version": 2, "departure": "2026-12-18T08:00", "time_zone": "UTC",
            "vehicle": {"usable_kwh": 74, "charge_loss_percent": 0, "charge_curve": [{"soc": 0, "kw": 150}, {"soc": 100, "kw": 20}]},
            "route": {"segments": [{"km": 800, "kmh": 100, "kwh_per_100km": 20}]},
            "sites": [site("a", 150, 150), site("b", 300, 150), site("c", 480, 150), site("d", 620, 150)],
            "goal": {"start_soc": 100, "min_soc": 10, "arrival_soc": 10, "max_soc": 100},
        });
        file["sites"][1]["has"] = json!(["eat"]);
        change(&mut file);
        let file = read_trip_with_wishes(file.to_string().as_bytes()).unwrap();
        let here = Here::new(StoppedClock("2026-11-27T08:00:00Z".parse().unwrap()), jiff::tz::TimeZone::UTC);
        TripToPlan::of_file(file, &here).unwrap()
    }

    fn weighed(to_plan: &TripToPlan) -> TradedTrip {
        TradedTrip::of_plan(to_plan, false, &StopSign::default()).unwrap()
    }

    #[test]
    fn a_wish_costs_what_the_plan_without_it_saves_and_a_stop_what_the_best_without_its_site_takes_more() {
        let free = weighed(&to_plan(|_| {}));
        let asked = to_plan(|file| {
            file["goal"]["visit"] = json!(["a"]);
            file["goal"]["pauses"] =
                json!([{"name": "lunch", "minutes": 90, "from": "11:00", "to": "12:30", "needs": "eat"}]);
        });
        let bound = weighed(&asked);
        let plan = bound.best().unwrap().clone();
        let told = bound.explained(&plan, &StopSign::default()).unwrap();
        let tokens: Vec<String> = told.wishes.iter().map(|(one, _)| one.token()).collect();
        assert_eq!(tokens, ["visit a", "pause 0"]);
        for (one, cost) in &told.wishes {
            // The same by hand: the trip read anew without that wish.
            let without = to_plan(|file| {
                let goal = &mut file["goal"];
                match one {
                    OneWish::Visit(_) => goal["pauses"] = asked_pauses(),
                    _ => goal["visit"] = json!(["a"]),
                }
            });
            let least = weighed(&without).best().unwrap().total;
            let cost = cost.unwrap().minutes;
            assert!((cost - (plan.total - least)).get().abs() < 1e-6 && cost.get() > 1.0, "{one:?} costs {cost}");
        }
        let best = free.best().unwrap();
        let told = free.explained(best, &StopSign::default()).unwrap();
        for (stop, more) in best.stops.iter().zip(&told.without) {
            let id = free.trade.trip.site(stop.site).id.clone();
            let without = to_plan(|file| file["goal"]["avoid"] = json!([id]));
            let least = TradedTrip::of_plan(&without, false, &StopSign::default()).ok();
            let least = least.and_then(|traded| traded.best().map(|best| best.total));
            assert_eq!(more.map(|more| more.minutes), least.map(|least| least - best.total), "without {id}");
        }
    }

    fn asked_pauses() -> Value {
        json!([{"name": "lunch", "minutes": 90, "from": "11:00", "to": "12:30", "needs": "eat"}])
    }

    #[test]
    fn at_the_best_moment_five_points_more_cost_no_less_here_than_at_the_next_stop() {
        let traded = weighed(&to_plan(|_| {}));
        let best = traded.best().unwrap();
        let told = traded.explained(best, &StopSign::default()).unwrap();
        let vehicle = &traded.trade.trip.vehicle;
        let mut compared = 0;
        for (index, why) in told.leaves.iter().enumerate() {
            let (Some(here), Some(there)) = (why.here, why.there) else { continue };
            // By hand: five points of 74 kWh at about the power in their middle.
            let middle = best.stops[index].depart.get() + 2.5;
            let by_hand = 60.0 * 0.05 * vehicle.usable.get() / vehicle.charge_curve.at(middle);
            assert!((here.get() / by_hand - 1.0).abs() < 0.02, "{here} and {by_hand}");
            compared += 1;
            // Nothing but the road asks for more than where the next stop is as fast.
            assert!(here.get() >= there.get() - 0.05, "{here} here, {there} there");
        }
        assert!(compared > 0);
    }

    #[test]
    fn what_is_in_the_way_is_named_and_taking_it_back_gives_a_plan() {
        let nothing = StopSign::default();
        // Lunch is wished at an hour when no site for it is in reach.
        let early = to_plan(|file| {
            file["goal"]["pauses"] =
                json!([{"name": "lunch", "minutes": 30, "from": "08:10", "to": "08:40", "needs": "eat"}]);
            file["goal"]["visit"] = json!(["d"]);
        });
        assert!(TradedTrip::of_plan(&early, false, &nothing).is_err());
        let way = in_the_way(&early, &nothing);
        assert_eq!(way, InTheWay { wishes: vec![OneWish::Pause(0)], hours: false, all_wishes: true });
        let mut taken = early.clone();
        taken.wishes = way.wishes[0].taken_from(&early.wishes);
        assert!(TradedTrip::of_plan(&taken, false, &nothing).is_ok() && taken.wishes.visit == ["d"]);
        // All sites are open for an hour at night, so that the week goes by; and a road too long for any wish to help.
        let closed = to_plan(|file| {
            for site in file["sites"].as_array_mut().unwrap() {
                site["opening_hours"] = "Mo-Su 03:00-03:05".into();
            }
        });
        assert_eq!(in_the_way(&closed, &nothing), InTheWay { wishes: vec![], hours: true, all_wishes: false });
        let far = to_plan(|file| file["route"]["segments"][0]["km"] = json!(1_500));
        assert_eq!(in_the_way(&far, &nothing), InTheWay::default());
    }
}
