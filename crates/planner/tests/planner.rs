//! The planner against an independent integrator, a general library's shortest path, and what must hold of any plan.

#![allow(missing_docs, clippy::unwrap_used, clippy::float_cmp)]

mod support;

use petgraph::algo::dijkstra;
use petgraph::graph::{DiGraph, NodeIndex};
use proptest::prelude::*;
use spare_hour_core::charging::profile::Profile;
use spare_hour_core::charging::stall::Stall;
use spare_hour_core::quantity::{Distance, Minutes, Power, Soc, SocSpan};
use spare_hour_core::refused::Refused;
use spare_hour_core::trip::{SiteIndex, Trip, TripDraft, Vehicle};
use spare_hour_planner::trip_timeline::TripTimeline;
use spare_hour_planner::{FixedDeparture, Place, Stop, Strategy, Why};
use support::{boosted_car, car, goal, integrate_plan, long_trip, site, solve, trip};

/// A trip as an explicit graph: a node for every site and SoC on arrival in steps of `step`, an edge for every charge
/// and drive between two of them. Nothing is rounded: the departure is whatever brings the car to the next node.
struct StateGraph<'a> {
    trip: &'a TripDraft,
    step: f64,
    order: Vec<usize>,
    graph: DiGraph<(), f64>,
    nodes: Vec<Vec<NodeIndex>>,
    end: NodeIndex,
}

impl StateGraph<'_> {
    /// The best goal value by petgraph's Dijkstra; `None` when the destination is not connected.
    fn shortest_path(trip: &TripDraft, step: f64) -> Option<f64> {
        let mut order: Vec<usize> = (0..trip.sites.len()).collect();
        order.sort_by(|&a, &b| trip.sites[a].at.get().total_cmp(&trip.sites[b].at.get()));
        let mut graph = DiGraph::new();
        let (start, end) = (graph.add_node(()), graph.add_node(()));
        let steps = (100.0 / step).round() as usize;
        let nodes = order.iter().map(|_| (0..=steps).map(|_| graph.add_node(())).collect()).collect();
        let mut states = StateGraph { trip, step, order, graph, nodes, end };
        for i in 0..states.order.len() {
            for k in 0..=steps {
                states.leave(i, states.nodes[i][k], k as f64 * step);
            }
            // The one arrival that is on no grid: straight from the start.
            let (energy, minutes) = states.drive(None, Some(i));
            let soc = trip.goal.start.get() - energy;
            if soc >= trip.goal.floor.get() {
                let arrival = states.graph.add_node(());
                states.graph.add_edge(start, arrival, minutes + states.fixed(i));
                states.leave(i, arrival, soc);
            }
        }
        let (energy, minutes) = states.drive(None, None);
        if trip.goal.start.get() - energy >= trip.goal.arrival.get() {
            states.graph.add_edge(start, end, minutes);
        }
        dijkstra(&states.graph, start, Some(end), |edge| *edge.weight()).get(&end).copied()
    }

    fn weight(&self) -> f64 {
        self.trip.goal.value_of_time_per_hour.map_or(0.0, |value| 60.0 / value)
    }

    fn fixed(&self, i: usize) -> f64 {
        let site = &self.trip.sites[self.order[i]];
        site.overhead.get() + self.weight() * site.price.per_session
    }

    /// Percent and minutes from a site (or the start) to a site (or the destination), ways off the route included.
    fn drive(&self, from: Option<usize>, to: Option<usize>) -> (f64, f64) {
        let place = |i: usize| self.trip.sites[self.order[i]].at;
        let (start, end) = (from.map_or(Distance::km(0.0), place), to.map_or(self.trip.route.length(), place));
        let leg = self.trip.route.between(start, end);
        let (mut kwh, mut minutes) = (leg.net.get(), leg.time.get());
        for site in [from, to].into_iter().flatten().map(|i| &self.trip.sites[self.order[i]]) {
            let segment = self.trip.route.segment_at(site.at).unwrap();
            kwh += site.off_route.get() * segment.consumption.get() / 100.0;
            minutes += 60.0 * site.off_route.get() / site.off_route_speed.get();
        }
        (100.0 * kwh / self.trip.vehicle.usable.get(), minutes)
    }

    /// Adds all ways on from an arrival at a site.
    fn leave(&mut self, i: usize, node: NodeIndex, arrive: f64) {
        for next in i + 1..self.order.len() {
            let (energy, minutes) = self.drive(Some(i), Some(next));
            for m in 0..self.nodes[next].len() {
                let soc = m as f64 * self.step;
                let depart = soc + energy;
                if soc >= self.trip.goal.floor.get() && depart >= arrive {
                    self.charge(i, node, self.nodes[next][m], [arrive, depart], minutes + self.fixed(next));
                }
            }
        }
        let (energy, minutes) = self.drive(Some(i), None);
        let depart = (self.trip.goal.arrival.get() + energy).max(arrive);
        self.charge(i, node, self.end, [arrive, depart], minutes);
    }

    fn charge(&mut self, i: usize, from: NodeIndex, to: NodeIndex, soc: [f64; 2], drive: f64) {
        if soc[1] > self.trip.goal.ceiling.get() {
            return;
        }
        let site = &self.trip.sites[self.order[i]];
        let stall = Stall::new(&self.trip.vehicle, site);
        let charge = stall.minutes(Soc::percent(soc[0]), Soc::percent(soc[1])).get();
        let plug = self.trip.vehicle.usable.get() * (soc[1] - soc[0]) / 100.0 / self.trip.vehicle.stored_share();
        let money = site.price.per_kwh * plug + site.price.per_min * charge;
        self.graph.add_edge(from, to, drive + charge + self.weight() * money);
    }
}

