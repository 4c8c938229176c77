//! How far a charge has come at each reading, on a scale that SoC follows almost evenly: energy by the counter, else power
//! times time, else time.
//!
//! A counter that stands still while SoC rises is not believed from there on. Where power is missing it is taken from the
//! readings around. Over a gap that no counter spans, progress goes on as SoC does.

use crate::session::kept_readings::Kept;

/// A counter whose steps are coarser than this, kWh, gives way to power where that is known.
const COARSE: f64 = 0.3;
/// Share of readings that must show power, or the counter, for energy to be told.
const ENOUGH: f64 = 0.6;
/// Points between two readings over which power times time says too little.
const GAP: f64 = 10.0;
/// Readings that come within so many minutes of each other tell energy by power more finely than a counter does.
const CLOSE: f64 = 70.0 / 60.0;

/// Progress at each reading.
#[derive(Clone, Debug)]
pub(crate) struct Progress {
    pub(crate) at: Vec<f64>,
    /// Whether it is energy, on whichever meter; else it is time.
    pub(crate) is_energy: bool,
}

/// The progress of a charge.
pub(crate) fn progress(kept: &[Kept]) -> Progress {
    let counter = trusted_counter(kept);
    let powers = powers(kept);
    let close = kept.windows(2).all(|pair| pair[1].minute - pair[0].minute <= CLOSE);
    let counter_is_fine = (counter_step(&counter) <= COARSE && !close) || powers.is_none();
    let counted = counter.iter().flatten().count() as f64 >= ENOUGH * kept.len() as f64;
    let at = match (counted && counter_is_fine, powers) {
        (true, powers) => by_counter(kept, &counter, powers.as_deref()),
        (false, Some(powers)) => by_power(kept, &powers),
        (false, None) => return Progress { at: kept.iter().map(|kept| kept.minute).collect(), is_energy: false },
    };
    Progress { at: over_gaps(kept, at, counted), is_energy: true }
}

/// Minutes as power and energy tell them, for a clock that is too coarse: each step of energy over its power. Where power is
/// missing, SoC itself.
pub(crate) fn time_by_power(kept: &[Kept]) -> Option<Progress> {
    let powers = powers(kept);
    let counter = trusted_counter(kept);
    let energy: Vec<f64> = match counter.iter().copied().collect::<Option<Vec<f64>>>() {
        Some(counted) if counter_step(&counter) <= COARSE => counted,
        _ => kept.iter().map(|kept| kept.soc).collect::<Option<Vec<f64>>>()?,
    };
    let mut at = vec![0.0];
    for index in 1..kept.len() {
        let power = powers.as_ref().map_or(1.0, |powers| f64::midpoint(powers[index - 1], powers[index]));
        at.push(at[index - 1] + (energy[index] - energy[index - 1]).max(0.0) / power.max(0.1) + 1e-9);
    }
    Some(Progress { at, is_energy: powers.is_some() })
}

/// The counter as far as it can be believed: it never falls, and does not stand while SoC rises.
fn trusted_counter(kept: &[Kept]) -> Vec<Option<f64>> {
    let mut counter: Vec<Option<f64>> = kept.iter().map(|kept| kept.kwh).collect();
    let known: Vec<(usize, f64)> = counter.iter().enumerate().filter_map(|(at, kwh)| Some((at, (*kwh)?))).collect();
    let falls = known.windows(2).any(|pair| pair[1].1 < pair[0].1 - 1e-9);
    let rises = known.first().zip(known.last()).is_some_and(|(first, last)| last.1 > first.1);
    if falls || !rises {
        counter.fill(None);
    } else if let Some(stopped) = stopped_counter(kept, &known) {
        counter[stopped + 1..].fill(None);
    }
    counter
}

/// The last reading of a counter that then stands still to the end while SoC rises by two points or more.
fn stopped_counter(kept: &[Kept], known: &[(usize, f64)]) -> Option<usize> {
    let &(_, last) = known.last()?;
    let &(stopped, _) = known.iter().find(|&&(_, kwh)| kwh >= last - 1e-9)?;
    let soc = |from: usize| kept[from..].iter().filter_map(|kept| kept.soc);
    let gained = soc(stopped).next_back()? - soc(stopped).next()?;
    (gained >= 2.0 && stopped + 2 < kept.len()).then_some(stopped)
}

/// The reading at which the counter stopped, if it stopped before the end.
pub(crate) fn counter_stops_at(kept: &[Kept]) -> Option<usize> {
    let known: Vec<(usize, f64)> = kept.iter().enumerate().filter_map(|(at, kept)| Some((at, kept.kwh?))).collect();
    stopped_counter(kept, &known)
}

