//! `spare-hour stand-in`: a simulated charger that feeds a charge being measured, as a real meter would; and the same
//! charger as the live page's button borrows it.

use std::path::PathBuf;
use std::sync::Arc;
use std::time::{SystemTime, UNIX_EPOCH};

use clap::{Args, ValueEnum};
use spare_hour_core::charging::profile::Profile;
use spare_hour_core::quantity::{Energy, Minutes, Power, Soc, Temperature};
use spare_hour_core::trip::{Boost, Vehicle};
use spare_hour_formats::read_session_csv;
use spare_hour_standins::charger::{CarAtStall, Charger, Misbehaviour, Played};
use spare_hour_standins::play::play;
use spare_hour_web::{StandIn, StandInAsk};

use crate::{Failure, read_file};

/// SoC at which a played car stops the charge.
const LIMIT: Soc = Soc::percent(80.0);
/// Temperatures of a played pack.
const WARM: Temperature = Temperature::celsius(31.0);
const COLD: Temperature = Temperature::celsius(3.0);

/// Let a simulated charger feed a charge that is being measured.
#[derive(Args)]
pub(crate) struct Play {
    /// Where to send readings: the address that the live page shows, such as `http://localhost:7878/meter/TOKEN`.
    to: String,
    /// A session CSV to play; without one, an invented car is played.
    #[arg(long)]
    session: Option<PathBuf>,
    /// How it goes.
    #[arg(long, value_enum, default_value_t)]
    kind: Kind,
    /// How many times as fast as it happens.
    #[arg(long, default_value_t = 1.0)]
    speed: f64,
}

/// How a charge goes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
enum Kind {
    /// Well.
    #[default]
    Clean,
    /// With a boost for the first minutes.
    Boost,
    /// With a cold pack.
    Cold,
    /// Derated after some minutes.
    Derated,
    /// Refusing two handshakes.
    Refusing,
    /// Silent for some minutes.
    Silent,
    /// With its SoC behind.
    Lagging,
    /// With garbage between its lines.
    Garbled,
}

impl Kind {
    fn misbehaviour(self) -> Misbehaviour {
        let well = Misbehaviour::default();
        match self {
            Self::Clean | Self::Boost | Self::Cold => well,
            Self::Derated => Misbehaviour { derated: Some((Minutes::new(6.0), Power::kw(40.0))), ..well },
            Self::Refusing => Misbehaviour { refusals: 2, ..well },
            Self::Silent => Misbehaviour { silent: Some((Minutes::new(5.0), Minutes::new(5.0))), ..well },
            Self::Lagging => Misbehaviour { soc_behind: 2.0, ..well },
            Self::Garbled => Misbehaviour { garbage: true, ..well },
        }
    }
}

impl Play {
    pub(crate) fn run(&self) -> Result<(), Failure> {
        if !(self.speed.is_finite() && (0.1..=10_000.0).contains(&self.speed)) {
            return Err(Failure::Input("--speed: expected 0.1 to 10000".into()));
        }
        let played = match &self.session {
            Some(path) => {
                let session = read_session_csv(&read_file(path)?)
                    .map_err(|error| Failure::Input(format!("{}: {error}", path.display())))?;
                Played::Session(Box::new(session))
            }
            None => Played::Car(Box::new(car(invented(self.kind), Soc::percent(12.0), Power::kw(300.0), self.kind))),
        };
        let charger = Charger { played, every: 10, misbehaviour: self.kind.misbehaviour() };
        let lines = charger.lines(now_ms(), &format!("standin-{}", now_ms()));
        play(&lines, &self.to, self.speed, || false).map_err(|error| Failure::Input(error.to_string()))
    }
}

/// A car of nobody's.
fn invented(kind: Kind) -> Vehicle {
    let curve = vec![(0.0, 110.0), (8.0, 160.0), (35.0, 150.0), (60.0, 95.0), (80.0, 58.0), (100.0, 4.0)];
    let boost =
        Boost { time: Minutes::new(8.0), max_start: Soc::percent(50.0), charge_curve: Profile::constant(175.0) };
    Vehicle {
        usable: Energy::kwh(70.0),
        charge_curve: Profile::new(curve).unwrap_or_else(|_| Profile::constant(60.0)),
        charge_loss_percent: 8.0,
        pack_voltage: Profile::new(vec![(0.0, 335.0), (100.0, 400.0)]).ok(),
        boost: (kind == Kind::Boost).then_some(boost),
    }
}

fn car(vehicle: Vehicle, start: Soc, site_power: Power, kind: Kind) -> CarAtStall {
    let limit = if start < LIMIT { LIMIT } else { Soc::percent(100.0) };
    let pack = if kind == Kind::Cold { COLD } else { WARM };
    CarAtStall { vehicle, start, limit, pack, site_power, site_current: None }
}

fn now_ms() -> i64 {
    SystemTime::now().duration_since(UNIX_EPOCH).map_or(0, |since| since.as_millis() as i64)
}

/// The stand-in that the app lends its live page: it plays to this machine's own port, on a thread of its own.
pub(crate) fn lent_to(port: u16) -> StandIn {
    Arc::new(move |ask: StandInAsk| {
        std::thread::spawn(move || {
            let kind = Kind::from_str(&ask.kind, true).unwrap_or_default();
            let name = format!("standin-{}", now_ms());
            let car = car(ask.vehicle, ask.start, ask.site_power, kind);
            let charger = Charger { misbehaviour: kind.misbehaviour(), ..Charger::of_car(car) };
            let address = format!("http://127.0.0.1:{port}/meter/{}", ask.token);
            let lines = charger.lines(now_ms(), &name);
            // The charge may be ended or forgotten while it plays; then there is nobody to play to.
            if let Err(error) = play(&lines, &address, ask.speed, || false) {
                tracing::info!("the stand-in stopped: {error}");
            }
        });
    })
}
