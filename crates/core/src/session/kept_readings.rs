//! Which readings of a session count, and what is done about the others: slips are passed over, as few as make the rest
//! possible; a clock that was set back goes on where it stood; a display that flickers by one step stands still.
//!
//! Possible is a clock that goes on, a SoC that does not fall, and no more points in a minute than a battery takes.
//! Among all choices the one that keeps most readings is taken (a longest chain, found by dynamic programming).

use crate::quantity::{Energy, Minutes, Power, Soc};
use crate::session::{Reading, Session};

/// Most points that a battery gains in a minute: some nine times its capacity in an hour. Common practice, no published
/// source: fast ones take five to six times.
const MOST_POINTS_A_MINUTE: f64 = 15.0;
/// A fall of the shown SoC that is the display's own flicker, points.
const FLICKER: f64 = 1.0;
/// Readings that a reading is chained to: more of them in a row are no slips.
const LOOK_BACK: usize = 60;
/// A power this many times its neighbours', or more, is a slip.
const POWER_SLIP: f64 = 2.5;
/// Readings after a clock was set back that show that it was.
const SET_BACK_RUN: usize = 2;
/// Readings before and after a clock that was set back that tell how far it should have gone on; more than the run.
const LOOKED_AT: usize = 5;
/// Steps of the clock from which on it can be told that it shows whole minutes only.
const FEWEST_MINUTES: usize = 12;

/// Why a reading does not count.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Slip {
    /// Its clock runs back against this good reading's minute.
    Clock {
        /// The good reading before it.
        after: Minutes,
    },
    /// A second reading at one time.
    Twice,
    /// Its SoC cannot be: it is below that of a good reading before it, or so far above that no battery takes it so fast.
    Soc {
        /// The good reading before it.
        after: Soc,
        /// The SoC with one digit changed that would fit, where there is one.
        likely: Option<Soc>,
    },
    /// Its power cannot be, amid its neighbours'; the rest of the reading counts.
    Power {
        /// The power with its point moved or one digit dropped that would fit, where there is one.
        likely: Option<Power>,
    },
}

impl Slip {
    /// Why the whole reading does not count, in a word; `None` where only its power does not.
    pub fn word(&self) -> Option<&'static str> {
        match self {
            Self::Clock { .. } => Some("clock-backwards"),
            Self::Twice => Some("duplicate"),
            Self::Soc { .. } => Some("soc-backwards"),
            Self::Power { .. } => None,
        }
    }
}

/// A reading that counts.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Kept {
    pub(crate) reading: usize,
    pub(crate) minute: f64,
    /// As shown, or as the range shown tells.
    pub(crate) soc: Option<f64>,
    pub(crate) kw: Option<f64>,
    pub(crate) kwh: Option<f64>,
}

/// The readings that count and what was passed over.
#[derive(Clone, Debug, Default)]
pub struct KeptReadings {
    pub(crate) kept: Vec<Kept>,
    /// Readings that do not count, by number from 0, and why.
    pub slips: Vec<(usize, Slip)>,
    /// Where the clock was set back, by number of the first reading after it, and by how much.
    pub set_back: Vec<(usize, Minutes)>,
    /// Whether the clock shows whole minutes only.
    pub whole_minutes: bool,
    /// Readings at the start without current: they are before the charge.
    pub before_current: usize,
    /// Whether some SoC is told by the range shown.
    pub soc_by_range: bool,
}

impl KeptReadings {
    /// Chooses among the readings of a session.
    pub fn new(session: &Session) -> Self {
        let mut chosen = Self::default();
        let mut read: Vec<Kept> = Vec::with_capacity(session.readings.len());
        for (index, reading) in session.counted() {
            let soc = session.soc_of(reading).map(Soc::get);
            chosen.soc_by_range |= reading.soc.is_none() && soc.is_some();
            read.push(Kept {
                reading: index,
                minute: reading.elapsed.get(),
                soc,
                kw: shown_power(reading),
                kwh: reading.energy.map(Energy::get),
            });
        }
        chosen.whole_minutes = shows_whole_minutes(&read);
        chosen.go_on_where_set_back(&mut read);
        chosen.pass_over_power_slips(&mut read);
        let kept = chosen.longest_chain(read);
        let idle = kept.iter().take_while(|kept| kept.kw == Some(0.0)).count();
        let starts = idle > 0 && kept.get(idle).is_some_and(|first| first.kw.is_some_and(|kw| kw > 0.0));
        chosen.before_current = if starts && kept.len() - idle >= 2 { idle } else { 0 };
        chosen.kept = kept[chosen.before_current..].to_vec();
        chosen
    }

