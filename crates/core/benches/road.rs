//! The speed of what a replan of a road takes beside the planner: `cargo bench -p spare-hour-core`. Figures are kept in
//! docs/performance.md.

use divan::Bencher;
use spare_hour_core::driving::consumption_fit::{Body, ConsumptionFit};
use spare_hour_core::driving::drive::{Drive, Used};
use spare_hour_core::driving::road::{Heading, Road, RoadConditions, Stretch};
use spare_hour_core::driving::track::{Track, TrackPoint};
use spare_hour_core::driving::track_stretches::track_stretches;
use spare_hour_core::quantity::{Distance, Energy, Height, Mass, Minutes, Temperature};

fn main() {
    divan::main();
}

const USABLE: Energy = Energy::kwh(60.0);
const BODY: Body = Body { mass: Mass::kg(1_920.0), drag_area: 0.62 };

/// Invented drives of all lengths and speeds, in all weathers.
fn drives(count: usize) -> Vec<Drive> {
    let mut random = fastrand::Rng::with_seed(7);
    let mut drive = || {
        let (km, kmh) = (10.0 + 200.0 * random.f64(), 30.0 + 95.0 * random.f64());
        let energy = Energy::kwh(km * (0.08 + kmh * kmh / 120_000.0) * (0.95 + 0.1 * random.f64()));
        let outside = Some(Temperature::celsius(-10.0 + 40.0 * random.f64()));
        Drive { outside, ..Drive::new(Distance::km(km), Minutes::new(60.0 * km / kmh), Used::Energy(energy)) }
    };
    (0..count).map(|_| drive()).collect()
}

#[divan::bench(args = [700, 10_000])]
fn fit_drives(bencher: Bencher, count: usize) {
    let drives = drives(count);
    bencher.bench(|| ConsumptionFit::new(&drives, USABLE, BODY));
}

#[divan::bench(args = [200, 20_000])]
fn drive_stretches(bencher: Bencher, count: usize) {
    let fit = ConsumptionFit::new(&[], USABLE, BODY);
    let heading = Some(Heading { toward: 40.0, straight: 0.8 });
    let stretch = Stretch { climb: Height::metres(30.0), heading, ..Stretch::level(Distance::km(2.0)) };
    let road = Road { stretches: vec![stretch; count], conditions: RoadConditions::default() };
    bencher.bench(|| road.route(&fit, &road.conditions));
}

#[divan::bench(args = [10_000, 200_000])]
fn read_the_ground_off_a_track(bencher: Bencher, points: usize) {
    let point = |index: usize| TrackPoint {
        latitude: 46.0 + index as f64 * 1e-4,
        longitude: 8.0,
        height: Some(Height::metres(800.0 + 300.0 * (index as f64 / 900.0).sin())),
        time: Some(Minutes::new(index as f64 * 0.008)),
    };
    let points: Vec<TrackPoint> = (0..points).map(point).collect();
    bencher.bench(|| Track::new(points.clone()).map(|track| track_stretches(&track)));
}
