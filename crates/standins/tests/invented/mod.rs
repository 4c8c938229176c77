//! Invented charges whose truth is known, clean and with one fault each, for the table of what findings confuse.

#![allow(dead_code, missing_docs, unreachable_pub, clippy::unwrap_used, reason = "each user takes its own part")]

use std::collections::BTreeMap;

use fastrand::Rng;
use spare_hour_core::charging::profile::Profile;
use spare_hour_core::quantity::{Current, Energy, Minutes, Power, Soc, Temperature, Voltage};
use spare_hour_core::session::analysis::{Analysis, Basis};
use spare_hour_core::session::distance_base::DistanceBase;
use spare_hour_core::session::findings::{Finding, Severity, findings};
use spare_hour_core::session::{Conditions, Reading, Session};

/// What is wrong with a charge.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Fault {
    Clean,
    Dip,
    Boost,
    ClockBack,
    Capacity,
    Derated,
    Gap,
}

impl Fault {
    pub const ALL: [Self; 7] =
        [Self::Clean, Self::Dip, Self::Boost, Self::ClockBack, Self::Capacity, Self::Derated, Self::Gap];

    /// The findings that name it.
    pub fn codes(self) -> &'static [&'static str] {
        match self {
            Self::Clean => &[],
            Self::Dip => &["dip", "thermal-dip", "interrupted"],
            Self::Boost => &["boost-over"],
            Self::ClockBack => &["clock-backwards", "clock-set-back"],
            Self::Capacity => &["energy-against-soc"],
            Self::Derated => &["derated-stall"],
            Self::Gap => &["gap"],
        }
    }

    /// The least share that has to be found.
    pub fn demand(self) -> f64 {
        match self {
            Self::Derated | Self::Gap => 0.90,
            _ => 0.95,
        }
    }
}

/// A charge as it was read, what it is read with, and what its car is known to take.
pub struct Invented {
    pub session: Session,
    pub usable: f64,
    pub expected: Option<Profile>,
}

fn between(rng: &mut Rng, low: f64, high: f64) -> f64 {
    low + (high - low) * rng.f64()
}

/// A car's curve, kW over SoC, a point for each percent.
fn curve(rng: &mut Rng, usable: f64) -> Vec<(f64, f64)> {
    let peak = usable * between(rng, 1.1, 2.6);
    let (hold, end, rise) = (between(rng, 12.0, 60.0), between(rng, 0.1, 0.35), between(rng, 2.0, 9.0));
    let bend = between(rng, 0.7, 1.6);
    let mut steps = Vec::new();
    for _ in 0..rng.u8(0..3) {
        steps.push((between(rng, 25.0, 75.0), between(rng, 0.78, 0.96)));
    }
    let power = |soc: f64| {
        let ramp = (0.65 + 0.35 * soc / rise).min(1.0);
        let far = ((soc - hold) / (96.0 - hold)).clamp(0.0, 1.0).powf(bend);
        let stepped: f64 = steps.iter().filter(|step| soc > step.0).map(|step| step.1).product();
        peak * ramp * (1.0 - (1.0 - end) * far) * stepped
    };
    (0..=100).map(|soc| (f64::from(soc), power(f64::from(soc)))).collect()
}

/// The power of a curve: its last point below, so that steps stay steps.
fn power_at(curve: &[(f64, f64)], soc: f64) -> f64 {
    let below = (soc.floor() as usize).min(99);
    curve[below].1 + (curve[below + 1].1 - curve[below].1) * (soc - soc.floor())
}

/// An invented charge with a fault.
pub fn invent(fault: Fault, seed: u64) -> Invented {
    let mut rng = Rng::with_seed(seed);
    let usable = between(&mut rng, 45.0, 105.0);
    let curve = curve(&mut rng, usable);
    let site: f64 = [150.0, 200.0, 300.0, 350.0][rng.usize(0..4)];
    let (start, end) = (between(&mut rng, 5.0, 25.0), between(&mut rng, 72.0, 92.0));
    let site = if fault == Fault::Boost { 400.0 } else { site };
    let start = if fault == Fault::Derated { start.min(12.0) } else { start };
    let loss = between(&mut rng, 0.04, 0.10);
    let (boost, boost_for) = (between(&mut rng, 1.15, 1.35), between(&mut rng, 6.0, 12.0));
    let (dip_at, dip_for, dip) =
        (between(&mut rng, start + 10.0, end - 15.0), between(&mut rng, 1.5, 3.5), between(&mut rng, 0.5, 0.8));
    let most = curve.iter().map(|point| point.1).fold(0.0, f64::max);
    let derated = between(&mut rng, 0.28, 0.5) * site.min(most);
    let (mut soc, mut second, mut dipped) = (start, 0_u32, None);
    let (mut truth, mut counted) = (Vec::new(), 0.0);
    while soc < end && second < 4 * 3600 {
        let minute = f64::from(second) / 60.0;
        let mut kw = power_at(&curve, soc);
        match fault {
            // A boost holds its power from the start and is cut to the curve.
            Fault::Boost if minute < boost_for => kw = boost * power_at(&curve, soc.max(10.0)).max(0.96 * most),
            Fault::Boost => kw = kw.min(0.92 * most),
            Fault::Derated => kw = kw.min(derated),
            Fault::Dip if soc >= dip_at && minute - *dipped.get_or_insert(minute) < dip_for => kw *= dip,
            _ => {}
        }
        let plug = (kw / (1.0 - loss)).min(site);
        let kw = plug * (1.0 - loss);
        truth.push((soc, plug, counted));
        soc += kw / 36.0 / usable;
        counted += plug / 3600.0;
        second += 1;
    }
    let mut session = read(&truth, &mut rng);
    session.conditions = Conditions { site_power: rng.bool().then(|| Power::kw(site)), ..Conditions::default() };
    if fault == Fault::Derated {
        session.conditions.site_power = Some(Power::kw(site));
    }
    if rng.bool() {
        session.readings.iter_mut().for_each(|reading| reading.battery = Some(Temperature::celsius(32.0)));
    }
    spoil(fault, &mut session, &mut rng);
    let known = rng.bool() || fault == Fault::Derated;
    let scaled: Vec<(f64, f64)> =
        curve.iter().map(|point| (point.0, point.1 * between(&mut rng, 0.98, 1.02))).collect();
    let expected = known.then(|| Profile::new(scaled).unwrap()).filter(|_| fault != Fault::Boost);
    let read_with = if fault == Fault::Capacity { usable * [0.72, 1.3][rng.usize(0..2)] } else { usable };
    Invented { session, usable: read_with, expected }
}

