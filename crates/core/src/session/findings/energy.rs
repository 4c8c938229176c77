//! Energies against each other: the counter against power over time, against what SoC says was stored, and against SoC's
//! own delay.

use super::{Evidence, Fact, Finding};
use crate::quantity::{Energy, Minutes, Power, Soc, SocSpan};
use crate::session::Meter;
use crate::session::kept_readings::Kept;
use crate::session::progress::counter_stops_at;

/// A difference between counter and power over time that is odd, %.
const OFF: f64 = 5.0;
/// Losses of a whole charge that are plausible, % of the plug's energy.
const USUAL_LOSS: (f64, f64) = (1.0, 15.0);
/// Losses of a part of a charge that are plausible: its ends are less sure.
const LOSS_OF_A_PART: (f64, f64) = (1.0, 22.0);
/// Width of a part, points.
const PART: f64 = 20.0;
/// A counter that is so far behind is late, minutes.
const LATE: f64 = 0.3;
/// Energy from which on a late counter's line is looked at, kWh.
const LEAST_COUNTED: f64 = 1.0;
/// A delay of the shown SoC that is worth a word, points. Less hides in the display's whole percents.
const LAG: f64 = 0.9;
/// The part of a session in which the delay is looked for, points from its start: later the loss changes too much.
const LAG_PART: f64 = 15.0;

pub(super) fn findings(evidence: &Evidence) -> Vec<Finding> {
    [against_power(evidence), against_soc(evidence), lag(evidence), stopped_counter(evidence), late_counter(evidence)]
        .into_iter()
        .flatten()
        .collect()
}

/// The meter's counter against its power over time.
fn against_power(evidence: &Evidence) -> Option<Finding> {
    let kept = &evidence.analysis.timeline.kept().kept;
    let until = counter_stops_at(kept).map_or(kept.len(), |stopped| stopped + 1);
    let shown = |kept: &Kept| Some((Minutes::new(kept.minute), Power::kw(kept.kw?), Energy::kwh(kept.kwh?)));
    let mut both: Vec<_> = kept[..until].iter().filter_map(shown).collect();
    both.dedup_by(|next, before| next.0 <= before.0);
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

/// The station's energy against what SoC says was stored: of the whole charge, else of a part of it.
fn against_soc(evidence: &Evidence) -> Option<Finding> {
    let (analysis, timeline) = (evidence.analysis, &evidence.analysis.timeline);
    if evidence.session.conditions.meter != Meter::Station || evidence.is_ac() || analysis.loss_assumed() {
        return None;
    }
    let (start, end) = (timeline.start_soc(), timeline.end_soc());
    let whole = Balance { plug: analysis.plug?, gained: end - start, stored: analysis.stored };
    if let Some(fact) = whole.implausible(USUAL_LOSS) {
        return Some(Finding::new(fact));
    }
    let parts = (end - start).get() / PART;
    let edges = (0..=parts as u32).map(|part| start + (end - start) * (f64::from(part) / parts.floor()));
    let edges: Vec<Soc> = edges.collect();
    edges.windows(2).find_map(|edge| {
        let window = analysis.window(edge[0], edge[1])?;
        let stored = analysis.basis().usable * ((edge[1] - edge[0]).get() / 100.0);
        let part = Balance { plug: window.plug?, gained: edge[1] - edge[0], stored };
        Some(Finding::new(part.implausible(LOSS_OF_A_PART)?).over(edge[0].get(), edge[1].get()))
    })
}

/// What left the plug against what was stored.
struct Balance {
    plug: Energy,
    gained: SocSpan,
    stored: Energy,
}

impl Balance {
    /// The fact that the loss is not plausible, with what the display hides at either end left to it.
    fn implausible(&self, plausible: (f64, f64)) -> Option<Fact> {
        let loss = 100.0 * (1.0 - self.stored / self.plug);
        let hidden = 100.0 / self.gained.get().max(1.0);
        let stands = loss > plausible.0 - hidden && loss < plausible.1 + hidden;
        let Self { plug, gained, stored } = *self;
        (!stands).then_some(Fact::EnergyAgainstSoc { plug, gained, stored, loss_percent: loss })
    }
}

/// A counter that runs behind the power: its line over power times time, carried back to nought.
fn late_counter(evidence: &Evidence) -> Option<Finding> {
    let kept = &evidence.analysis.timeline.kept().kept;
    let until = counter_stops_at(kept).map_or(kept.len(), |stopped| stopped + 1);
    let (mut integrated, mut points, mut before) = (0.0, Vec::new(), None::<(f64, f64)>);
    for at in &kept[..until] {
        let kw = at.kw?;
        if let Some((minute, was)) = before {
            integrated += f64::midpoint(was, kw) * (at.minute - minute) / 60.0;
        }
        before = Some((at.minute, kw));
        points.extend(at.kwh.map(|kwh| (integrated, kwh)));
    }
    let first = points.first()?.1;
    // The delay itself fills the first minutes; what is left has to be long enough for a line.
    let later: Vec<(f64, f64)> = points.iter().copied().filter(|point| point.1 > first + LEAST_COUNTED).collect();
    let (slope, at_nought) = line_through(&later)?;
    let passed = kept[until - 1].minute - kept[0].minute;
    let late = (first - at_nought) / slope / (integrated / passed);
    let close = later.iter().all(|point| (point.1 - slope * point.0 - at_nought).abs() < 0.03 * integrated);
    let told = later.len() >= 10 && close && (0.9..1.1).contains(&slope) && first.abs() < 0.2;
    (told && (LATE..3.0).contains(&late)).then(|| Finding::new(Fact::CounterLate { behind: Minutes::new(late) }))
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