#[test]
fn a_short_trip_needs_no_stop() {
    let trip = trip(car(), 100.0, vec![site(0, 50.0, 150.0)]);
    let planner = solve(&trip).unwrap();
    let plan = &planner.best().plan;
    assert!(plan.stops.is_empty());
    // By hand: 100 km at 110 km/h; 20 kWh of 74 are 27.03 points.
    assert!((plan.total.get() - 60.0 / 1.1).abs() < 1e-9);
    assert!((plan.arrival.get() - (90.0 - 2000.0 / 74.0)).abs() < 1e-9);
    assert_eq!(planner.best().gap, Minutes::new(0.0));
}

#[test]
fn one_stop_arrives_with_just_the_wish() {
    let trip = trip(car(), 400.0, vec![site(0, 200.0, 150.0)]);
    let planner = solve(&trip).unwrap();
    let plan = &planner.best().plan;
    assert_eq!(plan.stops.len(), 1);
    assert!((plan.arrival.get() - 10.0).abs() < 1e-4);
    assert!(planner.best().gap.get() < 1e-3, "{}", planner.best().gap);
    assert_eq!(planner.reasons(plan)[0].why, Why::EndNeedsIt);
}

#[test]
fn leaves_at_the_cliff() {
    // Power halves at 60 %; the next site is as fast below it, so nobody should charge past the cliff.
    let mut car = car();
    car.charge_curve = Profile::new(vec![(0.0, 150.0), (60.0, 150.0), (60.0, 40.0), (100.0, 40.0)]).unwrap();
    let sites = (0..6).map(|i| site(i, 120.0 * (i + 1) as f64, 300.0)).collect();
    let trip = trip(car, 830.0, sites);
    let planner = solve(&trip).unwrap();
    assert!(planner.best().plan.stops.iter().all(|stop| stop.depart.get() <= 60.0001));
    assert!(planner.best().gap.get() < 0.01, "{}", planner.best().gap);
}

#[test]
fn says_which_gap_is_too_long() {
    let trip = trip(car(), 900.0, vec![site(0, 200.0, 150.0), site(1, 640.0, 150.0)]);
    let Err(gap) = solve(&trip) else { panic!("there is no plan") };
    // By hand: 441.6 km at 20 kWh/100 km on 74 kWh are 119.4 points, and 10 must be left.
    assert!((gap.needed.get() - (10.0 + 441.6 * 20.0 / 74.0)).abs() < 1e-6);
    assert!((gap.short.get() - (gap.needed.get() - 100.0)).abs() < 1e-9);
    assert_eq!((&gap.from, &gap.to), (&Place::Site(named(&trip, "s0")), &Place::Site(named(&trip, "s1"))));
}

