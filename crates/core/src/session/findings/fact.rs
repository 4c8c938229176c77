//! The facts that findings state: what was seen, with its figures. Sentences are made of them elsewhere.

use serde::Serialize;

use super::{Certainty, Severity};
use crate::quantity::{Current, Energy, Minutes, Power, Soc, SocSpan, Temperature};

/// What is odd about a session. Times are minutes since current began; as JSON each figure is named with its unit.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[serde(untagged)]
pub enum Fact {
    /// A reading's clock runs back against the last good one.
    ClockBackwards {
        /// Which reading, from 1.
        reading: usize,
        /// What its clock says.
        #[serde(rename = "says_min")]
        says: Minutes,
        /// The last good reading's.
        #[serde(rename = "after_min")]
        after: Minutes,
    },
    /// A second reading at one time.
    Duplicate {
        /// Which reading, from 1.
        reading: usize,
        /// When.
        #[serde(rename = "says_min")]
        says: Minutes,
    },
    /// A reading's SoC is below the last good one's.
    SocBackwards {
        /// Which reading, from 1.
        reading: usize,
        /// What it shows.
        #[serde(rename = "shows_soc")]
        shows: Soc,
        /// What the last good one showed.
        #[serde(rename = "after_soc")]
        after: Soc,
        /// What it should likely be, one digit changed.
        #[serde(rename = "likely_soc")]
        likely: Option<Soc>,
    },
    /// A reading's power stands far above its neighbours'.
    PowerSlip {
        /// Which reading, from 1.
        reading: usize,
        /// What it shows.
        #[serde(rename = "shows_kw")]
        shows: Power,
        /// What it should likely be.
        #[serde(rename = "likely_kw")]
        likely: Option<Power>,
    },
    /// The clock was set back and goes on where it stood.
    ClockSetBack {
        /// The first reading after it, from 1.
        reading: usize,
        /// By how much what follows was moved.
        #[serde(rename = "moved_min")]
        moved: Minutes,
    },
    /// The clock shows whole minutes only.
    WholeMinutes {},
    /// SoC follows from the range that the car showed.
    SocByRange {},
    /// Readings without current, before the charge.
    BeforeCurrent {
        /// How many.
        readings: usize,
    },
    /// The points gained are more power than any battery takes.
    ImpossiblePower {
        /// The average power into the battery that they imply.
        #[serde(rename = "implied_kw")]
        implied: Power,
        /// That over the usable capacity, 1/h.
        c_rate: f64,
    },
    /// The counter stopped before the end of the charge.
    CounterStopped {
        /// When.
        #[serde(rename = "stopped_min")]
        at: Minutes,
        /// Where it stood.
        #[serde(rename = "counted_kwh")]
        counted: Energy,
    },
    /// Nothing was read for long.
    Gap {
        /// The last reading before.
        #[serde(rename = "from_min")]
        from: Minutes,
        /// The first reading after.
        #[serde(rename = "to_min")]
        to: Minutes,
        /// SoC of both.
        #[serde(skip)]
        soc: (Soc, Soc),
    },
    /// Readings that a person left out.
    LeftOut {
        /// How many.
        readings: usize,
    },
    /// The meter's counter does not agree with its power over time.
    EnergyAgainstPower {
        /// Power over time.
        #[serde(rename = "integrated_kwh")]
        integrated: Energy,
        /// What the counter says.
        #[serde(rename = "counted_kwh")]
        counted: Energy,
    },
    /// The meter's counter runs behind its power.
    CounterLate {
        /// By how much.
        #[serde(rename = "behind_min")]
        behind: Minutes,
    },
    /// The plug's energy and what SoC says was stored imply a loss that is not plausible.
    EnergyAgainstSoc {
        /// Energy out of the plug.
        #[serde(rename = "plug_kwh")]
        plug: Energy,
        /// Points gained.
        #[serde(rename = "gained_points")]
        gained: SocSpan,
        /// What they are at the usable capacity.
        #[serde(rename = "stored_kwh")]
        stored: Energy,
        /// The loss that this implies, % of the plug's energy.
        loss_percent: f64,
    },
    /// The SoC shown runs behind the energy counter.
    SocLags {
        /// By how much.
        #[serde(rename = "behind_points")]
        behind: SocSpan,
    },
    /// Power sat at the site's most.
    AtSitePower {
        /// The site's most.
        #[serde(rename = "site_kw")]
        site: Power,
        /// Over which part of the charge.
        #[serde(skip)]
        over: (Soc, Soc),
    },
    /// Current sat at the site's most.
    AtSiteCurrent {
        /// The site's most.
        #[serde(rename = "site_a")]
        site: Current,
        /// Over which part of the charge.
        #[serde(skip)]
        over: (Soc, Soc),
    },
    /// Current stayed the same while the voltage rose, at a site whose limit nobody noted.
    ConstantCurrent {
        /// The current.
        #[serde(rename = "current_a")]
        current: Current,
        /// Over which part of the charge.
        #[serde(skip)]
        over: (Soc, Soc),
    },
    /// Power stepped down after it had held since the start.
    BoostOver {
        /// When.
        #[serde(rename = "cut_min")]
        at: Minutes,
        /// Power before.
        #[serde(rename = "before_kw")]
        before: Power,
        /// Power after.
        #[serde(rename = "after_kw")]
        after: Power,
        /// SoC at the start of the charge.
        #[serde(rename = "start_soc")]
        start: Soc,
        /// The currents before and after, where both were steady: a current limit that was lowered.
        #[serde(skip)]
        current: Option<(Current, Current)>,
    },
    /// Power was flat far below what the site says.
    Derated {
        /// The flat power at the plug.
        #[serde(rename = "flat_kw")]
        flat: Power,
        /// What the site says.
        #[serde(rename = "site_kw")]
        site: Power,
        /// Over which part of the charge.
        #[serde(skip)]
        over: (Soc, Soc),
        /// What the car is known to take there, into the battery.
        #[serde(rename = "car_takes_kw")]
        car_takes: Option<Power>,
    },
    /// Power fell and came back.
    Dip {
        /// When it was lowest.
        #[serde(rename = "lowest_min")]
        at: Minutes,
        /// Power before.
        #[serde(rename = "before_kw")]
        before: Power,
        /// The lowest.
        #[serde(rename = "lowest_kw")]
        lowest: Power,
        /// Power it came back to.
        #[serde(rename = "back_kw")]
        back: Power,
        /// When.
        #[serde(rename = "back_min")]
        back_at: Minutes,
        /// What is likely behind it.
        #[serde(flatten)]
        cause: DipCause,
    },
    /// A hot pack's power fell and did not come back.
    Overheated {
        /// When.
        #[serde(rename = "cut_min")]
        at: Minutes,
        /// Power before.
        #[serde(rename = "before_kw")]
        before: Power,
        /// Power after.
        #[serde(rename = "after_kw")]
        after: Power,
        /// The pack.
        #[serde(rename = "battery_c")]
        battery: Temperature,
    },
    /// The pack was cold at the start.
    ColdBattery {
        /// The pack.
        #[serde(rename = "battery_c")]
        battery: Temperature,
    },
    /// The charge began at 0 %.
    StartAtZero {},
    /// Attempts failed before current flowed.
    FailedAttempts {
        /// How many.
        attempts: u32,
    },
    /// So few readings that the curve's shape is not known.
    TooFewReadings {
        /// How many.
        readings: usize,
        /// Over so many points.
        #[serde(rename = "over_points")]
        over: SocSpan,
    },
    /// The crawl at the top, where cells are balanced.
    Balancing {
        /// How long it took.
        #[serde(rename = "took_min")]
        took: Minutes,
        /// Over which part of the charge.
        #[serde(skip)]
        over: (Soc, Soc),
    },
    /// The charge ended while power still flowed.
    EndedByLimit {
        /// At which SoC.
        #[serde(rename = "ended_soc")]
        at: Soc,
        /// The power that still flowed.
        #[serde(rename = "flowing_kw")]
        flowing: Power,
    },
    /// The car took one phase of a post with three.
    OnePhase {
        /// What it took.
        #[serde(rename = "taken_kw")]
        taken: Power,
        /// What the post gives.
        #[serde(rename = "site_kw")]
        site: Power,
    },
}

