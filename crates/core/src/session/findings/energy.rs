//! Energies against each other: the counter against power over time, against what SoC says was stored, and against SoC's
//! own delay.

use super::{Evidence, Fact, Finding};
use crate::quantity::{Energy, Minutes, SocSpan};
use crate::session::Meter;
use crate::session::progress::counter_stops_at;

/// A difference between counter and power over time that is odd, %.
const OFF: f64 = 5.0;
/// The largest loss that is plausible, % of the plug's energy.
const MOST_LOSS: f64 = 20.0;
/// A delay of the shown SoC that is worth a word, points. Less hides in the display's whole percents.
const LAG: f64 = 0.9;
/// The part of a session in which the delay is looked for, points from its start: later the loss changes too much.
const LAG_PART: f64 = 15.0;

pub(super) fn findings(evidence: &Evidence) -> Vec<Finding> {
    [against_power(evidence), against_soc(evidence), lag(evidence), stopped_counter(evidence)]
        .into_iter()
        .flatten()
        .collect()
}

/// The meter's counter against its power over time.
fn against_power(evidence: &Evidence) -> Option<Finding> {
    let shown =
        |(_, reading): (usize, &crate::session::Reading)| Some((reading.elapsed, reading.power?, reading.energy?));
    let mut both: Vec<_> = evidence.session.counted().filter_map(shown).collect();
    both.dedup_by(|next, before| next.0 <= before.0);
    let kept = &evidence.analysis.timeline.kept().kept;
    if let Some(stopped) = counter_stops_at(kept) {
        both.retain(|shown| shown.0.get() <= kept[stopped].minute);
    }
    let (first, last) = (both.first()?, both.last()?);
    let widest = both.windows(2).map(|pair| (pair[1].0 - pair[0].0).get()).fold(0.0, f64::max);
    let integrated: f64 =
        both.windows(2).map(|pair| (pair[0].1 + pair[1].1).get() / 2.0 * (pair[1].0 - pair[0].0).get() / 60.0).sum();
    let counted = (last.2 - first.2).get();
    let off = 100.0 * (integrated / counted - 1.0);
    // Trapezoids over long steps say little about a counter.
    if counted < 2.0 || widest > 3.0 || off.abs() < OFF {
        return None;
    }
    let (integrated, counted) = (Energy::kwh(integrated), Energy::kwh(counted));
    Some(Finding::new(Fact::EnergyAgainstPower { integrated, counted }))
}

/// A counter that stands still while SoC rises to the end.
fn stopped_counter(evidence: &Evidence) -> Option<Finding> {
    let kept = &evidence.analysis.timeline.kept().kept;
    let stopped = &kept[counter_stops_at(kept)?];
    let (at, counted) = (Minutes::new(stopped.minute), Energy::kwh(stopped.kwh?));
    Some(Finding::new(Fact::CounterStopped { at, counted }).at(at))
}

/// The station's energy against what SoC says was stored.
fn against_soc(evidence: &Evidence) -> Option<Finding> {
    let analysis = evidence.analysis;
    let (plug, loss) = (analysis.plug?, analysis.loss_percent?);
    let gained = analysis.timeline.end_soc() - analysis.timeline.start_soc();
    // The half percents that the display hides at either end may be this many points of the loss.
    let hidden = 100.0 / gained.get().max(1.0);
    let plausible = loss > -hidden && loss < MOST_LOSS + hidden;
    if evidence.session.conditions.meter != Meter::Station || evidence.is_ac() || plausible {
        return None;
    }
    Some(Finding::new(Fact::EnergyAgainstSoc { plug, gained, stored: analysis.stored, loss_percent: loss }))
}

/// How far the shown SoC runs behind the energy counter: its line through the first points, carried back to the start,
/// against the SoC shown there.
fn lag(evidence: &Evidence) -> Option<Finding> {
    let start = evidence.analysis.timeline.start_soc().get();
    let anchors = evidence.analysis.timeline.anchors().skip(1);
    let early: Vec<(f64, f64)> = anchors
        .take_while(|moment| moment.soc <= start + LAG_PART)
        .filter_map(|moment| Some((moment.kwh?, moment.soc)))
        .collect();
    let first = evidence.analysis.timeline.moments().first()?;
    let started = first.kwh.or((first.minute <= 0.0).then_some(0.0))?;
    if early.len() < 5 {
        return None;
    }
    let (slope, at_zero) = line_through(&early)?;
    let lag = start - (at_zero + slope * started);
    if lag < LAG || slope <= 0.0 {
        return None;
    }
    Some(Finding::new(Fact::SocLags { behind: SocSpan::points(lag) }).at(Minutes::new(first.minute)))
}

/// Slope and value at 0 of the least-squares line through points.
fn line_through(points: &[(f64, f64)]) -> Option<(f64, f64)> {
    let count = points.len() as f64;
    let mean = |pick: fn(&(f64, f64)) -> f64| points.iter().map(pick).sum::<f64>() / count;
    let (x, y) = (mean(|point| point.0), mean(|point| point.1));
    let spread: f64 = points.iter().map(|point| (point.0 - x).powi(2)).sum();
    let slope = points.iter().map(|point| (point.0 - x) * (point.1 - y)).sum::<f64>() / spread;
    (spread > 0.0).then_some((slope, y - slope * x))
}