#[test]
fn money_moves_the_plan_to_the_cheaper_site() {
    let mut sites = vec![site(0, 190.0, 150.0), site(1, 200.0, 80.0)];
    sites[0].price.per_kwh = 0.9;
    sites[1].price.per_kwh = 0.3;
    let mut trip = trip(car(), 400.0, sites);
    let fast = solve(&trip).unwrap().best().plan.clone();
    trip.goal.value_of_time_per_hour = Some(10.0);
    let cheap = solve(&trip).unwrap().best().plan.clone();
    assert_eq!((fast.stops[0].site.get(), cheap.stops[0].site.get()), (0, 1));
    assert!(cheap.cost < fast.cost && cheap.total > fast.total);
}

#[test]
fn equal_minutes_go_to_the_cheaper_site() {
    let mut sites = vec![site(0, 200.0, 150.0), site(1, 200.0, 150.0)];
    sites[1].price.per_kwh = 0.4;
    let trip = trip(car(), 400.0, sites);
    assert_eq!(solve(&trip).unwrap().best().plan.stops[0].site.get(), 1);
}

#[test]
fn a_fixed_departure_is_kept_and_the_rest_is_best() {
    let trip = long_trip(car(), 1200.0, 24);
    let planner = solve(&trip).unwrap();
    let best = &planner.best().plan;
    let first = &best.stops[0];
    let depart = first.depart + SocSpan::points(6.0);
    let adjusted = planner.with_departures(&[FixedDeparture { site: first.site, depart }]);
    assert!(adjusted.dropped.is_empty());
    assert_eq!(adjusted.plan.stops[0].depart, depart);
    assert!(adjusted.plan.total >= best.total);
    assert!((integrate_plan(&trip, &adjusted.plan) - adjusted.plan.total.get()).abs() < 0.1);
    let impossible = FixedDeparture { site: first.site, depart: Soc::percent(11.0) };
    assert_eq!(planner.with_departures(&[impossible]).dropped, vec![impossible]);
}

#[test]
fn long_trips_are_proven_to_a_second() {
    for vehicle in [car(), boosted_car()] {
        let trip = long_trip(vehicle, 1900.0, 40);
        let planner = solve(&trip).unwrap();
        let best = planner.best();
        assert!(best.gap.get() < 0.2, "gap {}", best.gap);
        let minutes = integrate_plan(&trip, &best.plan);
        assert!((minutes - best.plan.total.get()).abs() < 0.1, "{minutes} against {}", best.plan.total);
    }
}

#[test]
fn a_summit_needs_what_it_draws() {
    // By hand: 60 km up at 60 kWh/100 km draw 36 kWh, 48.6 of 100 points; 40 km down give 8 kWh back.
    let mut trip = trip(car(), 100.0, vec![]);
    let up_and_down = vec![support::segment(60.0, 60.0, 60.0), support::segment(40.0, 60.0, -20.0)];
    trip.route = spare_hour_core::driving::route::Route::new(up_and_down);
    trip.goal.start = Soc::percent(47.0);
    trip.goal.arrival = Soc::percent(0.0);
    assert!(solve(&trip).is_err());
    trip.goal.start = Soc::percent(49.0);
    assert!(solve(&trip).is_ok());
}

#[test]
fn what_a_full_battery_cannot_take_is_lost_in_the_brakes() {
    // By hand: 50 km down give 10 kWh back, 13.5 of 100 points of 74 kWh; 30 km on the level take 6 kWh, 8.1 points.
    let mut trip = trip(car(), 80.0, vec![]);
    let down = vec![support::segment(50.0, 60.0, -20.0), support::segment(30.0, 60.0, 20.0)];
    trip.route = spare_hour_core::driving::route::Route::new(down);
    for (start, arrival) in [(80.0, 80.0 + 13.51 - 8.11), (90.0, 91.89), (100.0, 91.89)] {
        trip.goal.start = Soc::percent(start);
        let planner = solve(&trip).unwrap();
        let plan = &planner.best().plan;
        assert!((plan.arrival.get() - arrival).abs() < 0.01, "{start}: {}", plan.arrival);
        let timeline = TripTimeline::new(planner.trip(), &plan.into());
        let highest = timeline.spans[0].points.iter().map(|point| point.1).fold(0.0, f64::max);
        assert!(highest <= 100.0 && (timeline.spans[0].points.last().unwrap().1 - arrival).abs() < 0.01);
    }
}

