//! How a session began and ended, and whether it is enough for what is claimed of it.

use super::{Evidence, Fact, Finding, Shown};
use crate::quantity::{Minutes, Power, Soc};

/// Power below this share of the power before is a stop.
const STOPPED: f64 = 0.05;
/// Power that was still flowing when a limit ended the charge, kW at the meter.
const STILL_FLOWING: f64 = 5.0;
/// From which SoC on the top-end crawl is looked for, %.
const TOP: f64 = 97.0;
/// How much longer a point takes there than between 90 and 95 % before it is balancing.
const CRAWL: f64 = 4.0;
/// Fewest readings that a shape can be claimed of.
const FEWEST: usize = 5;
/// Most points from reading to reading, on average, that a shape can be claimed of.
const SPARSEST: f64 = 12.0;

pub(super) fn findings(evidence: &Evidence) -> Vec<Finding> {
    let all = [
        start_at_zero(evidence),
        failed_attempts(evidence),
        too_few(evidence),
        balancing(evidence),
        ended_by_limit(evidence),
        one_phase(evidence),
    ];
    all.into_iter().flatten().collect()
}

/// The index of the first of the last powers at which the current had stopped.
pub(super) fn stopped_from(powers: &[Shown]) -> Option<usize> {
    let flowing = powers.iter().rposition(|shown| shown.kw > 0.0)?;
    let still = powers.get(flowing.checked_sub(1)?).is_some_and(|before| powers[flowing].kw < STOPPED * before.kw);
    let first = if still { flowing } else { flowing + 1 };
    (first < powers.len()).then_some(first)
}

fn start_at_zero(evidence: &Evidence) -> Option<Finding> {
    let first = evidence.analysis.timeline.moments().first().filter(|first| first.soc <= 0.0)?;
    Some(Finding::new(Fact::StartAtZero {}).at(Minutes::new(first.minute)))
}

fn failed_attempts(evidence: &Evidence) -> Option<Finding> {
    let attempts = evidence.session.conditions.failed_attempts.filter(|&failed| failed > 0)?;
    Some(Finding::new(Fact::FailedAttempts { attempts }))
}

fn too_few(evidence: &Evidence) -> Option<Finding> {
    let timeline = &evidence.analysis.timeline;
    let count = timeline.anchors().count();
    let over = timeline.end_soc() - timeline.start_soc();
    if count >= FEWEST && over.get() / count as f64 <= SPARSEST {
        return None;
    }
    Some(Finding::new(Fact::TooFewReadings { readings: count, over }))
}

/// The crawl at the top, where cells are balanced.
fn balancing(evidence: &Evidence) -> Option<Finding> {
    let timeline = &evidence.analysis.timeline;
    let end = timeline.end_soc().get();
    let minute = |soc: f64| timeline.minute_at(Soc::percent(soc)).map(Minutes::get);
    let (ninety, ninety_five) = (minute(90.0)?, minute(95.0)?);
    let last = (end - 1.0).max(TOP);
    let crawl = (timeline.end().get() - minute(last)?) / (end - last).max(1.0);
    if end < TOP + 1.0 || crawl < CRAWL * (ninety_five - ninety) / 5.0 {
        return None;
    }
    let began = Minutes::new(minute(last)?);
    let fact = Fact::Balancing { took: timeline.end() - began, over: (Soc::percent(last), Soc::percent(end)) };
    Some(Finding::new(fact).at(began).over(last, end))
}

/// A charge that ended while power still flowed.
fn ended_by_limit(evidence: &Evidence) -> Option<Finding> {
    let stopped = stopped_from(&evidence.powers)?;
    let (before, end) = (evidence.powers[stopped - 1], evidence.powers[stopped]);
    let known = evidence.analysis.timeline.end_soc().get();
    if before.kw < STILL_FLOWING || known >= 100.0 {
        return None;
    }
    let fact = Fact::EndedByLimit { at: Soc::percent(known), flowing: Power::kw(before.kw) };
    Some(Finding::new(fact).at(Minutes::new(end.minute)).over(known, 100.0))
}

/// A car that takes one phase of a post with three.
fn one_phase(evidence: &Evidence) -> Option<Finding> {
    let conditions = &evidence.session.conditions;
    let (Some(1), Some(site)) = (conditions.phases, conditions.site_power) else {
        return None;
    };
    let taken = evidence.analysis.peak?.0;
    let share = evidence.at_plug(taken.get()) / site.get();
    if !(0.25..=0.40).contains(&share) {
        return None;
    }
    Some(Finding::new(Fact::OnePhase { taken, site }))
}
