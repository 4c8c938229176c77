//! How sure a curve is: a band around it, and how well each part of it is supported by readings.
//!
//! The band is a bootstrap: the first readings of each SoC are drawn anew with replacement (those at either end always
//! stay), each is moved by what its displays may hide (SoC by as much as the timeline is unsure of it, power by half a
//! step either way), and the curve is fitted again. At each whole percent the band holds nine of ten such curves. Efron 1979, Annals of Statistics 7 (1); percentile intervals.
//! The draws come from a fixed seed, so that the same session always shows the same band.

use fastrand::Rng;

use crate::charging::curve_fit::{FittedCurve, stretch_width};
use crate::quantity::{Energy, Power, Soc};
use crate::session::soc_timeline::{Moment, SocTimeline};

/// Curves drawn.
const DRAWS: usize = 120;
/// Readings that are drawn from at most; of more, every so many-th.
const MOST_DRAWN_FROM: usize = 250;
/// Share of the curves that may lie outside the band, on either side.
const OUTSIDE: f64 = 0.05;
/// Width of a part whose support is told, points.
const PART: f64 = 10.0;

/// The band at one SoC.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct BandPoint {
    /// Where.
    pub soc: Soc,
    /// One of twenty curves lies below.
    pub low: Power,
    /// One of twenty curves lies above.
    pub high: Power,
}

/// How well a part of the curve is supported.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Support {
    /// Where the part begins.
    pub from: Soc,
    /// Where it ends.
    pub to: Soc,
    /// First readings of a SoC in it.
    pub readings: usize,
    /// The farthest that a point of it lies from such a reading.
    pub farthest: Soc,
}

/// The band around the curve of a session, at each whole percent that was measured.
pub fn curve_band(timeline: &SocTimeline, usable: Energy) -> Vec<BandPoint> {
    let kw_step = power_resolution(timeline);
    let (drawable, width) = (drawable(timeline), stretch_width(timeline));
    let mut rng = Rng::with_seed(74);
    let drawn = (0..DRAWS).map(|_| {
        let drawn = timeline.drawn(draw(&drawable, timeline, kw_step, &mut rng));
        FittedCurve::of_stretches(&drawn, usable, width)
    });
    let curves: Vec<FittedCurve> = drawn.collect();
    let (from, to) = (timeline.start_soc().get().ceil() as u32, timeline.end_soc().get().floor() as u32);
    (from..=to).filter_map(|percent| band_at(&curves, f64::from(percent))).collect()
}

/// The first readings of each SoC, no more of them than are drawn from.
fn drawable(timeline: &SocTimeline) -> Vec<Moment> {
    let anchors: Vec<Moment> = timeline.anchors().copied().collect();
    let every = anchors.len().div_ceil(MOST_DRAWN_FROM).max(1);
    let last = anchors.len() - 1;
    anchors
        .into_iter()
        .enumerate()
        .filter(|(place, _)| place % every == 0 || *place == last)
        .map(|(_, at)| at)
        .collect()
}

/// The step in which power was shown: 1 kW where only whole ones are, else 0.1 kW.
fn power_resolution(timeline: &SocTimeline) -> f64 {
    let whole = timeline.moments().iter().filter_map(|moment| moment.kw).all(|kw| kw.fract() == 0.0);
    if whole { 1.0 } else { 0.1 }
}

/// The readings drawn anew and moved by what their displays may hide; SoC goes on rising.
fn draw(drawable: &[Moment], timeline: &SocTimeline, kw_step: f64, rng: &mut Rng) -> Vec<Moment> {
    let last = drawable.len() - 1;
    let mut picked: Vec<usize> = (1..last).map(|_| rng.usize(1..last)).collect();
    picked.extend([0, last]);
    picked.sort_unstable();
    picked.dedup();
    let unsure = timeline.points_unsure();
    let mut highest = f64::NEG_INFINITY;
    let mut moments = Vec::with_capacity(picked.len());
    for index in picked {
        let at = drawable[index];
        // Uniform, of the same standard deviation.
        let soc = at.soc + (rng.f64() - 0.5) * 12.0_f64.sqrt() * unsure;
        let kw = at.kw.map(|kw| (kw + (rng.f64() - 0.5) * kw_step).max(0.0));
        if soc.min(100.0) > highest + 1e-6 {
            highest = soc.min(100.0);
            moments.push(Moment { soc: highest, kw, ..at });
        }
    }
    moments
}

fn band_at(curves: &[FittedCurve], soc: f64) -> Option<BandPoint> {
    let mut powers: Vec<f64> = curves.iter().map(|curve| curve.power.at(soc)).collect();
    powers.sort_by(f64::total_cmp);
    let outside = (OUTSIDE * powers.len() as f64) as usize;
    let (low, high) = (powers.get(outside)?, powers.get(powers.len() - 1 - outside)?);
    Some(BandPoint { soc: Soc::percent(soc), low: Power::kw(*low), high: Power::kw(*high) })
}

