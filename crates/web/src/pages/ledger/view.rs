//! The ledger as its pages show it.

use std::collections::BTreeMap;

use spare_hour_core::charging::drift::Drift;
use spare_hour_core::quantity::units::Units;
use spare_hour_core::quantity::{Consumption, Distance};
use spare_hour_core::trip::road_log::StallState;
use spare_hour_planning::charge_money::{CarDrift, Figure, MonthOfCharges, Sum};
use spare_hour_planning::ledger::{LedgerTrip, Pair, Stand};
use spare_hour_wording::figures;

/// A trip in the list.
pub(super) struct TripRow {
    pub(super) id: i32,
    pub(super) name: String,
    pub(super) begun: String,
    pub(super) minutes: String,
    pub(super) arrival: String,
    pub(super) is_over: bool,
}

/// A leg or a stop: what it is, and its figures with what was planned.
pub(super) struct PartRow {
    pub(super) name: String,
    pub(super) is_stop: bool,
    pub(super) minutes: String,
    pub(super) soc: String,
    pub(super) energy: String,
    pub(super) found: String,
    /// The charge that was measured there: its number, and its name with what was paid.
    pub(super) session: Option<(i32, String)>,
}

/// One trip.
pub(super) struct TripView {
    pub(super) id: i32,
    pub(super) name: String,
    pub(super) is_over: bool,
    pub(super) summary: String,
    pub(super) largest: Option<String>,
    pub(super) rows: Vec<PartRow>,
    /// Legs that can become drives, in words, and whether they are in the log already.
    pub(super) drives: Vec<String>,
    pub(super) logged: bool,
    pub(super) found: Vec<String>,
    /// What the sites of the trip would take over, in words.
    pub(super) changes: Vec<String>,
    /// Stops, each with the charges that may have been measured there.
    pub(super) stands: Vec<StandRow>,
    pub(super) unread: usize,
}

/// A stop, and which charge was measured there.
pub(super) struct StandRow {
    /// When one came there, in milliseconds since 1970.
    pub(super) came: i64,
    pub(super) name: String,
    /// The car's charges: number, name, and whether it is this stop's.
    pub(super) sessions: Vec<(i32, String, bool)>,
}

/// A month, or all of them.
pub(super) struct MoneyRow {
    pub(super) month: String,
    pub(super) kind: &'static str,
    pub(super) charges: u32,
    pub(super) kwh: String,
    pub(super) paid: String,
    pub(super) per_distance: String,
}

/// A figure of a car over time.
pub(super) struct DriftView {
    pub(super) name: &'static str,
    pub(super) told: String,
    /// What updates of the software changed, in words.
    pub(super) updates: Vec<String>,
    /// What changes over the distance driven, where that is more than its error.
    pub(super) by_distance: Option<String>,
    /// Day, charge, its number, software, distance logged by then, value.
    pub(super) points: Vec<(String, String, i32, String, String, String)>,
}

/// A number without a unit, or nothing.
pub(super) fn bare(number: Option<f64>) -> String {
    number.map(|number| format!("{number:.1}")).unwrap_or_default()
}

/// A pair in words: what happened, and how much more or less that is than planned.
fn told(pair: Pair, unit: &str) -> String {
    let happened = pair.happened.map(|happened| format!("{happened:.0}{unit}"));
    match (happened, pair.planned, pair.more()) {
        (Some(happened), Some(_), Some(more)) => format!("{happened} ({}{:.0})", sign(more), more.abs()),
        (Some(happened), ..) => format!("{happened} (not planned)"),
        (None, Some(planned), _) => format!("– (planned {planned:.0}{unit})"),
        (None, ..) => "–".into(),
    }
}

fn sign(more: f64) -> &'static str {
    if more.abs() < 0.5 {
        "±"
    } else if more < 0.0 {
        "−"
    } else {
        "+"
    }
}

impl TripRow {
    pub(super) fn new(trip: &LedgerTrip) -> Self {
        Self {
            id: trip.outing.id,
            name: trip.outing.about.name.clone(),
            begun: trip.outing.begun_at.chars().take(16).collect(),
            minutes: told(trip.minutes, " min"),
            arrival: told(trip.arrival, " %"),
            is_over: trip.outing.is_over,
        }
    }
}