    /// Moves what follows a clock that was set back so that it goes on where it stood.
    fn go_on_where_set_back(&mut self, read: &mut [Kept]) {
        // So much is still to be added to what stands from a place on.
        let (mut offset, mut moved) = (0.0, 1);
        for index in 1..read.len() {
            let near = (index + LOOKED_AT).min(read.len());
            read[moved..near].iter_mut().for_each(|kept| kept.minute += offset);
            moved = near;
            let before = read[index - 1];
            let run = read[index..].iter().take(SET_BACK_RUN + 1);
            let all_before = run.clone().all(|kept| kept.minute < before.minute - 1e-9);
            let rising = read[index..].windows(2).take(SET_BACK_RUN).all(|pair| pair[1].minute > pair[0].minute);
            let higher = match (before.soc, read[index + run.len() - 1].soc) {
                (Some(was), Some(is)) => is >= was,
                _ => true,
            };
            if run.len() > SET_BACK_RUN && all_before && rising && higher && is_last_good(read, index - 1) {
                let by = before.minute + step_over(read, index) - read[index].minute;
                read[index..moved].iter_mut().for_each(|kept| kept.minute += by);
                offset += by;
                self.set_back.push((read[index].reading, Minutes::new(by)));
            }
        }
    }

    /// Takes away powers that stand far above both neighbours'.
    fn pass_over_power_slips(&mut self, read: &mut [Kept]) {
        let powers: Vec<(usize, f64)> =
            read.iter().enumerate().filter_map(|(index, kept)| Some((index, kept.kw?))).collect();
        for at in 0..powers.len() {
            let (index, kw) = powers[at];
            let mut near: Vec<f64> = powers[at.saturating_sub(2)..(at + 3).min(powers.len())]
                .iter()
                .filter(|&&(other, _)| other != index)
                .map(|&(_, kw)| kw)
                .collect();
            near.sort_by(f64::total_cmp);
            let Some(&typical) = near.get(near.len() / 2) else { continue };
            let top = near[near.len() - 1];
            if near.len() >= 2 && typical > 1.0 && kw >= POWER_SLIP * top && kw > 20.0 {
                let likely = likely_power(kw, typical);
                self.slips.push((read[index].reading, Slip::Power { likely: likely.map(Power::kw) }));
                read[index].kw = None;
            }
        }
    }

    /// The longest chain of readings that are possible one after another; the others are slips.
    fn longest_chain(&mut self, read: Vec<Kept>) -> Vec<Kept> {
        let whole_minutes = self.whole_minutes;
        let follows = |before: &Kept, at: &Kept| follows(before, at, whole_minutes);
        if read.windows(2).all(|pair| follows(&pair[0], &pair[1])) && read.iter().all(|kept| kept.soc.is_some()) {
            return never_falling(read.into_iter());
        }
        // For each reading the most readings of a chain that ends with it, the reading before it in that chain, and the last
        // SoC of it with its minute.
        let mut best: Vec<(usize, Option<usize>)> = Vec::with_capacity(read.len());
        let mut last_known: Vec<Option<Kept>> = Vec::with_capacity(read.len());
        for (index, at) in read.iter().enumerate() {
            let mut chain = (1, None);
            for before in (index.saturating_sub(LOOK_BACK)..index).rev() {
                let goes_on = follows(&Kept { soc: None, ..read[before] }, at);
                let possible = last_known[before].is_none_or(|known| follows(&known, at));
                if best[before].0 + 1 >= chain.0 && goes_on && possible {
                    chain = (best[before].0 + 1, Some(before));
                }
            }
            let known = chain.1.and_then(|before| last_known[before]);
            let highest = known.and_then(|known| known.soc).unwrap_or(f64::NEG_INFINITY);
            last_known.push(at.soc.map(|soc| Kept { soc: Some(soc.max(highest)), ..*at }).or(known));
            best.push(chain);
        }
        let mut end = (0..best.len()).rev().max_by_key(|&index| best[index].0);
        let mut on_chain = vec![false; read.len()];
        while let Some(index) = end {
            on_chain[index] = true;
            end = best[index].1;
        }
        self.name_slips(&read, &on_chain);
        never_falling(read.into_iter().zip(on_chain).filter(|(_, on)| *on).map(|(kept, _)| kept))
    }

