//! A charge under way against what car and stall let expect: is it as fast as it should be, and how will it go on?
//!
//! Power is what SoC gains: where the power shown and the SoC shown disagree by more than their rounding, SoC is believed. A slow charge
//! may be slower all along (a cold or hot battery: the curve times a factor), less and less so (one that warms up), or held by a limit (a derated or shared stall: the
//! curve cut off). Both are fitted to the readings by least squares, and each counts as much as it is likely by its residuals (Bayes'
//! rule, even odds before). Plain statistics; 1.96 standard deviations hold 19 of 20.

use crate::charging::drift::{Drift, Measured};
use crate::charging::profile::Profile;
use crate::charging::stall::{BoostedStart, Stall};
use crate::quantity::{Energy, Minutes, Power, Soc};
use crate::session::{Meter, Session};
use crate::trip::Vehicle;

/// Power climbs for so long after current begins, and tells nothing until then, minutes: common practice, no published source.
const CLIMBS: f64 = 0.75;
/// Older readings than this say less of what is to come, minutes.
const RECENT: f64 = 6.0;
/// A display of power is right within so much of itself, one standard deviation.
const SHOWN: f64 = 0.015;
/// Standard deviation of a whole percent shown, points: a twelfth of its square.
const ROUNDED: f64 = 0.289;
/// What was charged is counted on since a reading of at most so long ago, minutes.
const COUNTED: f64 = 4.0;
/// Fewest points of SoC that tell a power by themselves.
const TELLING: f64 = 2.5;
/// A charge that comes so much nearer to what is expected while it is watched warms up.
const WARMS: f64 = 0.1;
/// One of two fits is told from the other where it is so likely.
const LIKELY: f64 = 0.9;
/// A charge within so much of what was expected is as expected.
pub const AS_EXPECTED: f64 = 0.06;

/// What the readings of a charge say of it.
#[derive(Clone, Debug, PartialEq)]
pub struct ChargeNow {
    /// How long current has flowed, by the last reading.
    pub since: Minutes,
    /// SoC at the first reading,
    pub start: Soc,
    /// and at the last one, as shown.
    pub soc: Soc,
    /// What is in the battery for sure: a percent shown may stand for half a percent less.
    pub sure: Soc,
    /// Power into the battery that car and stall let expect now.
    pub expected: Power,
    /// This charge against that, where anything can be told.
    pub ratio: Option<Ratio>,
    /// What the readings fit.
    pub shape: Shape,
    /// Power into the battery over SoC, kW, as it will go on.
    pub power: Profile,
}

/// This charge against what was expected; 1 is as expected.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Ratio {
    /// The power, as a part of the expected.
    pub value: f64,
    /// The truth lies within ± this, 19 times in 20.
    pub error: f64,
}

/// How a charge differs from what was expected.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Shape {
    /// Not by more than what can be told.
    AsExpected,
    /// By a factor all along: the battery.
    Scaled,
    /// Held at a power: the stall.
    Limited(Power),
    /// Slower, and less and less so: a battery that warms up.
    Warming,
    /// Slower or faster; of which kind cannot be told yet.
    Unclear,
}

/// A power that was seen, into the battery.
#[derive(Clone, Copy, Debug)]
struct Seen {
    minute: f64,
    kw: f64,
    expected: f64,
    /// One standard deviation of `kw` as a part of it.
    error: f64,
}

impl ChargeNow {
    /// What a session's readings say of a charge at a stall; `None` where no SoC was read.
    pub fn new(session: &Session, vehicle: &Vehicle, stall: &Stall) -> Option<Self> {
        let read: Vec<(f64, f64)> = session
            .counted()
            .filter_map(|(_, reading)| Some((reading.elapsed.get(), session.soc_of(reading)?.get())))
            .collect();
        let (first, last) = (*read.first()?, *read.last()?);
        let (start, soc) = (Soc::percent(first.1), Soc::percent(last.1));
        let expects = |minute: f64, soc: f64| stall.power_at(start, Soc::percent(soc), Minutes::new(minute)).get();
        let by_soc = by_soc(&read, vehicle, &expects);
        let mut seen = by_power(session, vehicle, &expects);
        // What the display shows is only as good as what the battery gained.
        if let Some(gained) = gained_against_shown(&seen, &read, vehicle) {
            for one in &mut seen {
                one.kw *= gained;
            }
        }
        if seen.is_empty() {
            seen = by_soc;
        }
        let sure = sure(&read, &seen, vehicle);
        let as_it_goes_on = going_on(stall, start, soc, Minutes::new(last.0));
        let (shape, power) = fit(&seen, &as_it_goes_on, last.0);
        let expected = Power::kw(expects(last.0, last.1));
        Some(Self {
            since: Minutes::new(last.0),
            start,
            soc,
            sure,
            expected,
            ratio: ratio(&seen, last.0),
            shape,
            power,
        })
    }
}

