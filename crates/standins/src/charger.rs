//! A charger with a meter: it plays a car model, or a session that was measured, and can misbehave.
//!
//! A car is its curve, boost and voltages behind a stall's limits, stepped second by second; a pack that begins cold is a
//! lumped mass that warms by the charge's losses and takes less while it is cold. All of it is invented, for practice and
//! for tests; nothing here is read off a real device.

use spare_hour_core::charging::stall::Stall;
use spare_hour_core::quantity::{Current, Distance, Energy, Minutes, Power, Soc, Speed, Temperature, Voltage};
use spare_hour_core::session::live::{Event, Readout, What};
use spare_hour_core::session::{Reading, Session};
use spare_hour_core::trip::site_details::SiteDetails;
use spare_hour_core::trip::{Price, Site, Vehicle};
use spare_hour_formats::write_event_line;

/// Longest charge that is played, seconds.
const LONGEST: u32 = 6 * 3600;
/// Heat that warms the pack by a degree, kWh.
const HEAT_PER_KELVIN: f64 = 0.12;
/// Share of the plug's energy that warms the pack.
const WARMING: f64 = 0.06;
/// A heater that runs while the pack is cold, kW.
const HEATER: f64 = 4.0;
/// Power that a pack takes by its temperature: °C and share of the curve.
const BY_TEMPERATURE: [(f64, f64); 5] = [(-10.0, 0.12), (5.0, 0.32), (15.0, 0.55), (25.0, 0.9), (30.0, 1.0)];

/// What is played.
#[derive(Clone, Debug)]
pub enum Played {
    /// A car at a stall.
    Car(Box<CarAtStall>),
    /// A session as it was measured.
    Session(Box<Session>),
}

/// A car at a stall.
#[derive(Clone, Debug)]
pub struct CarAtStall {
    /// The car.
    pub vehicle: Vehicle,
    /// SoC at plug-in.
    pub start: Soc,
    /// SoC at which the car stops the charge.
    pub limit: Soc,
    /// Temperature of the pack at plug-in.
    pub pack: Temperature,
    /// The stall's most power.
    pub site_power: Power,
    /// The stall's most current.
    pub site_current: Option<Current>,
}

/// How the charger misbehaves.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Misbehaviour {
    /// Handshakes that it refuses before one works.
    pub refusals: u32,
    /// From which minute on it gives only so much.
    pub derated: Option<(Minutes, Power)>,
    /// By how many points the SoC it shows is behind.
    pub soc_behind: f64,
    /// When it reports nothing: from, and for how long.
    pub silent: Option<(Minutes, Minutes)>,
    /// Whether it sends lines that mean nothing in between.
    pub garbage: bool,
}

/// A charger.
#[derive(Clone, Debug)]
pub struct Charger {
    /// What it plays.
    pub played: Played,
    /// Seconds between its readings.
    pub every: u32,
    /// How it misbehaves.
    pub misbehaviour: Misbehaviour,
}

/// A line that the meter sends.
#[derive(Clone, Debug, PartialEq)]
pub struct TimedLine {
    /// Seconds since plug-in.
    pub second: f64,
    /// The line.
    pub text: String,
}

/// Seconds from plug-in to current, and for an attempt that is refused.
const HANDSHAKE: f64 = 14.0;
const REFUSAL: f64 = 25.0;

impl Charger {
    /// A charger that plays a car well.
    pub fn of_car(car: CarAtStall) -> Self {
        Self { played: Played::Car(Box::new(car)), every: 10, misbehaviour: Misbehaviour::default() }
    }

    /// All lines of the charge, for a plug-in at a time in milliseconds since 1970. `name` begins the names of its events.
    pub fn lines(&self, plugged_in_ms: i64, name: &str) -> Vec<TimedLine> {
        let mut lines = Lines { lines: Vec::new(), plugged_in_ms, name };
        lines.push(0.0, What::PluggedIn);
        let mut second = 0.0;
        for _ in 0..self.misbehaviour.refusals {
            second += REFUSAL;
            lines.push(second, What::AttemptFailed);
        }
        let began = second + HANDSHAKE;
        lines.push(began, What::CurrentOn);
        let readings = match &self.played {
            Played::Car(car) => car_readings(car, self.every, &self.misbehaviour),
            Played::Session(session) => session.readings.clone(),
        };
        for (index, reading) in readings.iter().enumerate() {
            if self.is_silent(reading.elapsed) {
                continue;
            }
            let at = began + 60.0 * reading.elapsed.get();
            if self.misbehaviour.garbage && index % 7 == 3 {
                lines
                    .lines
                    .push(TimedLine { second: at, text: "{\"what\":\"reading\",\"soc\":-40,\"pow\u{fffd}".into() });
            }
            let rest = Reading { elapsed: Minutes::default(), soc: None, ..reading.clone() };
            lines.push(at, What::Reading(Readout { soc: reading.soc, rest }));
        }
        let end = readings.last().map_or(began, |last| began + 60.0 * last.elapsed.get());
        lines.push(end + 1.0, What::Ended);
        lines.lines
    }