impl TripView {
    pub(super) fn new(trip: &LedgerTrip, logged: bool, units: Units) -> Self {
        let largest = trip.largest().map(|(what, more)| {
            format!("What differed most: {what}, {} against the plan.", figures::more_minutes(more))
        });
        let drives = trip.legs.iter().filter_map(|leg| {
            let drive = leg.drive.as_ref()?;
            let time = drive.time.map(figures::duration).unwrap_or_default();
            let points = format!("{:.0} points", leg.points.happened?);
            Some(format!(
                "{} to {}: {}, {time}, {points}",
                leg.names.0,
                leg.names.1,
                figures::distance(units, drive.distance)
            ))
        });
        Self {
            id: trip.outing.id,
            name: trip.outing.about.name.clone(),
            is_over: trip.outing.is_over,
            summary: format!("{} door to door, {} at the end.", told(trip.minutes, " min"), told(trip.arrival, " %")),
            largest,
            rows: rows(trip, units),
            drives: drives.collect(),
            logged,
            found: trip.found.iter().map(|(stall, name)| format!("{name}: {}", found(stall.state))).collect(),
            changes: Vec::new(),
            stands: Vec::new(),
            unread: trip.unread,
        }
    }
}

impl StandRow {
    pub(super) fn new(stand: &Stand, sessions: &[(i32, String)]) -> Self {
        let own = stand.session.as_ref().map(|(session, ..)| *session);
        let session = |(id, name): &(i32, String)| (*id, name.clone(), Some(*id) == own);
        Self { came: stand.times.0, name: stand.site.1.clone(), sessions: sessions.iter().map(session).collect() }
    }
}

/// What the drive log says of a leg.
fn logged(takes: f64, units: Units) -> String {
    format!("{} by the drive log", figures::consumption(units, Consumption::kwh_per_100km(takes)))
}

fn found(state: StallState) -> String {
    match state {
        StallState::OutOfOrder => "out of order".into(),
        StallState::Occupied(wait) => format!("occupied, {} of wait", figures::duration(wait)),
        StallState::Slow(power) => format!("gave {:.0} kW", power.get()),
        StallState::Fine => "as known".into(),
    }
}

/// Legs and stops in order: each stop stands after the leg that led to it.
fn rows(trip: &LedgerTrip, units: Units) -> Vec<PartRow> {
    let mut stands = trip.stands.iter();
    let mut rows = Vec::new();
    for leg in &trip.legs {
        let km = if leg.km.is_finite() { figures::distance(units, Distance::km(leg.km)) } else { "–".into() };
        rows.push(PartRow {
            name: format!("{} to {}, {km}", leg.names.0, leg.names.1),
            is_stop: false,
            minutes: told(leg.minutes, " min"),
            soc: format!("{} used", told(leg.points, " points")),
            energy: leg.logged.map(|takes| logged(takes, units)).unwrap_or_default(),
            found: String::new(),
            session: None,
        });
        let Some(stand) = stands.clone().next().filter(|stand| stand.site.1 == leg.names.1) else { continue };
        stands.next();
        rows.push(PartRow {
            name: stand.site.1.clone(),
            is_stop: true,
            minutes: told(stand.minutes, " min"),
            soc: format!("{} to {}", told(stand.arrive, " %"), told(stand.leave, " %")),
            energy: format!("{} from the plug", told(stand.kwh, " kWh")),
            found: stand.found.map(found).unwrap_or_default(),
            session: stand.session.as_ref().map(|(id, name, paid)| {
                let paid = paid.map(|paid| format!(", {paid:.2} paid")).unwrap_or_default();
                (*id, format!("{name}{paid}"))
            }),
        });
    }
    rows
}

/// The sums of a month by kind, without those that are empty.
pub(super) fn sums(month: &MonthOfCharges) -> Vec<(&'static str, Sum)> {
    let all = [("fast", month.fast), ("alternating current", month.ac), ("home", month.home)];
    all.into_iter().filter(|(_, sum)| sum.charges > 0).collect()
}

/// Months, the newest first, with each year's sum before its months.
pub(super) fn money_rows(months: &BTreeMap<String, MonthOfCharges>, units: Units) -> Vec<MoneyRow> {
    let mut rows = Vec::new();
    let mut year = String::new();
    for (month, sum) in months.iter().rev() {
        let this = month.get(..4).unwrap_or_default().to_string();
        if this != year {
            let of_year = months.iter().filter(|(month, _)| month.starts_with(&this));
            let whole = of_year
                .fold(Sum::default(), |whole, (_, month)| whole.with(month.fast).with(month.ac).with(month.home));
            rows.push(money_row(&this, "all", &whole, units));
            year = this;
        }
        rows.extend(sums(sum).into_iter().map(|(kind, sum)| money_row(month, kind, &sum, units)));
    }
    rows
}