/// What car and stall let expect from here on, over SoC: a boost lasts its minutes, which have begun.
fn going_on(stall: &Stall, start: Soc, soc: Soc, since: Minutes) -> Profile {
    let left = |boost: &BoostedStart| Minutes::new(boost.minutes - since.get());
    match stall.boost_from(start) {
        Some(boost) if left(boost).get() > 0.0 => {
            boost.power().then(boost.time.soc_after(soc, left(boost)).get(), stall.power())
        }
        _ => stall.power().clone(),
    }
}

/// The powers that were shown, once it no longer climbs, into the battery.
fn by_power(session: &Session, vehicle: &Vehicle, expects: &impl Fn(f64, f64) -> f64) -> Vec<Seen> {
    let share = if session.conditions.meter == Meter::Station { vehicle.stored_share() } else { 1.0 };
    let seen = session.counted().filter_map(|(_, reading)| {
        let (minute, soc) = (reading.elapsed.get(), session.soc_of(reading)?.get());
        let kw = reading.power?.get() * share;
        let expected = expects(minute, soc);
        (minute >= CLIMBS && kw > 0.0 && expected > 0.0).then_some(Seen { minute, kw, expected, error: SHOWN })
    });
    seen.collect()
}

/// The powers that the gains of SoC amount to, where they are large enough to tell.
fn by_soc(read: &[(f64, f64)], vehicle: &Vehicle, expects: &impl Fn(f64, f64) -> f64) -> Vec<Seen> {
    let mut seen = Vec::new();
    let mut from = 0;
    for to in 1..read.len() {
        let (points, minutes) = (read[to].1 - read[from].1, read[to].0 - read[from].0);
        if points < TELLING || minutes <= 0.0 {
            continue;
        }
        let kw = stored(points, vehicle).get() * 60.0 / minutes;
        let (minute, soc) = (f64::midpoint(read[from].0, read[to].0), f64::midpoint(read[from].1, read[to].1));
        let error = (2.0f64).sqrt() * ROUNDED / points;
        seen.push(Seen { minute, kw, expected: expects(minute, soc), error });
        from = to;
    }
    seen
}

fn stored(points: f64, vehicle: &Vehicle) -> Energy {
    vehicle.usable * (points / 100.0)
}

/// What SoC gained against what the powers shown amount to, where the two differ by more than rounding; `None` where they agree or
/// nothing can be told.
fn gained_against_shown(seen: &[Seen], read: &[(f64, f64)], vehicle: &Vehicle) -> Option<f64> {
    let (first, last) = (seen.first()?, seen.last()?);
    let soc_at = |minute: f64| read.iter().find(|one| (one.0 - minute).abs() < 1e-9).map(|one| one.1);
    let points = soc_at(last.minute)? - soc_at(first.minute)?;
    let shown: f64 = seen
        .windows(2)
        .map(|pair| f64::midpoint(pair[0].kw, pair[1].kw) * (pair[1].minute - pair[0].minute) / 60.0)
        .sum();
    if points < 4.0 * TELLING || shown <= 0.0 {
        return None;
    }
    let gained = stored(points, vehicle).get() / shown;
    let error = (2.0f64).sqrt() * ROUNDED / points + SHOWN;
    ((gained - 1.0).abs() > 3.0 * error).then_some(gained)
}

/// What is in the battery for sure: half of the last digit shown may be missing, unless what was charged since an earlier reading tells
/// that it is not.
fn sure(read: &[(f64, f64)], seen: &[Seen], vehicle: &Vehicle) -> Soc {
    let last = read[read.len() - 1];
    let is_whole = |number: f64| (number - number.round()).abs() < 1e-6;
    let whole = |tenths: i32| read.iter().all(|one| is_whole(one.1 * 10f64.powi(tenths)));
    let half = 0.5 * (0..4).find(|&tenths| whole(tenths)).map_or(0.0, |tenths| 10f64.powi(-tenths));
    let recent = read.iter().filter(|one| last.0 - one.0 <= COUNTED);
    let at_least = recent.map(|one| one.1 - half + (1.0 - 2.0 * SHOWN) * gain(seen, one.0, last.0, vehicle));
    Soc::percent(at_least.fold(0.0, f64::max).min(last.1))
}