    fn is_silent(&self, at: Minutes) -> bool {
        self.misbehaviour.silent.is_some_and(|(from, length)| at >= from && at < from + length)
    }
}

struct Lines<'a> {
    lines: Vec<TimedLine>,
    plugged_in_ms: i64,
    name: &'a str,
}

impl Lines<'_> {
    fn push(&mut self, second: f64, what: What) {
        let id = format!("{}-{}", self.name, self.lines.len());
        let event = Event { id, at_ms: self.plugged_in_ms + (1000.0 * second).round() as i64, what };
        self.lines.push(TimedLine { second, text: write_event_line(&event) });
    }
}

/// What the meter shows of a car, until the car or the longest charge ends it; the last reading is without power.
fn car_readings(car: &CarAtStall, every: u32, misbehaviour: &Misbehaviour) -> Vec<Reading> {
    let stall = Stall::new(&car.vehicle, &site(car));
    let stored_share = 1.0 - car.vehicle.charge_loss_percent / 100.0;
    let (mut soc, mut pack, mut plug_kwh) = (car.start.get(), car.pack.get(), 0.0);
    let mut readings = Vec::new();
    for second in 0..LONGEST {
        let elapsed = Minutes::seconds(f64::from(second));
        let full = stall.power_at(car.start, Soc::percent(soc), elapsed).get();
        let mut battery = full * warm_share(pack);
        if let Some((_, most)) = misbehaviour.derated.filter(|derated| elapsed >= derated.0) {
            battery = battery.min(stored_share * most.get());
        }
        let ended = soc >= car.limit.get();
        let heater = if pack < 20.0 { HEATER } else { 0.0 };
        let plug = if ended { 0.0 } else { battery / stored_share + heater };
        if ended || second % every == 0 {
            let shown = (soc - misbehaviour.soc_behind).max(car.start.get()).floor();
            readings.push(reading(car, elapsed, shown, (plug, plug_kwh, pack)));
        }
        if ended {
            break;
        }
        soc = (soc + battery / 36.0 / car.vehicle.usable.get()).min(100.0);
        plug_kwh += plug / 3600.0;
        pack +=
            (WARMING * battery + heater) / 3600.0 / HEAT_PER_KELVIN * (1.0 - (pack - 25.0).max(0.0) / 18.0).max(0.0);
    }
    readings
}

/// Whole percents, tenths of a kW, hundredths of a kWh, whole volts, amps and degrees.
fn reading(car: &CarAtStall, elapsed: Minutes, shown: f64, (plug, plug_kwh, pack): (f64, f64, f64)) -> Reading {
    let volts = car.vehicle.pack_voltage.as_ref().map(|voltage| voltage.at(shown));
    Reading {
        elapsed,
        soc: Some(Soc::percent(shown)),
        power: Some(Power::kw((plug * 10.0).round() / 10.0)),
        energy: Some(Energy::kwh((plug_kwh * 100.0).round() / 100.0)),
        voltage: volts.map(|volts| Voltage::volts(volts.round())),
        current: volts.map(|volts| Current::amps((1000.0 * plug / volts).round())),
        battery: Some(Temperature::celsius(pack.round())),
        ..Reading::default()
    }
}

/// The share of its curve that a pack takes at a temperature in °C.
fn warm_share(celsius: f64) -> f64 {
    let after = BY_TEMPERATURE.partition_point(|point| point.0 <= celsius);
    let (Some(before), Some(next)) = (after.checked_sub(1).map(|i| BY_TEMPERATURE[i]), BY_TEMPERATURE.get(after))
    else {
        return if after == 0 { BY_TEMPERATURE[0].1 } else { 1.0 };
    };
    before.1 + (next.1 - before.1) * (celsius - before.0) / (next.0 - before.0)
}

fn site(car: &CarAtStall) -> Site {
    Site {
        id: "stand-in".into(),
        name: "Stand-in".into(),
        at: Distance::km(0.0),
        off_route: Distance::km(0.0),
        off_route_speed: Speed::kmh(50.0),
        max_power: car.site_power,
        max_current: car.site_current,
        overhead: Minutes::new(0.0),
        price: Price::default(),
        details: SiteDetails::default(),
    }
}