#[test]
fn the_least_on_the_way_holds_between_the_stops() {
    // By hand: up takes 48.6 points and down gives 10.8 back, so from 60 the summit is passed at 11.4 and the end at 22.2.
    let mut trip = trip(car(), 100.0, vec![]);
    let up_and_down = vec![support::segment(60.0, 60.0, 60.0), support::segment(40.0, 60.0, -20.0)];
    trip.route = spare_hour_core::driving::route::Route::new(up_and_down);
    trip.goal.start = Soc::percent(60.0);
    let planner = solve(&trip).unwrap();
    let (lowest, at) = TripTimeline::new(planner.trip(), &(&planner.best().plan).into()).lowest;
    assert!((lowest.get() - 11.35).abs() < 0.01 && at == Distance::km(60.0), "{lowest} at {at}");
    // Left out it is the lesser of the floor and what is wanted at the end, both 10 here.
    trip.goal.start = Soc::percent(58.0);
    assert!(solve(&trip).is_err());
    trip.goal.on_way = Some(Soc::percent(2.0));
    assert!(solve(&trip).is_ok());
    trip.goal.on_way = Some(Soc::percent(12.0));
    trip.goal.start = Soc::percent(60.0);
    assert!(solve(&trip).is_err());
}

/// The site of an identifier.
fn named(draft: &TripDraft, id: &str) -> SiteIndex {
    Trip::new(draft.clone()).unwrap().find_site(id).unwrap()
}

/// The field for which a draft is no trip.
fn refused(draft: &TripDraft) -> String {
    let Err(Refused { field, .. }) = Trip::new(draft.clone()) else { panic!("it is a trip") };
    field
}

#[test]
fn refuses_what_cannot_be() {
    let mut bad = trip(car(), 400.0, vec![site(0, 500.0, 150.0)]);
    assert_eq!(refused(&bad), "sites[0].at_km");
    bad.sites = vec![site(0, 100.0, 150.0), site(0, 200.0, 150.0)];
    assert_eq!(refused(&bad), "sites[1].id");
    bad.sites.clear();
    bad.vehicle.charge_curve = Profile::new(vec![(0.0, 100.0), (90.0, 0.0), (100.0, 0.0)]).unwrap();
    assert_eq!(refused(&bad), "vehicle.charge_curve[1].kw");
}

#[test]
fn a_curve_that_ends_at_zero_is_planned_below_full() {
    let mut car = car();
    car.charge_curve = Profile::new(vec![(0.0, 100.0), (80.0, 60.0), (100.0, 0.0)]).unwrap();
    let trip = trip(car, 600.0, vec![site(0, 150.0, 150.0), site(1, 400.0, 150.0)]);
    let planner = solve(&trip).unwrap();
    assert!(planner.best().plan.total.get().is_finite());
    assert!(planner.best().plan.stops.iter().all(|stop| stop.depart.get() < 100.0));
}

#[test]
fn strategies_drive_by_their_rules() {
    let trip = long_trip(car(), 1900.0, 40);
    let planner = solve(&trip).unwrap();
    let best = &planner.best().plan;
    let strategies = planner.strategies();
    for result in &strategies {
        let plan = result.plan.as_ref().unwrap_or_else(|| panic!("{:?} gets there", result.strategy));
        assert!(plan.total.get() >= best.total.get() - 1e-4, "{:?}", result.strategy);
        let but_last = &plan.stops[..plan.stops.len() - 1];
        match result.strategy {
            Strategy::TenTo(_) => {
                assert!(but_last.iter().all(|stop| (stop.depart.get() - 80.0).abs() < 1e-9));
                assert!(plan.stops.iter().all(|stop| stop.arrive.get() >= 10.0 - 1e-6));
            }
            Strategy::JustEnough => assert!(plan.stops[1..].iter().all(|stop| (stop.arrive.get() - 10.0).abs() < 1e-4)),
            Strategy::FillUp => assert!(plan.stops.iter().all(|stop| (stop.depart.get() - 100.0).abs() < 1e-6)),
            Strategy::HalfAndGo(_) => assert!(but_last.iter().all(|stop| stop.depart.get() >= 50.0 - 1e-9)),
            Strategy::PowerFloor(kw) => {
                // By hand: the curve falls from 70 kW at 80 % to 4 kW at 100 %, so to 50 kW at 80 + 20 · 20 / 66 %.
                assert_eq!(kw, 50.0);
                let falls = 80.0 + 20.0 * 20.0 / 66.0;
                let by_power = |stop: &Stop| (stop.depart.get() - falls).abs() < 1e-4;
                let by_need = |next: &Stop| (next.arrive.get() - 10.0).abs() < 1e-4;
                assert!(but_last.iter().any(by_power));
                assert!(plan.stops.windows(2).all(|pair| by_power(&pair[0]) || by_need(&pair[1])));
            }
        }
        assert!((integrate_plan(&trip, plan) - plan.total.get()).abs() < 0.1);
    }
}

