//! SoC between the whole percents of a display, for a logger that reads by time.
//!
//! A logger finds each new percent up to one reading late. Energy goes with SoC almost evenly, so the energy at which each
//! percent was crossed is put on a straight line through its neighbours' (least squares, the nearer the heavier, tricube
//! weights as in Cleveland 1979, J. Am. Stat. Assoc. 74), but never outside the two readings that it happened between.
//! Between crossings SoC goes with energy. What was shown at the first and last reading stays.

use crate::session::soc_timeline::Moment;

/// Crossings on either side that a crossing is compared with.
const NEIGHBOURS: usize = 8;
/// Fewest crossings that make a line.
const FEWEST: usize = 5;

/// A new percent and the energies, power times time, that it happened between.
#[derive(Clone, Copy)]
struct Crossing {
    soc: f64,
    after: f64,
    before: f64,
}

/// Whether the moments are a logger's: whole percents, power with every one, and many a percent read more than once, as
/// somebody who waits for the next one would not.
pub(crate) fn is_logged(moments: &[Moment], resolution: f64) -> bool {
    let points = moments[moments.len() - 1].soc - moments[0].soc;
    let anchors = moments.iter().filter(|moment| moment.anchor).count();
    resolution == 1.0
        && moments.len() as f64 > points
        && anchors > FEWEST
        && moments.len() * 3 >= anchors * 4
        && moments.iter().all(|moment| moment.kw.is_some())
}

/// Gives each moment the SoC that it most likely had.
pub(crate) fn refine(moments: &mut [Moment]) {
    let energy = energies(moments);
    let crossings: Vec<Crossing> = (1..moments.len())
        .filter(|&index| moments[index].anchor)
        .map(|index| Crossing { soc: moments[index].soc, after: energy[index - 1], before: energy[index] })
        .collect();
    let (first, last) = (moments[0].soc, moments[moments.len() - 1].soc);
    let mut knots = vec![(energy[0], first)];
    for index in 0..crossings.len() {
        let least = knots[knots.len() - 1].0;
        knots.push((crossing_energy(&crossings, index).max(least), crossings[index].soc));
    }
    for (moment, &energy) in moments.iter_mut().zip(&energy).skip(1) {
        moment.soc = soc_at(&knots, energy).clamp(moment.soc, (moment.soc + 1.0).min(last));
    }
}

/// Power times time since the first moment, by trapezoids.
fn energies(moments: &[Moment]) -> Vec<f64> {
    let mut energies = vec![0.0];
    for pair in moments.windows(2) {
        let power = f64::midpoint(pair[0].kw.unwrap_or_default(), pair[1].kw.unwrap_or_default());
        energies.push(energies[energies.len() - 1] + power * (pair[1].minute - pair[0].minute));
    }
    energies
}

/// The energy at a crossing: that of the line through its neighbours, within its own readings.
fn crossing_energy(crossings: &[Crossing], index: usize) -> f64 {
    let near = &crossings[index.saturating_sub(NEIGHBOURS)..(index + NEIGHBOURS + 1).min(crossings.len())];
    let at = crossings[index];
    let reach = near.iter().map(|near| (near.soc - at.soc).abs()).fold(1.0, f64::max) * 1.1;
    let (mut w, mut wx, mut wy, mut wxx, mut wxy) = (0.0, 0.0, 0.0, 0.0, 0.0);
    for near in near {
        let (x, y) = (near.soc - at.soc, f64::midpoint(near.after, near.before));
        let weight = (1.0 - (x.abs() / reach).powi(3)).powi(3);
        w += weight;
        wx += weight * x;
        wy += weight * y;
        wxx += weight * x * x;
        wxy += weight * x * y;
    }
    let spread = w * wxx - wx * wx;
    let on_line = if spread > 1e-9 { (wy * wxx - wx * wxy) / spread } else { f64::midpoint(at.after, at.before) };
    on_line.clamp(at.after, at.before)
}

/// SoC at an energy; the last one beyond the last knot.
fn soc_at(knots: &[(f64, f64)], energy: f64) -> f64 {
    let after = knots.partition_point(|knot| knot.0 <= energy);
    let (Some(&before), Some(&next)) = (after.checked_sub(1).and_then(|index| knots.get(index)), knots.get(after))
    else {
        return knots[knots.len() - 1].1;
    };
    before.1 + (next.1 - before.1) * (energy - before.0) / (next.0 - before.0)
}

#[cfg(test)]
mod tests {
    use crate::charging::charging_time::ChargingTime;
    use crate::charging::profile::Profile;
    use crate::quantity::{Energy, Minutes, Power, Soc};
    use crate::session::soc_timeline::SocTimeline;
    use crate::session::{Reading, Session};

    #[test]
    fn crossings_between_readings_are_found() {
        // What a logger shows every 20 s of a battery that takes 140 kW falling to 50: whole percents, whole kW.
        let curve = Profile::new(vec![(0.0, 140.0), (50.0, 110.0), (50.0, 90.0), (100.0, 50.0)]).unwrap();
        let time = ChargingTime::new(&curve, Energy::kwh(70.0));
        let reading = |index: u32| {
            let elapsed = Minutes::seconds(20.0 * f64::from(index));
            let soc = time.soc_after(Soc::percent(10.3), elapsed).get();
            Reading {
                elapsed,
                soc: Soc::percent(soc.floor()),
                power: Some(Power::kw((1.08 * curve.at(soc)).round())),
                ..Reading::default()
            }
        };
        let session = Session { readings: (0..115).map(reading).collect(), ..Session::default() };
        let timeline = SocTimeline::new(&session).unwrap();
        let mut late = 0.0_f64;
        for soc in (12..=80).map(f64::from) {
            let truth = time.minutes(Soc::percent(10.3), Soc::percent(soc)).get();
            let found = timeline.minute_at(Soc::percent(soc)).unwrap().get();
            let first = session.readings.iter().find(|reading| reading.soc.get() >= soc).unwrap().elapsed.get();
            late = late.max(first - truth);
            assert!((found - truth).abs() * 60.0 < 7.0, "{soc} %: {found} for {truth}");
        }
        assert!(late * 60.0 > 15.0, "the first readings themselves are up to {late} min late");
        assert_eq!(timeline.start_soc(), Soc::percent(10.0));
        assert_eq!(timeline.end_soc(), session.readings[114].soc);
    }
}