/// How well each ten points of a session are supported.
pub fn support(timeline: &SocTimeline) -> Vec<Support> {
    let anchors: Vec<f64> = timeline.anchors().map(|moment| moment.soc).collect();
    let (start, end) = (timeline.start_soc().get(), timeline.end_soc().get());
    let mut edges = vec![start];
    edges.extend((1..10).map(|ten| PART * f64::from(ten)).filter(|&edge| edge > start && edge < end));
    edges.push(end);
    edges.windows(2).map(|edge| support_of(&anchors, edge[0], edge[1])).collect()
}

/// Of first readings, which rise.
fn support_of(anchors: &[f64], from: f64, to: f64) -> Support {
    let below = |soc: f64| anchors.partition_point(|&anchor| anchor < soc);
    let readings = anchors.partition_point(|&anchor| anchor <= to) - below(from);
    let distance = |soc: f64| {
        let next = below(soc);
        let near = [next.checked_sub(1).and_then(|before| anchors.get(before)), anchors.get(next)];
        near.into_iter().flatten().map(|anchor| (anchor - soc).abs()).fold(f64::INFINITY, f64::min)
    };
    let middles = anchors.windows(2).map(|pair| f64::midpoint(pair[0], pair[1]));
    let places = middles.filter(|&soc| soc > from && soc < to).chain([from, to]);
    let farthest = places.map(distance).fold(0.0, f64::max);
    Support { from: Soc::percent(from), to: Soc::percent(to), readings, farthest: Soc::percent(farthest) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::charging::charging_time::ChargingTime;
    use crate::charging::profile::Profile;
    use crate::quantity::Minutes;
    use crate::session::{Reading, Session};

    fn curve() -> Profile {
        Profile::new(vec![(0.0, 150.0), (40.0, 130.0), (80.0, 60.0), (100.0, 10.0)]).unwrap()
    }

    /// Whole percents and whole kW every so many seconds.
    fn shown(every_s: f64) -> Session {
        let (curve, usable) = (curve(), Energy::kwh(70.0));
        let time = ChargingTime::new(&curve, usable);
        let reading = |second: f64| {
            let soc = time.soc_after(Soc::percent(10.0), Minutes::seconds(second));
            Reading {
                elapsed: Minutes::seconds(second),
                soc: Some(Soc::percent(soc.get().floor())),
                power: Some(Power::kw((curve.at(soc.get()) / 0.92).round())),
                ..Reading::default()
            }
        };
        let end = time.minutes(Soc::percent(10.0), Soc::percent(85.0)).get() * 60.0;
        let count = (end / every_s) as usize;
        Session { readings: (0..=count).map(|i| reading(i as f64 * every_s)).collect(), ..Session::default() }
    }

    #[test]
    fn the_band_holds_the_truth_and_narrows_with_readings() {
        let band = |session: &Session| curve_band(&SocTimeline::new(session).unwrap(), Energy::kwh(70.0));
        let width = |band: &[BandPoint]| {
            band.iter().map(|point| (point.high - point.low).get()).sum::<f64>() / band.len() as f64
        };
        let (sparse, dense) = (band(&shown(150.0)), band(&shown(10.0)));
        let held = dense.iter().filter(|point| {
            let truth = curve().at(point.soc.get());
            truth >= 0.97 * point.low.get() && truth <= 1.03 * point.high.get()
        });
        assert!(held.count() * 10 >= dense.len() * 9, "{dense:?}");
        assert!(width(&dense) < width(&sparse) && width(&dense) > 0.5, "{} {}", width(&dense), width(&sparse));
        assert_eq!(band(&shown(10.0)), dense);
    }

    #[test]
    fn support_counts_readings_and_the_farthest_point() {
        let reading = |&(minute, soc): &(f64, f64)| Reading {
            elapsed: Minutes::new(minute),
            soc: Some(Soc::percent(soc)),
            ..Reading::default()
        };
        let rows = [(0.0, 8.0), (1.0, 12.0), (2.0, 14.0), (5.0, 25.0)];
        let session = Session { readings: rows.iter().map(reading).collect(), ..Session::default() };
        let parts = support(&SocTimeline::new(&session).unwrap());
        let told: Vec<(f64, f64, usize, f64)> =
            parts.iter().map(|part| (part.from.get(), part.to.get(), part.readings, part.farthest.get())).collect();
        assert_eq!(told, [(8.0, 10.0, 1, 2.0), (10.0, 20.0, 2, 5.5), (20.0, 25.0, 1, 5.0)]);
    }
}