    fn name_slips(&mut self, read: &[Kept], on_chain: &[bool]) {
        let places: Vec<usize> = (0..read.len()).filter(|&index| on_chain[index]).collect();
        for (index, at) in read.iter().enumerate().filter(|(index, _)| !on_chain[*index]) {
            let after = places.partition_point(|&place| place < index);
            let before = after.checked_sub(1).map(|before| read[places[before]]);
            let next = places.get(after).map(|&next| read[next]);
            let slip = match (before, next) {
                (Some(before), _) if same_time(&before, at) => Slip::Twice,
                (_, Some(next)) if same_time(&next, at) => Slip::Twice,
                (Some(before), _) if at.minute < before.minute => Slip::Clock { after: Minutes::new(before.minute) },
                (Some(before), Some(next)) if at.minute > next.minute && fits_soc(&before, at, &next) => {
                    Slip::Clock { after: Minutes::new(before.minute) }
                }
                (before, next) => Slip::Soc {
                    after: Soc::percent(before.and_then(|before| before.soc).unwrap_or_default()),
                    likely: likely_soc(before.as_ref(), at, next.as_ref()).map(Soc::percent),
                },
            };
            self.slips.push((at.reading, slip));
        }
    }
}

/// Whether a reading's clock is no slip itself: it is not ahead of all that follows by chance.
fn is_last_good(read: &[Kept], index: usize) -> bool {
    index == 0 || index == 1 || {
        let (before, at) = (read[index - 1], read[index]);
        let typical = (before.minute - read[0].minute) / (index - 1) as f64;
        at.minute >= before.minute && at.minute - before.minute <= 20.0 * typical.max(0.1)
    }
}

/// A display that flickers stands still.
fn never_falling(read: impl Iterator<Item = Kept>) -> Vec<Kept> {
    let mut highest = f64::NEG_INFINITY;
    let risen = read.map(|kept| {
        let soc = kept.soc.map(|soc| soc.max(highest));
        highest = soc.unwrap_or(highest);
        Kept { soc, ..kept }
    });
    risen.collect()
}

/// Power as the meter showed it, else volts times amps.
fn shown_power(reading: &Reading) -> Option<f64> {
    let by_current = || Some(reading.voltage?.get() * reading.current?.get() / 1000.0);
    reading.power.map(Power::get).or_else(by_current)
}

/// Whether every time is a whole minute, though readings do not come once in a minute.
fn shows_whole_minutes(read: &[Kept]) -> bool {
    let whole = read.iter().all(|kept| (kept.minute - kept.minute.round()).abs() < 1e-6);
    let mut steps: Vec<f64> = read.windows(2).map(|pair| (pair[1].minute - pair[0].minute).round()).collect();
    steps.sort_by(f64::total_cmp);
    let Some(&typical) = steps.get(steps.len() / 2) else { return false };
    let odd = steps.iter().filter(|&&step| step != typical).count();
    let twice = steps.iter().filter(|&&step| step == 0.0).count();
    whole && steps.len() >= FEWEST_MINUTES && typical <= 3.0 && (10 * twice > steps.len() || 10 * odd > 3 * steps.len())
}

