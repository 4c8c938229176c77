//! Limits that are not the battery's: the site's power or current, a boost that runs out, a stall that gives less than
//! it says.
//!
//! A boost by time holds full power for 7 to 10 minutes from wherever the charge starts low enough, then steps down
//! (common practice, no published source). What tells it from a step of the curve is that power held until the cut.

use super::{Evidence, Fact, Finding, Shown};
use crate::quantity::{Current, Minutes, Power, Soc};

/// Power or current within this share of a limit is at it.
const AT_LIMIT: f64 = 0.97;
/// Points that power has to sit at a limit before it is said.
const LIMITED_POINTS: f64 = 3.0;
/// A fall between two readings that may be a boost running out, share of the power before.
const CUT: f64 = 0.10;
/// Minutes after which boosts run out.
const BOOST_MINUTES: std::ops::RangeInclusive<f64> = 4.5..=16.0;
/// Power within this share of its highest still holds.
const HOLDS: f64 = 0.95;
/// Minutes that power holds before a boost runs out.
const HELD_MINUTES: f64 = 3.5;
/// Power that varies by no more than this share is flat.
const FLAT: f64 = 0.03;
/// Points over which a derated stall is flat.
const DERATED_POINTS: f64 = 8.0;
/// A stall that gives no more than this share of what the site says is derated.
const DERATED_SHARE: f64 = 0.6;
/// Most C-rate, 1/h, at which a flat power may be a derated stall: more is seldom the stall's fault.
const DERATED_C_RATE: f64 = 1.0;
/// Points over which a constant current is worth a word.
const CONSTANT_POINTS: f64 = 10.0;

pub(super) fn findings(evidence: &Evidence) -> Vec<Finding> {
    if evidence.is_ac() {
        return Vec::new();
    }
    let derated = derated(evidence);
    let from = derated.as_ref().and_then(|finding| finding.at).map(Minutes::get);
    let boost = boost_over(evidence).filter(|finding| {
        let at = finding.at.map(Minutes::get);
        at.zip(from).is_none_or(|(cut, derated)| (cut - derated).abs() > 2.0)
    });
    let all = [at_site_power(evidence), at_site_current(evidence), constant_current(evidence), boost, derated];
    all.into_iter().flatten().collect()
}

/// Power that sits at the site's most kW.
fn at_site_power(evidence: &Evidence) -> Option<Finding> {
    let site = evidence.session.conditions.site_power?;
    let (first, last) = ends(evidence, |shown| evidence.at_plug(shown.kw) >= AT_LIMIT * site.get())?;
    Some(between(Fact::AtSitePower { site, over: over(first, last) }, first, last))
}

/// Current that sits at the site's most amperes.
fn at_site_current(evidence: &Evidence) -> Option<Finding> {
    let site = evidence.session.conditions.site_current?;
    let (first, last) = ends(evidence, |shown| shown.amps.is_some_and(|amps| amps >= AT_LIMIT * site.get()))?;
    Some(between(Fact::AtSiteCurrent { site, over: over(first, last) }, first, last))
}

fn over(first: Shown, last: Shown) -> (Soc, Soc) {
    (Soc::percent(first.soc), Soc::percent(last.soc))
}

/// A finding about the part of the charge between two powers.
fn between(fact: Fact, first: Shown, last: Shown) -> Finding {
    Finding::new(fact).at(Minutes::new(first.minute)).over(first.soc, last.soc)
}

/// First and last power that a limit holds, where they are far enough apart.
fn ends(evidence: &Evidence, at_limit: impl Fn(&Shown) -> bool) -> Option<(Shown, Shown)> {
    let mut limited = evidence.powers.iter().copied().filter(|shown| at_limit(shown));
    let first = limited.next()?;
    let last = limited.next_back()?;
    (last.soc - first.soc >= LIMITED_POINTS).then_some((first, last))
}

