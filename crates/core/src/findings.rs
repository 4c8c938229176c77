//! What is odd about a session, where, and what that means for its curve. Nothing is repaired here.

use crate::analysis::Analysis;
use crate::quantity::Minutes;
use crate::session::{Meter, Reading, Session};

/// How much a finding matters.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Severity {
    /// Good to know.
    Note,
    /// Some figures are less sure, or are not the car's.
    Warning,
    /// A reading cannot be used.
    Fault,
}

/// One finding.
#[derive(Clone, Debug, PartialEq)]
pub struct Finding {
    /// A stable name, such as `soc-backwards`.
    pub code: &'static str,
    /// How much it matters.
    pub severity: Severity,
    /// Where, in minutes since current began; `None` when it is about the whole session.
    pub at: Option<Minutes>,
    /// One plain sentence: what is odd, and what it means.
    pub message: String,
}

/// All findings of a session, in order of time; those about the whole of it first.
pub fn findings(session: &Session, analysis: &Analysis) -> Vec<Finding> {
    let mut found = backwards(&session.readings);
    found.extend(gaps(&session.readings));
    found.extend(energy_against_power(session));
    found.extend(energy_against_soc(session, analysis));
    found.extend(charger_limited(session));
    found.extend(start_at_zero(session));
    found.extend(too_few(analysis));
    let minute = |finding: &Finding| finding.at.map_or(-1.0, Minutes::get);
    found.sort_by(|a, b| minute(a).total_cmp(&minute(b)));
    found
}

fn finding(code: &'static str, severity: Severity, at: Option<Minutes>, message: String) -> Finding {
    Finding { code, severity, at, message }
}

/// Minutes as a stopwatch shows them.
fn clock(minutes: Minutes) -> String {
    let seconds = (minutes.get() * 60.0).round() as i64;
    format!("{}:{:02}", seconds / 60, seconds % 60)
}

/// Readings whose clock stands or runs back, or whose SoC falls, against the last good one.
fn backwards(readings: &[Reading]) -> Vec<Finding> {
    let mut found = Vec::new();
    let mut last: Option<&Reading> = None;
    for (index, reading) in readings.iter().enumerate() {
        let number = index + 1;
        let Some(before) = last else {
            last = Some(reading);
            continue;
        };
        let (at, was) = (clock(reading.elapsed), clock(before.elapsed));
        if reading.elapsed < before.elapsed {
            let message =
                format!("Reading {number}: the clock says {at} after {was}; the reading is left out of all figures.");
            found.push(finding("clock-backwards", Severity::Fault, Some(reading.elapsed), message));
        } else if reading.elapsed == before.elapsed {
            let message = format!("Reading {number}: a second reading at {at}; the first one counts.");
            found.push(finding("duplicate", Severity::Note, Some(reading.elapsed), message));
        } else if reading.soc < before.soc {
            let (now, then) = (reading.soc.get(), before.soc.get());
            let message = format!("Reading {number}: SoC {now} after {then}; the reading is left out of all figures.");
            found.push(finding("soc-backwards", Severity::Fault, Some(reading.elapsed), message));
        } else {
            last = Some(reading);
        }
    }
    found
}

/// Stretches without a reading that are long for this session.
fn gaps(readings: &[Reading]) -> Vec<Finding> {
    let mut steps: Vec<f64> = readings.windows(2).map(|pair| (pair[1].elapsed - pair[0].elapsed).get()).collect();
    steps.sort_by(f64::total_cmp);
    let Some(&median) = steps.get(steps.len() / 2) else {
        return Vec::new();
    };
    let is_gap = |pair: &&[Reading]| {
        let (time, points) = ((pair[1].elapsed - pair[0].elapsed).get(), (pair[1].soc - pair[0].soc).get());
        points > 15.0 || (points > 5.0 && time > 3.0 && time > 5.0 * median)
    };
    let describe = |pair: &[Reading]| {
        let message = format!(
            "No reading between {} and {} while SoC rose from {} to {}; steps and dips in between are not seen.",
            clock(pair[0].elapsed),
            clock(pair[1].elapsed),
            pair[0].soc.get(),
            pair[1].soc.get(),
        );
        finding("gap", Severity::Warning, Some(pair[0].elapsed), message)
    };
    readings.windows(2).filter(is_gap).map(describe).collect()
}

/// The meter's counter against its power over time.
fn energy_against_power(session: &Session) -> Option<Finding> {
    let both: Vec<_> = session
        .readings
        .iter()
        .filter_map(|reading| Some((reading.elapsed, reading.power?, reading.energy?)))
        .collect();
    let (first, last) = (both.first()?, both.last()?);
    let widest = both.windows(2).map(|pair| (pair[1].0 - pair[0].0).get()).fold(0.0, f64::max);
    let integrated: f64 =
        both.windows(2).map(|pair| (pair[0].1 + pair[1].1).get() / 2.0 * (pair[1].0 - pair[0].0).get() / 60.0).sum();
    let counted = (last.2 - first.2).get();
    let off = 100.0 * (integrated / counted - 1.0);
    // Trapezoids over long steps say little about a counter.
    if counted < 2.0 || widest > 3.0 || off.abs() < 5.0 {
        return None;
    }
    let message = format!(
        "Power over time is {integrated:.1} kWh and the counter says {counted:.1} kWh, {off:+.0} %; one of the two meters is off."
    );
    Some(finding("energy-against-power", Severity::Warning, None, message))
}