fn money_row(month: &str, kind: &'static str, sum: &Sum, units: Units) -> MoneyRow {
    let unknown = sum.charges - sum.paid_known;
    let paid = match (sum.paid_known, unknown) {
        (0, _) => "unknown".to_string(),
        (_, 0) => format!("{:.2}", sum.paid),
        (_, unknown) => format!("{:.2}, unknown of {unknown}", sum.paid),
    };
    let per = sum.per_100_km().map(|paid| paid / units.distance.of(Distance::km(1.0)));
    MoneyRow {
        month: month.into(),
        kind,
        charges: sum.charges,
        kwh: format!("{:.0}", sum.kwh),
        paid,
        per_distance: per.map_or_else(|| "–".into(), |paid| format!("{paid:.2}")),
    }
}

impl DriftView {
    /// A figure with at least one value.
    pub(super) fn new(drift: &CarDrift, units: Units) -> Option<Self> {
        let (name, unit) = match drift.figure {
            Figure::Capacity => ("Usable capacity", "kWh"),
            Figure::TwentyToSixty => ("20 to 60 %", "min"),
        };
        if drift.points.is_empty() {
            return None;
        }
        let told = match drift.line {
            Some(line) if line.is_sure() => {
                let way = if line.slope < 0.0 { "falls" } else { "rises" };
                format!("It {way} by {:.2} ± {:.2} {unit} a year.", line.slope.abs(), line.error)
            }
            Some(line) => format!(
                "No drift is more than its error: {}{:.2} ± {:.2} {unit} a year.",
                if line.slope < 0.0 { "−" } else { "+" },
                line.slope.abs(),
                line.error
            ),
            None => "Fewer than three values on different days tell no drift.".into(),
        };
        let points = drift.points.iter().map(|point| {
            let software = point.software.clone().unwrap_or_default();
            let value = format!("{:.1} ± {:.1} {unit}", point.value, point.error);
            let driven = figures::distance(units, point.driven);
            (point.day.to_string(), point.session.1.clone(), point.session.0, software, driven, value)
        });
        let by_distance = drift.by_distance.filter(Drift::is_sure).map(|line| {
            let way = if line.slope < 0.0 { "falls" } else { "rises" };
            let far = figures::distance(units, Distance::km(10_000.0));
            format!("By the drive log it {way} by {:.2} ± {:.2} {unit} in {far}.", line.slope.abs(), line.error)
        });
        let updates = drift.updates.iter().map(|update| {
            let change = format!(
                "{}{:.1} ± {:.1} {unit}",
                if update.more < 0.0 { "−" } else { "+" },
                update.more.abs(),
                update.error
            );
            let sure = if update.more.abs() > update.error { "" } else { ", no more than its error" };
            format!("Software {} after {}: {change}{sure}.", update.software.1, update.software.0)
        });
        Some(Self { name, told, by_distance, updates: updates.collect(), points: points.collect() })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pairs_say_what_happened_and_what_was_planned() {
        let pair = |planned, happened| Pair { planned, happened };
        assert_eq!(told(pair(Some(22.0), Some(35.0)), " min"), "35 min (+13)");
        assert_eq!(told(pair(Some(22.0), Some(22.2)), " min"), "22 min (±0)");
        assert_eq!(told(pair(Some(22.0), Some(20.0)), " %"), "20 % (−2)");
        assert_eq!(told(pair(None, Some(20.0)), " %"), "20 % (not planned)");
        assert_eq!(told(pair(Some(20.0), None), " min"), "– (planned 20 min)");
    }

    #[test]
    fn a_year_stands_before_its_months_and_what_is_unknown_is_said() {
        let sum =
            |charges, paid_known| Sum { charges, paid_known, kwh: 40.0, kwh_paid: 20.0, paid: 9.5, km_paid: 100.0 };
        let months = BTreeMap::from([
            ("2025-12".to_string(), MonthOfCharges { fast: sum(1, 1), ..MonthOfCharges::default() }),
            ("2026-01".to_string(), MonthOfCharges { fast: sum(2, 1), ac: sum(1, 0), home: Sum::default() }),
        ]);
        let rows = money_rows(&months, Units::default());
        let told: Vec<(&str, &str, u32)> = rows.iter().map(|row| (row.month.as_str(), row.kind, row.charges)).collect();
        let by_hand = [
            ("2026", "all", 3),
            ("2026-01", "fast", 2),
            ("2026-01", "alternating current", 1),
            ("2025", "all", 1),
            ("2025-12", "fast", 1),
        ];
        assert_eq!(told, by_hand);
        assert_eq!((rows[1].paid.as_str(), rows[2].paid.as_str()), ("9.50, unknown of 1", "unknown"));
        assert_eq!(rows[4].per_distance, "9.50");
    }
}
