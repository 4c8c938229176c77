//! The answer to "leave now, or wait?" as facts: what is advised, and the two numbers that it compares.

use jiff::ZonedDateTime;
use spare_hour_core::charging::charge_now::ChargeNow;
use spare_hour_core::quantity::{Distance, Minutes, Soc};
use spare_hour_core::session::findings::Finding;

/// Five minutes, in milliseconds.
const WALK_BACK_MS: i64 = 300_000;

/// A fee of standing on after a charge that goes on to the end.
#[derive(Clone, Debug, PartialEq)]
pub struct IdleFee {
    /// When it begins,
    pub at: ZonedDateTime,
    /// how long after now,
    pub after: Minutes,
    /// and what it costs for an hour.
    pub per_hour: f64,
}

impl IdleFee {
    /// When to be told of it, so that there is time to walk back: milliseconds since 1970.
    pub fn alarm_ms(&self) -> i64 {
        self.at.timestamp().as_millisecond() - WALK_BACK_MS
    }
}

/// A change of a price.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PriceStep {
    /// In how many minutes.
    pub after: Minutes,
    /// The change, in the trip's currency.
    pub by: f64,
    /// Whether of a kWh; else of a minute.
    pub of_energy: bool,
}

/// Why to stay or to leave.
#[derive(Clone, Debug, PartialEq)]
pub enum Because {
    /// The next stop, or the end, is not reached yet with what has to be left there.
    NotEnoughYet,
    /// A pause that is stood here anyway.
    Pause(String),
    /// The next points are cheaper here than at the next stop; money counts too where an hour has a value.
    CheaperHere,
    /// They are cheaper at the next stop.
    CheaperThere,
    /// What is in the battery reaches the end.
    Enough,
}

/// The answer.
#[derive(Clone, Debug)]
pub struct Advice {
    /// The site where one stands, and its name.
    pub site: (String, String),
    /// Whether to stay.
    pub stay: bool,
    /// What to leave with,
    pub leave: Soc,
    /// and in how many minutes that is.
    pub leave_in: Minutes,
    /// When that is.
    pub leave_at: Option<ZonedDateTime>,
    /// Minutes that the next five points take here; `None` where the battery is full before,
    pub here_next: Option<Minutes>,
    /// and at the next stop, from what one arrives there with who leaves now; `None` where none follows.
    pub there_next: Option<Minutes>,
    /// The next stop, and its name; `None` where the end is next,
    pub next: Option<(String, String)>,
    /// and SoC on arrival there.
    pub next_arrive: Soc,
    /// Minutes to the end for who leaves now; `None` where that cannot be driven,
    pub total_now: Option<Minutes>,
    /// and for who does as is advised.
    pub total_advised: Minutes,
    /// The same for who leaves five minutes later; `None` where that cannot be driven.
    pub total_later: Option<Minutes>,
    /// Minutes from now to each round ten above.
    pub tens: Vec<(Soc, Minutes)>,
    /// How far the charge so far goes on the road ahead.
    pub added: Distance,
    /// The next change of the price while it charges: in how many minutes, and by how much for a kWh or a minute.
    pub next_price: Option<PriceStep>,
    /// Minutes that moving to another stall of the site would save, its fixed minutes counted, if it is this stall that is slow.
    pub other_stall: Option<Minutes>,
    /// The fee of standing on after the charge, where there is one.
    pub idle: Option<IdleFee>,
    /// The next stop of who leaves now.
    pub next_now: Option<String>,
    /// When one is there then,
    pub arrive_at: Option<ZonedDateTime>,
    /// and with what.
    pub arrival: Soc,
    /// What the readings say.
    pub charge: ChargeNow,
    /// What the charge has cost so far, as far as its price is known.
    pub cost: Option<f64>,
    /// What is odd about the charge.
    pub findings: Vec<Finding>,
    /// Why.
    pub because: Because,
}
