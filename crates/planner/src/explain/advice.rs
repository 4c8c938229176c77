//! The answer to "leave now, or wait?" as facts: what is advised, and the two numbers that it compares.

use jiff::ZonedDateTime;
use spare_hour_core::charging::charge_now::ChargeNow;
use spare_hour_core::quantity::{Minutes, Soc};
use spare_hour_core::session::findings::Finding;

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