/// The minutes that most likely passed over a clock that was set back: those of as many points nearby.
fn step_over(read: &[Kept], index: usize) -> f64 {
    let near = |pair: &[Kept]| {
        let (minutes, points) = (pair[1].minute - pair[0].minute, pair[1].soc? - pair[0].soc?);
        (minutes > 0.0).then_some((minutes, points))
    };
    let before = read[index.saturating_sub(LOOKED_AT)..index].windows(2).filter_map(near);
    let after = read[index..(index + LOOKED_AT).min(read.len())].windows(2).filter_map(near);
    let steps: Vec<(f64, f64)> = before.chain(after).collect();
    let (minutes, points) = steps.iter().fold((0.0, 0.0), |sum, step| (sum.0 + step.0, sum.1 + step.1));
    let gained = read[index].soc.zip(read[index - 1].soc).map(|(is, was)| is - was);
    match gained {
        Some(gained) if points > 0.0 => (minutes / points * gained).max(0.02),
        _ => minutes / steps.len().max(1) as f64,
    }
}

fn same_time(before: &Kept, at: &Kept) -> bool {
    (at.minute - before.minute).abs() < 1e-9
}

/// Whether a reading can come after another.
fn follows(before: &Kept, at: &Kept, whole_minutes: bool) -> bool {
    let goes_on = at.minute > before.minute + 1e-9 || (whole_minutes && same_time(before, at));
    let (Some(was), Some(is)) = (before.soc, at.soc) else { return goes_on };
    let minutes = at.minute - before.minute + if whole_minutes { 1.0 } else { 0.0 };
    goes_on && is >= was - FLICKER - 1e-9 && is - was <= 1.0 + MOST_POINTS_A_MINUTE * minutes
}

fn fits_soc(before: &Kept, at: &Kept, next: &Kept) -> bool {
    let (Some(was), Some(is), Some(then)) = (before.soc, at.soc, next.soc) else { return true };
    is >= was && is <= then
}

/// The SoC between its neighbours' with one digit changed, nearest to the one on the straight line between them.
fn likely_soc(before: Option<&Kept>, at: &Kept, next: Option<&Kept>) -> Option<f64> {
    let shown = at.soc?;
    let low = before.and_then(|before| before.soc).unwrap_or(0.0);
    let high = next.and_then(|next| next.soc).unwrap_or_else(|| {
        let minutes = before.map_or(0.0, |before| at.minute - before.minute);
        (low + 1.0 + 0.5 * MOST_POINTS_A_MINUTE * minutes).min(100.0)
    });
    let share = match (before, next) {
        (Some(before), Some(next)) if next.minute > before.minute => {
            (at.minute - before.minute) / (next.minute - before.minute)
        }
        _ => 0.5,
    };
    let expected = low + share * (high - low);
    let whole = shown.round() as i32;
    let rest = shown - f64::from(whole);
    let (tens, ones) = (whole / 10, whole % 10);
    let changed = (0..10).flat_map(|digit| [10 * digit + ones, 10 * tens + digit]).chain([10 * ones + tens]);
    let possible = changed.filter(|&soc| soc != whole).map(|soc| f64::from(soc) + rest);
    let fitting = possible.filter(|&soc| soc >= low && soc <= high);
    fitting.min_by(|a, b| (a - expected).abs().total_cmp(&(b - expected).abs()))
}