/// The usual step of a counter that moves, kWh.
fn counter_step(counter: &[Option<f64>]) -> f64 {
    let known: Vec<f64> = counter.iter().flatten().copied().collect();
    let shown_in = |step: f64| known.iter().all(|kwh| ((kwh / step).round() * step - kwh).abs() < 1e-6);
    [1.0, 0.5, 0.1].into_iter().find(|&step| shown_in(step)).unwrap_or(0.01)
}

/// Power at each reading, missing ones from those around in time; `None` where too few are known. Current that is only
/// starting or stopping is power too.
fn powers(kept: &[Kept]) -> Option<Vec<f64>> {
    let known: Vec<(f64, f64)> = kept.iter().filter_map(|kept| Some((kept.minute, kept.kw?.max(0.0)))).collect();
    if (known.len() as f64) < ENOUGH * kept.len() as f64 || known.iter().all(|known| known.1 <= 0.0) {
        return None;
    }
    let at = |minute: f64| {
        let after = known.partition_point(|known| known.0 < minute);
        match (after.checked_sub(1).map(|before| known[before]), known.get(after)) {
            (Some(before), Some(after)) if after.0 > before.0 => {
                before.1 + (after.1 - before.1) * (minute - before.0) / (after.0 - before.0)
            }
            (_, Some(only)) => only.1,
            (Some(only), None) => only.1,
            (None, None) => 0.0,
        }
    };
    Some(kept.iter().map(|kept| kept.kw.map_or_else(|| at(kept.minute), |kw| kw.max(0.0))).collect())
}

fn by_power(kept: &[Kept], powers: &[f64]) -> Vec<f64> {
    let mut at = vec![0.0];
    for index in 1..kept.len() {
        let minutes = kept[index].minute - kept[index - 1].minute;
        at.push(at[index - 1] + f64::midpoint(powers[index - 1], powers[index]) * minutes / 60.0);
    }
    at
}

/// The counter; between its readings, and after it stopped, by power, else by SoC or time.
fn by_counter(kept: &[Kept], counter: &[Option<f64>], powers: Option<&[f64]>) -> Vec<f64> {
    let inner = powers.map_or_else(|| kept.iter().map(|kept| kept.minute).collect(), |powers| by_power(kept, powers));
    let known: Vec<usize> = (0..kept.len()).filter(|&at| counter[at].is_some()).collect();
    let value = |at: usize| counter[at].unwrap_or_default();
    let (first, last) = (known[0], known[known.len() - 1]);
    let scale = (value(last) - value(first)) / (inner[last] - inner[first]).max(1e-9);
    let mut at: Vec<f64> = inner.iter().map(|inner_at| value(first) + scale * (inner_at - inner[first])).collect();
    for pair in known.windows(2) {
        let whole = inner[pair[1]] - inner[pair[0]];
        for index in pair[0]..=pair[1] {
            let share = if whole > 0.0 { (inner[index] - inner[pair[0]]) / whole } else { 0.0 };
            at[index] = value(pair[0]) + share * (value(pair[1]) - value(pair[0]));
        }
    }
    let beyond = value(last) - at[last];
    at[last + 1..].iter_mut().for_each(|at| *at += beyond);
    let mut highest = f64::NEG_INFINITY;
    at.iter()
        .map(|&at| {
            highest = highest.max(at);
            highest
        })
        .collect()
}

/// Over a gap that no counter spans, progress goes on as SoC does on the whole.
fn over_gaps(kept: &[Kept], mut at: Vec<f64>, counted: bool) -> Vec<f64> {
    if counted {
        return at;
    }
    let is_gap = |index: usize| {
        let gained = kept[index].soc.zip(kept[index - 1].soc).map(|(is, was)| is - was);
        gained.filter(|&gained| gained > GAP)
    };
    let (mut energy, mut points) = (0.0, 0.0);
    for index in 1..kept.len() {
        if let (Some(is), Some(was), None) = (kept[index].soc, kept[index - 1].soc, is_gap(index)) {
            energy += at[index] - at[index - 1];
            points += is - was;
        }
    }
    if points < GAP {
        return at;
    }
    for index in 1..kept.len() {
        if let Some(gained) = is_gap(index) {
            let more = gained * energy / points - (at[index] - at[index - 1]);
            at[index..].iter_mut().for_each(|at| *at += more);
        }
    }
    at
}