/// The points that the powers seen between two minutes amount to.
fn gain(seen: &[Seen], from: f64, to: f64, vehicle: &Vehicle) -> f64 {
    let between = seen.windows(2).filter(|pair| pair[0].minute >= from - 1e-9 && pair[1].minute <= to + 1e-9);
    let energy = |pair: &[Seen]| pair[0].kw.min(pair[1].kw) * (pair[1].minute - pair[0].minute) / 60.0;
    100.0 * between.map(energy).sum::<f64>() / vehicle.usable.get()
}

/// How much a power seen says of what is to come.
fn weight(one: &Seen, now: f64) -> f64 {
    (-(now - one.minute) / RECENT).exp() / (one.error * one.error)
}

/// How many powers alike would say as much as these.
fn count(seen: &[Seen], now: f64) -> f64 {
    let (sum, squares) = seen
        .iter()
        .map(|one| weight(one, now))
        .fold((0.0, 0.0), |sum, weight| (sum.0 + weight, sum.1 + weight * weight));
    sum * sum / squares
}

/// The mean of the powers seen against the expected, the later ones first.
fn ratio(seen: &[Seen], now: f64) -> Option<Ratio> {
    let whole: f64 = seen.iter().map(|one| weight(one, now)).sum();
    if whole <= 0.0 {
        return None;
    }
    let value = seen.iter().map(|one| weight(one, now) * one.kw / one.expected).sum::<f64>() / whole;
    let off = |one: &Seen| weight(one, now) * (one.kw / one.expected - value).powi(2);
    let spread = (seen.iter().map(off).sum::<f64>() / whole).sqrt();
    let shown = seen.iter().map(|one| one.error).fold(0.0, f64::max) * value;
    // A display is off by the same all along, so more readings do not make it better than it is.
    let error = 1.96 * (spread * spread / count(seen, now) + shown * shown).sqrt();
    Some(Ratio { value, error })
}

/// Whether a charge comes nearer and nearer to what is expected, by more than what can be an error.
fn warms(seen: &[Seen]) -> bool {
    let ratio = |one: &Seen| Measured { at: one.minute, value: one.kw / one.expected, error: one.error };
    let measured: Vec<Measured> = seen.iter().map(ratio).collect();
    let span = seen.last().map_or(0.0, |last| last.minute) - seen.first().map_or(0.0, |first| first.minute);
    Drift::new(&measured).is_some_and(|drift| drift.slope - drift.error > 0.0 && drift.slope * span > WARMS)
}