#[test]
fn matches_the_shortest_path_of_a_general_library() {
    // petgraph 0.8, Dijkstra on the explicit state graph; it arrives in steps of 0.2 %, so it may only be worse, and
    // hardly.
    let mut mixed = trip(
        boosted_car(),
        620.0,
        vec![site(0, 110.0, 150.0), site(1, 240.0, 50.0), site(2, 330.0, 300.0), site(3, 500.0, 100.0)],
    );
    mixed.sites[2].price.per_min = 0.2;
    for value in [None, Some(15.0)] {
        mixed.goal.value_of_time_per_hour = value;
        let planner = solve(&mixed).unwrap();
        let ours = planner.goal_of(&planner.best().plan);
        let theirs = StateGraph::shortest_path(&mixed, 0.2).unwrap();
        assert!(ours <= theirs + 1e-4 && ours > theirs - 0.05, "{ours} against {theirs}");
    }
}

#[test]
fn worth_of_a_site_is_what_its_absence_costs() {
    let trip = long_trip(car(), 900.0, 12);
    let planner = solve(&trip).unwrap();
    let used: Vec<SiteIndex> = planner.best().plan.stops.iter().map(|stop| stop.site).collect();
    let unused = planner.trip().indexed_sites().map(|(site, _)| site).find(|site| !used.contains(site)).unwrap();
    assert!(planner.worth_of_site(unused).unwrap().get() < 1e-4);
    assert!(used.iter().any(|&site| planner.worth_of_site(site).is_none_or(|worth| worth.get() > 0.5)));
}

/// The goal value of the best plan; infinite where there is none.
fn best_goal(trip: &TripDraft) -> f64 {
    solve(trip).map_or(f64::INFINITY, |planner| planner.goal_of(&planner.best().plan))
}