/// The power with its point moved or one digit dropped, if that is near its neighbours'.
fn likely_power(kw: f64, typical: f64) -> Option<f64> {
    let whole = kw.round() as u64;
    let digits = whole.to_string();
    let dropped = (0..digits.len()).filter_map(|at| {
        let mut rest = digits.clone();
        rest.remove(at);
        rest.parse::<f64>().ok()
    });
    let near = dropped.chain([kw / 10.0]).filter(|other| (other / typical - 1.0).abs() < 0.15);
    near.min_by(|a, b| (a - typical).abs().total_cmp(&(b - typical).abs()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::session::Conditions;

    fn session(rows: &[(f64, f64, f64)]) -> Session {
        let reading = |&(minute, soc, kw): &(f64, f64, f64)| Reading {
            elapsed: Minutes::new(minute),
            soc: Some(Soc::percent(soc)),
            power: (kw >= 0.0).then(|| Power::kw(kw)),
            ..Reading::default()
        };
        Session { readings: rows.iter().map(reading).collect(), ..Session::default() }
    }

    /// Two points a minute from 10 %, without power.
    fn steady() -> Vec<(f64, f64, f64)> {
        (0..40).map(|i| (0.5 * f64::from(i), 10.0 + f64::from(i), -1.0)).collect()
    }

    #[test]
    fn one_slip_costs_one_reading_and_its_digit_is_offered() {
        let mut rows = steady();
        rows[34].1 = 84.0;
        let kept = KeptReadings::new(&session(&rows));
        assert_eq!(kept.kept.len(), 39);
        let Slip::Soc { likely, .. } = kept.slips[0].1 else { panic!("{:?}", kept.slips) };
        assert_eq!((kept.slips[0].0, likely), (34, Some(Soc::percent(44.0))));
        // At the very end only the speed tells.
        let mut rows = steady();
        rows[39].1 = 94.0;
        assert_eq!(KeptReadings::new(&session(&rows)).slips.len(), 1);
        // Two in a row, and one too low.
        let mut rows = steady();
        (rows[20].1, rows[21].1, rows[5].1) = (80.0, 81.0, 11.0);
        assert_eq!(KeptReadings::new(&session(&rows)).kept.len(), 37);
    }

    #[test]
    fn a_flicker_is_no_fault() {
        let mut rows = steady();
        rows.extend([(20.5, 49.0, -1.0), (21.0, 48.0, -1.0), (21.5, 49.0, -1.0), (22.0, 50.0, -1.0)]);
        let kept = KeptReadings::new(&session(&rows));
        assert!(kept.slips.is_empty(), "{:?}", kept.slips);
        assert!(kept.kept.windows(2).all(|pair| pair[1].soc >= pair[0].soc));
    }

    #[test]
    fn a_clock_that_was_set_back_goes_on() {
        let mut rows = steady();
        rows[20..].iter_mut().for_each(|row| row.0 -= 7.0);
        let kept = KeptReadings::new(&session(&rows));
        assert_eq!((kept.kept.len(), kept.set_back.len()), (40, 1));
        assert!((kept.kept[39].minute - 19.5).abs() < 0.01, "{}", kept.kept[39].minute);
        let mut rows = steady();
        rows[20].0 = 1.0;
        let kept = KeptReadings::new(&session(&rows));
        assert!(matches!(kept.slips[..], [(20, Slip::Clock { .. })]) && kept.set_back.is_empty());
    }

    #[test]
    fn a_power_that_cannot_be_is_no_peak() {
        let rows = steady().into_iter().enumerate().map(|(i, r)| (r.0, r.1, if i == 7 { 920.0 } else { 98.0 }));
        let kept = KeptReadings::new(&session(&rows.collect::<Vec<_>>()));
        assert_eq!(kept.slips, [(7, Slip::Power { likely: Some(Power::kw(92.0)) })]);
        assert_eq!((kept.kept.len(), kept.kept[7].kw), (40, None));
    }

    #[test]
    fn what_comes_before_the_current_is_not_the_charge() {
        let rows = [(0.0, 10.0, 0.0), (1.0, 10.0, 0.0), (1.5, 10.0, 90.0), (3.0, 13.0, 120.0), (5.0, 20.0, 130.0)];
        let kept = KeptReadings::new(&session(&rows));
        assert_eq!((kept.before_current, kept.kept[0].minute), (2, 1.5));
    }

    #[test]
    fn the_range_shown_tells_soc() {
        let reading = |minute: f64, km: f64| Reading {
            elapsed: Minutes::new(minute),
            range: Some(crate::quantity::Distance::km(km)),
            ..Reading::default()
        };
        let conditions =
            Conditions { rated_range: Some(crate::quantity::Distance::km(450.0)), ..Conditions::default() };
        let session = Session { readings: vec![reading(0.0, 45.0), reading(10.0, 225.0)], conditions };
        let kept = KeptReadings::new(&session);
        assert!(kept.soc_by_range);
        assert_eq!(kept.kept.iter().map(|kept| kept.soc).collect::<Vec<_>>(), [Some(10.0), Some(50.0)]);
    }
}
