//! A trip by its clock over the number of sites and of tariffs, its best plan and its whole trade: `cargo bench -p
//! spare-hour-planning`. Figures are kept in docs/performance.md.

use std::sync::Arc;

use divan::Bencher;
use serde_json::{Value, json};
use spare_hour_core::charging::stall::Stall;
use spare_hour_core::quantity::{Distance, Soc};
use spare_hour_core::trip::Trip;
use spare_hour_formats::{TripOfFile, read_trip_with_wishes};
use spare_hour_planner::StopSign;
use spare_hour_planning::clock::Here;
use spare_hour_planning::trade_trip::TradedTrip;

fn main() {
    divan::main();
}

const KM_BETWEEN: f64 = 34.0;

/// Sites and tariffs.
const TRIPS: [(usize, usize); 6] = [(10, 5), (20, 1), (20, 5), (20, 10), (40, 1), (40, 5)];

#[divan::bench(args = TRIPS, sample_count = 10)]
fn best_plan(bencher: Bencher, (sites, tariffs): (usize, usize)) {
    let (file, here) = (trip(sites, tariffs), Here::of_this_machine());
    bencher.bench_local(|| {
        TradedTrip::of_file(&file, &here, false, &StopSign::default()).map(|traded| traded.trade.plans.len())
    });
}

#[divan::bench(args = TRIPS, sample_count = 3, sample_size = 1)]
fn whole_trade(bencher: Bencher, (sites, tariffs): (usize, usize)) {
    let (file, here) = (trip(sites, tariffs), Here::of_this_machine());
    bencher.bench_local(|| {
        TradedTrip::of_file(&file, &here, true, &StopSign::default()).map(|traded| traded.trade.plans.len())
    });
}

/// The best plan at a value of an hour on the explicit graph of (site, SoC, minute), by the shortest path of a general library: SoC on
/// leaving in steps of five points, minutes rounded up. It knows neither waits nor what is between its steps.
#[divan::bench(args = [10, 20], sample_count = 1, sample_size = 1)]
fn best_plan_by_a_general_solver(bencher: Bencher, sites: usize) {
    let graph = Graph::new(&trip(sites, 5).trip);
    bencher.bench_local(|| graph.shortest_path());
}

/// Minutes that a unit of money is worth.
const WORTH: f64 = 3.0;
/// Points of SoC between departures.
const STEP: u32 = 5;
/// Cost is counted in thousandths of a minute.
const THOUSAND: f64 = 1_000.0;
/// Minutes from midnight to the departure of the invented trip.
const LEAVES: u32 = 14 * 60 + 30;

/// Site left, SoC in points, minute of the trip; the first number is one more than the site's, 0 at the start.
type State = (usize, u32, u32);

struct Graph {
    trip: Arc<Trip>,
    stalls: Vec<Stall>,
}

impl Graph {
    fn new(trip: &Trip) -> Self {
        let stalls = trip.sites.iter().map(|site| Stall::new(&trip.vehicle, site)).collect();
        Self { trip: Arc::new(trip.clone()), stalls }
    }

    fn shortest_path(&self) -> Option<u64> {
        let start = (0, self.trip.goal.start.get() as u32, 0);
        let end = self.trip.sites.len() + 1;
        let path = pathfinding::directed::dijkstra::dijkstra(&start, |&at| self.onward(at), |at| at.0 == end);
        path.map(|path| path.1)
    }

    /// Drives on, with what is charged at their end.
    fn onward(&self, (from, soc, minute): State) -> Vec<(State, u64)> {
        let (trip, count) = (&self.trip, self.trip.sites.len());
        let place = |at: usize| if at == 0 { Distance::km(0.0) } else { trip.sites[at - 1].at };
        let mut all = Vec::new();
        for next in from + 1..=count + 1 {
            let to = if next > count { trip.route.length() } else { place(next) };
            let drive = trip.route.between(place(from), to);
            let arrive = f64::from(soc) - 100.0 * drive.net.get() / trip.vehicle.usable.get();
            let least = if next > count { trip.goal.arrival } else { trip.goal.floor };
            if arrive < least.get() {
                break;
            }
            let reached = minute + drive.time.get().ceil() as u32;
            if next > count {
                all.push(((next, 0, reached), (f64::from(reached - minute) * THOUSAND) as u64));
            } else {
                self.charges(next, arrive.floor() as u32, (minute, reached), &mut all);
            }
        }
        all
    }

