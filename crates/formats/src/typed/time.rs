//! How people write when something was read: by a stopwatch, in minutes, by the time of day. Which it is, is decided for a
//! whole set of readings by what is possible: order, the points gained in a minute, the power shown.

use std::fmt;

use crate::number::{clock, parse_number};
use spare_hour_core::quantity::{Energy, Minutes, Soc};
use spare_hour_core::session::Reading;

/// Minutes of a day.
const DAY: f64 = 1440.0;
/// Usable capacity that is taken where none is known, kWh, and how far from it others are, as a factor's logarithm.
const USUAL_KWH: (f64, f64) = (65.0, 0.7);
/// How far a known capacity may be from what power and points imply.
const KNOWN_KWH: f64 = 0.3;
/// Usual pace of fast charging, points in a minute, and how far others are from it.
const USUAL_PACE: (f64, f64) = (2.2, 1.1);
/// A faster pace than any battery's, points in a minute.
const TOO_FAST: f64 = 12.0;
/// Two ways of reading whose plausibilities are nearer than this are both possible.
const TELLS: f64 = 1.0;

/// A time as it was spelled.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Spelled {
    /// Minutes, told with a unit; the rank of its smallest unit: hours 3, minutes 2, seconds 1.
    Elapsed(f64, u8),
    /// `a:b`.
    Two(f64, f64),
    /// `a:b:c`.
    Three(f64, f64, f64),
    /// `:s`, the minute of the line before.
    SameMinute(f64),
    /// Minutes of the day, told as such.
    OfDay(f64),
    /// A number alone.
    Bare(f64),
}

/// How the times of a set are read.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum TimesAs {
    /// `4:30` is four minutes and a half; a number alone is seconds.
    MinutesAndSeconds,
    /// `4:30` is four minutes and a half; a number alone is minutes.
    Minutes,
    /// `4:30` is half past four.
    TimeOfDay,
}

impl TimesAs {
    /// All ways.
    pub const ALL: [Self; 3] = [Self::MinutesAndSeconds, Self::Minutes, Self::TimeOfDay];

    /// Its name in forms and in `# times:`.
    pub fn name(self) -> &'static str {
        match self {
            Self::MinutesAndSeconds => "minutes and seconds",
            Self::Minutes => "minutes",
            Self::TimeOfDay => "time of day",
        }
    }

    /// The way of a name.
    pub fn of_name(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|way| way.name().eq_ignore_ascii_case(name.trim()))
    }
}

impl Spelled {
    /// A time in parts. `afternoon` where am or pm stands beside it.
    pub(crate) fn parse(text: &str, afternoon: Option<bool>) -> Option<Self> {
        if let Some(second) = text.strip_prefix(':') {
            return sixtieth(second).map(Self::SameMinute);
        }
        if let Ok(dated) = text.parse::<jiff::civil::DateTime>() {
            let days = f64::from(dated.date().day_of_year());
            let time = dated.time();
            let seconds = f64::from(time.hour()) * 3600.0 + f64::from(time.minute()) * 60.0 + f64::from(time.second());
            return Some(Self::OfDay(days * DAY + seconds / 60.0));
        }
        let parts: Vec<&str> = text.split(':').collect();
        let spelled = match parts[..] {
            [one] => return by_letters(one).or_else(|| of_half_day(whole(one)?, 0.0, afternoon?)),
            [a, b] => Self::Two(whole(a)?, sixtieth(b)?),
            [a, b, c] => Self::Three(whole(a)?, whole(b).filter(|&b| b < 60.0)?, sixtieth(c)?),
            _ => return None,
        };
        match (spelled, afternoon) {
            (Self::Two(hour, minute), Some(afternoon)) => of_half_day(hour, minute, afternoon),
            (Self::Three(hour, minute, second), Some(afternoon)) => {
                of_half_day(hour, minute + second / 60.0, afternoon)
            }
            _ => Some(spelled),
        }
    }

    /// Minutes on the set's own clock, read one way; `None` where that cannot be.
    fn minutes(self, way: TimesAs, before: Option<f64>) -> Option<f64> {
        let of_day = way == TimesAs::TimeOfDay;
        match self {
            Self::Elapsed(minutes, _) if !of_day => Some(minutes),
            Self::Two(hour, minute) if of_day => (hour < 24.0).then_some(60.0 * hour + minute),
            Self::Three(hour, minute, second) if of_day => {
                (hour < 24.0).then_some(60.0 * hour + minute + second / 60.0)
            }
            Self::Two(minute, second) => Some(minute + second / 60.0),
            Self::Three(hour, minute, second) => Some(60.0 * hour + minute + second / 60.0),
            Self::SameMinute(second) if !of_day => Some((before? + 1e-9).floor() + second / 60.0),
            Self::OfDay(minutes) if of_day => Some(minutes),
            Self::Bare(number) if way == TimesAs::Minutes => Some(number),
            Self::Bare(number) if way == TimesAs::MinutesAndSeconds => Some(number / 60.0),
            _ => None,
        }
    }
}

