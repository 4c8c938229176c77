//! Heat and cold: dips of the power, whether they recovered, and batteries that began cold.
//!
//! Fast charging works best at a pack of 30 to 40 °C (common practice, no published source); a curve never rises with
//! SoC once it has begun to fall, so a fall that is made up for is no part of it.

use super::{Evidence, Finding, Severity, Shown, stopwatch};
use crate::quantity::{Minutes, Temperature};

/// A pack below this is cold, °C.
pub(super) const COLD: f64 = 15.0;
/// A pack from this on is hot, °C.
const HOT: f64 = 44.0;
/// A fall that may be a dip, share of the power before.
const FALL: f64 = 0.10;
/// A rise that makes up for it, share of the lowest power.
const RISE: f64 = 0.08;
/// Share of the fall that the rise has to make up for.
const RECOVERED: f64 = 0.4;
/// Points within which a dip falls and recovers.
const WIDTH: f64 = 25.0;
/// A fall of a hot pack that is heat, share of the power before, where the power does not come back.
const HOT_FALL: f64 = 0.20;
/// Power below this share of the power before is no power.
const STOPPED: f64 = 0.03;

pub(super) fn findings(evidence: &Evidence) -> Vec<Finding> {
    let shown = evidence.flowing();
    let mut found = dips(shown);
    if !found.iter().any(|finding| finding.code == "thermal-dip") {
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

/// The next dip at or after an index: the power before it, its lowest and the power it recovers to.
fn next_dip(shown: &[Shown], from: usize) -> Option<(usize, usize, usize)> {
    let (mut high, mut low) = (from, from);
    for (index, now) in shown.iter().enumerate().skip(from) {
        if now.kw >= shown[high].kw || now.soc - shown[high].soc > WIDTH {
            (high, low) = (index, index);
            continue;
        }
        if now.kw < shown[low].kw {
            low = index;
        }
        let (fall, rise) = (shown[high].kw - shown[low].kw, now.kw - shown[low].kw);
        let fell = low > high && fall >= FALL * shown[high].kw;
        if fell && rise >= RISE * shown[low].kw && rise >= RECOVERED * fall {
            return Some((high, low, index));
        }
    }
    None
}

fn describe(before: Shown, lowest: Shown, after: Shown) -> Finding {
    let at = Minutes::new(lowest.minute);
    let fell = format!("At {} the power fell from {:.0} to {:.0} kW", stopwatch(lowest.minute), before.kw, lowest.kw);
    let back = format!("came back to {:.0} kW by {}", after.kw, stopwatch(after.minute));
    let (code, cause) = if lowest.kw < STOPPED * before.kw {
        ("interrupted", "the current was interrupted".to_string())
    } else {
        match lowest.battery {
            Some(battery) if battery >= HOT => {
                ("thermal-dip", format!("the pack was {battery:.0} °C, so heat is likely"))
            }
            Some(battery) => {
                ("dip", format!("the pack was {battery:.0} °C, so a shared cabinet is likelier than heat"))
            }
            None => ("dip", "heat or a shared cabinet; the pack's temperature would tell".into()),
        }
    };
    let message = format!("{fell} and {back}: {cause}. A cooler start or another stall would not show this dip.");
    Finding::new(code, Severity::Warning, message).at(at).over(before.soc, after.soc)
}

/// A fall of a hot pack that is not made up for.
fn overheated(shown: &[Shown]) -> Option<Finding> {
    let cut = shown.windows(2).find(|pair| {
        let hot = pair[1].battery.is_some_and(|battery| battery >= HOT);
        hot && pair[1].kw <= (1.0 - HOT_FALL) * pair[0].kw && pair[1].soc - pair[0].soc <= 6.0
    })?;
    let message = format!(
        "At {} the power fell from {:.0} to {:.0} kW with the pack at {:.0} °C and did not recover: heat, not SoC. A cooler pack would hold the power longer.",
        stopwatch(cut[1].minute),
        cut[0].kw,
        cut[1].kw,
        cut[1].battery?,
    );
    let finding = Finding::new("thermal-dip", Severity::Warning, message);
    Some(finding.at(Minutes::new(cut[1].minute)).over(cut[0].soc, cut[1].soc))
}

/// A battery that began cold.
fn cold(evidence: &Evidence) -> Option<Finding> {
    let battery = evidence.session.battery_at_start().map(Temperature::get).filter(|&battery| battery < COLD)?;
    let message = format!(
        "The pack was {battery:.0} °C at the start: this is a winter charge, and a warm pack takes about half as long from 10 to 80 %. Do not plan a warm day with it, nor a cold one with a warm curve."
    );
    Some(Finding::new("cold-battery", Severity::Warning, message))
}