/// What is likely behind a dip of the power.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
#[serde(rename_all = "kebab-case", tag = "cause")]
pub enum DipCause {
    /// No current flowed.
    Interrupted,
    /// The pack was hot.
    Heat {
        /// The pack.
        #[serde(rename = "battery_c")]
        battery: Temperature,
    },
    /// The pack was not hot.
    NotHeat {
        /// The pack.
        #[serde(rename = "battery_c")]
        battery: Temperature,
    },
    /// The pack's temperature is not known.
    Unknown,
}

impl Fact {
    /// A stable name, such as `soc-backwards`.
    pub fn code(&self) -> &'static str {
        match self {
            Self::ClockBackwards { .. } => "clock-backwards",
            Self::Duplicate { .. } => "duplicate",
            Self::SocBackwards { .. } => "soc-backwards",
            Self::PowerSlip { .. } => "power-slip",
            Self::ClockSetBack { .. } => "clock-set-back",
            Self::WholeMinutes {} => "whole-minutes",
            Self::SocByRange {} => "soc-by-range",
            Self::BeforeCurrent { .. } => "before-current",
            Self::ImpossiblePower { .. } => "impossible-power",
            Self::CounterStopped { .. } => "counter-stopped",
            Self::Gap { .. } => "gap",
            Self::LeftOut { .. } => "left-out",
            Self::EnergyAgainstPower { .. } => "energy-against-power",
            Self::CounterLate { .. } => "counter-late",
            Self::EnergyAgainstSoc { .. } => "energy-against-soc",
            Self::SocLags { .. } => "soc-lags",
            Self::AtSitePower { .. } | Self::AtSiteCurrent { .. } => "charger-limited",
            Self::ConstantCurrent { .. } => "constant-current",
            Self::BoostOver { .. } => "boost-over",
            Self::Derated { .. } => "derated-stall",
            Self::Dip { cause: DipCause::Interrupted, .. } => "interrupted",
            Self::Dip { cause: DipCause::Heat { .. }, .. } | Self::Overheated { .. } => "thermal-dip",
            Self::Dip { .. } => "dip",
            Self::ColdBattery { .. } => "cold-battery",
            Self::StartAtZero {} => "start-at-zero",
            Self::FailedAttempts { .. } => "failed-attempts",
            Self::TooFewReadings { .. } => "too-few-readings",
            Self::Balancing { .. } => "balancing",
            Self::EndedByLimit { .. } => "ended-by-limit",
            Self::OnePhase { .. } => "one-phase",
        }
    }

    /// How much it matters.
    pub fn severity(&self) -> Severity {
        match self {
            Self::ClockBackwards { .. }
            | Self::SocBackwards { .. }
            | Self::PowerSlip { .. }
            | Self::ImpossiblePower { .. } => Severity::Fault,
            Self::Duplicate { .. }
            | Self::WholeMinutes {}
            | Self::SocByRange {}
            | Self::BeforeCurrent { .. }
            | Self::LeftOut { .. }
            | Self::SocLags { .. }
            | Self::CounterLate { .. }
            | Self::ConstantCurrent { .. }
            | Self::StartAtZero {}
            | Self::FailedAttempts { .. }
            | Self::Balancing { .. }
            | Self::EndedByLimit { .. }
            | Self::BoostOver { .. }
            | Self::OnePhase { .. } => Severity::Note,
            _ => Severity::Warning,
        }
    }

    /// How sure it is what the fact says; what would decide it is said beside it where it is not certain.
    pub fn certainty(&self) -> Certainty {
        match self {
            Self::BoostOver { current: None, .. }
            | Self::Derated { car_takes: None, .. }
            | Self::ConstantCurrent { .. }
            | Self::Dip { cause: DipCause::Unknown, .. } => Certainty::Possible,
            Self::BoostOver { .. }
            | Self::Derated { .. }
            | Self::Dip { cause: DipCause::Heat { .. } | DipCause::NotHeat { .. }, .. }
            | Self::Overheated { .. }
            | Self::EnergyAgainstSoc { .. }
            | Self::SocLags { .. }
            | Self::CounterLate { .. }
            | Self::PowerSlip { .. }
            | Self::ClockSetBack { .. }
            | Self::Balancing { .. }
            | Self::EndedByLimit { .. }
            | Self::OnePhase { .. } => Certainty::Likely,
            _ => Certainty::Certain,
        }
    }
}