/// A current that stays the same while the voltage rises, at a site whose limit nobody noted.
fn constant_current(evidence: &Evidence) -> Option<Finding> {
    if evidence.session.conditions.site_current.is_some() {
        return None;
    }
    let (first, last) = longest(evidence.flowing(), CONSTANT_POINTS, |a, b| match (a.amps, b.amps) {
        (Some(a), Some(b)) => (b / a - 1.0).abs() <= 0.015,
        _ => false,
    })?;
    if last.volts? / first.volts? < 1.01 {
        return None;
    }
    let fact = Fact::ConstantCurrent { current: Current::amps(first.amps?), over: over(first, last) };
    Some(between(fact, first, last))
}

/// The longest stretch, by points, in which every power is like the first one; at least `points` long.
fn longest(shown: &[Shown], points: f64, alike: impl Fn(&Shown, &Shown) -> bool) -> Option<(Shown, Shown)> {
    let mut best: Option<(Shown, Shown)> = None;
    let mut start = 0;
    while start < shown.len() {
        let run = shown[start..].iter().take_while(|next| alike(&shown[start], next)).count().max(1);
        let (first, last) = (shown[start], shown[start + run - 1]);
        if best.is_none_or(|best| last.soc - first.soc > best.1.soc - best.0.soc) {
            best = Some((first, last));
        }
        // A flat stretch may begin inside one that is only nearly flat.
        start += run.div_ceil(4);
    }
    best.filter(|best| best.1.soc - best.0.soc >= points)
}

/// A cut in power after it held for some minutes from the start.
fn boost_over(evidence: &Evidence) -> Option<Finding> {
    let shown = evidence.flowing();
    let cut = (1..shown.len()).find(|&index| is_cut(shown, index))?;
    let (before, after) = (shown[cut - 1], shown[cut]);
    let at = Minutes::new(after.minute);
    let fact = Fact::BoostOver {
        at,
        before: Power::kw(before.kw),
        after: Power::kw(after.kw),
        start: evidence.analysis.timeline.start_soc(),
    };
    Some(Finding::new(fact).at(at).over(before.soc, after.soc))
}

fn is_cut(shown: &[Shown], index: usize) -> bool {
    let (before, after) = (shown[index - 1], shown[index]);
    if !BOOST_MINUTES.contains(&after.minute) || after.kw > (1.0 - CUT) * before.kw || after.soc - before.soc > 6.0 {
        return false;
    }
    let highest = shown[..index].iter().map(|shown| shown.kw).fold(0.0, f64::max);
    let held = shown[..index].iter().rev().take_while(|shown| shown.kw >= HOLDS * highest).last();
    // Between readings far apart a slope looks like a cut, but it goes on.
    let (minutes, share) = if after.soc - before.soc > 2.0 { (3.0, 0.90) } else { (2.0, 0.85) };
    let next = shown[index..].iter().take_while(|shown| shown.minute <= after.minute + minutes);
    let stays = next.map(|shown| shown.kw).fold(f64::INFINITY, f64::min) >= share * after.kw;
    held.is_some_and(|held| before.minute - held.minute >= HELD_MINUTES) && stays
}

/// Power that is flat far below what the site says, and below what the car is known to take.
fn derated(evidence: &Evidence) -> Option<Finding> {
    let site = evidence.session.conditions.site_power?.get();
    let (first, last) = longest(evidence.flowing(), DERATED_POINTS, |a, b| (b.kw / a.kw - 1.0).abs() <= FLAT)?;
    let kw = evidence.at_plug(first.kw);
    let c_rate = first.kw / evidence.analysis.basis().usable.get();
    let cold = first.battery.is_some_and(|celsius| celsius < super::thermal::COLD);
    let middle = f64::midpoint(first.soc, last.soc);
    // What the car is known to take there; without that, a low start is where cars take more.
    let by_car = evidence.expected.map_or(first.soc > 60.0, |curve| curve.at(middle) < 1.25 * first.kw);
    if kw > DERATED_SHARE * site || c_rate > DERATED_C_RATE || cold || by_car {
        return None;
    }
    let fact = Fact::Derated { flat: Power::kw(kw), site: Power::kw(site), over: over(first, last) };
    Some(between(fact, first, last))
}