/// The plan of the better trip is no worse than that of the other, but for what its own proof leaves open; and hardly.
fn assert_no_worse(better: &TripDraft, other: &TripDraft) {
    let Ok(planner) = solve(better) else {
        assert!(solve(other).is_err(), "only the worse trip can be driven");
        return;
    };
    let worse_by = planner.goal_of(&planner.best().plan) - best_goal(other);
    assert!(worse_by <= planner.best().gap.get().min(0.1) + 1e-6, "{worse_by} min worse");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(150))]

    #[test]
    fn plans_replay_and_beat_no_bound(trip in support::any_trip()) {
        match solve(&trip) {
            Ok(planner) => {
                let best = planner.best();
                let minutes = integrate_plan(&trip, &best.plan);
                prop_assert!((minutes - best.plan.total.get()).abs() < 0.1, "{} against {}", minutes, best.plan.total);
                let goal = planner.goal_of(&best.plan);
                // Where a boost is many times the curve, a cell at its end is minutes wide.
                let close = if trip.vehicle.boost.is_some() { 3.0 } else { 0.25 };
                prop_assert!(best.gap.get() < close + 0.002 * goal, "gap {}", best.gap);
                for strategy in planner.strategies() {
                    if let Some(plan) = strategy.plan {
                        prop_assert!(planner.goal_of(&plan) >= goal - best.gap.get() - 1e-6);
                        prop_assert!(planner.goal_of(&plan) >= goal - 1e-3, "{:?} beats it", strategy.strategy);
                    }
                }
            }
            Err(gap) => prop_assert!(gap.short.get() > 0.0),
        }
    }

    #[test]
    fn plans_over_hills_replay(trip in support::any_hilly_trip()) {
        if let Ok(planner) = solve(&trip) {
            let best = planner.best();
            let minutes = integrate_plan(&trip, &best.plan);
            prop_assert!((minutes - best.plan.total.get()).abs() < 0.1, "{} against {}", minutes, best.plan.total);
            for strategy in planner.strategies() {
                if let Some(plan) = strategy.plan {
                    integrate_plan(&trip, &plan);
                    prop_assert!(planner.goal_of(&plan) >= planner.goal_of(&best.plan) - best.gap.get() - 1e-6);
                }
            }
        }
    }

    #[test]
    fn a_fuller_start_never_makes_it_worse(trip in support::any_hilly_trip(), more in 0.0f64..30.0) {
        // With a boost it may: who arrives with more than its highest start does not get it.
        let trip = TripDraft { vehicle: Vehicle { boost: None, ..trip.vehicle.clone() }, ..trip };
        let mut fuller = trip.clone();
        fuller.goal.start = Soc::percent((trip.goal.start.get() + more).min(100.0));
        // A stop where one arrives with more than the ceiling is none, so the ceiling goes up too.
        fuller.goal.ceiling = Soc::percent(100.0);
        prop_assert!(best_goal(&fuller) <= best_goal(&trip) + 0.05);
    }

    #[test]
    fn no_path_on_a_state_graph_beats_the_bound(trip in support::any_trip()) {
        // petgraph 0.8, Dijkstra. It arrives on whole percents only, so it may only be worse.
        let theirs = StateGraph::shortest_path(&trip, 1.0);
        match (solve(&trip), theirs) {
            (Ok(planner), Some(theirs)) => {
                let ours = planner.goal_of(&planner.best().plan);
                prop_assert!(ours - planner.best().gap.get() <= theirs + 1e-6, "{} against {}", ours, theirs);
                prop_assert!(ours <= theirs + 0.02, "{} against {}", ours, theirs);
            }
            (Err(_), Some(theirs)) => prop_assert!(false, "a path of {} was missed", theirs),
            _ => {}
        }
    }

    #[test]
    fn better_means_never_worse(trip in support::any_trip(), more in 0.0f64..3.0) {
        let mut lower_floor = trip.clone();
        lower_floor.goal.floor = Soc::percent((trip.goal.floor.get() - more).max(0.0));
        assert_no_worse(&lower_floor, &trip);
        let mut another = trip.clone();
        another.sites.push(spare_hour_core::trip::Site { id: "extra".into(), ..site(99, 75.0, 150.0) });
        assert_no_worse(&another, &trip);
        let mut plain = trip.clone();
        plain.vehicle.boost = None;
        let mut faster = plain.clone();
        faster.vehicle.charge_curve = trip.vehicle.charge_curve.scaled(1.1);
        faster.sites[0].max_power = Power::kw(trip.sites[0].max_power.get() * 1.5);
        assert_no_worse(&faster, &plain);
        let mut slower = trip.clone();
        slower.sites[0].overhead = Minutes::new(trip.sites[0].overhead.get() + more);
        slower.vehicle.charge_loss_percent += more;
        assert_no_worse(&trip, &slower);
    }
}

#[test]
fn boost_that_ends_where_the_floor_is() {
    let mut car = boosted_car();
    if let Some(boost) = &mut car.boost {
        boost.max_start = Soc::percent(10.0);
    }
    let mut trip = long_trip(car, 800.0, 14);
    trip.goal = goal();
    let planner = solve(&trip).unwrap();
    assert!(planner.best().gap.get() >= 0.0 && planner.best().plan.total.get().is_finite());
    let path = StateGraph::shortest_path(&trip, 1.0).unwrap();
    assert!(planner.goal_of(&planner.best().plan) - planner.best().gap.get() <= path + 1e-6);
}

#[test]
fn the_timeline_of_a_plan_is_whole() {
    let trip = long_trip(car(), 900.0, 14);
    let planner = solve(&trip).unwrap();
    let plan = &planner.best().plan;
    let timeline = TripTimeline::new(planner.trip(), &plan.into());
    assert!((timeline.end() - plan.total.get()).abs() < 1e-6);
    for pair in timeline.spans.windows(2) {
        let (end, start) = (pair[0].points[pair[0].points.len() - 1], pair[1].points[0]);
        assert!((end.0 - start.0).abs() < 1e-6 && (end.1 - start.1).abs() < 1e-6, "{end:?} then {start:?}");
    }
    let (_, arrival) = *timeline.spans.last().unwrap().points.last().unwrap();
    assert!((arrival - plan.arrival.get()).abs() < 1e-6);
    let minutes: Vec<f64> = (0..=90).map(|i| timeline.minute_at(Distance::km(10.0 * f64::from(i)))).collect();
    assert!(minutes.windows(2).all(|pair| pair[0] < pair[1]));
    assert!((minutes[90] - plan.total.get()).abs() < 1e-6 && minutes[0].abs() < 1e-9);
}
