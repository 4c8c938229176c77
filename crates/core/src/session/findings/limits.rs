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
/// A fall that goes on by more than this share of a cut, in as long again, is a slope.
const GOES_ON: f64 = 0.5;
/// Share of a cut that the car's other charges show there too: it is the curve's.
const KNOWN_STEP: f64 = 0.6;
/// Share of a cut that, made up for later, shows that it was a dip.
const COMES_BACK: f64 = 0.4;
/// Highest SoC at which a boost ends, %: above, every curve falls.
const BOOST_UNTIL: f64 = 85.0;
/// Minutes of steady current before and after a cut that show a current limit.
const STEADY: f64 = 2.0;
/// Power varies by no more than this share is flat.
const FLAT: f64 = 0.03;
/// Points over which a derated stall is flat.
const DERATED_POINTS: f64 = 8.0;
/// A stall that gives no more than this share of what the site says is derated.
const DERATED_SHARE: f64 = 0.6;
/// Most C-rate, 1/h, at which a flat power may be a derated stall: more is seldom the stall's fault.
const DERATED_C_RATE: f64 = 1.0;
/// A flat power below this share of the label may be the stall's, where the car is known to take more.
const BELOW_LABEL: f64 = 0.95;
/// Share of what the car is known to take below which a flat power is the stall's.
const BELOW_CAR: f64 = 0.85;
/// A stall that gave this many times as much before is not derated.
const GAVE_MORE: f64 = 1.15;
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
    let highest = highest(shown);
    let cut = (1..shown.len()).find(|&at| is_cut(shown, at, highest[at]) && !evidence.curve_falls(shown, at))?;
    let (before, after) = (shown[cut - 1], shown[cut]);
    let at = Minutes::new(after.minute);
    let fact = Fact::BoostOver {
        at,
        before: Power::kw(before.kw),
        after: Power::kw(after.kw),
        start: evidence.analysis.timeline.start_soc(),
        current: current_step(shown, cut),
    };
    Some(Finding::new(fact).at(at).over(before.soc, after.soc))
}

/// The currents before and after a cut, where both were steady: a limit of the current that was lowered.
fn current_step(shown: &[Shown], cut: usize) -> Option<(Current, Current)> {
    let steady = |amps: &[f64]| {
        let (low, high) =
            amps.iter().fold((f64::INFINITY, 0.0_f64), |(low, high), &amps| (low.min(amps), high.max(amps)));
        (amps.len() >= 3 && high <= 1.02 * low).then_some(f64::midpoint(low, high))
    };
    let amps = |shown: &[Shown], near: f64| -> Option<Vec<f64>> {
        shown.iter().filter(|shown| (shown.minute - near).abs() <= STEADY).map(|shown| shown.amps).collect()
    };
    let before = steady(&amps(&shown[..cut], shown[cut - 1].minute)?)?;
    let after = steady(&amps(&shown[cut..], shown[cut].minute)?)?;
    (after < before).then(|| (Current::amps(before), Current::amps(after)))
}

/// The highest powers before each reading, and from it on.
fn highest(shown: &[Shown]) -> Vec<(f64, f64)> {
    let (mut before, mut from) = (0.0_f64, 0.0_f64);
    let mut highest: Vec<(f64, f64)> = Vec::with_capacity(shown.len());
    for shown in shown {
        highest.push((before, 0.0));
        before = before.max(shown.kw);
    }
    for (shown, highest) in shown.iter().zip(&mut highest).rev() {
        from = from.max(shown.kw);
        highest.1 = from;
    }
    highest
}

fn is_cut(shown: &[Shown], index: usize, (highest, later): (f64, f64)) -> bool {
    let (before, after) = (shown[index - 1], shown[index]);
    if !BOOST_MINUTES.contains(&after.minute)
        || after.soc > BOOST_UNTIL
        || after.kw > (1.0 - CUT) * before.kw
        || after.soc - before.soc > 6.0
    {
        return false;
    }
    let held = shown[..index].iter().rev().take_while(|shown| shown.kw >= HOLDS * highest).last();
    // Between readings far apart a slope looks like a cut, but it goes on as steeply.
    let cut = 1.0 - after.kw / before.kw;
    let soon = after.minute + (after.minute - before.minute).max(0.5);
    let next = shown[index..].iter().take_while(|shown| shown.minute <= soon + 1e-9);
    let stays = next.map(|shown| shown.kw).fold(f64::INFINITY, f64::min) >= (1.0 - GOES_ON * cut) * after.kw;
    // What comes back was no boost.
    let back = later >= after.kw + COMES_BACK * (before.kw - after.kw);
    held.is_some_and(|held| before.minute - held.minute >= HELD_MINUTES) && stays && !back
}

impl Evidence<'_> {
    /// Whether the car's other charges fall there too: then it is a step of the curve.
    fn curve_falls(&self, shown: &[Shown], cut: usize) -> bool {
        let (before, after) = (shown[cut - 1], shown[cut]);
        self.expected.is_some_and(|curve| {
            let known = 1.0 - curve.at(after.soc + 1.0) / curve.at(before.soc - 1.0).max(0.1);
            known >= KNOWN_STEP * (1.0 - after.kw / before.kw)
        })
    }
}

/// Power that is flat below what the site says, and below what the car is known to take.
fn derated(evidence: &Evidence) -> Option<Finding> {
    let site = evidence.session.conditions.site_power?.get();
    let flowing = evidence.flowing();
    let (first, last) = longest(flowing, DERATED_POINTS, |a, b| (b.kw / a.kw - 1.0).abs() <= FLAT)?;
    let kw = evidence.at_plug(first.kw);
    let cold = first.battery.is_some_and(|celsius| celsius < super::thermal::COLD);
    let more_before = flowing.iter().any(|shown| shown.minute < first.minute && shown.kw > GAVE_MORE * first.kw);
    let middle = f64::midpoint(first.soc, last.soc);
    let below = if let Some(curve) = evidence.expected {
        // What the car is known to take there, into the battery.
        let stored = evidence.stored_of(first.kw);
        kw < BELOW_LABEL * site && stored < BELOW_CAR * curve.at(middle)
    } else {
        // Without that, a low start is where cars take more.
        let c_rate = first.kw / evidence.analysis.basis().usable.get();
        kw <= DERATED_SHARE * site && c_rate <= DERATED_C_RATE && first.soc <= 60.0
    };
    // One charge cannot tell a stall that gave more a minute ago from a step of the curve; the car's others can.
    if !below || cold || (more_before && evidence.expected.is_none()) {
        return None;
    }
    let known = evidence.expected.map(|curve| Power::kw(curve.at(middle)));
    let fact = Fact::Derated { flat: Power::kw(kw), site: Power::kw(site), over: over(first, last), car_takes: known };
    Some(between(fact, first, last))
}
