//! How a session began and ended, and whether it is enough for what is claimed of it.

use super::{Evidence, Finding, Severity, Shown, stopwatch};
use crate::quantity::{Minutes, Soc};

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
    let message = "Started at 0 %: some batteries begin slowly there to protect themselves, so the first minutes are no picture of real use.";
    Some(Finding::new("start-at-zero", Severity::Note, message.into()).at(Minutes::new(first.minute)))
}

fn failed_attempts(evidence: &Evidence) -> Option<Finding> {
    let failed = evidence.session.conditions.failed_attempts.filter(|&failed| failed > 0)?;
    let attempts = if failed == 1 { "attempt" } else { "attempts" };
    let message = format!(
        "{failed} {attempts} failed before current flowed; minutes count from current, so plan a longer stop at this site."
    );
    Some(Finding::new("failed-attempts", Severity::Note, message))
}

fn too_few(evidence: &Evidence) -> Option<Finding> {
    let timeline = &evidence.analysis.timeline;
    let count = timeline.anchors().count();
    let points = (timeline.end_soc() - timeline.start_soc()).get();
    if count >= FEWEST && points / count as f64 <= SPARSEST {
        return None;
    }
    let message =
        format!("{count} readings over {points:.0} points: minutes between them are sure, the curve's shape is not.");
    Some(Finding::new("too-few-readings", Severity::Warning, message))
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
    let message = format!(
        "From {last:.0} to {end:.0} % it took {}: cells are balanced there. Leave before, unless the charge is overnight.",
        stopwatch(timeline.end().get() - minute(last)?),
    );
    Some(Finding::new("balancing", Severity::Note, message).at(Minutes::new(minute(last)?)).over(last, end))
}

/// A charge that ended while power still flowed.
fn ended_by_limit(evidence: &Evidence) -> Option<Finding> {
    let stopped = stopped_from(&evidence.powers)?;
    let (before, end) = (evidence.powers[stopped - 1], evidence.powers[stopped]);
    let known = evidence.analysis.timeline.end_soc().get();
    if before.kw < STILL_FLOWING || known >= 100.0 {
        return None;
    }
    let message = format!(
        "The charge ended at {known:.0} % while {:.0} kW still flowed: a limit set in the car or at the station ended it, so nothing is known of the curve above.",
        before.kw,
    );
    let finding = Finding::new("ended-by-limit", Severity::Note, message).at(Minutes::new(end.minute));
    Some(finding.over(known, 100.0))
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
    let message = format!(
        "{:.1} kW of a post of {:.0} kW: the car takes one of three phases, a third of what the post could give. A post with more amperes on one phase would be faster.",
        taken.get(),
        site.get(),
    );
    Some(Finding::new("one-phase", Severity::Note, message))
}