    fn charges(&self, at: usize, arrive: u32, (left, reached): (u32, u32), all: &mut Vec<(State, u64)>) {
        let (site, stall) = (&self.trip.sites[at - 1], &self.stalls[at - 1]);
        let begins = reached + site.overhead.get().ceil() as u32;
        let hour = (LEAVES + begins) / 60 % 24;
        // A third of the sites is closed at night; prices by the hour at which a charge begins.
        if (at - 1).is_multiple_of(3) && !(6..22).contains(&hour) {
            return;
        }
        let price = if (7..21).contains(&hour) { 0.5 } else { 0.35 };
        for soc in (arrive / STEP + 1..=100 / STEP).map(|step| STEP * step) {
            let minutes = stall.minutes(Soc::percent(f64::from(arrive)), Soc::percent(f64::from(soc))).get();
            let until = (f64::from(begins) + minutes).ceil() as u32;
            let money = price * f64::from(soc - arrive) / 100.0 * self.trip.vehicle.usable.get();
            let cost = (f64::from(until - left) + WORTH * money) * THOUSAND;
            all.push(((at, soc, until), cost as u64));
        }
    }
}

/// An invented trip: a site each 34 km, a third of them closed at night, prices by the hour of so many tariffs.
fn trip(sites: usize, tariffs: usize) -> TripOfFile {
    let mut random = fastrand::Rng::with_seed(7);
    let all: Vec<Value> = (0..sites).map(|index| site(index, tariffs, &mut random)).collect();
    let file = json!({
        "format": "spare-hour/trip", "version": 2, "departure": "2026-12-18T14:30", "time_zone": "Europe/Lisbon",
        "tariffs": (0..tariffs).map(tariff).collect::<Vec<_>>(),
        "vehicle": {"usable_kwh": 74, "charge_loss_percent": 7, "charge_curve": [
            {"soc": 0, "kw": 90}, {"soc": 10, "kw": 180}, {"soc": 50, "kw": 130}, {"soc": 80, "kw": 60}, {"soc": 100, "kw": 5}
        ]},
        "route": {"segments": [{"km": KM_BETWEEN * (sites + 1) as f64, "kmh": 115, "kwh_per_100km": 21}]},
        "sites": all,
        "goal": {"start_soc": 90, "min_soc": 10, "arrival_soc": 15, "max_soc": 100},
    });
    read_trip_with_wishes(file.to_string().as_bytes()).expect("the invented trip reads")
}

fn site(index: usize, tariffs: usize, random: &mut fastrand::Rng) -> Value {
    let hours = if index.is_multiple_of(3) { "Mo-Su 06:00-22:00" } else { "24/7" };
    let power = [50, 150, 300][random.usize(0..3)];
    json!({
        "id": format!("s{index}"), "at_km": KM_BETWEEN * (index + 1) as f64, "overhead_min": random.u32(3..9),
        "max_kw": power, "tariff": format!("t{}", random.usize(0..tariffs)),
        "opening_hours": hours,
    })
}

/// A tariff with a night price; each is a little dearer than the one before.
fn tariff(index: usize) -> Value {
    let energy = |price: f64| json!([{"type": "ENERGY", "price": price, "step_size": 1}]);
    let (day, night) = (0.5 + 0.04 * index as f64, 0.35 + 0.03 * index as f64);
    json!({"country_code": "XX", "party_id": "INV", "id": format!("t{index}"), "currency": "EUR",
        "last_updated": "2026-01-01T00:00:00Z", "elements": [
        {"price_components": energy(night), "restrictions": {"start_time": "21:00", "end_time": "07:00"}},
        {"price_components": energy(day)},
    ]})
}