/// What the powers seen fit, and the power that follows.
fn fit(seen: &[Seen], expected: &Profile, now: f64) -> (Shape, Profile) {
    let Some(ratio) = ratio(seen, now) else { return (Shape::AsExpected, expected.clone()) };
    let off = (ratio.value - 1.0).abs();
    if off <= ratio.error.max(0.01) {
        return (Shape::AsExpected, expected.clone());
    }
    let scaled = expected.scaled(ratio.value);
    if ratio.value > 1.0 {
        return (if off <= AS_EXPECTED { Shape::AsExpected } else { Shape::Scaled }, scaled);
    }
    if warms(seen) {
        return (Shape::Warming, scaled);
    }
    let whole: f64 = seen.iter().map(|one| weight(one, now)).sum();
    let held = seen.iter().map(|one| weight(one, now) * one.kw).sum::<f64>() / whole;
    let limited = expected.min(&Profile::constant(held));
    let squares = |of: &dyn Fn(&Seen) -> f64| {
        seen.iter().map(|one| weight(one, now) * ((one.kw - of(one)) / one.kw).powi(2)).sum::<f64>() / whole
    };
    let (by_scale, by_limit) = (squares(&|one| ratio.value * one.expected), squares(&|one| held.min(one.expected)));
    let error = seen.iter().map(|one| one.error).fold(0.0, f64::max);
    let likely = 1.0 / (1.0 + ((by_scale - by_limit) * count(seen, now) / (2.0 * error * error)).exp());
    let shape = match likely {
        _ if off <= AS_EXPECTED => Shape::AsExpected,
        _ if likely > LIKELY => Shape::Scaled,
        _ if likely < 1.0 - LIKELY => Shape::Limited(Power::kw(held)),
        _ => Shape::Unclear,
    };
    (shape, scaled.mixed(likely, &limited))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::quantity::Distance;
    use crate::session::Reading;
    use crate::trip::site_details::SiteDetails;
    use crate::trip::{Price, Site};

    fn vehicle() -> Vehicle {
        Vehicle {
            usable: Energy::kwh(60.0),
            charge_curve: Profile::new(vec![(0.0, 150.0), (100.0, 50.0)]).unwrap(),
            charge_loss_percent: 10.0,
            pack_voltage: None,
            boost: None,
        }
    }

    fn stall() -> Stall {
        let site = Site {
            id: "s".into(),
            name: "S".into(),
            at: Distance::km(0.0),
            off_route: Distance::km(0.0),
            off_route_speed: crate::quantity::Speed::kmh(50.0),
            max_power: Power::kw(300.0),
            max_current: None,
            overhead: Minutes::new(4.0),
            price: Price::default(),
            details: SiteDetails::default(),
        };
        Stall::new(&vehicle(), &site)
    }

    /// Readings twice a minute of a charge from 20 % with a power into the battery, as a station's meter and a display show it.
    fn session(minutes: u32, kw: impl Fn(f64) -> f64, shows_power: bool) -> Session {
        let mut soc: f64 = 20.0;
        let mut readings = Vec::new();
        for second in 0..=60 * minutes {
            if second % 30 == 0 {
                readings.push(Reading {
                    elapsed: Minutes::new(f64::from(second) / 60.0),
                    soc: Some(Soc::percent(soc.floor())),
                    power: shows_power.then(|| Power::kw(kw(soc) / 0.9)),
                    ..Reading::default()
                });
            }
            soc += kw(soc) / 36.0 / 60.0;
        }
        Session { readings, ..Session::default() }
    }

    fn usual(soc: f64) -> f64 {
        150.0 - soc
    }

    #[test]
    fn a_slow_battery_is_told_from_a_stall_that_is_held() {
        let read = |session: Session| ChargeNow::new(&session, &vehicle(), &stall()).unwrap();
        let as_it_should = read(session(10, usual, true));
        assert_eq!(as_it_should.shape, Shape::AsExpected);
        let scaled = read(session(12, |soc| 0.7 * usual(soc), true));
        let ratio = scaled.ratio.unwrap();
        assert!((ratio.value - 0.7).abs() < ratio.error && scaled.shape == Shape::Scaled, "{scaled:?}");
        // By hand: 150 − 60 kW at 60 %, times 0.7.
        assert!((scaled.power.at(60.0) - 63.0).abs() < 1.5);
        let held = read(session(12, |soc| usual(soc).min(60.0), true));
        assert!(matches!(held.shape, Shape::Limited(power) if (power.get() - 60.0).abs() < 1.0), "{:?}", held.shape);
        // At 95 % the curve itself is below what holds the stall.
        assert!((held.power.at(95.0) - 55.0).abs() < 2.0 && (held.power.at(50.0) - 60.0).abs() < 2.0);
        // A cold battery: half of the usual at first, all of it at 60 %.
        let warming = read(session(12, |soc| usual(soc) * (0.5 + (soc - 20.0) / 80.0).min(1.0), true));
        assert_eq!(warming.shape, Shape::Warming);
        let by_soc = read(session(12, |soc| 0.7 * usual(soc), false)).ratio.unwrap();
        assert!((by_soc.value - 0.7).abs() < by_soc.error && by_soc.error < 0.3, "{by_soc:?}");
    }

    #[test]
    fn what_soc_gains_counts_more_than_what_a_display_shows() {
        // The display shows a quarter too much all along.
        let mut session = session(20, |soc| 0.8 * usual(soc), true);
        for reading in &mut session.readings {
            reading.power = reading.power.map(|power| Power::kw(1.25 * power.get()));
        }
        let ratio = ChargeNow::new(&session, &vehicle(), &stall()).unwrap().ratio.unwrap();
        assert!((ratio.value - 0.8).abs() < 0.04, "{ratio:?}");
    }

    #[test]
    fn nothing_is_told_of_what_was_not_read() {
        let first = ChargeNow::new(&session(0, usual, true), &vehicle(), &stall()).unwrap();
        assert_eq!((first.ratio, first.shape, first.sure.get()), (None, Shape::AsExpected, 19.5));
        assert!(ChargeNow::new(&Session::default(), &vehicle(), &stall()).is_none());
    }
}
