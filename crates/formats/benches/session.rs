//! Reading and analysing sessions: `cargo bench -p spare-hour-formats`. Figures are kept in docs/performance.md.

use divan::Bencher;
use spare_hour_core::quantity::Energy;
use spare_hour_core::session::analysis::Basis;
use spare_hour_core::session::distance_base::DistanceBase;
use spare_hour_core::session::report::Report;
use spare_hour_formats::{analysis_json, read_session_csv};

fn main() {
    divan::main();
}

/// A charge from 5 to 95 % with a reading a second or so, whole percents and whole kW.
fn csv(readings: usize) -> String {
    let mut text = String::from("elapsed,soc,power_kw,energy_kwh\n");
    for i in 0..readings {
        let share = i as f64 / readings as f64;
        let soc = 5.0 + 90.0 * (1.0 - (1.0 - share).powi(2));
        text.push_str(&format!("{i},{:.0},{:.0},{:.1}\n", soc.floor(), 180.0 - 1.7 * soc, 0.8 * (soc - 5.0)));
    }
    text
}

#[divan::bench(args = [100, 10_000, 200_000])]
fn read_csv(bencher: Bencher, readings: usize) {
    let text = csv(readings);
    bencher.bench(|| read_session_csv(text.as_bytes()).map(|session| session.readings.len()));
}

#[divan::bench(args = [100, 10_000, 200_000])]
fn analyse(bencher: Bencher, readings: usize) {
    let Ok(session) = read_session_csv(csv(readings).as_bytes()) else { return };
    let basis = Basis { usable: Energy::kwh(72.0), range: None, base: DistanceBase::Rated, loss_percent: None };
    bencher.bench(|| Report::new(&session, basis, None).map(|report| analysis_json(&session, &report).len()));
}