/// The station's energy against what SoC says was stored.
fn energy_against_soc(session: &Session, analysis: &Analysis) -> Option<Finding> {
    let (plug, loss) = (analysis.plug?, analysis.loss_percent?);
    let points = (analysis.timeline.end_soc() - analysis.timeline.start_soc()).get();
    // The half percents that the display hides at either end may be this many points of the loss.
    let hidden = 100.0 / points.max(1.0);
    if session.conditions.meter != Meter::Station || (loss > -hidden && loss < 20.0 + hidden) {
        return None;
    }
    let stored = analysis.stored.get();
    let message = format!(
        "The plug gave {:.1} kWh and {points:.0} points are {stored:.1} kWh, a loss of {loss:.0} % of the plug's energy; 2 to 12 % is usual, so the usable capacity or the meter's side may be wrong.",
        plug.get(),
    );
    Some(finding("energy-against-soc", Severity::Warning, None, message))
}

/// Power that sits at the site's limit.
fn charger_limited(session: &Session) -> Option<Finding> {
    let limit = session.conditions.site_power?.get();
    let at_limit = |reading: &&Reading| reading.power.is_some_and(|power| power.get() >= 0.97 * limit);
    let mut limited = session.readings.iter().filter(at_limit);
    let first = limited.next()?;
    let last = limited.next_back()?;
    if (last.soc - first.soc).get() < 3.0 {
        return None;
    }
    let message = format!(
        "From {} to {} % the power sat at the site's {limit:.0} kW; there the curve is the charger's, and the car may take more.",
        first.soc.get(),
        last.soc.get(),
    );
    Some(finding("charger-limited", Severity::Warning, Some(first.elapsed), message))
}

fn start_at_zero(session: &Session) -> Option<Finding> {
    let first = session.readings.first().filter(|first| first.soc.get() <= 0.0)?;
    let message = "Started at 0 %: some batteries begin slowly there to protect themselves, so the first minutes are no picture of real use.";
    Some(finding("start-at-zero", Severity::Note, Some(first.elapsed), message.into()))
}

fn too_few(analysis: &Analysis) -> Option<Finding> {
    let count = analysis.timeline.anchors().count();
    let points = (analysis.timeline.end_soc() - analysis.timeline.start_soc()).get();
    if count >= 5 && points / count as f64 <= 12.0 {
        return None;
    }
    let message =
        format!("{count} readings over {points:.0} points: minutes between them are sure, the curve's shape is not.");
    Some(finding("too-few-readings", Severity::Warning, None, message))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::analysis::Basis;
    use crate::quantity::{Energy, Power, Soc};
    use crate::session::Conditions;

    fn reading(minute: f64, soc: f64, kw: f64, kwh: f64) -> Reading {
        Reading {
            elapsed: Minutes::new(minute),
            soc: Soc::percent(soc),
            power: Some(Power::kw(kw)),
            energy: Some(Energy::kwh(kwh)),
            ..Reading::default()
        }
    }

    /// A clean charge of 60 kWh at 90 kW from the plug with 10 % loss: 2.25 points a minute.
    fn clean() -> Session {
        let readings = (0..=30).map(f64::from).map(|m| reading(m, 10.0 + 2.25 * m, 100.0, 100.0 * m / 60.0)).collect();
        Session { readings, ..Session::default() }
    }

    fn codes(session: &Session) -> Vec<&'static str> {
        let basis = Basis { usable: Energy::kwh(66.6), range: None, loss_percent: None };
        let analysis = Analysis::new(session, basis).unwrap();
        findings(session, &analysis).into_iter().map(|finding| finding.code).collect()
    }

    #[test]
    fn a_clean_charge_has_none() {
        assert!(codes(&clean()).is_empty());
    }

    #[test]
    fn each_fault_is_found_by_its_name() {
        let changed = |change: &dyn Fn(&mut Session)| {
            let mut session = clean();
            change(&mut session);
            codes(&session)
        };
        assert_eq!(changed(&|s| s.readings[5].elapsed = Minutes::new(1.0)), ["clock-backwards"]);
        assert_eq!(changed(&|s| s.readings[5].soc = Soc::percent(12.0)), ["soc-backwards"]);
        assert_eq!(changed(&|s| s.readings.insert(5, s.readings[4].clone())), ["duplicate"]);
        assert_eq!(changed(&|s| drop(s.readings.drain(5..14))), ["gap"]);
        let half_power = |s: &mut Session| s.readings.iter_mut().for_each(|r| r.power = Some(Power::kw(50.0)));
        assert_eq!(changed(&half_power), ["energy-against-power"]);
        let site = Conditions { site_power: Some(Power::kw(100.0)), ..Conditions::default() };
        assert_eq!(changed(&|s| s.conditions = site.clone()), ["charger-limited"]);
        assert_eq!(changed(&|s| s.readings.truncate(2)), ["too-few-readings"]);
        let dear = |s: &mut Session| {
            s.readings.iter_mut().for_each(|r| {
                r.energy = r.energy.map(|e| e * 2.0);
                r.power = r.power.map(|p| p * 2.0);
            });
        };
        assert_eq!(changed(&dear), ["energy-against-soc"]);
        assert_eq!(
            changed(&|s| s
                .readings
                .insert(0, Reading { elapsed: Minutes::new(-4.0), ..reading(0.0, 0.0, 100.0, -6.6) })),
            ["start-at-zero"]
        );
    }
}
