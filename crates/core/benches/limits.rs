//! Growth at the limits of what may be brought: `cargo bench -p spare-hour-core --bench limits`. Figures are kept in
//! docs/performance.md.

use divan::Bencher;
use spare_hour_core::driving::near_track::NearTrack;
use spare_hour_core::driving::track::{Track, TrackPoint};
use spare_hour_core::quantity::{Energy, Minutes, Power, Soc};
use spare_hour_core::session::analysis::Basis;
use spare_hour_core::session::distance_base::DistanceBase;
use spare_hour_core::session::report::Report;
use spare_hour_core::session::{Conditions, Reading, Session};

fn main() {
    divan::main();
}

/// A charge of fifty minutes with so many readings, each with decimals and some noise.
fn session(count: usize) -> Session {
    let mut random = fastrand::Rng::with_seed(5);
    let mut reading = |index: usize| {
        let share = index as f64 / count as f64;
        let soc = 10.0 + 88.9 * share + 0.02 * random.f64();
        let kw = (150.0 - 107.0 * share) * (0.97 + 0.06 * random.f64());
        Reading {
            elapsed: Minutes::new(50.0 * share),
            soc: Some(Soc::percent(soc)),
            power: Some(Power::kw(kw)),
            energy: Some(Energy::kwh(71.5 * share)),
            ..Reading::default()
        }
    };
    Session { readings: (0..count).map(&mut reading).collect(), conditions: Conditions::default() }
}

/// All that is read off a session.
#[divan::bench(args = [10_000, 50_000, 200_000], sample_count = 5)]
fn report(bencher: Bencher, readings: usize) {
    let session = session(readings);
    let basis = Basis { usable: Energy::kwh(74.0), range: None, base: DistanceBase::Rated, loss_percent: Some(8.0) };
    bencher.bench(|| Report::new(&session, basis, None));
}

/// Ten thousand places beside a track of so many points, its index made anew.
#[divan::bench(args = [20_000, 200_000], sample_count = 5)]
fn places_beside_a_track(bencher: Bencher, points: usize) {
    let mut random = fastrand::Rng::with_seed(6);
    let place = |index: usize| {
        let along = index as f64 / points as f64;
        (45.0 + 9.0 * along, 8.0 + 0.5 * (40.0 * along).sin())
    };
    let point = |index: usize| {
        let (latitude, longitude) = place(index);
        TrackPoint { latitude, longitude, height: None, time: None }
    };
    let track = Track::new((0..points).map(point).collect());
    let mut beside = || {
        let (latitude, longitude) = place(random.usize(0..points));
        (latitude + 0.2 * random.f64(), longitude + 0.2 * random.f64())
    };
    let places: Vec<(f64, f64)> = (0..10_000).map(|_| beside()).collect();
    bencher.bench(|| {
        let near = track.as_ref().map(NearTrack::new)?;
        Some(places.iter().map(|&(latitude, longitude)| near.beside(latitude, longitude).off.get()).sum::<f64>())
    });
}