fn whole(text: &str) -> Option<f64> {
    let digits = !text.is_empty() && text.len() <= 6 && text.chars().all(|c| c.is_ascii_digit());
    digits.then(|| text.parse().ok()).flatten()
}

fn sixtieth(text: &str) -> Option<f64> {
    parse_number(text, "").filter(|number| (0.0..60.0).contains(number))
}

fn of_half_day(hour: f64, minute: f64, afternoon: bool) -> Option<Spelled> {
    let hour = (1.0..=12.0).contains(&hour).then_some(hour % 12.0)?;
    Some(Spelled::OfDay(60.0 * (hour + if afternoon { 12.0 } else { 0.0 }) + minute))
}

/// `1h05`, `5m30s`, `5'30"`, `1h05m`.
fn by_letters(text: &str) -> Option<Spelled> {
    let (mut minutes, mut rank, mut rest) = (0.0, 4, text);
    while !rest.is_empty() {
        let digits = rest.find(|c: char| !c.is_ascii_digit() && c != '.').unwrap_or(rest.len());
        let number: f64 = rest[..digits].parse().ok()?;
        rest = &rest[digits..];
        let letters = rest.find(|c: char| c.is_ascii_digit()).unwrap_or(rest.len());
        let (unit, of) = match &rest[..letters] {
            "h" | "hr" => (3, 60.0),
            "m" | "min" | "'" | "′" => (2, 1.0),
            "s" | "sec" | "\"" | "″" | "''" => (1, 1.0 / 60.0),
            // The unit after hours is minutes, that after minutes seconds.
            "" if rank == 3 || rank == 2 => (rank - 1, if rank == 3 { 1.0 } else { 1.0 / 60.0 }),
            _ => return None,
        };
        if unit >= rank {
            return None;
        }
        (minutes, rank) = (minutes + number * of, unit);
        rest = &rest[letters..];
    }
    (rank < 4).then_some(Spelled::Elapsed(minutes, rank))
}

/// How the times of a set were read.
#[derive(Clone, Debug, PartialEq)]
pub struct ReadTimes {
    /// The way.
    pub way: TimesAs,
    /// The earliest and latest time in it.
    pub between: (Minutes, Minutes),
    /// Another way that is possible too: the person has to say.
    pub or: Option<TimesAs>,
    /// Whether another way could be chosen at all.
    pub can_be_changed: bool,
}

impl ReadTimes {
    /// When the earliest reading was taken by the clock on the wall, where that is known: minutes after midnight.
    pub(crate) fn began(&self) -> Option<Minutes> {
        (self.way == TimesAs::TimeOfDay).then(|| Minutes::new(self.between.0.get().rem_euclid(DAY)))
    }
}

impl fmt::Display for ReadTimes {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let (first, last) = self.between;
        match self.way {
            TimesAs::TimeOfDay => write!(f, "read as time of day, {} to {}", of_day(first), of_day(last)),
            way => write!(f, "read as {} since current began, {} to {}", way.name(), clock(first), clock(last)),
        }
    }
}

fn of_day(at: Minutes) -> String {
    let seconds = (at.get() * 60.0).round().rem_euclid(86_400.0) as u32;
    let (hour, minute, second) = (seconds / 3600, seconds / 60 % 60, seconds % 60);
    if second == 0 { format!("{hour}:{minute:02}") } else { format!("{hour}:{minute:02}:{second:02}") }
}

/// Minutes for each line, where its time can be read, and how the set was read; `None` where no time can be.
pub(crate) type Decided = (Vec<Option<f64>>, Option<ReadTimes>);

/// Decides how a set is read, unless that is told.
pub(crate) fn decide(lines: &[(Spelled, &Reading)], told: Option<TimesAs>, usable: Option<Energy>) -> Decided {
    let mut read: Vec<(f64, TimesAs, Vec<Option<f64>>)> = Vec::new();
    for way in TimesAs::ALL {
        let minutes = minutes_of(lines, way);
        let unread = minutes.iter().filter(|minute| minute.is_none()).count();
        // What cannot be read this way weighs more than anything else.
        let cost = 50.0 * unread as f64 + implausible(lines, &minutes, way, usable);
        if told == Some(way) || !read.iter().any(|(_, _, other)| *other == minutes) {
            read.push((cost, way, minutes));
        }
    }
    read.sort_by(|a, b| a.0.total_cmp(&b.0));
    let chosen = read.iter().find(|(_, way, _)| told == Some(*way)).or(read.first()).cloned();
    let Some((cost, way, minutes)) = chosen else { return (Vec::new(), None) };
    let possible = read.iter().filter(|(other, ..)| *other < 50.0);
    let others = possible.clone().filter(|(_, other, _)| *other != way);
    let near = others.clone().find(|(other, ..)| lines.len() > 1 && other - cost < TELLS);
    let or = near.filter(|_| told.is_none()).map(|(_, way, _)| *way);
    // Lines may stand in any order: the charge begins with the earliest.
    let first = minutes.iter().flatten().copied().reduce(f64::min);
    let last = minutes.iter().flatten().copied().reduce(f64::max);
    let told = first.zip(last).map(|(first, last)| ReadTimes {
        way,
        between: (Minutes::new(first), Minutes::new(last)),
        or,
        can_be_changed: others.count() > 0,
    });
    let start = if way == TimesAs::TimeOfDay { first.unwrap_or_default() } else { 0.0 };
    (minutes.into_iter().map(|minute| minute.map(|minute| minute - start)).collect(), told)
}