/// Reads a charge at ticks or every 10 or 30 s; with counter, volts and amps or without.
fn read(truth: &[(f64, f64, f64)], rng: &mut Rng) -> Session {
    let at: Vec<usize> = match rng.u8(0..3) {
        0 => (0..truth.len()).step_by(10).collect(),
        1 => (0..truth.len()).step_by(30).collect(),
        _ => (1..truth.len()).filter(|&at| truth[at].0.floor() > truth[at - 1].0.floor()).collect(),
    };
    let (counter, amps) = (rng.bool(), rng.u8(0..3) == 0);
    let reading = |at: usize| {
        let (soc, plug, counted) = truth[at];
        let volts = 340.0 + 0.6 * soc;
        Reading {
            elapsed: Minutes::seconds(at as f64),
            soc: Some(Soc::percent(soc.floor())),
            power: Some(Power::kw(plug.round())),
            energy: counter.then(|| Energy::kwh((counted * 10.0).floor() / 10.0)),
            voltage: amps.then(|| Voltage::volts(volts.round())),
            current: amps.then(|| Current::amps((plug * 1000.0 / volts).round())),
            ..Reading::default()
        }
    };
    Session { readings: at.into_iter().map(reading).collect(), ..Session::default() }
}

/// Spoils what was read.
fn spoil(fault: Fault, session: &mut Session, rng: &mut Rng) {
    let count = session.readings.len();
    match fault {
        Fault::ClockBack if rng.bool() => {
            let at = rng.usize(count / 4..3 * count / 4);
            let earlier = session.readings[at - count / 8].elapsed;
            session.readings[at].elapsed = earlier - Minutes::new(0.07);
        }
        Fault::ClockBack => {
            let at = rng.usize(count / 4..3 * count / 4);
            let by = Minutes::new(session.readings[at].elapsed.get() * between(rng, 0.3, 0.9));
            session.readings[at..].iter_mut().for_each(|reading| reading.elapsed = reading.elapsed - by);
        }
        Fault::Gap => {
            let (from, wide) = (between(rng, 30.0, 50.0), between(rng, 7.0, 18.0));
            session.readings.retain(|reading| {
                let soc = reading.soc.unwrap().get();
                soc < from || soc > from + wide
            });
        }
        _ => {}
    }
}

impl Invented {
    pub fn findings(&self) -> Vec<Finding> {
        let basis =
            Basis { usable: Energy::kwh(self.usable), range: None, base: DistanceBase::Rated, loss_percent: None };
        let analysis = Analysis::new(&self.session, basis).unwrap();
        findings(&self.session, &analysis, self.expected.as_ref())
    }
}

/// How often each fault was named by each finding.
#[derive(Default)]
pub struct Confusion {
    pub charges: u64,
    pub named: BTreeMap<Fault, BTreeMap<&'static str, u64>>,
    pub found: BTreeMap<Fault, u64>,
    /// Charges in which something else was warned of that is not there.
    pub accused: BTreeMap<Fault, u64>,
}

pub fn confusion(charges: u64) -> Confusion {
    let mut table = Confusion { charges, ..Confusion::default() };
    for fault in Fault::ALL {
        for seed in 0..charges {
            let found = invent(fault, 10_000 + seed).findings();
            let mut codes: Vec<&'static str> = found.iter().map(Finding::code).collect();
            codes.sort_unstable();
            codes.dedup();
            for &code in &codes {
                *table.named.entry(fault).or_default().entry(code).or_default() += 1;
            }
            let expected = fault.codes();
            *table.found.entry(fault).or_default() += u64::from(codes.iter().any(|code| expected.contains(code)));
            let warned = |finding: &Finding| {
                finding.severity() >= Severity::Warning
                    && finding.code() != "charger-limited"
                    && !expected.contains(&finding.code())
            };
            *table.accused.entry(fault).or_default() += u64::from(found.iter().any(warned));
        }
    }
    table
}

impl Confusion {
    /// The table in Markdown.
    pub fn markdown(&self) -> String {
        let mut codes: Vec<&str> = self.named.values().flat_map(|named| named.keys().copied()).collect();
        codes.sort_unstable();
        codes.dedup();
        let mut text = format!(
            "| charges with | found | accused of else | {} |\n|{}",
            codes.join(" | "),
            "---|".repeat(codes.len() + 3)
        );
        for fault in Fault::ALL {
            let share = |count: u64| format!("{:.1} %", 100.0 * count as f64 / self.charges as f64);
            let of =
                |code: &&str| self.named.get(&fault).and_then(|named| named.get(code)).copied().unwrap_or_default();
            let cells: Vec<String> = codes.iter().map(|code| share(of(code))).collect();
            let found = if fault == Fault::Clean { "–".into() } else { share(self.found[&fault]) };
            text += &format!("\n| {fault:?} | {found} | {} | {} |", share(self.accused[&fault]), cells.join(" | "));
        }
        text
    }
}
