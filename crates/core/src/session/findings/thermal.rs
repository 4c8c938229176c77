//! Heat and cold: dips of the power, whether they recovered, and batteries that began cold.
//!
//! Fast charging works best at a pack of 30 to 40 °C (common practice, no published source); a curve never rises with
//! SoC once it has begun to fall, so a fall that is made up for is no part of it.

use std::collections::VecDeque;

use super::{DipCause, Evidence, Fact, Finding, Shown};
use crate::quantity::{Minutes, Power, Temperature};

/// A pack below this is cold, °C.
pub(super) const COLD: f64 = 15.0;
/// A pack from this on is hot, °C.
const HOT: f64 = 44.0;
/// A fall that may be a dip, share of the power before.
const FALL: f64 = 0.10;
/// A rise that makes up for it, share of the lowest power.
const RISE: f64 = 0.08;
/// Least rise that is none of the display's, kW.
const LEAST_RISE: f64 = 3.0;
/// Power before a dip is at least this share of the power after it.
const STILL: f64 = 0.97;
/// Points within which a dip falls and recovers.
const WIDTH: f64 = 25.0;
/// A fall of a hot pack that is heat, share of the power before, where the power does not come back.
const HOT_FALL: f64 = 0.20;
/// Power below this share of the power before is no power.
const STOPPED: f64 = 0.03;

pub(super) fn findings(evidence: &Evidence) -> Vec<Finding> {
    let shown = evidence.flowing();
    let mut found = dips(shown);
    if !found.iter().any(|finding| finding.code() == "thermal-dip") {
        found.extend(overheated(shown));
    }
    found.extend(cold(evidence));
    found
}

/// Falls of the power that are made up for.
fn dips(shown: &[Shown]) -> Vec<Finding> {
    let mut found = Vec::new();
    let mut from = 0;
    while let Some((before, lowest, after)) = next_dip(shown, from) {
        found.push(describe(shown[before], shown[lowest], shown[after]));
        from = after;
    }
    found
}

/// The next dip at or after an index: the power before it, its lowest and the power it recovers to. A curve does not rise
/// once it has begun to fall, so a rise to what was had before is the end of a dip, wherever the dip began.
fn next_dip(shown: &[Shown], from: usize) -> Option<(usize, usize, usize)> {
    let mut lowest: VecDeque<usize> = VecDeque::new();
    for now in from..shown.len() {
        while lowest.front().is_some_and(|&low| shown[now].soc - shown[low].soc > WIDTH) {
            lowest.pop_front();
        }
        while lowest.back().is_some_and(|&low| shown[low].kw >= shown[now].kw) {
            lowest.pop_back();
        }
        lowest.push_back(now);
        let low = lowest[0];
        let rise = shown[now].kw - shown[low].kw;
        if rise < RISE * shown[low].kw || rise < LEAST_RISE {
            continue;
        }
        let reach = shown[from..low].iter().rev().take_while(|before| shown[low].soc - before.soc <= WIDTH);
        let high = reach
            .enumerate()
            .find(|(_, before)| before.kw >= STILL * shown[now].kw && before.kw - shown[low].kw >= FALL * before.kw);
        if let Some((back, _)) = high {
            return Some((low - 1 - back, low, recovered(shown, now)));
        }
    }
    None
}

/// Where the power has come back as far as it does.
fn recovered(shown: &[Shown], from: usize) -> usize {
    let rising = shown[from..].windows(2).take_while(|pair| pair[1].kw > 1.005 * pair[0].kw);
    from + rising.count()
}

fn describe(before: Shown, lowest: Shown, after: Shown) -> Finding {
    let at = Minutes::new(lowest.minute);
    let cause = match lowest.battery.map(Temperature::celsius) {
        _ if lowest.kw < STOPPED * before.kw => DipCause::Interrupted,
        Some(battery) if battery.get() >= HOT => DipCause::Heat { battery },
        Some(battery) => DipCause::NotHeat { battery },
        None => DipCause::Unknown,
    };
    let [before_kw, lowest_kw, back] = [before, lowest, after].map(|shown| Power::kw(shown.kw));
    let back_at = Minutes::new(after.minute);
    let fact = Fact::Dip { at, before: before_kw, lowest: lowest_kw, back, back_at, cause };
    Finding::new(fact).at(at).over(before.soc, after.soc)
}

/// A fall of a hot pack that is not made up for.
fn overheated(shown: &[Shown]) -> Option<Finding> {
    let cut = shown.windows(2).find(|pair| {
        let hot = pair[1].battery.is_some_and(|battery| battery >= HOT);
        hot && pair[1].kw <= (1.0 - HOT_FALL) * pair[0].kw && pair[1].soc - pair[0].soc <= 6.0
    })?;
    let at = Minutes::new(cut[1].minute);
    let fact = Fact::Overheated {
        at,
        before: Power::kw(cut[0].kw),
        after: Power::kw(cut[1].kw),
        battery: Temperature::celsius(cut[1].battery?),
    };
    Some(Finding::new(fact).at(at).over(cut[0].soc, cut[1].soc))
}

/// A battery that began cold.
fn cold(evidence: &Evidence) -> Option<Finding> {
    let battery = evidence.session.battery_at_start().filter(|battery| battery.get() < COLD)?;
    Some(Finding::new(Fact::ColdBattery { battery }))
}