/// Each line's minutes; a time of day goes on over noon and midnight.
fn minutes_of(lines: &[(Spelled, &Reading)], way: TimesAs) -> Vec<Option<f64>> {
    let mut before: Option<f64> = None;
    let minutes = lines.iter().map(|(spelled, _)| {
        let mut minute = spelled.minutes(way, before)?;
        if way == TimesAs::TimeOfDay
            && let Some(before) = before
        {
            let over = [0.0, DAY / 2.0, DAY, 1.5 * DAY, 2.0 * DAY].map(|more| minute + more);
            if minute < before - 360.0 {
                minute = over.into_iter().find(|&later| later >= before).unwrap_or(minute);
            }
        }
        before = Some(minute);
        Some(minute)
    });
    minutes.collect()
}

/// How implausible a way of reading is, in standard deviations.
fn implausible(lines: &[(Spelled, &Reading)], minutes: &[Option<f64>], way: TimesAs, usable: Option<Energy>) -> f64 {
    let read: Vec<(f64, &Reading)> =
        lines.iter().zip(minutes).filter_map(|((_, reading), minute)| Some(((*minute)?, *reading))).collect();
    let (Some(&(first, _)), Some(&(last, _))) = (read.first(), read.last()) else { return 0.0 };
    let backwards = read.windows(2).filter(|pair| pair[1].0 < pair[0].0).count() as f64;
    let mut cost = 1.5 * backwards + 8.0 * backwards / read.len() as f64;
    let bare = lines.iter().all(|(spelled, _)| matches!(spelled, Spelled::Bare(_)));
    // A stopwatch starts at nought; a recording may begin a little later.
    cost += if way != TimesAs::TimeOfDay && first > 10.0 { 0.7 } else { 0.0 };
    cost += if way == TimesAs::TimeOfDay { 0.5 } else { 0.0 };
    // Few charges begin just after midnight, all on a stopwatch at nought.
    let at_nought = matches!(lines[0].0, Spelled::Two(hour, _) | Spelled::Three(hour, ..) if hour == 0.0);
    cost += if way == TimesAs::TimeOfDay && at_nought { 1.5 } else { 0.0 };
    // Numbers alone are minutes as long as they are few.
    cost += if bare && (way == TimesAs::Minutes) == (last > 180.0) { 0.4 } else { 0.0 };
    let soc: Vec<f64> = read.iter().filter_map(|(_, reading)| reading.soc.map(Soc::get)).collect();
    let points = soc.last().zip(soc.first()).map_or(0.0, |(last, first)| last - first);
    let passed = last - first;
    if read.len() < 2 || passed <= 0.0 {
        return cost;
    }
    cost + against_power(&read, points, passed, usable).unwrap_or_else(|| by_pace(points, passed, usable)).abs()
        + if points / passed > TOO_FAST { 8.0 } else { 0.0 }
}

/// The pace against the usual one, in standard deviations.
fn by_pace(points: f64, passed: f64, usable: Option<Energy>) -> f64 {
    if points <= 0.0 {
        return 0.0;
    }
    let as_usual = usable.map_or(1.0, |usable| usable.get() / USUAL_KWH.0);
    (points / passed * as_usual / USUAL_PACE.0).ln() / USUAL_PACE.1
}

/// Power over time against the counter, else against the points of a capacity, in standard deviations; `None` without power
/// and counter.
fn against_power(read: &[(f64, &Reading)], points: f64, passed: f64, usable: Option<Energy>) -> Option<f64> {
    let counts: Vec<f64> =
        read.iter().filter_map(|(_, reading)| reading.energy.map(spare_hour_core::quantity::Energy::get)).collect();
    let counted = counts.last().zip(counts.first()).map(|(last, first)| last - first).filter(|&kwh| kwh > 0.5);
    let powers: Vec<f64> =
        read.iter().filter_map(|(_, reading)| Some(reading.power?.get())).filter(|&kw| kw > 0.0).collect();
    if powers.is_empty() {
        return counted.map(|kwh| (kwh / (passed / 60.0) / 70.0).ln() / 1.2);
    }
    let energy = powers.iter().sum::<f64>() / powers.len() as f64 * passed / 60.0;
    if let Some(counted) = counted {
        return Some((energy / counted).ln() / 0.3);
    }
    let (expected, deviation) = usable.map_or(USUAL_KWH, |usable| (usable.get(), KNOWN_KWH));
    (points > 0.0).then(|| (energy / (points / 100.0) / expected).ln() / deviation)
}
